"""One speed, one configuration, no trial: how far does it go? Later other speeds are added."""

import pytest


@pytest.mark.inputs(13)
def test_how_far_it_goes(tester):
    t = tester
    t.units("metric-wh")
    t.new("one", "How far at 90?", order="A", speed="90", capacity="72")
    t.leg("L01", reading="123", distance_km="52")
    t.leg("L02", reading="147", distance_km="52")
    result = t.result()
    assert result.as_driven_wh_per_km == pytest.approx(135)
    assert round(result.range_km) == 533
    low, high = result.range_interval_km
    assert 480 < low < 533 < high < 590
    assert t.analysis.missing == ""
    text = t.shown("verdict")
    assert "135 Wh/km" in text
    assert "533 km" in text
    assert "differ by hill and wind" in text
    assert "nothing is compared" in text
    assert {x.source for x in result.margin} >= {"temperature", "climate", "wind"}
    assert "Note whether climate was off, or its setting" in text
    report = t.report()
    assert "533 km" in report
    assert "135 Wh/km" in report
    t.check()
    # Other speeds: the curve grows.
    for name, kmh, shown in (("L03", "100", "142"), ("L05", "115", "168")):
        t.add_run("A")
        back = f"L{int(name[1:]) + 1:02d}"
        t.leg(name, speed_kmh=kmh, reading=shown, distance_km="52")
        t.leg(back, speed_kmh=kmh, reading=str(int(shown) + 24), distance_km="52")
    assert [r.speed_kmh for r in t.analysis.results] == [90, 100, 115]
    (curve,) = t.window.session.wanted.speed_curves()
    assert [round(v) for v in curve.driven_kmh] == [90, 100, 115]
    rising = [w for s, w in zip(curve.speeds_kmh, curve.wh_per_km, strict=True) if 85 < s < 120]
    assert rising == sorted(rising)
    t.qtbot.waitUntil(lambda: "Driven from 90 km/h to 115 km/h" in t.shown("verdict"))  # the curve follows the result
    # A trial can be added at any time, and the study becomes a comparison.
    t.press("question", "Add a trial")
    assert len(t.study.trials) == 1
    t.add_run("B")
    t.leg("L07", reading="130", distance_km="52")
    t.leg("L08", reading="154", distance_km="52")
    assert t.effect is not None
    assert t.effect.as_measured_percent == pytest.approx((284 / 270 - 1) * 100)


def test_against_what_it_is_rated_at(tester):
    """By hand: rated 150 Wh/km and 480 km are 72 kWh; 135 Wh/km is 10 % less, 533 km 53 more. No division by the tester."""
    t = tester
    t.units("metric-wh")
    t.new("one", "Against the plate", order="A", speed="90")
    t.leg("L01", reading="123", distance_km="52")
    t.leg("L02", reading="147", distance_km="52")
    assert "Range as driven" not in t.shown("verdict")  # no capacity is known, and none is assumed
    t.question("v_rated_wh_per_km", "150")
    t.question("v_rated_range_km", "480")
    text = t.shown("verdict")
    assert "Rated 150 Wh/km: as driven it took 10 % less; rated 480 km, as driven 533: 53 km more." in text
    assert "The rated figures make a battery of 72.0 kWh" in text
    assert "53 km more" in t.report()
    t.check()
    # whoever thinks in miles reads the same
    t.units("us")
    assert "rated 298 mi, as driven 331: 33 mi more" in t.shown("verdict")
    t.question("v_rated_range_km", "290 mi")
    assert t.study.vehicle.rated_range_km == pytest.approx(290 * 1.609344, abs=0.01)

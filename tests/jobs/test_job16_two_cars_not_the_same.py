"""Two drivetrains are two cars, and not the same: true consumption, a known other difference, one always had the change."""

import pytest


@pytest.mark.inputs(11)
def test_two_cars_with_a_known_other_difference(tester):
    t = tester
    t.units("metric-wh")
    t.new("vehicles", "Rear drive, four-wheel drive", order="", method="loop")
    first, other = (v.id for v in t.study.vehicles)
    t.fleet(first, name="Rear drive", distance_error_percent="1.9")
    t.fleet(other, name="Four-wheel drive", distance_error_percent="1.9")
    t.known(other, "7 \u00b1 3 Wh/km, wheel caps")
    t.paste(
        "vehicle\tspeed\tdistance (km)\treading\tstart\ttemperature\n"
        "Rear drive\t120\t50\t196\t2026-04-02 10:00\t12\nRear drive\t90\t50\t149\t2026-04-02 11:00\t12\n"
        "Four-wheel drive\t120\t50\t193\t2026-07-02 10:00\t24\nFour-wheel drive\t90\t50\t147\t2026-07-02 11:00\t24"
    )
    driven = {(r.vehicle, r.speed_kmh): r.as_driven_wh_per_km for r in t.analysis.results}
    # 196 and 149 Wh/km on an odometer that shows 1.9 % too much.
    assert driven[first, 120] == pytest.approx(199.7, abs=0.05)
    assert driven[first, 90] == pytest.approx(151.8, abs=0.05)
    assert len(t.analysis.comparisons) == 2
    for c in t.analysis.comparisons:
        assert (c.baseline, c.trial) == (first, other)
        assert "known difference" in {x.source for x in c.margin}
        assert c.standing.word != "fair"
        # The vehicles are the question: who drove what is no doubt of it.
        assert "One vehicle always had the change" not in {x.title for x in c.concerns}
        assert c.half_width_percent < 15
    line = next(x for x in t.analysis.legs if x.leg == "L03").corrections_wh_per_km["known_difference"]
    assert line == pytest.approx(-7)
    text = t.shown("verdict")
    assert "\u201cFour-wheel drive\u201d uses more or less than \u201cRear drive\u201d" in text
    assert "Every speed | At both speeds not settled. 120 km/h" in text and "Driven | 100 km by both" in text
    assert "One vehicle always had the change" not in text and "One pair only" in text
    assert "known difference" in t.report()
    t.check()
    t.known(other, "")
    assert t.study.known_differences == ()

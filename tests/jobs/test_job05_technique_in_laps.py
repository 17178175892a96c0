"""Technique in laps: coast against brake and regenerate; a first lap that was held up."""

import pytest


@pytest.mark.inputs(15)
def test_coast_against_regenerate(tester):
    t = tester
    t.new(
        "laps", "Town round", kind="technique", names=("Coast", "Brake and regenerate"), order="ABABAB", capacity="40"
    )
    t.legs("reading", "11.2", "11.9", "10.4", "11.3", "10.6", "11.0")
    t.legs("distance_km", *["6.2"] * 6)
    t.legs("duration_s", "17:50", "14:50", "15:05", "15:00", "15:20", "15:10")
    assert round(t.effect.as_measured_percent, 1) == 6.2
    long = next(x for x in t.effect.concerns if x.code == "speed-unlike")
    assert long.legs == ("L01",)  # the long first lap is pointed out, noted or not
    assert "L01 took longer than the others" in t.shown("verdict")
    unnoted = t.effect.half_width_percent
    # In town it weighs most beside scatter, and nobody noted it.
    assert {x.source for x in t.effect.margin[:2]} == {"scatter", "climate"}
    t.leg("L01", climate="off")
    t.menu("L01", "Same for all legs", "Climate")
    t.note("L01", "Slow traffic", lasted="2:30")
    c = t.effect
    assert c.half_width_percent < 0.85 * unnoted
    assert c.effect_percent == pytest.approx(6.2, abs=2.0)  # the first lap began on cold tyres
    assert c.interval_percent[0] < 6.2 < c.interval_percent[1]
    for leg in t.analysis.legs:  # nothing of how it was driven is corrected away
        assert abs(leg.corrections_wh_per_km.get("speed", 0.0)) < 0.01
    coast = t.result("A")
    assert coast.as_driven_wh_per_km == pytest.approx(107.33, abs=0.01)
    assert coast.range_km == pytest.approx(40000 / 107.33, abs=0.5)
    # 17:50 + 15:05 + 15:20 over 18.6 km; 45:00 over 18.6 km.
    assert c.trip_time.baseline_min == pytest.approx(48.25 / 18.6 * 100, abs=0.1)
    assert c.trip_time.trial_min == pytest.approx(45 / 18.6 * 100, abs=0.1)
    text = t.shown("verdict")
    assert "min per 100 km" in text
    assert any(
        "L01" in x.legs
        for x in c.concerns
        if x.code in {"slow-traffic", "leg-unlike", "one-leg-decides", "time-unlike"}
    )
    assert "town driving" not in text
    assert "min per 100 km" in t.report()
    t.check()


def test_a_running_average_gives_the_laps(tester):
    """11.2 after one, 10.8 after two, 10.73 after three: by hand 11.2, 10.4 and 10.59, and 11.9 for a lap of the other way."""
    t = tester
    t.new("laps", "Round by one average", kind="technique", names=("Coast", "Regenerate"), order="AAAB", capacity="40")
    t.legs("reading", "11.2 since start", "10,8 after 2 laps", "10.73 since L1", "11.02 since L01")
    t.legs("distance_km", *["6.2"] * 4)
    levels = {leg.leg: leg.measured_wh_per_km for leg in t.analysis.legs}
    assert levels == pytest.approx({"L01": 112.0, "L02": 104.0, "L03": 105.9, "L04": 118.9})
    # By hand: 11.89 over the mean of 11.2, 10.4 and 10.59, which is 10.73
    read = 100 * (11.89 / 10.73 - 1)
    assert t.effect.as_measured_percent == pytest.approx(read, abs=0.05)
    assert "as read +10.8 %" in t.shown("verdict")
    # typing times moves nothing outside of the pairs
    t.legs("duration_s", "15:10", "15:20", "15:00", "15:30")
    assert t.effect.effect_percent == pytest.approx(read, abs=3.0)
    assert t.effect.interval_percent[0] < read < t.effect.interval_percent[1]
    # whoever changes their mind types the lap's own average over it
    t.leg("L02", reading="10.4")
    assert t.study.leg("L02").running_shown is None and t.study.leg("L02").average_shown == 10.4
    assert "10.73 kWh/100 km since L01" in t.report()
    t.check()

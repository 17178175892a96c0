"""A roof tent, two destinations: each leg says where it went; a missing time is unknown."""

import pytest


@pytest.mark.inputs(15)
def test_two_destinations(tester):
    t = tester
    t.new("change", "Roof tent", kind="cargo", names=("Tent off", "Tent on"), order="ABAB", method="one-way")
    t.legs("sector", "the lake", "the lake", "town", "town")
    t.legs("reading", "14.1 kWh", "17.2 kWh", "10.4 kWh", "11.9 kWh")
    t.legs("distance_km", "45.6", "45.6", "33.3", "33.3")
    t.legs("duration_s", "38", "36 min", "", "28:00")
    read = {c.sector: round(c.as_measured_percent, 1) for c in t.analysis.comparisons}
    assert read == {"the lake": 22.0, "town": 14.4, "whole": 18.8}
    assert t.study.leg("L03").duration_s is None
    assert t.study.leg("L01").duration_s == 2280
    t.answer("one outing")
    for c in t.analysis.comparisons:
        assert c.interval_percent[0] < c.as_measured_percent < c.interval_percent[1]
        assert c.half_width_percent < 25
    town = next(c for c in t.analysis.comparisons if c.sector == "town")
    assert next(x for x in town.margin if x.source == "speed").legs == ("L03",)
    text = t.shown("verdict")
    assert "whole route" in text
    assert "the lake" in text
    assert "Every sector | In both sectors more. The lake +" in text and "as read +22.0 %; town +" in text
    t.aboard("roof tent", "61 kg", "roof")
    assert "lift with two" in t.load.careful.text()
    assert "+18.8" in t.report()
    t.check()

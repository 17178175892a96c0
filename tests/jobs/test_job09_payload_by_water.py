"""Payload by water: what may be loaded, by plate and by scale, and what it costs by a display of tenths."""

import pytest


def test_what_the_load_costs(tester):
    t = tester
    t.new(
        "change",
        "Water",
        kind="payload",
        names=("Empty", "480 L aboard"),
        order="AB",
        method="loop",
        speed="111",
    )
    t.question("v_speed_error_percent", "-1.8")
    t.legs("reading", "2.6 km/kWh", "2.5 km/kWh")
    t.legs("distance_km", "92", "92")
    c = t.effect
    assert round(c.as_measured_percent, 1) == 4.0
    # A step of 0.1 in 2.6 is 3.8 %; of two rounded figures 0.78 of that.
    assert c.step_percent == pytest.approx(3.0, abs=0.4)
    assert c.verdict == "not settled"
    assert "display" in t.shown("verdict").lower()
    once = next(x.half_width_percent for x in c.margin if x.source == "display step")
    t.add_run("A")
    t.add_run("B")
    t.leg("L03", reading="2.6 km/kWh", distance_km="92")
    t.leg("L04", reading="2.5 km/kWh", distance_km="92")
    again = next(x.half_width_percent for x in t.effect.margin if x.source == "display step")
    assert again > 0.8 * once  # the same two readings again do not halve the rounding
    t.check()

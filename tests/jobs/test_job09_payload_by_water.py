"""Payload by water: what may be loaded, by plate and by scale, and what it costs by a display of tenths."""

import pytest


def test_what_the_load_costs(tester):
    t = tester
    t.new("change", "Water", kind="payload", names=("Empty", "480 L aboard"), order="AB", method="loop", speed="111")
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


@pytest.mark.inputs(12)
def test_what_may_be_loaded(tester):
    t = tester
    t.new("change", "Water", kind="payload", names=("Empty", "480 L aboard"), order="AB", method="loop")
    t.aboard("two people", "158 kg")
    t.aboard("tank", "52 kg")
    t.aboard("water", "480 L at 18 \u00b0C")
    t.loaded("payload_limit", "735 plate")
    # 158 + 52 + 480 * 0.9986 = 689.3 kg
    assert "46 kg left" in t.load_words()["payload"]
    assert "aboard 689 kg" in t.load.items.sums.text()
    t.loaded("aboard_scale_kg", "760")
    said = t.load_words()["payload"]
    assert "25 kg over the 735 kg of the plate" in said
    assert "By sum 689 kg, 46 kg left; by the scale 760 kg, 25 kg over" in said
    assert "slosh" in t.load.careful.text()
    # The water is the change: its mass flows into the study.
    t.load.items.grid.itemAtPosition(2, 3).widget().click()
    assert t.study.trials[0].mass_delta_kg == pytest.approx(479.3, abs=0.1)
    t.loaded("aboard_scale_kg", "1676 lb")
    assert t.study.plan.load.aboard_scale_kg == pytest.approx(760.2, abs=0.1)
    t.load.items.grid.itemAtPosition(1, 4).widget().click()
    assert [i.name for i in t.study.plan.load.items] == ["two people", "water"]

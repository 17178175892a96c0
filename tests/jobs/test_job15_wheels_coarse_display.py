"""Wheels three weeks apart by a display that moves in whole units: nothing can be shown, nothing denied."""

import pytest


@pytest.mark.inputs(18)
def test_a_coarse_display_settles_nothing(tester):
    t = tester
    t.new("change", "Wheels", kind="wheels", names=("Old wheels", "New wheels"), order="AB")
    t.legs("reading", *["15.0"] * 4)
    t.legs("distance_km", *["63"] * 4)
    t.instrument("trip average", step="1")
    t.leg("L01", started_at="2026-04-02 10:00", duration_s="50:10")
    t.leg("L02", started_at="2026-04-02 11:10", duration_s="49:58")
    t.leg("L03", started_at="2026-04-23 10:00", duration_s="1:15:40")
    t.leg("L04", started_at="2026-04-23 11:30", duration_s="51:00")
    assert t.study.leg("L03").duration_s == 4540
    t.leg("L03", duration_s="75:40")
    assert t.study.leg("L03").duration_s == 4540
    t.note("L03", "Slow traffic", lasted="24:00", at="30 km")
    t.leg("L04", stopped_with_car_on_s="3")
    c = t.effect
    assert c.as_measured_percent == 0
    assert c.verdict == "not settled"
    low, high = c.interval_percent
    assert low < -5  # an effect of 5 % can be neither shown
    assert high > 5  # nor denied
    told = next(x for x in c.margin if x.source == "display step")
    assert told.half_width_percent > 3
    coarse = next(x for x in c.concerns if x.code == "display-too-coarse")
    assert "a step of 0." in coarse.next_step  # what step it would take
    assert "would show" in coarse.next_step
    text = t.shown("verdict")
    assert "not settled" in text
    # A reset that did not take blocks its leg, until another meter is read.
    t.note("L02", "Reset doubtful")
    assert t.effect.verdict == "not a fair comparison"
    assert "Read another meter" in t.shown("verdict")
    t.leg("L02", soc="70-54", refused="")
    assert next(x for x in t.analysis.legs if x.leg == "L02").instrument == "state of charge"
    assert t.effect.verdict == "not settled"
    t.check()

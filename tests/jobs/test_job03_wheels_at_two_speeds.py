"""Wheels at two speeds, weeks apart, on one loop, by a display that moves in tenths."""

import pytest

from fairmargin.desktop.stages.planning.prompts_panel import PromptsPanel
from tests.desktop.conftest import type_into


@pytest.mark.inputs(19)
def test_wheels_at_two_speeds(tester):
    t = tester
    t.units("uk")
    t.new("change", "Wheels", kind="wheels", names=("Small", "Large"), order="ABAB", method="loop")
    t.legs("reading", "3.8", "3.7", "4.4", "4.3")
    t.legs("distance_km", *["31"] * 4)
    t.legs("speed_kmh", "62", "62", "53", "53")
    t.legs("temperature_c", "13", "15", "13", "15")
    t.legs("started_at", "2026-04-02 10:00", "2026-04-23 10:00", "2026-04-02 11:00", "2026-04-23 11:00")
    t.legs("soc", *["80-75.5"] * 4)
    fast, slow = t.analysis.comparisons
    assert (round(fast.as_measured_percent, 1), round(slow.as_measured_percent, 1)) == (2.7, 2.3)
    assert (round(fast.speed_kmh / 1.609344), round(slow.speed_kmh / 1.609344)) == (62, 53)
    # One step of 0.1 in 3.8 is 2.6 %; of two rounded figures 0.78 of that: about 2 % (JCGM 100, 4.3.9).
    assert fast.step_percent == pytest.approx(2.05, abs=0.3)
    assert fast.verdict == "not settled"
    text = t.shown("verdict")
    assert "62 mph" in text
    assert "53 mph" in text
    # One sentence over both speeds, whichever is chosen.
    assert "Every speed | At both speeds not settled. 62 mph +3.0 % (" in text and "53 mph +3.8 % (" in text
    stage = t.window.stage("verdict")
    t.qtbot.waitUntil(stage.curve.isVisible)
    assert "Driven from 53 mph to 62 mph" in stage.curve_words.text()
    curve = t.window.session.wanted.speed_curves()
    assert [c.configuration for c in curve] == ["A", "B"]
    assert curve[1].driven_kmh[0] == pytest.approx(53 * 1.609, abs=0.5)
    at = min(range(15), key=lambda i: abs(curve[1].speeds_kmh[i] - 92))
    low, high = curve[1].interval_percent[at]
    # Two speeds are evidence for one parameter: together they say more than either.
    assert high - low < fast.interval_percent[1] - fast.interval_percent[0]
    assert low < 2.5 < high
    leg = next(x for x in t.analysis.legs if x.leg == "L01")
    assert leg.instrument == "trip average"
    assert "state of charge" in {name for name, _ in leg.others}
    t.check()


def test_both_wheels_weighed_give_the_difference(tester):
    """By hand: 4 x (12.2 - 9.8) = 9.6 kg."""
    t = tester
    t.new("change", "Wheels", kind="wheels", names=("Small", "Large"), order="AB", method="loop")
    panel = next(p for p in t.window.findChildren(PromptsPanel) if "wheel_mass" in p.fields)
    type_into(t.qtbot, panel.fields["wheel_mass"], "9,8; 12,2 kg")
    assert t.study.trials[0].mass_delta_kg == pytest.approx(9.6)
    assert "Four wheels of the trial are 9.6 kg heavier" in panel.turn.text()

"""Warm-up from the wall on frost mornings: an empty wall field was not read, and is not nothing."""

import pytest


@pytest.mark.inputs(13)
def test_the_wall_counts_and_unread_is_unknown(tester):
    t = tester
    t.units("metric-wh")
    t.new(
        "change", "Warm-up", kind="preconditioning", names=("Cabin only", "Battery too"), order="AB", method="one-way"
    )
    t.window.go_to("drive")
    assert "grid_kwh" in t.window.drive.cards["L01"].fields  # open by itself for this kind
    t.legs("reading", "178", "167")
    t.legs("distance_km", "41", "41")
    t.leg("L02", grid_kwh="1.7")
    c = t.effect
    assert round(c.as_measured_percent, 1) == -6.2
    assert c.grid is not None
    # Unread is unknown: nothing is 17.1 % more, 1.1 kWh is 1.8 % more; both lie within the margin.
    low, high = c.grid.interval_percent
    assert low < 1.8 < high
    assert low < 17.1 < high
    text = t.shown("verdict")
    # Of one such morning: on the road, from the wall, and both.
    assert (
        "On the road | -3.9 % (-26.3 to +25.4): 0.27 kWh less a drive" in text
        and "kWh less a drive of 41.0 km, in the air and with the cabin of these mornings" in text
    )
    assert "1.70 kWh with \u201cBattery too\u201d (L01: not read, taken as usual)" in text
    # By hand: 0.27 less on the road, 0.85 more from the wall.
    assert "0.85 kWh with \u201cCabin only\u201d" in text
    assert "Both | +6.9 % (" in text and "0.58 kWh more a drive of 41.0 km" in text
    assert "if it was nothing" in text
    assert "+17.1" in text
    t.leg("L01", grid_kwh="0")
    nothing = t.effect.grid.effect_percent
    # (167 * 41 + 1700) / (178 * 41): as read +17.1 %; the drive's own correction is small.
    assert nothing == pytest.approx(17.1, abs=2.5)
    t.leg("L01", grid_kwh="1.1")
    assert t.effect.grid.effect_percent == pytest.approx(1.8, abs=2.5)
    assert t.study.leg("L01").grid_kwh == 1.1
    t.leg("L01", grid_kwh="")
    assert t.study.leg("L01").grid_kwh is None
    # More mornings follow: each is added with one press, and the method for them is there.
    t.add_run("B")
    t.add_run("A")
    assert len(t.study.legs) == 4
    t.window.go_to("question")
    asked = t.window.stage("question").fields["reference_t"]
    assert (asked.edit.text(), asked.isEnabled()) == ("as driven", False)
    box = t.window.stage("question").boxes["method"]
    box.setCurrentText("everyday")
    box.textActivated.emit("everyday")
    assert t.study.method == "everyday"
    assert "wall" in t.report()
    t.check()

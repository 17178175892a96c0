"""Two cars side by side: not fair without a swap, whatever path it was entered by; with a swap, ratio of ratios."""

import pytest

from tests.desktop.conftest import type_into


@pytest.mark.parametrize("path", ["dialog", "no vehicles", "as a plain study"])
def test_no_swap_is_not_fair(tester, path):
    t = tester
    t.units("metric-wh")
    if path == "as a plain study":
        t.new("change", "Box", kind="cargo", names=("Box off", "Box on"), order="AB", method="loop")
        t.window.go_to("question")
        box = t.window.stage("question").boxes["method"]
        box.setCurrentText("side-by-side")
        box.textActivated.emit("side-by-side")
    else:
        t.new("side", "Box", kind="cargo", names=("Box off", "Box on"), order="B")
    assert t.study.method == "side-by-side"
    on = next(x.leg for x in t.study.legs if x.configuration == "B")
    off = next(x.leg for x in t.study.legs if x.configuration == "A")
    if path == "no vehicles":
        for name in (on, off):
            t.leg(name, vehicle="")
    t.leg(on, reading="171", distance_km="50", duration_s="61:00")
    t.leg(off, reading="160", distance_km="51.2", duration_s="61:00")
    c = t.effect
    assert c.as_measured_percent == pytest.approx(6.9, abs=0.05)
    assert c.verdict == "not a fair comparison"
    assert c.standing.word == "not fair"
    assert "fair." not in t.window.ledger._words.text() or "Not a fair" in t.window.ledger._words.text()
    assert "Swap" in t.shown("verdict") or "swap" in t.shown("verdict")
    t.check()


def test_a_swap_day_is_laid_out_and_driven(tester):
    t = tester
    t.units("metric-wh")
    t.new("side", "Box", kind="cargo", names=("Box off", "Box on"), order="AB")
    first, second = (v.id for v in t.study.vehicles)
    laid = [(x.run, x.vehicle, x.configuration) for x in t.study.legs]
    assert laid == [("R1", first, "A"), ("R1", second, "B"), ("R2", first, "B"), ("R2", second, "A")]
    # The companion says whose leg is next, and goes on to the other car.
    assert t.window.drive_now()
    view = t.window.drive.view
    assert "Vehicle 1, Box off" in view.title.text()
    assert view.prepare.settings_fields["vehicle"].edit.text() == "Vehicle 1"
    type_into(t.qtbot, view.prepare.settings_fields["speed_held"], "cruise")
    type_into(t.qtbot, view.prepare.settings_fields["climate"], "off")
    assert (t.study.leg("L01").speed_held, t.study.leg("L01").climate) == ("cruise", "off")
    t.window.drive.show_view(False)
    # The other car takes 4 % more whatever it carries; the box costs 6.9 %.
    t.legs("reading", "160", f"{160 * 1.04 * 1.069:.1f}", f"{160 * 1.069:.1f}", f"{160 * 1.04:.1f}")
    t.legs("distance_km", "50", "51.2", "50", "51.2")
    c = t.effect
    assert "vehicle-confounded" not in {x.code for x in c.concerns}
    assert c.effect_percent == pytest.approx(6.9, abs=0.6)
    assert c.verdict != "not a fair comparison"
    assert c.interval_percent[0] < 6.9 < c.interval_percent[1]
    t.window.go_to("plan")
    t.check()

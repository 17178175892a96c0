"""Which of five covers? Five trials over three days and two studies with one baseline in common; typed, and read on Home."""

import re

import pytest
from PySide6.QtWidgets import QApplication, QLabel

#: What each takes over bare wheels, in per cent, as the readings are made.
TRUTH = {"Full discs": -6.0, "Mesh discs": -5.5, "Half discs": -3.0, "Rings": -0.3, "Spokes": 2.5}
BARE = 168.0


def typed(t, title, names, order, date):
    """A study whose legs are pasted from a table, the last of them typed."""
    t.new(
        "change",
        title,
        kind="aero covers",
        names=("Bare wheels", "; ".join(names)),
        order="",
        method="loop",
        speed="95",
    )
    t.question("v_name", "Orrin 1")
    called = dict(zip("ABCDE", ("Bare wheels", *names), strict=False))
    rows = ["configuration\tdistance (km)\treading\ttime\tstart\ttemperature\tclimate\troad\twind (m/s)\twind from"]
    for i, letter in enumerate(order):
        level = BARE * (1 + TRUTH.get(called[letter], 0.0) / 100) * (1 + 0.002 * (-1) ** i)
        rows.append(
            f"{called[letter]}\t32\t{level:.1f} Wh/km\t20:15\t{date} {9 + i // 2}:{30 * (i % 2):02d}\t14\toff\tdry\t1\t240"
        )
    t.paste("\n".join(rows))
    last = t.study.legs[-1]
    t.leg(last.leg, reading="", temperature_c="")
    t.leg(last.leg, reading=f"{last.average_shown} Wh/km", temperature_c="57,2 F")
    assert t.study.legs[-1].temperature_c == pytest.approx(14)
    assert [x.configuration for x in t.study.legs] == list(order)


def shown(page):
    QApplication.processEvents()
    return "\n".join(x.text() for x in page.findChildren(QLabel) if x.isVisible())


@pytest.mark.inputs(22)
def test_five_covers_are_ranked_through_their_baseline(tester):
    t = tester
    t.units("metric-wh")
    typed(t, "Discs", ("Full discs", "Mesh discs", "Rings"), "ABCDDCBA", "2026-05-02")
    # The second study calls the baseline a little otherwise: case and spaces do not matter.
    typed(t, "Two more", ("Half discs", "Spokes"), "ABCCBA", "2026-06-13")
    t.side(0, "name", "bare  Wheels")
    t.window.go_home()
    home = t.window.home
    t.click(home.buttons["together"])
    page = home.page("together")
    QApplication.processEvents()
    assert page.vehicle.currentText() == "Orrin 1"
    (joint,) = page.joints
    assert joint.reference == "Bare wheels"
    names = [p.name for p in joint.placed]
    # Rings take 0.3 % less, which these margins do not tell from nothing: the two may stand either way.
    assert names[:3] == ["Full discs", "Mesh discs", "Half discs"] and names[5] == "Spokes"
    assert set(names[3:5]) == {"Rings", "Bare wheels"}
    for p in joint.placed:
        true = TRUTH.get(p.name, 0.0)
        assert p.interval_percent[0] <= true <= p.interval_percent[1] or p.name == joint.reference
        if p.name != joint.reference:
            assert p.percent == pytest.approx(true, abs=0.8)
            assert 0.5 < (p.interval_percent[1] - p.interval_percent[0]) / 2 < 4.0
    words = shown(page)
    assert "Full discs uses least with a chance of" in words
    assert re.search(r"Not told apart: [^.]*Full discs and Mesh discs", words)
    assert re.search(r"Not told apart: [^.]*(Rings and Bare wheels|Bare wheels and Rings)", words)
    assert not re.search(r"Not told apart: [^.]*Full discs and Spokes", words)
    # Chances of every place, for each of the six; they add up to the whole.
    for p in joint.placed:
        (line,) = (
            x for x in words.splitlines() if x.startswith(f"{p.name}: 1st ") or re.match(rf"{p.name}: \d(nd|rd|th) ", x)
        )
        chances = [float(x) for x in re.findall(r"(?:st|nd|rd|th) (\d+) %", line)]
        assert sum(chances) == pytest.approx(100, abs=3)
    assert max(joint.placed[-1].chances) == joint.placed[-1].chances[-1]
    # "Not told apart" never stands beside an interval without zero, but with its reason.
    for line in words.splitlines():
        found = re.search(r"\(([+\u2212]?[0-9.]+) to ([+\u2212]?[0-9.]+)\)", line)
        if found and " against " in line and "not told apart" in line:
            low, high = (float(x.replace("\u2212", "-")) for x in found.groups())
            assert low <= 0 <= high, line
    # Two that no study drove together are compared through the baseline, and it says so.
    through = next(line for line in words.splitlines() if line.startswith("Spokes against Full discs"))
    assert "through what they were each compared with" in through
    assert float(re.search(r"\+([0-9.]+) %", through)[1]) == pytest.approx(100 * (1.025 / 0.94 - 1), abs=1.0)
    assert "through" not in next(
        line for line in words.splitlines() if line.startswith("Mesh discs against Full discs")
    )
    # A study's own line opens it.
    chart = page.charts[0]
    chart.studyChosen.emit(joint.findings[0].study)
    assert t.study.title in {"Discs", "Two more"}


@pytest.mark.inputs(20)
def test_a_comparison_that_is_not_fair_is_not_counted(tester):
    t = tester
    t.units("metric-wh")
    typed(t, "Discs", ("Full discs",), "ABBA", "2026-05-02")
    # Out with the one and back with the other: no direction can be told from the change.
    t.new(
        "change",
        "One way each",
        kind="aero covers",
        names=("Bare wheels", "Full discs"),
        order="AB",
        method="out-and-back",
    )
    t.question("v_name", "Orrin 1")
    for i, leg in enumerate(t.study.legs):
        if (leg.configuration == "A") == (leg.direction == "out"):
            t.leg(leg.leg, reading=f"{150 - 9 * (i > 0)} Wh/km", distance_km="20", duration_s="12:40")
    assert t.effect.verdict == "not a fair comparison"
    t.window.go_home()
    t.click(t.window.home.buttons["together"])
    page = t.window.home.page("together")
    words = shown(page)
    assert "Not counted" in words
    assert "One way each" in words
    assert [len(j.studies) for j in page.joints] == [1]

"""Did it stay so? The same question driven again a year later; what both say, and what changed between."""

import re
import time

import pytest
from PySide6.QtCore import QThreadPool
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QLabel


def driven(t, title, date, effect, *, order="ABBA", air="14", tyres="2.9", noise=0.002):
    """A study of one day, pasted from a table."""
    t.new("change", title, kind="aero covers", names=("Discs off", "Discs on"), order="", method="loop", speed="90")
    t.question("v_name", "Orrin 1")
    rows = [
        "configuration\tdistance (km)\treading\ttime\tstart\ttemperature\tclimate\troad\twind (m/s)\twind from\ttyre pressure (bar)"
    ]
    for i, letter in enumerate(order):
        level = 168.0 * (1 + effect / 100 * (letter == "B")) * (1 + noise * (-1) ** i)
        name = "Discs on" if letter == "B" else "Discs off"
        rows.append(f"{name}\t32\t{level:.1f} Wh/km\t21:20\t{date} {9 + i}:00\t{air}\toff\tdry\t1\t240\t{tyres}")
    said = t.paste("\n".join(rows))
    assert f"{len(order)} would be added" in said
    assert [x.configuration for x in t.study.legs] == list(order)
    assert t.study.legs[0].tyre_pressure_kpa == 100 * float(tyres)


def together(t):
    t.window.go_home()
    t.click(t.window.home.buttons["together"])
    page = t.window.home.page("together")
    # Studies are analysed for the list beside everything else; a busy machine takes its time.
    end = time.monotonic() + 20.0
    while page.memory.read().missing and time.monotonic() < end:
        QTest.qWait(50)
    page.refresh()
    # What comes in meanwhile is laid anew, and new widgets are shown by a queued event.
    QThreadPool.globalInstance().waitForDone(20000)
    for _ in range(3):
        QApplication.processEvents()
    return "\n".join(x.text() for x in page.findChildren(QLabel) if x.isVisible())


@pytest.mark.inputs(17)
def test_it_stayed_so(tester):
    t = tester
    t.units("metric-wh")
    driven(t, "Discs, first summer", "2025-06-14", -3.4)
    own = t.effect.interval_percent
    driven(t, "Discs, a year on", "2026-06-20", -2.6, air="21", tyres="2.7")
    words = together(t)
    assert "Discs on against Discs off, asked twice" in words
    assert "14 Jun 2025" in words and "20 Jun 2026" in words
    assert "it is not settled whether it stayed so" in words
    assert "agree within their margins" in words
    # What was not alike between them, in the person's units.
    assert "air: 14 °C, then 21 °C" in words
    assert re.search(r"tyre pressure: 290 kPa, then 270 kPa", words)
    # A year on, what time does is named, though nobody noted it; the same season is not.
    assert "What may have changed, and nobody noted: wear and age of the tyres" in words
    assert "the battery's age" in words and "the season" not in words
    low, high = (
        float(x.replace("\u2212", "-"))
        for x in re.search(r"Together ([−+0-9.]+) % \(([−+0-9.]+) to ([−+0-9.]+)\)", words).groups()[1:]
    )
    assert high - low < 0.9 * (own[1] - own[0]), "two studies know more than one"
    assert low < -3.0 < high
    # A click opens either of them.
    link = next(
        b for b in t.window.home.page("together").findChildren(type(t.window.home.new)) if "a year on" in b.text()
    )
    t.click(link)
    assert t.study.title == "Discs, a year on"


@pytest.mark.inputs(25)
def test_it_did_not_stay_so(tester):
    t = tester
    t.units("metric-wh")
    driven(t, "Discs, first summer", "2025-06-14", -7.0, order="ABBAABBA", noise=0.001)
    driven(t, "Discs, bent", "2026-06-20", 0.5, order="ABBAABBA", noise=0.001)
    words = together(t)
    assert "it did not stay so" in words
    assert "something changed that nobody noted" in words
    moved = float(re.search(r"From the first to the last: \+([0-9.]+) %", words)[1])
    assert moved == pytest.approx(100 * (1.005 / 0.93 - 1), abs=0.7)
    # The wrong order of typing does not matter: the day of the drive does.
    driven(t, "Discs, before all that", "2024-06-01", -7.2, order="ABBAABBA", noise=0.001)
    words = together(t)
    assert "asked 3 times" in words

"""Whatever is typed into any field of any stage stands there afterwards, in the package too, or is refused beside the field."""

import os
import random
import re

import pytest
from PySide6.QtWidgets import QApplication
from tests.conftest import driven_study

from fairmargin.core.units import UNIT_CHOICES
from fairmargin.desktop.stages.base import Field
from fairmargin.exchange.packages.reading import read_package
from fairmargin.exchange.packages.writing import write_package

#: Figures as people type them, units that may follow, and things that are no figure of most fields.
FIGURES = ("12", "0", "17.4", "17,4", "3.45", "80", "1.5", "250", "0.07", "-3", "1 250", "99")
UNITS = (
    "",
    "",
    "",
    " km",
    " mi",
    " kWh",
    " %",
    " \u00b0C",
    " F",
    " mph",
    " kPa",
    " psi",
    " kg",
    " lb",
    " min",
    " W",
    " m",
    " Wh/km",
    " mi/kWh",
    " L",
)
OTHERS = (
    "9:35", "1:15:40", "75:40", "2026-05-03", "2026-05-03 9:35", "03.05.2026 9:35", "02/05/2027 9:00", "82-71 %", "15.4; 2.9 kWh",
    "15.0; 18 kWh/100km", "4 km 86 %; 9 km 71 %", "31 km 16.0", "SW", "north", "dry", "auto", "off", "5 % less", "3.0 to 3.2 km/kWh",
    "up to 5 % less", "7 +- 3 Wh/km, caps", "17 4", "1,234.5", "12 furlongs", "=1+1", "<b>x</b>",
)  # fmt: skip
SEED = os.environ.get("TYPED_SEED", "")  # others than the usual, for a longer look
PAGES = {
    "question": (), "drive": (), "plan": ("design", "route", "day", "load", "weather", "kit"), "use": ("range", "money", "trip", "gauge"),
    "examine": (), "correct": (), "verdict": (),
}  # fmt: skip


def text_for(dice):
    """Something somebody may type."""
    return dice.choice(OTHERS) if dice.random() < 0.45 else dice.choice(FIGURES) + dice.choice(UNITS)


def put(field, text):
    """Type over a field and leave it."""
    field.edit.setFocus()
    field.edit.selectAll()
    field.edit.insert(text)
    field.edit.setModified(True)
    field.edit.editingFinished.emit()
    QApplication.processEvents()


def fields_of(window, stage, page):
    window.go_to(stage)
    made = window.stage(stage)
    if page:
        made.show_page(page)
    if stage == "drive":
        made.more_button.setChecked(True)
        made.open_all()
    QApplication.processEvents()
    return [f for f in made.findChildren(Field) if f.isVisible() and f.edit.isEnabled()]


def number_in(text):
    found = re.match(r"[-\u2212]?\d+(?:[ ]\d{3})*(?:[.,]\d+)?", text)
    return float(found[0].replace(" ", "").replace(",", ".").replace("\u2212", "-")) if found else None


def check_field(window, session, field, text, folder):
    """One text in one field: what is seen and stored is what was typed, or a refusal stands beside it."""
    before, shown = session.study, field.edit.text()
    put(field, text)
    where = f"{text!r} in {field.edit.accessibleName() or field.caption.text()!r} (before: {shown!r})"
    if field.has_fault:
        assert field.fault.text(), where
        assert field.edit.text() == text, where
        assert session.study == before, where
        put(field, shown)
        return "refused"
    after, seen = session.study, field.edit.text()
    if re.fullmatch(r"[\d ,.-]+", text) and re.fullmatch(r"[-\u2212]?[\d.,]+", seen):
        digits = len(seen.partition(".")[2]) if "." in seen else 0
        assert number_in(seen) == pytest.approx(number_in(text), abs=0.51 * 10**-digits), f"{where}: shows {seen!r}"
    assert seen.strip() or not text.strip() or after == before, f"{where}: nothing is shown"
    # What is shown is read as what is stored.
    put(field, seen)
    assert not field.has_fault, f"{where}: shows {seen!r}, which is refused: {field.fault.text()}"
    assert field.edit.text() == seen, f"{where}: shows {seen!r}, then {field.edit.text()!r}"
    if after != before:
        write_package(folder, after)
        assert read_package(folder).study == after, where
    return "taken"


@pytest.mark.parametrize("units", ["metric", "us"])
@pytest.mark.parametrize("stage", ["question", "drive", "plan", "use"])
def test_what_is_typed_stands_there_or_is_refused(qtbot, window, session, tmp_path, stage, units):
    session.set_units(UNIT_CHOICES[units])
    session.add_study(driven_study("AB").with_(plan=driven_study("AB").plan))
    dice = random.Random(f"{stage} {units} {SEED}")
    said = {"taken": 0, "refused": 0}
    count = 0
    for page in PAGES[stage] or ("",):
        names = [(f.edit.accessibleName(), i) for i, f in enumerate(fields_of(window, stage, page))]
        for _, i in names:
            here = fields_of(window, stage, page)
            if i >= len(here):
                continue
            for _ in range(4 if stage == "use" else 1):  # there are fewer fields on it
                count += 1
                said[check_field(window, session, here[i], text_for(dice), tmp_path / f"{count}")] += 1
    assert said["taken"] > 3 and said["refused"] > 3
    while session.undo.canUndo() and session.undo.undoText() != 'add "A study"':
        session.undo.undo()
    assert session.study == driven_study("AB")  # undoing everything restores every byte

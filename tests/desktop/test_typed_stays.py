"""What was typed is what stands there: in its own study, field and unit, whatever the window does meanwhile."""

import re
from pathlib import Path

import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QWheelEvent
from PySide6.QtWidgets import QAbstractSpinBox, QApplication, QComboBox, QSlider, QToolButton

import fairmargin
from tests.conftest import driven_study
from tests.desktop.conftest import type_into


def two_studies(session):
    """A study of sixteen legs and one of eight, of which the longer is shown; their ids."""
    short = driven_study("ABBA", values=[170.0] * 8).with_(title="Short")
    long = driven_study("ABBAABBA", values=[150.0] * 16).with_(title="Long")
    first, second = session.add_study(long), session.add_study(short)
    return first, second


def test_the_run_sheet_shows_the_study_that_is_open(qtbot, window, session):
    long, short = two_studies(session)
    window.show_study(long)
    window.go_to("drive")
    QApplication.processEvents()
    assert "15" in window.drive.cards["L01"].fields["reading"].edit.text()
    window.go_home()
    window.resize(2560, 1440)
    QApplication.processEvents()
    window.show_study(short)
    window.go_to("drive")
    QApplication.processEvents()
    sheet = window.drive.cards
    assert list(sheet) == [leg.leg for leg in session.study.legs]
    assert len(sheet) == 8
    assert {card.fields["reading"].edit.text() for card in sheet.values()} == {"170.0 Wh/km"}
    type_into(qtbot, sheet["L03"].fields["reading"], "171.5 Wh/km")
    assert session.study.leg("L03").average_shown == 171.5
    assert [leg.average_shown for leg in session.logbook.read(long).study.legs] == [150.0] * 16


def test_a_late_event_of_a_field_writes_into_no_other_study(qtbot, window, session):
    long, short = two_studies(session)
    window.show_study(long)
    window.go_to("drive")
    card = window.drive.cards["L02"]
    card.fields["reading"].edit.setText("200 Wh/km")
    card.fields["reading"].edit.setModified(True)
    session.open_study(short)
    card.fields["reading"].edit.editingFinished.emit()
    assert session.study.leg("L02").average_shown == 170.0
    assert session.logbook.read(short).study.leg("L02").average_shown == 170.0


def test_text_being_typed_is_stored_before_another_study_is_shown(qtbot, window, session):
    long, short = two_studies(session)
    window.show_study(long)
    window.go_to("drive")
    field = window.drive.cards["L02"].fields["reading"]
    field.edit.setFocus()
    field.edit.selectAll()
    qtbot.keyClicks(field.edit, "160 Wh/km")
    window.show_study(short)
    assert session.logbook.read(long).study.leg("L02").average_shown == 160.0
    assert session.logbook.read(short).study.leg("L02").average_shown == 170.0


def test_a_refused_text_does_not_follow_into_another_study(qtbot, window, session):
    long, short = two_studies(session)
    window.show_study(long)
    window.go_to("question")
    page = window.stage("question")
    field = page.fields["speed"]
    type_into(qtbot, field, "fast")
    assert field.has_fault
    window.show_study(short)
    window.go_to("question")
    assert page.fields["speed"].edit.text() == "90"
    assert not page.fields["speed"].has_fault


def test_undo_that_comes_back_to_another_study_judges_it_by_its_own_others(qtbot, window, session):
    first, second = two_studies(session)
    session.open_study(first)
    before = session.scatter.figures
    line = next(entry for entry in session.logbook.studies() if entry.id == first).summary
    session.edit(session.study.with_leg("L01", average_shown=151.0), "reading")
    session.open_study(second)
    assert session.scatter.figures != before  # the other study's, learned from the first
    session.undo.undo()
    assert session.study_id == first
    assert session.scatter.figures == before
    assert next(entry for entry in session.logbook.studies() if entry.id == first).summary == line


def turn_wheel_over(widget):
    """A wheel turned twice with the pointer in the middle of a widget, as the toolkit delivers it."""
    at = QPointF(widget.rect().center())
    for turned in (-120, 120, -120):
        event = QWheelEvent(
            at, QPointF(widget.mapToGlobal(at.toPoint())), QPoint(0, turned), QPoint(0, turned),
            Qt.MouseButton.NoButton, Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False,
        )  # fmt: skip
        QApplication.sendEvent(widget, event)


@pytest.mark.parametrize("stage", ["question", "plan", "drive", "examine", "correct", "verdict", "use"])
def test_a_wheel_over_an_input_changes_nothing(qtbot, opened, session, stage):
    opened.go_to(stage)
    page = opened.stage(stage)
    for button in page.findChildren(QToolButton):
        if button.isCheckable() and stage in {"plan", "use"}:
            button.click()  # every page of the stage is built
    QApplication.processEvents()
    before, shown = session.study, {}
    inputs = [w for kind in (QComboBox, QAbstractSpinBox, QSlider) for w in opened.findChildren(kind)]
    for widget in inputs:
        shown[widget] = widget.currentText() if isinstance(widget, QComboBox) else widget.value()
        turn_wheel_over(widget)
    for widget, was in shown.items():
        assert was == (widget.currentText() if isinstance(widget, QComboBox) else widget.value())
    assert session.study == before
    assert len(inputs) > (5 if stage == "question" else 0)


def test_every_input_of_the_window_lets_the_wheel_pass():
    """Dialogs too: the toolkit's own drop-downs, numbers and sliders, which take the wheel, are made nowhere."""
    made = re.compile(r"\b(QComboBox|Q\w*SpinBox|QSlider|QDial|QDateEdit|QTimeEdit|QDateTimeEdit)\(")
    where = Path(fairmargin.__file__).parent / "desktop"
    found = [
        f"{path.name}: {line}"
        for path in where.rglob("*.py")
        for line in path.read_text().splitlines()
        if made.search(line) and not line.startswith("class ")
    ]
    assert found == []

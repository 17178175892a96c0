"""What was typed is what stands there: in its own study, field and unit, whatever the window does meanwhile."""

import re
from datetime import datetime
from pathlib import Path

import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QAction, QWheelEvent
from PySide6.QtWidgets import (
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QLineEdit,
    QPlainTextEdit,
    QPushButton,
    QSlider,
    QToolButton,
)
from tests.conftest import driven_study
from tests.desktop.conftest import type_into

import fairmargin
from fairmargin.core.units import UNIT_CHOICES
from fairmargin.desktop.dialogs.new_study import NewStudyDialog
from fairmargin.exchange.packages.reading import read_package
from fairmargin.exchange.packages.writing import write_package


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


def test_every_input_of_the_window_is_one_of_its_own():
    """Dialogs too: the toolkit's own inputs, which take the wheel and the keys of commands, are made nowhere."""
    made = re.compile(
        r"\b(QComboBox|QLineEdit|QPlainTextEdit|Q\w*SpinBox|QSlider|QDial|QDateEdit|QTimeEdit|QDateTimeEdit)\("
    )
    where = Path(fairmargin.__file__).parent / "desktop"
    found = [
        f"{path.name}: {line}"
        for path in where.rglob("*.py")
        for line in path.read_text().splitlines()
        if made.search(line) and not line.startswith("class ")
    ]
    assert found == []


def commands_of(window):
    """Every command that has keys, with nothing done but noted when it is given: keys by action, and what was given."""
    given = []
    actions = [a for a in window.findChildren(QAction) if not a.shortcut().isEmpty()]
    for action in actions:
        action.triggered.disconnect()
        action.setEnabled(True)
        keys = action.shortcut().toString()
        action.triggered.connect(lambda _checked=False, k=keys: given.append(k))
    return [a.shortcut() for a in actions], given


@pytest.mark.parametrize("kind", ["cell", "field", "notes", "search", "several lines"])
def test_every_command_is_given_from_every_kind_of_field(qtbot, opened, session, kind):
    if kind == "cell":
        opened.go_to("drive")
        field = opened.drive.cards["L01"].fields["distance_km"].edit
    elif kind == "field":
        opened.go_to("question")
        field = opened.stage("question").fields["title"].edit
    elif kind == "notes":
        opened.go_to("question")
        field = opened.stage("question").notes
        session.edit(session.study.with_(notes="dry, calm"), "notes")
    elif kind == "search":
        opened.go_home()
        field = opened.home.findChildren(QLineEdit)[0]
        field.setText("study")
    else:
        opened.go_to("plan")
        opened.stage("plan").show_page("weather")
        field = opened.stage("plan").pages["weather"].report
        field.setPlainText("METAR")
    keys, given = commands_of(opened)
    text = field.toPlainText if isinstance(field, QPlainTextEdit) else field.text
    if isinstance(field, QPlainTextEdit):
        field.document().clearUndoRedoStacks()
    before = text()
    assert before
    assert len(keys) >= 20
    for sequence in keys:
        field.setFocus()
        combination = sequence[0]
        qtbot.keyClick(field, combination.key(), combination.keyboardModifiers())
        assert given[-1:] == [sequence.toString()], f"{sequence.toString()} in {kind}"
        assert text() == before
        given.clear()


def test_undo_after_tab_takes_back_what_was_typed(qtbot, opened, session):
    opened.go_to("drive")
    QApplication.processEvents()
    field = opened.drive.cards["L01"].fields["distance_km"].edit
    field.setFocus()
    field.selectAll()
    qtbot.keyClicks(field, "19.4")
    qtbot.keyClick(field, Qt.Key.Key_Tab)
    assert session.study.leg("L01").distance_km == 19.4
    following = opened.focusWidget()
    assert isinstance(following, QLineEdit) and following is not field
    qtbot.keyClick(following, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert session.study.leg("L01").distance_km == 18.4
    assert field.text() == "18.4"
    qtbot.keyClick(following, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    assert session.study.leg("L01").distance_km == 19.4


def test_undo_while_typing_takes_back_the_typing_first(qtbot, opened, session):
    opened.go_to("drive")
    QApplication.processEvents()
    field = opened.drive.cards["L01"].fields["distance_km"].edit
    field.setFocus()
    qtbot.keyClicks(field, "7")
    qtbot.keyClick(field, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert field.text() == "18.4"
    assert session.study.leg("L01").distance_km == 18.4


def test_a_command_works_on_what_is_seen(qtbot, opened, session):
    """A figure still being typed is stored before the command is carried out."""
    opened.go_to("drive")
    QApplication.processEvents()
    field = opened.drive.cards["L01"].fields["distance_km"].edit
    field.setFocus()
    field.selectAll()
    qtbot.keyClicks(field, "18.9")
    qtbot.keyClick(field, Qt.Key.Key_0, Qt.KeyboardModifier.ControlModifier)
    assert opened.pages.currentWidget() is opened.home
    assert session.study.leg("L01").distance_km == 18.9


def cell(window, leg, key):
    QApplication.processEvents()
    return window.drive.cards[leg].fields[key]


@pytest.mark.parametrize(
    "typed", ["15.0; 18 kWh/100km", "287; 3.5 mi/kWh", "270; 3.7 mi/kWh; 7 kWh", "2.9 kWh; 3.1 kWh", "82-71 %; 80-70 %"]
)
def test_two_readings_of_one_kind_are_asked_apart(qtbot, opened, session, typed):
    session.set_units(UNIT_CHOICES["us" if "mi/kWh" in typed else "metric"])
    opened.go_to("drive")
    field = cell(opened, "L01", "reading")
    before = session.study
    type_into(qtbot, field, typed)
    assert session.study == before
    assert field.edit.text() == typed
    assert "which instrument is each?" in field.fault.text()


def test_all_readings_typed_stand_in_the_field(qtbot, opened, session):
    opened.go_to("drive")
    field = cell(opened, "L01", "reading")
    type_into(qtbot, field, "15.4; 2.86 kWh; 82-71 %")
    leg = session.study.leg("L01")
    assert (leg.average_shown, leg.average_unit, leg.energy_kwh) == (15.4, "kWh/100km", 2.86)
    assert (leg.soc_start_percent, leg.soc_end_percent) == (82, 71)
    assert field.edit.text() == "2.86 kWh; 15.4; 82-71 %"


def test_a_reading_typed_over_another_replaces_it(qtbot, opened, session):
    """A slip of the unit does not stay behind the figure that mends it."""
    session.edit(session.study.with_(legs=tuple(x.with_(average_shown=None) for x in session.study.legs)), "none")
    opened.go_to("drive")
    field = cell(opened, "L01", "reading")
    type_into(qtbot, field, "15.4 kWh")
    assert session.study.leg("L01").energy_kwh == 15.4
    type_into(qtbot, field, "15.4")
    assert session.study.leg("L01").energy_kwh is None
    assert (session.study.leg("L01").average_shown, field.edit.text()) == (15.4, "15.4")


def test_an_instrument_with_a_field_of_its_own_keeps_what_it_shows(qtbot, opened, session):
    opened.go_to("drive")
    opened.drive.more_button.click()
    type_into(qtbot, cell(opened, "L01", "energy"), "2.9")
    type_into(qtbot, cell(opened, "L01", "reading"), "15.6")
    leg = session.study.leg("L01")
    assert (leg.energy_kwh, leg.average_shown) == (2.9, 15.6)
    assert cell(opened, "L01", "reading").edit.text() == "2.9 kWh; 15.6"


def test_averages_on_the_way_are_no_charges(qtbot, opened, session):
    opened.go_to("drive")
    opened.drive.more_button.click()
    field = cell(opened, "L01", "on_the_way")
    type_into(qtbot, field, "31 km 16.0; 48 km 17.0")
    assert session.study.readings == ()
    assert "16.0 what?" in field.fault.text()
    type_into(qtbot, field, "31 km 16.0 kWh/100km; 48,5 km 71 %")
    assert [(r.at_km, r.value, r.instrument) for r in session.study.readings] == [
        (31.0, 16.0, "trip average"),
        (48.5, 71.0, "state of charge"),
    ]


def test_a_date_alone_stays_one(qtbot, opened, session, tmp_path):
    opened.go_to("drive")
    field = cell(opened, "L05", "started_at")
    type_into(qtbot, field, "2023-09-30")
    leg = session.study.leg("L05")
    assert (leg.started_at, leg.clock, leg.dated_only) == (datetime(2023, 9, 30), None, True)
    assert field.edit.text() == "2023-09-30"
    write_package(tmp_path / "dated", session.study)
    assert "2023-09-30," in (tmp_path / "dated" / "legs.csv").read_text()
    assert read_package(tmp_path / "dated").study.leg("L05") == leg
    type_into(qtbot, field, "9:35")
    assert session.study.leg("L05").clock == datetime(2023, 9, 30, 9, 35)
    assert field.edit.text() == "2023-09-30 09:35"


@pytest.mark.parametrize("typed", ["1:15:00", "75:00", "1:15", "75 min"])
def test_an_hour_and_a_quarter_is_read_alike(qtbot, opened, session, typed):
    """63 km at 1:15 are no 3000 km/h, on whichever leg."""
    opened.go_to("drive")
    for name in ("L01", "L02"):
        type_into(qtbot, cell(opened, name, "distance_km"), "63")
        type_into(qtbot, cell(opened, name, "duration_s"), typed)
        assert session.study.leg(name).duration_s == 4500
        assert cell(opened, name, "duration_s").edit.text() == "75:00"


def test_a_time_before_its_distance_is_doubted_on_every_leg(qtbot, opened, session):
    session.edit(
        session.study.with_(route=(), legs=tuple(x.with_(distance_km=None, duration_s=None) for x in session.study.legs)), "bare"
    )  # fmt: skip
    opened.go_to("drive")
    for name, time in (("L01", "1:15"), ("L02", "1:08")):
        type_into(qtbot, cell(opened, name, "duration_s"), time)
    type_into(qtbot, cell(opened, "L01", "distance_km"), "63")
    for name in ("L01", "L02"):
        assert "km/h" in opened.drive.cards[name].doubt.text()


@pytest.mark.parametrize(
    ("typed", "percent", "tolerance"), [("up to 5 % less", -2.5, 2.5), ("5 % better", -5, 1), ("-5 +- 1", -5, 1)]
)
def test_a_claim_means_what_was_typed(qtbot, opened, session, typed, percent, tolerance):
    opened.go_to("question")
    field = opened.stage("question").fields["claim"]
    type_into(qtbot, field, typed)
    claim = session.study.change.claim
    assert (claim.percent, claim.tolerance_percent) == (percent, tolerance)
    if typed.startswith("up"):
        assert field.edit.text() == typed
    type_into(qtbot, field, "at least 5 % less")
    assert "not understood" in field.fault.text()
    assert session.study.change.claim == claim


@pytest.mark.parametrize("typed", ["AB", "BA", "ABB"])
def test_an_order_is_not_completed(qtbot, qapp, typed):
    dialog = NewStudyDialog(UNIT_CHOICES["metric"], [], [])
    dialog.show()
    line = dialog.order.lineEdit()
    line.setFocus()
    line.selectAll()
    qtbot.keyClicks(line, typed)
    qtbot.keyClick(line, Qt.Key.Key_Tab)
    assert line.text() == typed
    dialog.make.click()
    assert dialog.study.order == typed
    dialog.deleteLater()


@pytest.fixture
def slipped(window, session):
    """One pair, nothing different, of which the first reading is typed as 174."""
    study = driven_study("AB", values=[174.0, 170.0, 174.0, 170.0])
    session.add_study(study)
    session.edit(session.study.with_leg("L01", average_shown=1740.0, average_step=1.0), "slip")
    window.go_to("drive")
    QApplication.processEvents()
    return window


def answers_of(card):
    return {b.text(): b for b in card.answers.findChildren(QPushButton)} if card.answers is not None else {}


def test_a_doubted_reading_is_mended_by_one_click(qtbot, slipped, session):
    assert session.comparison.verdict == "not a fair comparison"
    card = slipped.drive.cards["L01"]
    assert "cannot be right" in card.doubt.text()
    buttons = answers_of(card)
    assert list(buttons) == ["Yes, it showed 1740 Wh/km", "It was 174.0 Wh/km"]
    assert all(not answers_of(slipped.drive.cards[name]) for name in ("L02", "L03", "L04"))
    buttons["It was 174.0 Wh/km"].click()
    assert session.study.leg("L01").average_shown == 174.0
    assert session.comparison.verdict == "not settled"
    assert not answers_of(slipped.drive.cards["L01"])
    session.undo.undo()
    assert session.study.leg("L01").average_shown == 1740.0


def test_a_doubted_reading_is_confirmed_by_one_click(qtbot, slipped, session, tmp_path):
    answers_of(slipped.drive.cards["L01"])["Yes, it showed 1740 Wh/km"].click()
    assert session.study.leg("L01").confirmed == "1740 Wh/km"
    assert not answers_of(slipped.drive.cards["L01"])
    write_package(tmp_path / "sure", session.study)
    assert read_package(tmp_path / "sure").study.leg("L01").confirmed == "1740 Wh/km"

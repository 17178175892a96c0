"""The sheet as a table: typed, moved through, copied, pasted, filled down; what is refused is told and nothing of it kept."""

import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QApplication, QLineEdit
from tests.conftest import driven_study

from fairmargin.core.units import UNIT_CHOICES
from fairmargin.desktop.stages.leg_table import NAMES


@pytest.fixture
def table(qtbot, window, session):
    study = driven_study("ABBA")
    empty = {
        "average_shown": None,
        "average_unit": None,
        "average_step": None,
        "distance_km": None,
        "duration_s": None,
        "started_at": None,
    }
    window.show_study(session.add_study(study.with_legs([leg.with_(**empty) for leg in study.legs])))
    window.go_to("drive")
    window.drive.show_sheet(True)
    window.drive.begin_typing()
    QApplication.processEvents()
    return window.drive.table


def at(table, row, key):
    return table.model.index(row, len(NAMES) + table.model.keys.index(key))


def type_cell(qtbot, table, row, key, text):
    table.view.setCurrentIndex(at(table, row, key))
    qtbot.keyClick(table.view, text[0])
    editor = [x for x in table.view.viewport().findChildren(QLineEdit) if x.isVisible()][-1]
    editor.setText(text)
    qtbot.keyClick(editor, Qt.Key.Key_Return)
    QApplication.processEvents()


def test_the_cursor_stands_in_the_first_reading(table):
    here = table.view.currentIndex()
    assert (here.row(), table.model.key(here.column())) == (0, "reading")
    assert table.view.hasFocus()


def test_two_readings_give_the_first_answer(qtbot, table, session):
    session.set_units(UNIT_CHOICES["us"])
    for row, (reading, miles) in enumerate([("290 Wh/mi", "11.4"), ("292", "11.4"), ("270", "11.4"), ("272", "11,4")]):
        type_cell(qtbot, table, row, "reading", reading)
        type_cell(qtbot, table, row, "distance_km", miles)
    leg = session.study.leg("L04")
    assert leg.average_shown == 272 and leg.average_unit == "Wh/mi"
    assert leg.distance_km == pytest.approx(11.4 * 1.609344, abs=0.01)
    c = session.comparison
    assert c.as_measured_percent == pytest.approx((271 / 291 - 1) * 100, abs=0.05)
    assert "4 of 8 legs read" in table.foot.text() and "sum 45.6 mi" in table.foot.text()


def test_what_is_refused_is_told_and_nothing_is_kept(qtbot, table, session):
    type_cell(qtbot, table, 2, "distance_km", "far")
    assert session.study.leg("L03").distance_km is None
    assert table.fault.isVisible() and "L03" in table.fault.text() and "far" in table.fault.text()
    type_cell(qtbot, table, 2, "distance_km", "18.4")
    assert session.study.leg("L03").distance_km == 18.4 and not table.fault.isVisible()


def test_enter_goes_down_the_column(qtbot, table):
    table.view.setCurrentIndex(at(table, 0, "reading"))
    qtbot.keyClick(table.view, Qt.Key.Key_Return)
    assert table.view.currentIndex() == at(table, 1, "reading")
    for _ in range(6):
        qtbot.keyClick(table.view, Qt.Key.Key_Return)
    assert table.view.currentIndex() == at(table, 7, "reading")
    # After the last leg comes the first's next field; at the very last it stays.
    qtbot.keyClick(table.view, Qt.Key.Key_Return)
    here = table.view.currentIndex()
    assert here.row() == 0 and here.column() > at(table, 0, "reading").column()
    for _ in range(8 * table.model.columnCount()):
        qtbot.keyClick(table.view, Qt.Key.Key_Return)
    assert table.view.currentIndex().row() == 7


def test_a_block_of_a_spreadsheet_is_pasted_in_one_step(qtbot, table, session, monkeypatch):
    stored, edit = [], session.edit
    monkeypatch.setattr(session, "edit", lambda *a, **k: stored.append(a[1]) or edit(*a, **k))
    QGuiApplication.clipboard().setText("170\t18.4\t12:16\n171\t18.4\t12:20\n160,5\t18,4\t12:10\r\n161\t18.4\t12:11\n")
    table.view.setCurrentIndex(at(table, 0, "reading"))
    before = session.undo.count()
    table.paste()
    assert [leg.average_shown for leg in session.study.legs][:5] == [170, 171, 160.5, 161, None]
    assert [leg.duration_s for leg in session.study.legs][:2] == [736, 740]
    assert session.undo.count() == before + 1
    assert stored == ["12 cells"], "saved and analysed once: cell by cell, 64 cells took nine seconds"
    session.undo.undo()
    assert all(leg.average_shown is None and leg.distance_km is None for leg in session.study.legs)


def test_a_cell_of_a_block_that_cannot_be_read_is_named_and_the_others_are_kept(qtbot, table, session):
    QGuiApplication.clipboard().setText("170\t18.4\nwhat\t18.5\n")
    table.view.setCurrentIndex(at(table, 0, "reading"))
    table.paste()
    assert session.study.leg("L01").average_shown == 170 and session.study.leg("L02").distance_km == 18.5
    assert session.study.leg("L02").average_shown is None and "L02" in table.fault.text()


def test_copied_cells_have_tabs_and_come_back(qtbot, table, session, at_home_in):
    QGuiApplication.clipboard().setText("170\t18.4\n171\t18.6\n")
    table.view.setCurrentIndex(at(table, 0, "reading"))
    table.paste()
    first, last = at(table, 0, "reading"), at(table, 1, "distance_km")
    chosen = table.view.selectionModel()
    chosen.select(first, chosen.SelectionFlag.ClearAndSelect)
    for index in (at(table, 0, "distance_km"), at(table, 1, "reading"), last):
        chosen.select(index, chosen.SelectionFlag.Select)
    table.copy()
    rows = [line.split("\t") for line in QGuiApplication.clipboard().text().splitlines()]
    assert [len(r) for r in rows] == [2, 2] and rows[1][1] == "18.6"
    at_home_in("de_DE")
    table.copy()
    assert QGuiApplication.clipboard().text().splitlines()[1].split("\t")[1] == "18,6"
    table.view.setCurrentIndex(at(table, 2, "reading"))
    table.paste()
    assert session.study.leg("L04").distance_km == 18.6


def test_fill_down_and_delete(qtbot, table, session):
    type_cell(qtbot, table, 0, "distance_km", "18.4")
    chosen = table.view.selectionModel()
    chosen.clear()
    for row in range(8):
        chosen.select(at(table, row, "distance_km"), chosen.SelectionFlag.Select)
    table.fill_down()
    assert [leg.distance_km for leg in session.study.legs] == [18.4] * 8
    table.view.setCurrentIndex(at(table, 3, "distance_km"))
    qtbot.keyClick(table.view, Qt.Key.Key_Delete)
    assert session.study.leg("L04").distance_km is None and session.study.leg("L05").distance_km == 18.4


def test_columns_are_shown_and_hidden_and_kept(qtbot, table, session):
    assert "tyre_pressure_kpa" not in table.model.keys
    table.show_column("tyre_pressure_kpa", True)
    assert "tyre_pressure_kpa" in table.model.keys
    column = len(NAMES) + table.model.keys.index("pressure_hpa")
    table.show_column("pressure_hpa", False)
    assert table.view.isColumnHidden(column)
    assert {a.text() for a in table.columns_menu().actions() if a.isChecked()} >= {"Reading", "Tyres"}


def test_sixteen_legs_stand_on_one_screen_and_nothing_moves(qtbot, window, session):
    window.show_study(session.add_study(driven_study("ABBAABBA")))
    window.go_to("drive")
    window.drive.show_sheet(True)
    table = window.drive.table
    QApplication.processEvents()
    last = table.view.visualRect(table.model.index(15, 3))
    assert table.view.viewport().rect().contains(last)
    top = table.view.visualRect(at(table, 9, "reading")), table.view.mapTo(window, table.view.rect().topLeft())
    type_cell(qtbot, table, 9, "reading", "171.5")
    qtbot.wait(300)
    assert (
        table.view.visualRect(at(table, 9, "reading")),
        table.view.mapTo(window, table.view.rect().topLeft()),
    ) == top


def test_an_odd_figure_is_told_and_leads_to_its_card(qtbot, window, session):
    study = driven_study("ABBA")
    window.show_study(session.add_study(study.with_leg("L03", duration_s=21)))
    window.go_to("drive")
    window.drive.show_sheet(True)
    QApplication.processEvents()
    assert "L03" in window.drive.table.doubt.text() and "km/h" in window.drive.table.doubt.text()
    qtbot.mouseClick(window.drive.table.doubt, Qt.MouseButton.LeftButton)
    assert window.drive.area.isVisible() and not window.drive.table.isVisible()


def test_the_preview_of_twelve_columns_fits_the_screen_and_says_what_it_leaves(qtbot, session, window):
    from fairmargin.core.study import new_study
    from fairmargin.desktop.dialogs.pasting import PasteDialog

    heads = [
        "Leg no",
        "setup",
        "Wh/mi",
        "Distance km",
        "Outside temp (F)",
        "SOC start",
        "SOC end",
        "Colour",
        "Wind mph",
        "mins",
        "Weather",
    ]
    text = "\t".join(heads) + "\n" + "\t".join(["1", "Empty", "290", "32", "57", "82", "74", "blue", "5", "21", "fine"])
    dialog = PasteDialog(
        text, new_study(title="x", kind="payload", order="AB", method="loop"), UNIT_CHOICES["us"], None
    )
    qtbot.addWidget(dialog)
    dialog.show()
    assert dialog.sizeHint().width() <= 1280 and dialog.minimumSizeHint().width() <= 1280
    assert "Not used:" in dialog.words.text() and "Colour" in dialog.words.text() and "Weather" in dialog.words.text()
    assert dialog.take.isEnabled() and "is the baseline" in dialog.words.text()
    reading = dialog.roles[2]
    reading.setCurrentIndex(reading.findData(""))
    for box in (dialog.roles[5], dialog.roles[6]):
        box.setCurrentIndex(box.findData(""))
    assert not dialog.take.isEnabled() and "No column is the reading yet" in dialog.words.text()

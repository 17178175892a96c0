"""Tables to look at: Tab leaves them, rows are copied with heads and tabs, saved as CSV or a workbook; folders are remembered."""

from pathlib import Path

import openpyxl
import pytest
from PySide6.QtCore import QSettings, Qt
from PySide6.QtWidgets import (
    QApplication,
    QComboBox,
    QFileDialog,
    QMessageBox,
    QPushButton,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from fairmargin.desktop.widgets.files import ask_open, ask_save, folders
from fairmargin.desktop.widgets.tables import Table, save_rows


@pytest.fixture
def table(qtbot):
    page = QWidget()
    column = QVBoxLayout(page)
    made, after = Table(3, 3, "What each costs"), QPushButton("after")
    made.setHorizontalHeaderLabels(["leg", "percent", "note"])
    for i, row in enumerate((("L01", "\u22123.2", "dry,\ncalm"), ("L02", "+1.0", "=SUM(A1)"), ("L03", "", ""))):
        for j, text in enumerate(row):
            made.setItem(i, j, QTableWidgetItem(text))
    box = QComboBox()
    box.addItems(["first", "second"])
    made.setCellWidget(2, 2, box)
    column.addWidget(made)
    column.addWidget(after)
    qtbot.addWidget(page)
    page.show()
    qtbot.waitExposed(page)
    made.after = after
    made.page = page  # kept: nobody else holds it
    return made


def copied(qtbot, table):
    qtbot.keyClick(table, Qt.Key.Key_C, Qt.KeyboardModifier.ControlModifier)
    return QApplication.clipboard().text()


def test_rows_are_copied_with_heads_and_tabs(qtbot, table):
    table.clearSelection()
    assert copied(qtbot, table) == "leg\tpercent\tnote\nL01\t-3.2\tdry, calm\nL02\t+1.0\t=SUM(A1)\nL03\t\tfirst"
    table.selectRow(1)
    assert copied(qtbot, table) == "leg\tpercent\tnote\nL02\t+1.0\t=SUM(A1)"
    table.setColumnHidden(2, True)
    assert copied(qtbot, table) == "leg\tpercent\nL02\t+1.0"


@pytest.mark.parametrize("locale, percent", [("de_DE", "-3,2"), ("en_GB", "-3.2"), ("fr_FR", "-3,2")])
def test_figures_are_copied_as_the_locale_writes_them(qtbot, table, at_home_in, locale, percent):
    """Common practice: a spreadsheet takes 3.2 for the third of February where figures have a comma."""
    at_home_in(locale)
    table.selectRow(0)
    assert copied(qtbot, table) == f"leg\tpercent\tnote\nL01\t{percent}\tdry, calm"


def test_a_table_is_saved_as_csv_and_as_a_workbook(table, tmp_path, monkeypatch):
    asked, chosen = [], [""]

    def save(_parent, _title, name, _kinds):
        asked.append(name)
        return str(tmp_path / "out" / chosen[0]), ""

    (tmp_path / "out").mkdir()
    monkeypatch.setattr(QFileDialog, "getSaveFileName", save)
    folders.keep_in(QSettings(str(tmp_path / "s.ini"), QSettings.Format.IniFormat))
    chosen[0] = "costs.csv"
    assert save_rows(table)
    assert (tmp_path / "out" / "costs.csv").read_bytes().decode("utf-8") == (
        'leg,percent,note\r\nL01,-3.2,"dry, calm"\r\nL02,+1.0,\'=SUM(A1)\r\nL03,,first\r\n'
    ), "a note is no formula, as in a package"
    chosen[0] = "costs.xlsx"
    assert save_rows(table)
    sheet = openpyxl.load_workbook(tmp_path / "out" / "costs.xlsx").active
    rows = [[c.value for c in row] for row in sheet.iter_rows()]
    assert rows[:3] == [["leg", "percent", "note"], ["L01", -3.2, "dry, calm"], ["L02", 1.0, "=SUM(A1)"]]
    assert sheet["C3"].data_type == "s", "text stays text: nobody's note becomes a formula"
    # The second time the dialog begins where the first ended.
    assert asked == ["what-each-costs.csv", str(tmp_path / "out" / "what-each-costs.csv")]
    told = []
    monkeypatch.setattr(QMessageBox, "warning", lambda *a: told.append(a[-1]))
    chosen[0] = "costs.doc"
    assert not save_rows(table) and "expected a name that ends in .csv or .xlsx" in told[0]


def test_folders_are_remembered_each_for_its_own(qtbot, tmp_path, monkeypatch):
    folders.keep_in(QSettings(str(tmp_path / "s.ini"), QSettings.Format.IniFormat))
    there, here, begun = tmp_path / "there", tmp_path / "here", []
    there.mkdir()
    here.mkdir()
    parent = QWidget()
    qtbot.addWidget(parent)

    def opened(_parent, _title, folder, _kinds):
        begun.append(folder)
        return str(here / "x"), ""

    def saved(_parent, _title, name, _kinds):
        begun.append(name)
        return str(there / "y"), ""

    monkeypatch.setattr(QFileDialog, "getOpenFileName", opened)
    monkeypatch.setattr(QFileDialog, "getSaveFileName", saved)
    for _ in range(2):
        assert ask_open(parent, "Track", "*.gpx") == str(here / "x")
        assert ask_save(parent, "Card", "card.png", "*.png")[0] == str(there / "y")
    assert begun == ["", "card.png", str(here), str(there / "card.png")]
    # By another window of the same settings too; a folder that is gone is not offered.
    folders.keep_in(QSettings(str(tmp_path / "s.ini"), QSettings.Format.IniFormat))
    assert folders.last("opened") == str(here)
    there.rmdir()
    assert folders.last("saved") == ""
    assert Path(folders.last("opened")).is_dir()


def test_tab_leaves_a_table(qtbot, table):
    table.removeCellWidget(2, 2)
    table.setFocus()
    table.setCurrentCell(0, 0)
    assert not table.tabKeyNavigation()
    qtbot.keyClick(table, Qt.Key.Key_Tab)
    assert table.currentIndex().column() == 0, "Tab moved to no other cell"
    qtbot.keyClick(table, Qt.Key.Key_Down)
    assert table.currentRow() == 1, "its own arrows stay"


def test_every_table_of_the_window_lets_tab_by(opened, qtbot):
    """Every stage of a real window: no table keeps Tab, and each says what it holds."""
    from PySide6.QtWidgets import QTableView

    for stage in ("question", "plan", "drive", "examine", "correct", "verdict", "use"):
        opened.go_to(stage)
        QApplication.processEvents()
    found = opened.findChildren(QTableView)
    assert len(found) >= 3
    for view in found:
        assert not view.tabKeyNavigation(), view.accessibleName()
        assert view.accessibleName()

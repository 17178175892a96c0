"""Tables to look at: Tab passes them by, their rows can be copied and saved."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import Final

from PySide6.QtCore import QLocale, QPoint, Qt
from PySide6.QtGui import QKeyEvent, QKeySequence
from PySide6.QtWidgets import (
    QAbstractItemView,
    QApplication,
    QComboBox,
    QHeaderView,
    QMenu,
    QMessageBox,
    QTableView,
    QTableWidget,
    QWidget,
)

from fairmargin.desktop.widgets.decimals import Cells
from fairmargin.desktop.widgets.files import ask_save

KINDS: Final = "Table (*.csv);;Workbook (*.xlsx)"


class Table(QTableWidget):
    """A table without row numbers, that is looked at and taken along.

    Parameters
    ----------
    rows, columns : int
    name : str
        What it holds, for whoever hears it; also the file's name when it is saved.
    as_typed : bool
        Whether cells come from a file or the clipboard, and are shown to the letter.
    """

    def __init__(
        self, rows: int, columns: int, name: str, parent: QWidget | None = None, *, as_typed: bool = False
    ) -> None:
        super().__init__(rows, columns, parent)
        if not as_typed:
            self.setItemDelegate(Cells(self))
        self.setAccessibleName(name)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.verticalHeader().hide()
        lets_out(self)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.matches(QKeySequence.StandardKey.Copy):
            copy_rows(self)
        else:
            super().keyPressEvent(event)


@contextmanager
def filled_at_once(view: QTableView) -> Iterator[None]:
    """Let a table measure its columns once after cells were put in, not after each of them."""
    header = view.horizontalHeader()
    modes = [header.sectionResizeMode(i) for i in range(header.count())]
    header.setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
    try:
        yield
    finally:
        for i, mode in enumerate(modes):
            header.setSectionResizeMode(i, mode)


def lets_out(view: QTableView) -> None:
    """Let Tab pass a table by, and offer to copy and to save it."""
    view.setTabKeyNavigation(False)
    view.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
    view.customContextMenuRequested.connect(lambda at: _offer(view, at))


def _offer(view: QTableView, at: QPoint) -> None:
    menu = QMenu(view)
    add_outgoing(menu, view)
    menu.exec(view.viewport().mapToGlobal(at))
    menu.deleteLater()


def add_outgoing(menu: QMenu, view: QTableView) -> None:
    """Add copying and saving to a table's menu."""
    copy = menu.addAction("Copy with its heads")
    copy.setShortcut(QKeySequence(QKeySequence.StandardKey.Copy))
    copy.triggered.connect(lambda: copy_rows(view))
    menu.addAction("Save as CSV or workbook\u2026").triggered.connect(lambda: save_rows(view))


def rows_of(view: QTableView, *, chosen: bool = False) -> tuple[list[str], list[list[str]]]:
    """Heads and cells as they are shown; of the chosen rows where any are and they are asked for."""
    model = view.model()
    columns = [j for j in range(model.columnCount()) if not view.isColumnHidden(j)]
    heads = [str(model.headerData(j, Qt.Orientation.Horizontal) or "") for j in columns]
    if view.horizontalHeader().isHidden():
        heads = ["" for _ in columns]
    picked = sorted({index.row() for index in view.selectionModel().selectedIndexes()}) if chosen else []
    shown = [i for i in range(model.rowCount()) if not view.isRowHidden(i)]
    return heads, [[_cell(view, i, j) for j in columns] for i in (picked or shown)]


def _cell(view: QTableView, row: int, column: int) -> str:
    index = view.model().index(row, column)
    inside = view.indexWidget(index)
    if isinstance(inside, QComboBox):
        return inside.currentText()
    value = index.data(Qt.ItemDataRole.DisplayRole)
    return "" if value is None else str(value)


def copy_rows(view: QTableView) -> None:
    """Copy the chosen rows, or all, with their heads and tabs between."""
    heads, rows = rows_of(view, chosen=True)
    put_on_clipboard([heads, *rows])


def put_on_clipboard(rows: Sequence[Sequence[str]]) -> None:
    """Copy cells for a spreadsheet, figures as the desktop's locale writes them."""
    from fairmargin.exchange.tables.writing import as_tabs

    QApplication.clipboard().setText(as_tabs(rows, QLocale().decimalPoint()))


def save_rows(view: QTableView) -> bool:
    """Ask where to, and save the whole table."""
    from fairmargin.exchange.files.faults import InvalidInput
    from fairmargin.exchange.tables.writing import write_table

    name = view.accessibleName().lower().replace(", ", " ").replace(" ", "-") or "table"
    path, kind = ask_save(view, "Save the table", f"{name}.csv", KINDS)
    if not path:
        return False
    where = Path(path)
    if not where.suffix:
        where = where.with_suffix(".xlsx" if "xlsx" in kind else ".csv")
    try:
        write_table(where, *rows_of(view))
    except InvalidInput as fault:
        QMessageBox.warning(view, "Not saved", fault.faults[0])
        return False
    return True

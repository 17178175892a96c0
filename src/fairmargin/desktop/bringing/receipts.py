"""Charging receipts, put on their legs."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QTableWidgetItem, QWidget

from fairmargin.desktop.bringing.base import BringDialog, day_of, days_of, plain_table
from fairmargin.desktop.state.session import Session
from fairmargin.desktop.theme import theme
from fairmargin.desktop.widgets.basics import label
from fairmargin.desktop.widgets.inputs import Words
from fairmargin.exchange.tables.receipts import Assigned, apply, assign, read_receipts


class ReceiptsDialog(BringDialog):
    """Charging receipts, typed or from a table, each with the leg it belongs to."""

    KIND = "receipts"

    def __init__(self, session: Session, text: str = "", parent: QWidget | None = None) -> None:
        super().__init__(session, "Charging receipts", "Put the charges on their legs", parent)
        self.text = Words(text)
        self.text.setPlaceholderText("12:40 4.1 kWh   one a line; or paste a table with a time and kWh")
        self.text.setAccessibleName("Receipts")
        self.text.setMaximumHeight(180)
        self.text.textChanged.connect(self.read)
        self.page.addWidget(
            label("The charge that brings the battery back to the level before stands on the last leg it follows.", "muted", wrap=True)
        )  # fmt: skip
        self.page.addWidget(self.text)
        self.list = plain_table(["Time", "kWh", "Leg", "Why", "Note"], "Charging receipts")
        self.page.addWidget(self.list, 1)
        self.assigned: tuple[Assigned, ...] = ()
        self.read()

    def read_again(self) -> None:
        self.read()

    def read(self) -> None:
        """Read what stands there."""
        self.after = None
        self.take_button.setEnabled(False)
        try:
            receipts, notices = read_receipts(
                self.text.toPlainText(), day_of(self.study), self.dates.order, days_of(self.study)
            )
        except ValueError as error:
            self.refuse(error if self.text.toPlainText().strip() else ValueError(""))
            self.list.setRowCount(0)
            self.words.clear()
            return
        self.fault.clear()
        self.assigned = assign(self.study, receipts)
        self.list.setRowCount(len(self.assigned))
        for i, one in enumerate(self.assigned):
            cells = (f"{one.receipt.moment:%Y-%m-%d %H:%M}", f"{one.receipt.kwh:g}", one.leg or "none", one.words, one.receipt.note)  # fmt: skip
            for j, text in enumerate(cells):
                item = QTableWidgetItem(text)
                item.setTextAlignment(Qt.AlignmentFlag.AlignVCenter)
                if not one.leg:
                    item.setForeground(theme.colour("muted"))
                self.list.setItem(i, j, item)
        self.list.resizeColumnsToContents()
        used = sum(bool(one.leg) for one in self.assigned)
        self.words.setText("; ".join([f"{used} of {len(self.assigned)} receipts have a leg", *notices]) + ".")
        self.after = apply(self.study, self.assigned)
        self.take_button.setEnabled(used > 0)

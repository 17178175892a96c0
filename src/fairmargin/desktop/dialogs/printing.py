"""What to print, on which paper, on which printer."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final, Literal

from PySide6.QtWidgets import QDialog, QDialogButtonBox, QFormLayout, QVBoxLayout, QWidget

from fairmargin.desktop.widgets.basics import label
from fairmargin.desktop.widgets.inputs import Choice
from fairmargin.exchange.reports.pdf import Paper

What = Literal["report", "sheet", "card"]
WHAT: Final[dict[What, str]] = {"report": "Report", "sheet": "Sheet of the day", "card": "Result card"}
#: Instead of a printer: the desktop's own reader, which prints as well.
READER: Final = "Show it first, and print from there"


class PrintDialog(QDialog):
    """Asks what, on which paper, where.

    Parameters
    ----------
    may : sequence of str
        What of `WHAT` there is to print now; the first is chosen.
    paper : {'A4', 'Letter'}
        Chosen at first.
    printers : sequence of str
    """

    def __init__(
        self, may: Sequence[What], paper: Paper, printers: Sequence[str], parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle("Print")
        layout = QVBoxLayout(self)
        form = QFormLayout()
        layout.addLayout(form)
        self.what, self.paper, self.printer = Choice(), Choice(), Choice()
        for key in may:
            self.what.addItem(WHAT[key], key)
        for size in ("A4", "Letter"):
            self.paper.addItem(size, size)
        self.paper.setCurrentIndex(self.paper.findData(paper))
        self.printer.addItem(READER, "")
        for name in printers:
            self.printer.addItem(name, name)
        if printers:
            self.printer.setCurrentIndex(1)
        for words, box in (("Print", self.what), ("Paper", self.paper), ("Printer", self.printer)):
            box.setAccessibleName(words)
            form.addRow(words, box)
        if not printers:
            layout.addWidget(label("No printer is set up on this machine.", "muted"))
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        buttons.button(QDialogButtonBox.StandardButton.Ok).setText("Print")
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        layout.addWidget(buttons)

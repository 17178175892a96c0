"""Lines with a name: what a kind of question asks, and what is said of it."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QGridLayout, QLabel, QWidget

from fairmargin.core.words import sentence
from fairmargin.desktop.widgets.basics import label
from fairmargin.exchange.words.answers import Answer

NAME_PX = 132


class AnswerList(QWidget):
    """Answers below each other, names in a column of their own."""

    def __init__(self) -> None:
        super().__init__()
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 4, 0, 4)
        self._grid.setHorizontalSpacing(12)
        self._grid.setVerticalSpacing(4)
        self._grid.setColumnMinimumWidth(0, NAME_PX)
        self._grid.setColumnStretch(1, 1)
        self._rows: list[tuple[QLabel, QLabel]] = []
        self.hide()

    def show_answers(self, found: Sequence[Answer]) -> None:
        """Show these, and nothing else."""
        while len(self._rows) < len(found):
            name, words = label("", "", wrap=True), label("", "", wrap=True)
            name.setStyleSheet("font-weight: 600;")
            name.setFixedWidth(NAME_PX)
            at = len(self._rows)
            self._grid.addWidget(name, at, 0, Qt.AlignmentFlag.AlignTop)
            self._grid.addWidget(words, at, 1, Qt.AlignmentFlag.AlignTop)
            self._rows.append((name, words))
        for i, (name, words) in enumerate(self._rows):
            there = i < len(found)
            name.setVisible(there)
            words.setVisible(there)
            name.setText(found[i].name if there else "")
            words.setText(f"{sentence(found[i].words)}." if there else "")
        self.setVisible(bool(found))

"""When a logbook or a study is not whole: earlier copies, and what can be read."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QDialog, QDialogButtonBox, QHBoxLayout, QListWidget, QPushButton, QVBoxLayout, QWidget

from fairmargin.desktop.widgets.basics import label
from fairmargin.desktop.widgets.dates import day_words
from fairmargin.logbook import copies
from fairmargin.logbook.store import SUFFIX


def copy_words(copy: copies.Copy) -> str:
    """One line about a copy."""
    size = f"{copy.size / 1e6:.1f} MB" if copy.size >= 1e5 else f"{copy.size / 1e3:.0f} kB"
    return f"{day_words(copy.made_at, weekday=True)}, {copy.made_at:%H:%M}  \u00b7  {copy.why}  \u00b7  {size}"


def rescued_path(path: Path, now: datetime) -> Path:
    """A free name for what can be read of a damaged logbook."""
    stem = path.name.removesuffix(SUFFIX)
    for number in range(1, 1000):
        tail = "" if number == 1 else f" {number}"
        target = path.with_name(f"{stem} (what could be read, {now:%Y-%m-%d}{tail}){SUFFIX}")
        if not target.exists():
            return target
    raise OSError("no free name")


class ChoiceDialog(QDialog):
    """A short text and buttons; `chosen` is the number of the one that was pressed, None if it was closed."""

    def __init__(self, title: str, words: str, choices: Sequence[str], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(title)
        self.setMinimumWidth(520)
        self.chosen: int | None = None
        layout = QVBoxLayout(self)
        layout.setSpacing(14)
        layout.addWidget(label(title, "title"))
        layout.addWidget(label(words, wrap=True))
        self.buttons: list[QPushButton] = []
        for number, text in enumerate(choices):
            button = QPushButton(text)
            if number == 0:
                button.setObjectName("primary")
                button.setDefault(True)
            button.clicked.connect(lambda _=False, n=number: self._choose(n))
            layout.addWidget(button)
            self.buttons.append(button)
        close = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        close.rejected.connect(self.reject)
        layout.addWidget(close)

    def _choose(self, number: int) -> None:
        self.chosen = number
        self.accept()


class CopiesDialog(QDialog):
    """The earlier copies of a logbook: look at one, or put it back."""

    def __init__(self, path: Path, may_put_back: bool, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Earlier copies")
        self.setMinimumSize(560, 360)
        self.copies = copies.kept(path)
        self.wanted = ""
        layout = QVBoxLayout(self)
        layout.addWidget(
            label(
                f"States of {path.name} as they were kept: one a day when it was opened, and one before each upgrade. "
                "Putting one back keeps what is there now among them.",
                "muted",
                wrap=True,
            )
        )
        self.list = QListWidget()
        self.list.setAccessibleName("Earlier copies")
        self.list.addItems([copy_words(c) for c in self.copies])
        self.list.setCurrentRow(0)
        self.list.itemActivated.connect(lambda _item: self._want("look"))
        layout.addWidget(self.list, 1)
        if not self.copies:
            layout.addWidget(label("None yet. The first is kept when a logbook with studies is opened.", "muted"))
        row = QHBoxLayout()
        self.look = QPushButton("Open it to look")
        self.look.clicked.connect(lambda: self._want("look"))
        self.back = QPushButton("Put it back\u2026")
        self.back.clicked.connect(lambda: self._want("back"))
        for button, enabled in ((self.look, bool(self.copies)), (self.back, bool(self.copies) and may_put_back)):
            button.setEnabled(enabled)
            row.addWidget(button)
        row.addStretch()
        close = QPushButton("Close")
        close.clicked.connect(self.reject)
        row.addWidget(close)
        layout.addLayout(row)
        self.list.setFocus(Qt.FocusReason.OtherFocusReason)

    def _want(self, what: str) -> None:
        if self.copy is not None:
            self.wanted = what
            self.accept()

    @property
    def copy(self) -> copies.Copy | None:
        """The copy that is chosen."""
        row = self.list.currentRow()
        return self.copies[row] if 0 <= row < len(self.copies) else None

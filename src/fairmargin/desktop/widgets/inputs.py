"""Inputs of the window: a turning wheel passes them by, and they leave the program's keys to the program."""

from __future__ import annotations

import math
import re
from collections.abc import Callable
from typing import Final

from PySide6.QtCore import QEvent, QTimer
from PySide6.QtGui import QKeyEvent, QKeySequence, QShowEvent, QValidator, QWheelEvent
from PySide6.QtWidgets import QComboBox, QDoubleSpinBox, QLineEdit, QPlainTextEdit, QSlider

from fairmargin.core.words import minus
from fairmargin.desktop.widgets.decimals import as_here, figure_here

#: Keys of the window's commands, filled as its menus are made; the toolkit's own editing keys yield to them.
PROGRAM_KEYS: Final[set[str]] = set()
UNDO, REDO = "Ctrl+Z", "Ctrl+Shift+Z"


FRAME_PX: Final = 16  # about what surrounds lines of text
_NUMBER: Final = re.compile(r"[+\-\u2212]?\d*(?:[.,]\d*)?")  # what a number may begin with


def _pressed(event: QKeyEvent) -> str:
    """The keys of an event, as they are written in a menu."""
    return QKeySequence(event.keyCombination()).toString()


def _left(event: QEvent, is_command: Callable[[QKeyEvent], bool]) -> bool:
    """Leave a key to the program that the toolkit would keep for editing; whether it was left."""
    # Of which class it is, is sooner known than its type: lines get thousands of events as pages are laid.
    if not isinstance(event, QKeyEvent) or event.type() != QEvent.Type.ShortcutOverride or not is_command(event):
        return False
    event.ignore()
    return True


class Line(QLineEdit):
    """A line of text. Its own undo goes back to what is stored; beyond that the program's undo takes over."""

    def setText(self, text: str | None) -> None:
        super().setText(figure_here(text or ""))

    def setPlaceholderText(self, text: str) -> None:
        super().setPlaceholderText(as_here(text))

    def _is_command(self, event: QKeyEvent) -> bool:
        keys = _pressed(event)
        return keys in PROGRAM_KEYS and not (keys in {UNDO, REDO} and self.isModified())

    def event(self, event: QEvent) -> bool:
        return not _left(event, self._is_command) and super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if self._is_command(event):
            event.ignore()  # in a dialog, where no command is to be had, it does nothing
        else:
            super().keyPressEvent(event)


class Words(QPlainTextEdit):
    """Several lines of text. Its own undo goes as far as it can; beyond that the program's takes over.

    Parameters
    ----------
    text : str
    lines : int, optional
        As many are in sight, the last one whole; as high as its place when absent.
    """

    def __init__(self, text: str = "", *, lines: int | None = None) -> None:
        super().__init__(text)
        self._lines = lines
        if lines is not None:  # about so; what surrounds them is known once it is shown
            self.setFixedHeight(math.ceil(lines * self.fontMetrics().lineSpacing()) + FRAME_PX)

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self._fit()

    def changeEvent(self, event: QEvent) -> None:
        super().changeEvent(event)
        if event.type() in {QEvent.Type.FontChange, QEvent.Type.StyleChange} and self.isVisible():
            self._fit()

    def _fit(self) -> None:
        """Be as high as the lines are that are to be in sight."""
        if self._lines is not None:
            around = self.height() - self.viewport().height() + 2 * self.document().documentMargin()
            self.setFixedHeight(math.ceil(self._lines * self.fontMetrics().lineSpacing() + around))

    def setPlaceholderText(self, text: str) -> None:
        super().setPlaceholderText(as_here(text))

    def _is_command(self, event: QKeyEvent) -> bool:
        keys, text = _pressed(event), self.document()
        own = (keys == UNDO and text.isUndoAvailable()) or (keys == REDO and text.isRedoAvailable())
        return keys in PROGRAM_KEYS and not own

    def event(self, event: QEvent) -> bool:
        return not _left(event, self._is_command) and super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if self._is_command(event):
            event.ignore()
        else:
            super().keyPressEvent(event)


def _inner() -> Line:
    """A line inside of another input, which draws the frame."""
    made = Line()
    made.setObjectName("inner")
    made.setFrame(False)
    return made


class Choice(QComboBox):
    """A drop-down; a wheel over it scrolls the page it lies on."""

    def wheelEvent(self, event: QWheelEvent) -> None:
        event.ignore()

    def showPopup(self) -> None:
        """Open the list, tall enough for its last entry: the toolkit reckons with rows of another height."""
        super().showPopup()
        self._make_whole()
        QTimer.singleShot(0, self, self._make_whole)  # the first list of all gets its style only once it is shown

    def _make_whole(self) -> None:
        view, rows = self.view(), min(self.count(), self.maxVisibleItems())
        short = rows * view.sizeHintForRow(0) - view.viewport().height()
        window = view.window()
        if window is self.window():
            return  # nothing is open any more
        if rows and short > 0 and view.isVisible():
            window.resize(window.width(), window.height() + short)
            room = self.screen().availableGeometry()
            if window.geometry().bottom() > room.bottom():
                window.move(window.x(), max(room.top(), room.bottom() - window.height()))

    def setEditable(self, editable: bool) -> None:
        super().setEditable(editable)
        if editable:
            self.setLineEdit(_inner())
            self.setCompleter(None)  # type: ignore[arg-type]  # what was typed is not completed to something else
            self.setAccessibleName(self.accessibleName())

    def setAccessibleName(self, name: str) -> None:
        super().setAccessibleName(name)
        line = self.lineEdit()
        if line is not None:
            line.setAccessibleName(name)  # it has the keys, and is what is heard


class NumberBox(QDoubleSpinBox):
    """A number with arrows; a wheel over it scrolls the page it lies on.

    It takes a point and a comma for decimals. The toolkit takes the one that is not the locale's for what groups thousands: half
    an hour typed with it became five.
    """

    def __init__(self) -> None:
        super().__init__()
        self.setLineEdit(_inner())

    def textFromValue(self, val: float) -> str:
        return as_here(minus(f"{val:.{self.decimals()}f}"))

    def valueFromText(self, text: str) -> float:
        return float(text.replace("\u2212", "-").replace(",", ".")) if self._is_number(text) else self.value()

    def validate(self, input: str, pos: int) -> tuple[QValidator.State, str, int]:
        if not _NUMBER.fullmatch(input):
            return QValidator.State.Invalid, input, pos
        within = self._is_number(input) and self.minimum() <= self.valueFromText(input) <= self.maximum()
        return (QValidator.State.Acceptable if within else QValidator.State.Intermediate), input, pos

    @staticmethod
    def _is_number(text: str) -> bool:
        return bool(_NUMBER.fullmatch(text) and re.search(r"\d", text))

    def wheelEvent(self, event: QWheelEvent) -> None:
        event.ignore()


class Slider(QSlider):
    """A slider; a wheel over it scrolls the page it lies on."""

    def wheelEvent(self, event: QWheelEvent) -> None:
        event.ignore()

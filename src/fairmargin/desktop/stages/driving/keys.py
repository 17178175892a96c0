"""The road's keys, wherever the focus is: a click beside the page must not decide what Space does next."""

from __future__ import annotations

from collections.abc import Callable
from typing import Literal

from PySide6.QtCore import QEvent, QObject, Qt, QTimer
from PySide6.QtGui import QKeyEvent, QKeySequence
from PySide6.QtWidgets import QAbstractSpinBox, QApplication, QComboBox, QLineEdit, QPlainTextEdit, QTextEdit, QWidget

UNDO = QKeySequence.StandardKey.Undo
_TYPED_INTO = (QLineEdit, QPlainTextEdit, QTextEdit, QAbstractSpinBox)
_TAB = frozenset({Qt.Key.Key_Tab, Qt.Key.Key_Backtab})
_RETURN = frozenset({Qt.Key.Key_Return, Qt.Key.Key_Enter})
_OURS = frozenset({Qt.Key.Key_Space, *(Qt.Key(k) for k in range(Qt.Key.Key_A, Qt.Key.Key_Z + 1))})
_MODIFIERS = Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier | Qt.KeyboardModifier.MetaModifier


class RoadKeys(QObject):
    """Hand a page the keys that something else in its window would take.

    A field that is typed into keeps its keys until Return. A control that was walked to with Tab keeps its own
    while the vehicle stands; under way every key is the road's. Where a leg is read off only undo is.

    Parameters
    ----------
    page
        What takes the keys, while it is visible.
    phase
        What goes on there now.
    """

    def __init__(self, page: QWidget, phase: Callable[[], Literal["standing", "driving", "reading"]]) -> None:
        super().__init__(page)
        self._page, self._phase = page, phase
        self._watched: QWidget | None = None
        self._tab_pressed = self._walked_to = False
        page.installEventFilter(self)
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        app.focusChanged.connect(self._focus_moved)

    def _focus_moved(self, old: QWidget | None, new: QWidget | None) -> None:
        # Only what has the focus is watched: a filter on the whole application would see every event of it.
        page = self._page
        if old is not None and old is self._watched:
            old.removeEventFilter(self)
        self._walked_to, self._tab_pressed = self._tab_pressed, False
        self._watched = None
        if new is None or new is page or new.window() is not page.window() or not page.isVisible():
            return
        self._watched = new
        new.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Pass on what is the road's."""
        if not isinstance(event, QKeyEvent) or not self._page.isVisible():
            return False
        pressed = event.type() == QEvent.Type.KeyPress
        if pressed:
            self._tab_pressed = event.key() in _TAB
        if watched is self._page:
            return False
        if isinstance(watched, _TYPED_INTO) or (isinstance(watched, QComboBox) and watched.isEditable()):
            if pressed and event.key() in _RETURN and self._phase() != "reading":
                # Afterwards: the field stores what was typed before it loses the focus.
                QTimer.singleShot(0, self._page, self._page.setFocus)
            return False
        if not self._is_ours(event):
            return False
        if event.type() == QEvent.Type.ShortcutOverride:
            event.accept()
        elif pressed:
            self._page.keyPressEvent(event)
        return True

    def _is_ours(self, event: QKeyEvent) -> bool:
        if event.matches(UNDO):
            return True
        phase = self._phase()
        if phase == "reading" or event.modifiers() & _MODIFIERS or event.key() not in _OURS:
            return False
        return phase == "driving" or not self._walked_to

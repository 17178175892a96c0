"""What the pages of the view are made of: chips, tiles, large buttons, keys of events."""

from __future__ import annotations

from collections.abc import Callable
from typing import Final

from PySide6.QtGui import QMouseEvent
from PySide6.QtWidgets import QCheckBox, QFrame, QPushButton, QSizePolicy, QVBoxLayout

from fairmargin.core.study.vocabulary import EventKind
from fairmargin.desktop.widgets.basics import PlainLabel, as_tip, label
from fairmargin.desktop.widgets.decimals import as_here

#: Event, its key, and its words; one key each.
EVENTS: Final[tuple[tuple[EventKind, str, str], ...]] = (
    ("slow-traffic", "T", "Slow traffic"),
    ("following-closely", "F", "Following closely"),
    ("overtaking", "O", "Overtaking"),
    ("stop", "S", "Stop"),
    ("wrong-turn", "W", "Wrong turn"),
    ("rain", "R", "Rain"),
    ("gust", "G", "Gust"),
    ("lift-off", "L", "Lifted off"),
)
GATE_SOON_KM: Final = 0.5
TALLEST_PX: Final = 130
COMPACT_PX: Final = 590  # a view lower than this takes smaller type
DAY_EVERY_S: Final = 2.0  # the timetable is laid anew this often


class Chip(PlainLabel):
    """One instrument's state in shape and word."""

    SHAPES: Final = {"live": "\u25cf", "waiting": "\u25cb", "lost": "\u25b2", "off": "\u2013"}

    def __init__(self, name: str) -> None:
        super().__init__()
        self.setObjectName("chip")
        self._name = name

    def show_state(self, state: str, why: str) -> None:
        """Show another state."""
        text = f"{self.SHAPES[state]} {self._name} {state}"
        if self.text() != text:
            self.setText(text)
            self.setProperty("state", state)
            self.style().unpolish(self)
            self.style().polish(self)
            self.setMinimumWidth(self.fontMetrics().horizontalAdvance(text) + 24)
        self.setToolTip(as_tip(why))


class Tile(QFrame):
    """A large number with what it is."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("panel")
        self._box = box = QVBoxLayout(self)
        box.setSpacing(0)
        self.fit(low=False)
        self.caption = label("", "tilecaption")
        self.number = label("", "huge")
        self.foot = label("", "tilecaption", wrap=True)
        for part in (self.caption, self.number, self.foot):
            box.addWidget(part)

    def fit(self, *, low: bool) -> None:
        """Take less room where the window is low."""
        self._box.setContentsMargins(18, 2 if low else 6, 18, 2 if low else 6)

    def show(self, caption: str, number: str, foot: str = "", state: str = "") -> None:  # type: ignore[override]
        """Show other words; `state` colours the number (caution, fine)."""
        self.caption.setText(caption)
        self.number.setText(number)
        self.foot.setText(foot)
        if self.number.property("state") != state:
            self.number.setProperty("state", state)
            self.number.style().unpolish(self.number)
            self.number.style().polish(self.number)
        self.setAccessibleName(as_here(f"{caption}: {number} {foot}"))


def go_button(words: str, act: Callable[[], object]) -> QPushButton:
    """The button of the next thing to do: as wide as there is room."""
    button = QPushButton(words)
    button.setObjectName("go")
    button.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
    button.clicked.connect(lambda _=False: act())
    return button


class Ticking(PlainLabel):
    """Words of a tick box that tick it: a finger finds them more easily than the box."""

    def __init__(self, text: str, box: QCheckBox) -> None:
        super().__init__(text)
        self.setWordWrap(True)
        self.setObjectName("checkwords")
        self._box = box

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._box.toggle()
        event.accept()

"""The question that would narrow the margin most, answered by one click or key for the whole study; the next ones below it."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial
from typing import TYPE_CHECKING, Final

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QFrame, QHBoxLayout, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from fairmargin.core.units import UnitChoice, in_units
from fairmargin.desktop.widgets.basics import as_tip, clear, label
from fairmargin.desktop.widgets.decimals import as_here

if TYPE_CHECKING:
    from fairmargin.core.result.asked import Asked

NOT_KNOWN: Final = "not known"
#: Characters of answers that stand beside each other; longer ones stand below.
BESIDE: Final = 30


class QuestionStrip(QFrame):
    """One question with its answers; digits answer it while the strip has the focus."""

    answered = Signal(str, str)  # code, words of the answer; "" where it is not known

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("panel")
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Maximum)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self._box = QVBoxLayout(self)
        self._box.setContentsMargins(16, 10, 14, 10)
        self._box.setSpacing(6)
        self._more = False
        self._asked: Sequence[Asked] = ()
        self._half = 0.0
        self._units: UnitChoice | None = None
        self.buttons: list[QPushButton] = []
        self.hide()

    @property
    def asked(self) -> Sequence[Asked]:
        """What is asked now, the most worth first."""
        return self._asked

    def show_questions(self, asked: Sequence[Asked], half_width_percent: float, units: UnitChoice) -> None:
        """Ask anew; hidden where there is nothing worth asking."""
        half = round(half_width_percent, 2)
        if (tuple(asked), half, units) == (tuple(self._asked), self._half, self._units):
            return
        self._units = units
        if not asked or (self._asked and asked[0].code != self._asked[0].code):
            self._more = False
        self._asked, self._half = tuple(asked), half
        self._lay()

    def _lay(self) -> None:
        had_focus = self.isAncestorOf(self.focusWidget()) if self.focusWidget() is not None else self.hasFocus()
        clear(self._box)
        self.buttons = []
        self.setVisible(bool(self._asked))
        if not self._asked:
            return
        shown = self._asked if self._more else self._asked[:1]
        for i, q in enumerate(shown):
            self._question(q, first=i == 0)
        rest = len(self._asked) - 1
        if rest > 0:
            more = QPushButton("Fewer questions" if self._more else f"More questions ({rest})")
            more.setObjectName("link")
            more.clicked.connect(self._turn)
            self._box.addWidget(more, 0, Qt.AlignmentFlag.AlignLeft)
        self.setAccessibleName(as_here(f"Question: {self._written(self._asked[0].text)}"))
        if had_focus:
            self.setFocus()

    def _question(self, q: Asked, first: bool) -> None:
        self._box.addWidget(label(self._written(q.text), "heading", wrap=True))
        named = {words: self._written(words) for words, _ in q.answers}
        words, half = min(q.answers, key=lambda a: round(a[1], 1))
        worth = f"\u00b1{self._half:.1f} \u2192 \u00b1{half:.1f} % if {named[words]}"
        if q.worth_percent <= 0.0:
            worth = "It says what is compared with what."
        self._box.addWidget(label(worth, "muted", wrap=True))
        names = [*(a for a, _ in q.answers), NOT_KNOWN]
        row: QHBoxLayout | None = None
        room = 0
        for i, name in enumerate(names):
            written = as_here(named.get(name, name))
            button = QPushButton(f"{i + 1}  {written}" if first else written)
            left = "" if name == NOT_KNOWN else f", leaves \u00b1{dict(q.answers)[name]:.1f} %"
            button.setAccessibleName(as_here(f"{self._written(q.text)} {written}{left}"))
            button.setToolTip(
                as_tip("It is not asked again" if name == NOT_KNOWN else f"Leaves \u00b1{dict(q.answers)[name]:.1f} %")
            )
            button.clicked.connect(partial(self._answer, q.code, name))
            if first:
                self.buttons.append(button)
            if row is None or room < len(written):
                row, room = QHBoxLayout(), BESIDE
                row.setSpacing(6)
                self._box.addLayout(row)
            else:
                row.takeAt(row.count() - 1)
            row.addWidget(button)
            row.addStretch()
            room -= len(written) + 6

    def _written(self, words: str) -> str:
        return words if self._units is None else in_units(words, self._units)

    def _answer(self, code: str, name: str, _checked: bool = False) -> None:
        self.answered.emit(code, "" if name == NOT_KNOWN else name)

    def _turn(self) -> None:
        self._more = not self._more
        self._lay()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        digit = event.key() - Qt.Key.Key_1
        if event.modifiers() in {
            Qt.KeyboardModifier.NoModifier,
            Qt.KeyboardModifier.KeypadModifier,
        } and 0 <= digit < len(self.buttons):
            self.buttons[digit].click()
            return
        super().keyPressEvent(event)

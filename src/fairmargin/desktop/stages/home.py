"""Home: the studies of the logbook, or a first step when there are none."""

from __future__ import annotations

import json
from typing import Any

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import QFrame, QHBoxLayout, QPushButton, QToolButton, QVBoxLayout, QWidget

from fairmargin.desktop.session import Session
from fairmargin.desktop.theme import theme
from fairmargin.desktop.widgets.basics import clear, draw_mark, label, percent, scrolling
from fairmargin.desktop.widgets.charts import OrderStrip
from fairmargin.logbook import StudyEntry


def read_summary(text: str) -> dict[str, Any]:
    """Read what the logbook keeps about a study; empty when it was never analysed."""
    try:
        value = json.loads(text) if text else {}
    except ValueError:
        return {}
    return value if isinstance(value, dict) else {}


def summary_words(known: dict[str, Any]) -> str:
    """Word the summary for the list."""
    if "effect" not in known:
        return str(known.get("words") or "not analysed yet")
    return (
        f"{known['words']} \u00b7 {percent(known['effect'])} ({percent(known['low'])} to {percent(known['high'])}) "
        f"\u00b7 {known['legs']} legs"
    )


#: The day the first screen draws.
_DAY = ((None, "baseline"), (0, "trial"), (0, "trial"), (None, "baseline"))


class MiniBar(QWidget):
    """The effect and its interval on a scale shared by the whole list, \u00b112 %."""

    REACH = 12.0

    def __init__(self, known: dict[str, Any]) -> None:
        super().__init__()
        self._known = known
        self.setMinimumSize(120, 34)

    def paintEvent(self, _event: object) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        middle, y, half = self.width() / 2, self.height() / 2, self.width() / 2 - 14
        p.setPen(QPen(theme.colour("rule"), 1.5))
        p.drawLine(QPointF(middle - half, y), QPointF(middle + half, y))
        p.setPen(QPen(theme.colour("ink"), 1.6))
        p.drawLine(QPointF(middle, y - 13), QPointF(middle, y + 13))
        if "effect" in self._known:

            def x(value: float) -> float:
                return middle + max(-1.0, min(1.0, value / self.REACH)) * half

            lo, hi = x(self._known["low"]), x(self._known["high"])
            p.fillRect(QRectF(lo, y - 5, hi - lo, 10), theme.colour("trial", 0.35))
            effect = float(self._known["effect"])
            if abs(effect) <= self.REACH:
                draw_mark(p, QPointF(x(effect), y), 14, 0, theme.colour("trial"))
            else:
                # Beyond the scale: an arrow, so that it is not read as a value.
                side = 1.0 if effect > 0 else -1.0
                p.setPen(QPen(theme.colour("trial"), 2.4))
                for back in (0.0, 7.0):
                    tip = QPointF(middle + side * (half - back), y)
                    p.drawLine(tip, QPointF(tip.x() - side * 6, y - 6))
                    p.drawLine(tip, QPointF(tip.x() - side * 6, y + 6))
        p.end()


class StudyCard(QFrame):
    """One study of the list; Enter or a click opens it."""

    chosen = Signal(int)
    removed = Signal(int, str)

    def __init__(self, entry: StudyEntry, read_only: bool) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.entry = entry
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName(f"{entry.title}, {summary_words(read_summary(entry.summary))}")
        layout = QHBoxLayout(self)
        layout.setContentsMargins(18, 12, 12, 12)
        words = QVBoxLayout()
        words.setSpacing(2)
        title = label(entry.title or "(no title)", "heading")
        title.setTextInteractionFlags(Qt.TextInteractionFlag.NoTextInteraction)
        words.addWidget(title)
        known = read_summary(entry.summary)
        verdict = str(known.get("words", ""))
        colour = {"uses more": "caution", "uses less": "fine", "no difference that matters": "fine",
                  "not a fair comparison": "blocks"}.get(verdict, "muted")  # fmt: skip
        line = label(summary_words(known))
        line.setTextInteractionFlags(Qt.TextInteractionFlag.NoTextInteraction)
        line.setStyleSheet(f"color: {getattr(theme.colours, colour)};")
        words.addWidget(line)
        layout.addLayout(words, 3)
        layout.addWidget(MiniBar(known), 2)
        layout.addSpacing(12)
        layout.addWidget(label(f"changed {entry.changed_at:%d %b %Y, %H:%M}", "muted"))
        remove = QToolButton()
        remove.setText("Remove")
        remove.setAccessibleName(f"Remove {entry.title}")
        remove.setEnabled(not read_only)
        remove.clicked.connect(lambda: self.removed.emit(entry.id, entry.title))
        layout.addWidget(remove)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self.rect().contains(event.position().toPoint()):
            self.chosen.emit(self.entry.id)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in {Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space}:
            self.chosen.emit(self.entry.id)
        elif event.key() in {Qt.Key.Key_Down, Qt.Key.Key_Up}:
            self.focusNextPrevChild(event.key() == Qt.Key.Key_Down)
        else:
            super().keyPressEvent(event)

    def focusInEvent(self, _event: object) -> None:
        self.setStyleSheet(f"QFrame#panel {{ border: 2px solid {theme.colours.here}; }}")

    def focusOutEvent(self, _event: object) -> None:
        self.setStyleSheet("")


class HomePage(QWidget):
    """The list of studies."""

    newStudy = Signal()
    importPackage = Signal()
    openDemo = Signal()
    studyChosen = Signal(int)

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("page")
        self.session = session
        page = QVBoxLayout(self)
        page.setContentsMargins(24, 16, 24, 16)
        page.setSpacing(12)
        head = QHBoxLayout()
        head.addWidget(label("Studies", "title"))
        self.where = label("", "muted")
        self.where.setMinimumWidth(50)
        head.addWidget(self.where, 1, Qt.AlignmentFlag.AlignBottom)
        self.bring = QPushButton("Import a package\u2026")
        self.bring.clicked.connect(self.importPackage)
        head.addWidget(self.bring)
        self.new = QPushButton("New study\u2026")
        self.new.setObjectName("primary")
        self.new.clicked.connect(self.newStudy)
        head.addWidget(self.new)
        page.addLayout(head)
        inner = QWidget()
        self._list = QVBoxLayout(inner)
        self._list.setContentsMargins(0, 0, 8, 0)
        self._list.setSpacing(10)
        page.addWidget(scrolling(inner), 1)
        self.legend = label(
            "Bars: effect of the trial on consumption, \u221212 % to +12 % of baseline, arrows beyond; the line is no difference.",
            "muted",
        )
        page.addWidget(self.legend)
        self.cards: list[StudyCard] = []
        session.studiesChanged.connect(self.refresh)
        session.logbookChanged.connect(self.refresh)
        theme.changed.connect(self.refresh)

    def showEvent(self, _event: object) -> None:
        self.refresh()

    def refresh(self) -> None:
        """Redraw the list from the logbook."""
        clear(self._list)
        self.cards = []
        book = self.session.logbook
        if book is None:
            return
        self.where.setText(f"{book.path.name}{' (reading only)' if book.read_only else ''}")
        self.where.setToolTip(str(book.path))
        for button in (self.new, self.bring):
            button.setEnabled(not book.read_only)
        for entry in book.studies():
            card = StudyCard(entry, book.read_only)
            card.chosen.connect(self.studyChosen)
            card.removed.connect(self.session.remove_study)
            self.cards.append(card)
            self._list.addWidget(card)
        self.legend.setVisible(bool(self.cards))
        if not self.cards:
            self._list.addWidget(self._empty())
        self._list.addStretch()

    def _empty(self) -> QWidget:
        frame = QFrame()
        frame.setObjectName("panel")
        layout = QVBoxLayout(frame)
        layout.setContentsMargins(32, 28, 32, 28)
        layout.setSpacing(10)
        layout.addWidget(label("What did that change do to your consumption?", "title"))
        layout.addWidget(
            label(
                "A study is one question: with the wheel discs or without, these tyres or those, loaded or empty. Drive both "
                "there and back on one day, A-B-B-A, type what the car shows, and see the effect of the change alone, with "
                "its margin.",
                wrap=True,
            )
        )
        strip = OrderStrip()
        strip.show_runs([(f"run {i + 1}", trial, word, "") for i, (trial, word) in enumerate(_DAY)])
        layout.addWidget(strip)
        row = QHBoxLayout()
        first = QPushButton("Start your first study")
        first.setObjectName("primary")
        first.clicked.connect(self.newStudy)
        row.addWidget(first)
        demo = QPushButton("Look at finished ones first")
        demo.clicked.connect(self.openDemo)
        row.addWidget(demo)
        row.addStretch()
        layout.addLayout(row)
        return frame

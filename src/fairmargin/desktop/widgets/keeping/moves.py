"""What is known of a vehicle's constants, and how each study moved it: one line a constant."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QHelpEvent, QPainter, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QToolTip, QWidget

from fairmargin.core.memory.vehicle import Known, Moved
from fairmargin.core.units import UNIT_CHOICES, UnitChoice, in_units
from fairmargin.desktop.theme import font, theme
from fairmargin.desktop.widgets.axis import Axis
from fairmargin.desktop.widgets.basics import as_tip
from fairmargin.desktop.widgets.dates import day_words
from fairmargin.desktop.widgets.decimals import Painter
from fairmargin.desktop.widgets.drawn import Drawn
from fairmargin.exchange.words.across import moved_words

ROW = 62.0
HEAD = 22.0
LABEL_SHARE = 0.46
PAD = 10.0


class MovesChart(Drawn):
    """Each constant in words, before and now; at the right its interval before any study and after each."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("What is known of the vehicle")
        self._known: tuple[Known, ...] = ()
        self._units = UNIT_CHOICES["metric"]
        theme.changed.connect(self.update)

    def _words(self, k: Known, m: Moved) -> str:
        """A constant with its interval, in the person's units."""
        return in_units(moved_words(k, m), self._units)

    def show_constants(self, known: Sequence[Known], units: UnitChoice) -> None:
        """Show other constants."""
        self._known, self._units = tuple(known), units
        self.setFixedHeight(int(HEAD + ROW * len(self._known) + 4))
        self.setAccessibleDescription("; ".join(f"{k.label}: {self._words(k, k.now)}" for k in known))
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(600, self.height())

    def _axes(self, k: Known, top: float) -> tuple[Axis, Axis]:
        """Studies across, values upright."""
        start, end = self.width() * LABEL_SHARE + 20, self.width() - 24.0
        low = min(m.interval[0] for m in (k.before, *k.steps))
        high = max(m.interval[1] for m in (k.before, *k.steps))
        pad = 0.06 * (high - low or 1.0)
        return Axis(0.0, max(len(k.steps), 1), start, end), Axis(low - pad, high + pad, top + ROW - PAD, top + PAD)

    def paintEvent(self, _event: object) -> None:
        p = Painter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self._known:
            p.setFont(font(12))
            p.setPen(theme.colour("muted"))
            start = self.width() * LABEL_SHARE + 20
            last = len(self._known[0].steps)
            area = QRectF(start - 20, 0, self.width() - start, HEAD)
            p.drawText(area, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop, "before any study")
            p.drawText(
                area,
                Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignTop,
                f"after {last} stud{'ies' if last != 1 else 'y'}",
            )
        for i, k in enumerate(self._known):
            self._row(p, k, HEAD + i * ROW)
        p.end()

    def _row(self, p: QPainter, k: Known, top: float) -> None:
        p.setPen(QPen(theme.colour("rule"), 1))
        p.drawLine(QPointF(0, top), QPointF(self.width(), top))
        room = self.width() * LABEL_SHARE - 8
        muted = not k.narrower
        lines = (
            (k.label, font(13, 600), "muted" if muted else "ink"),
            (self._words(k, k.now), font(13), "muted" if muted else "ink"),
            ("no study says more than that" if muted else f"before: {self._words(k, k.before)}", font(12), "muted"),
        )
        third = (ROW - 10) / 3
        for j, (text, made, ink) in enumerate(lines):
            p.setFont(made)
            p.setPen(theme.colour(ink))
            shown = p.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, int(room))
            p.drawText(QRectF(0, top + 5 + j * third, room, third), Qt.AlignmentFlag.AlignVCenter, shown)
        across, upright = self._axes(k, top)
        moves: list[Moved] = [k.before, *k.steps]
        upper = [QPointF(across.at(i), upright.at(m.interval[1])) for i, m in enumerate(moves)]
        lower = [QPointF(across.at(i), upright.at(m.interval[0])) for i, m in enumerate(moves)]
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(theme.colour("baseline", 0.22))
        p.drawPolygon(QPolygonF([*upper, *reversed(lower)]))
        p.setPen(QPen(theme.colour("baseline"), 1.8))
        p.drawPolyline([QPointF(across.at(i), upright.at(m.middle)) for i, m in enumerate(moves)])
        p.setBrush(theme.colour("baseline"))
        for i, m in enumerate(moves[1:], start=1):
            p.drawEllipse(QPointF(across.at(i), upright.at(m.middle)), 2.6, 2.6)

    def event(self, event: QEvent) -> bool:
        """Say which study moved it, under the mouse."""
        if event.type() == QEvent.Type.ToolTip and isinstance(event, QHelpEvent):
            words = self.words_at(event.pos().x(), event.pos().y())
            QToolTip.showText(event.globalPos(), as_tip(words), self)
            return True
        return super().event(event)

    def words_at(self, x: float, y: float) -> str:
        """What a study made of a constant, at a place of the chart; "" beside it."""
        row = int((y - HEAD) // ROW)
        if not 0 <= row < len(self._known):
            return ""
        k = self._known[row]
        across, _ = self._axes(k, 0.0)
        if x < across.start - 10:
            return ""
        i = round((x - across.start) / max(across.end - across.start, 1.0) * across.high)
        if i <= 0:
            return f"{k.label}, before any study: {self._words(k, k.before)}"
        m = k.steps[min(i, len(k.steps)) - 1]
        day = f"{day_words(m.when)}, " if m.when else ""
        return f"{k.label}, after {day}\u201c{m.title}\u201d: {self._words(k, m)}"

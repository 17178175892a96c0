"""A practice answer against the truth, and how often the tester's intervals held, answer by answer."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from fairmargin.core.memory.practice import PRACTISED, Answer
from fairmargin.core.words import signed
from fairmargin.desktop.theme import font, theme
from fairmargin.desktop.widgets.axis import Axis
from fairmargin.desktop.widgets.decimals import Painter
from fairmargin.desktop.widgets.drawn import Drawn

LEFT = 52.0


class TruthBar(Drawn):
    """The tester's interval, the program's and the truth on one scale."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(88)
        self._answer: Answer | None = None
        theme.changed.connect(self.update)

    def show_answer(self, answer: Answer) -> None:
        """Show another answer."""
        self._answer = answer
        b = answer.beside
        program = f", the program says {signed(b.low)} to {signed(b.high)} %" if b else ""
        self.setAccessibleName(
            f"You said {signed(answer.low)} to {signed(answer.high)} %{program}, the truth is {signed(answer.truth)} %"
        )
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(500, 88)

    def paintEvent(self, _event: object) -> None:
        a = self._answer
        if a is None:
            return
        p = Painter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setFont(font(12))
        ends = (a.low, a.high, a.truth, 0.0, *((a.beside.low, a.beside.high) if a.beside else ()))
        pad = 0.15 * (max(ends) - min(ends) or 1.0)
        axis = Axis.whole_ticks(min(ends) - pad, max(ends) + pad, 72, self.width() - 34.0, 8)
        axis.draw_across(p, 18, 66, lambda v: "0" if v == 0 else f"{signed(v, axis.decimals)} %", zero=True)
        ink = theme.colour("fine" if a.holds else "blocks")
        said = [("you", a.low, a.high, 25.0, "trial")]
        if a.beside:
            said.append(("program", a.beside.low, a.beside.high, 45.0, "muted"))
        for who, low, high, y, colour in said:
            left = axis.at(low)
            p.fillRect(QRectF(left, y, max(axis.at(high) - left, 2.0), 14), theme.colour(colour, 0.4))
            p.setPen(theme.colour("ink"))
            p.drawText(QRectF(0, y - 2, 66, 18), Qt.AlignmentFlag.AlignVCenter, who)
        x = axis.at(a.truth)
        p.setPen(QPen(ink, 2.6))
        p.drawLine(QPointF(x, 20), QPointF(x, 64))
        p.setPen(ink)
        words = f"truth {signed(a.truth)} %"
        wide = p.fontMetrics().horizontalAdvance(words)
        p.drawText(QRectF(min(max(x - wide / 2, 0.0), self.width() - wide), 0, wide + 4, 17), words)
        p.end()


class CalibrationChart(Drawn):
    """Share of the intervals that held after each answer, with the share that was meant; each answer a dot or a cross below."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(170)
        self._shares: list[float] = []
        self._held: list[bool] = []
        theme.changed.connect(self.update)

    def show_shares(self, shares: Sequence[float], held: Sequence[bool]) -> None:
        """Show other answers."""
        self._shares, self._held = list(shares), list(held)
        if shares:
            self.setAccessibleName(f"Intervals that held: {100 * shares[-1]:.0f} % of {len(shares)}")
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(500, 170)

    def paintEvent(self, _event: object) -> None:
        if not self._shares:
            return
        p = Painter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setFont(font(12))
        right, bottom = self.width() - 90.0, 122.0
        upright = Axis(0.0, 1.0, bottom, 12.0, 4, 0.25)
        upright.draw_upright(p, LEFT, right, lambda v: f"{100 * v:.0f} %")
        across = Axis(0.0, max(len(self._shares), 2), LEFT, right)
        y = upright.at(PRACTISED)
        p.setPen(QPen(theme.colour("fine"), 1.6, Qt.PenStyle.DashLine))
        p.drawLine(QPointF(LEFT, y), QPointF(right, y))
        p.setPen(theme.colour("fine"))
        p.drawText(QRectF(right + 6, y - 9, 84, 18), Qt.AlignmentFlag.AlignVCenter, f"meant: {100 * PRACTISED:.0f} %")
        points = [QPointF(across.at(i + 1), upright.at(v)) for i, v in enumerate(self._shares)]
        p.setPen(QPen(theme.colour("trial"), 2))
        p.drawPolyline(points)
        p.setBrush(theme.colour("trial"))
        for point in points:
            p.drawEllipse(point, 2.5, 2.5)
        for i, held in enumerate(self._held):
            x = across.at(i + 1)
            ink = theme.colour("fine" if held else "blocks")
            p.setPen(QPen(ink, 1.8))
            if held:
                p.setBrush(ink)
                p.drawEllipse(QPointF(x, bottom + 16), 3.2, 3.2)
            else:
                for sign in (1, -1):
                    p.drawLine(QPointF(x - 3.5, bottom + 16 - 3.5 * sign), QPointF(x + 3.5, bottom + 16 + 3.5 * sign))
        p.setPen(theme.colour("muted"))
        p.drawText(
            QRectF(LEFT, bottom + 28, right - LEFT, 18),
            Qt.AlignmentFlag.AlignHCenter,
            "answers: a dot held the truth, a cross did not",
        )
        p.end()

"""Curves drawn by hand: a frame of two axes, bands of margins, lines that are dashed where nobody drove, marks."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPen, QPolygonF

from fairmargin.desktop.theme import theme, trial_colour
from fairmargin.desktop.widgets.axis import Axis
from fairmargin.desktop.widgets.basics import draw_mark

LEFT = 52.0  # room for the words of the upright axis


def colour_name(which: int | None) -> str:
    """Of the theme: of a trial by its number, of the baseline for None."""
    return "baseline" if which is None else trial_colour(which)


@dataclass(frozen=True, slots=True)
class Plot:
    """Two axes on a painter; places are in the units of the axes."""

    p: QPainter
    across: Axis
    up: Axis

    @property
    def inside(self) -> QRectF:
        """Where curves are drawn."""
        return QRectF(QPointF(self.across.start, self.up.end), QPointF(self.across.end, self.up.start))

    def at(self, x: float, y: float) -> QPointF:
        """Pixel of a place."""
        return QPointF(self.across.at(x), self.up.at(y))

    def frame(self, title: str, unit: str, words: Callable[[float], str], zero: bool = False) -> None:
        """Draw both axes, the title above and the unit of the lower one."""
        box = self.inside
        self.p.setPen(theme.colour("muted"))
        self.p.drawText(QPointF(box.left() - LEFT + 8, box.top() - 10), title)
        self.up.draw_upright(self.p, box.left(), box.right(), words, zero)
        self.across.draw_across(self.p, box.bottom(), box.bottom() + 4, lambda v: f"{v:.0f}")
        self.p.drawText(QRectF(box.left(), box.bottom() + 18, box.width(), 18), Qt.AlignmentFlag.AlignRight, unit)

    @contextmanager
    def clipped(self) -> Iterator[None]:
        """Draw nothing beyond the frame for a while."""
        self.p.save()
        self.p.setClipRect(self.inside)
        try:
            yield
        finally:
            self.p.restore()

    def band(
        self, xs: Sequence[float], ends: Sequence[tuple[float, float]], which: int | None, alpha: float = 0.14
    ) -> None:
        """Draw an interval over all places."""
        lower = [self.at(x, e[0]) for x, e in zip(xs, ends, strict=True)]
        upper = [self.at(x, e[1]) for x, e in zip(xs, ends, strict=True)]
        self.p.setPen(Qt.PenStyle.NoPen)
        self.p.setBrush(theme.colour(colour_name(which), alpha))
        self.p.drawPolygon(QPolygonF([*lower, *upper[::-1]]))
        self.p.setBrush(Qt.BrushStyle.NoBrush)

    def line(self, xs: Sequence[float], ys: Sequence[float], which: int | None, tested: Sequence[bool] = ()) -> None:
        """Draw a curve; dashed between places of which one is not `tested`, solid where nothing is said of them."""
        points = [self.at(x, y) for x, y in zip(xs, ys, strict=True)]
        for i in range(len(points) - 1):
            solid = not tested or (tested[i] and tested[i + 1])
            style = Qt.PenStyle.SolidLine if solid else Qt.PenStyle.DashLine
            self.p.setPen(QPen(theme.colour(colour_name(which)), 2, style))
            self.p.drawLine(points[i], points[i + 1])

    def mark(self, x: float, y: float, which: int | None, size: float = 10.0) -> None:
        """Draw the mark of a configuration."""
        draw_mark(self.p, self.at(x, y), size, which, theme.colour(colour_name(which)))

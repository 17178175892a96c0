"""The one axis of the charts drawn by hand: from values to pixels, round ticks, and their lines and words."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPen

from fairmargin.core.words import minus
from fairmargin.desktop.theme import theme
from fairmargin.desktop.widgets.decimals import as_here

if TYPE_CHECKING:
    import pyqtgraph as pg


def nice_step(span: float, wanted: int = 6) -> float:
    """Return a round tick distance (1, 2 or 5 times a power of ten) for about `wanted` ticks."""
    raw = max(span, 1e-9) / wanted
    power = 10.0 ** math.floor(math.log10(raw))
    for factor in (1.0, 2.0, 5.0, 10.0):
        if raw <= factor * power:
            return factor * power
    return 10.0 * power


@dataclass(frozen=True, slots=True)
class Axis:
    """Values `low` to `high` at the pixels `start` to `end` (upright axes: start > end); a tick every `step`."""

    low: float
    high: float
    start: float
    end: float
    wanted: int = 6
    step: float = 0.0

    def __post_init__(self) -> None:
        if not self.step:
            object.__setattr__(self, "step", nice_step(self.high - self.low, self.wanted))

    @classmethod
    def whole_ticks(cls, low: float, high: float, start: float, end: float, wanted: int = 6) -> Axis:
        """Widen both ends to the next tick."""
        step = nice_step(high - low or 1.0, wanted)
        return cls(math.floor(low / step) * step, math.ceil(high / step) * step, start, end, wanted, step)

    @property
    def decimals(self) -> int:
        """Decimals a tick needs."""
        return max(0, -math.floor(math.log10(self.step) + 1e-9))

    def at(self, value: float) -> float:
        """Pixel of a value."""
        return self.start + (value - self.low) / (self.high - self.low) * (self.end - self.start)

    def ticks(self) -> Iterator[float]:
        """Round values within the axis; nought is exactly nought."""
        step = self.step
        for k in range(math.ceil(self.low / step - 1e-9), math.floor(self.high / step + 1e-9) + 1):
            yield k * step

    def draw_upright(
        self, p: QPainter, left: float, right: float, words: Callable[[float], str], zero: bool = False
    ) -> None:
        """Draw level lines from `left` to `right` with their words left of them."""
        for tick in self.ticks():
            y = self.at(tick)
            p.setPen(QPen(theme.colour("ink" if zero and tick == 0 else "rule"), 1))
            p.drawLine(QPointF(left, y), QPointF(right, y))
            p.setPen(theme.colour("muted"))
            p.drawText(
                QRectF(0, y - 9, left - 7, 18), Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, words(tick)
            )

    def draw_across(
        self, p: QPainter, top: float, bottom: float, words: Callable[[float], str], zero: bool = False
    ) -> None:
        """Draw upright lines from `top` to `bottom` with their words below them."""
        for tick in self.ticks():
            x = self.at(tick)
            strong = zero and tick == 0
            p.setPen(QPen(theme.colour("ink" if strong else "rule"), 1.8 if strong else 1.2))
            p.drawLine(QPointF(x, top), QPointF(x, bottom))
            p.setPen(theme.colour("muted"))
            p.drawText(
                QRectF(x - 40, bottom + 3, 80, 18),
                Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignVCenter,
                words(tick),
            )


def dress(plot: pg.PlotWidget | pg.PlotItem) -> None:
    """Give a library's plot the window's axes: its colours, and ticks as the desktop's locale writes them."""
    import pyqtgraph as pg

    for side in ("left", "bottom"):
        axis = plot.getAxis(side)
        axis.setPen(pg.mkPen(theme.colour("rule")))
        axis.setTextPen(pg.mkPen(theme.colour("muted")))
        axis.enableAutoSIPrefix(False)
        axis.tickStrings = partial(_ticks, axis)


def _ticks(axis: pg.AxisItem, values: Sequence[float], scale: float, spacing: float) -> list[str]:
    return [as_here(minus(x)) for x in type(axis).tickStrings(axis, values, scale, spacing)]


def clock_ticks(values: Sequence[float], _scale: float, _spacing: float) -> list[str]:
    """Ticks of a time of day, in hours, as a clock has them.

    Examples
    --------
    >>> clock_ticks([8.5, 23.99999, 24.25], 1.0, 0.5)
    ['08:30', '00:00', '00:15']
    """
    minutes = [round(60.0 * v) % 1440 for v in values]
    return [f"{m // 60:02d}:{m % 60:02d}" for m in minutes]

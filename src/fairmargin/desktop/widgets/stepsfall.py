"""From the figure as read to the effect, one step after another: filled where noted, hollow where taken as usual."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QFontMetricsF, QPainter, QPen
from PySide6.QtWidgets import QWidget

from fairmargin.core.result.steps import Kind
from fairmargin.core.words import signed
from fairmargin.desktop.theme import font, theme, trial_colour
from fairmargin.desktop.widgets.axis import Axis
from fairmargin.desktop.widgets.charts import Chart

MOST_BAR: Final = 64.0
KIND_WORDS: Final = {"noted": "noted", "usual": "taken as usual", "weights": "by weighing the legs"}


@dataclass(frozen=True, slots=True)
class Fallen:
    """What is drawn, in per cent as shown."""

    as_read: float
    steps: tuple[tuple[str, float, Kind], ...]
    effect: float
    trial: int


class StepsFall(Chart):
    """A waterfall of the effect itself."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._fallen: Fallen | None = None
        self.setMinimumHeight(128)

    def show_steps(self, as_read: float, steps: Sequence[tuple[str, float, Kind]], effect: float, trial: int) -> None:
        """Redraw; figures are those that every page shows."""
        self._fallen = Fallen(as_read, tuple(steps), effect, trial)
        parts = ", ".join(f"{name} {signed(x)} ({KIND_WORDS[kind]})" for name, x, kind in steps)
        self.setAccessibleName(f"As read {signed(as_read)}, {parts}, effect {signed(effect)} per cent")
        self.update()

    def clear(self) -> None:
        """Show nothing."""
        self._fallen = None
        self.update()

    def draw(self, p: QPainter) -> None:
        f = self._fallen
        if f is None:
            self.empty(p, "The way from the figure as read to the effect appears here.")
            return
        levels = [f.as_read]
        for _, value, _ in f.steps:
            levels.append(levels[-1] + value)
        columns = len(f.steps) + 2
        width = self.width() / columns
        bar = min(MOST_BAR, width * 0.7)
        low, high = min([*levels, f.effect]), max([*levels, f.effect])
        span = max(high - low, 0.2)
        # Zero is drawn where it is near; far from it the steps would be hairlines.
        floor = (
            0.0
            if min(abs(low), abs(high)) < 3.0 * span or low < 0.0 < high
            else (low - span if low > 0 else high + span)
        )
        y = Axis(min(low, floor), max(high, floor), self.height() - 24.0, 30.0).at
        p.setPen(QPen(theme.colour("muted"), 1.2))
        p.drawLine(QPointF(4, y(floor)), QPointF(self.width() - 4, y(floor)))
        self._whole(p, 0, width, bar, (y(floor), y(f.as_read)), "band", "as read", f.as_read)
        for i, (name, value, kind) in enumerate(f.steps, start=1):
            a, b = y(levels[i - 1]), y(levels[i])
            p.setPen(QPen(theme.colour("muted"), 1, Qt.PenStyle.DotLine))
            p.drawLine(QPointF(width * (i - 0.5) + bar / 2, a), QPointF(width * (i + 0.5) - bar / 2, a))
            box = QRectF(width * (i + 0.5) - bar / 2, min(a, b), bar, max(abs(b - a), 2.0))
            if kind == "noted":
                p.fillRect(box, theme.colour("fine"))
            else:
                p.setPen(QPen(theme.colour("caution" if kind == "usual" else "muted"), 1.4, Qt.PenStyle.DashLine))
                p.setBrush(Qt.BrushStyle.NoBrush)
                p.drawRect(box)
            self._told(p, i, width, (a, b), name, value, "caution" if kind == "usual" else "ink")
        self._whole(p, columns - 1, width, bar, (y(floor), y(f.effect)), "", "effect", f.effect)

    def _whole(
        self, p: QPainter, column: int, width: float, bar: float, ends: tuple[float, float], colour: str, name: str, value: float
    ) -> None:  # fmt: skip
        assert self._fallen is not None
        box = QRectF(width * (column + 0.5) - bar / 2, min(ends), bar, max(abs(ends[1] - ends[0]), 2.0))
        p.fillRect(box, theme.colour(colour or trial_colour(self._fallen.trial)))
        self._told(p, column, width, ends, name, value, "ink", 600)

    def _told(
        self, p: QPainter, column: int, width: float, ends: tuple[float, float], name: str, value: float, colour: str, weight: int = 400
    ) -> None:  # fmt: skip
        """Name above everything, figure below its bar."""
        p.setFont(font(12))
        shown = QFontMetricsF(font(12)).elidedText(name, Qt.TextElideMode.ElideRight, width - 2)
        p.setPen(theme.colour("muted"))
        p.drawText(QRectF(width * column, 2, width, 18), Qt.AlignmentFlag.AlignCenter, shown)
        p.setFont(font(12, weight))
        p.setPen(theme.colour(colour))
        below = max(ends) + 3
        p.drawText(QRectF(width * column, below, width, 18), Qt.AlignmentFlag.AlignCenter, signed(value))

"""Consumption and range over speed, in the circumstances asked about; a speed can be read off with mouse or keys."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from fairmargin.core.units import UnitChoice, label
from fairmargin.core.units import label as unit_label
from fairmargin.desktop.theme import font, theme
from fairmargin.desktop.widgets.axis import Axis
from fairmargin.desktop.widgets.decimals import Painter
from fairmargin.desktop.widgets.drawn import Drawn
from fairmargin.desktop.widgets.plot import LEFT, Plot, colour_name


@dataclass(frozen=True, slots=True)
class RangeLine:
    """One configuration over speed: consumption and range to the reserve, each with its interval; in km/h, Wh/km, km."""

    name: str
    which: int | None  # of the trials; None for the baseline
    speeds: tuple[float, ...]
    wh_per_km: tuple[float, ...]
    wh_interval: tuple[tuple[float, float], ...]
    range_km: tuple[float, ...]  # empty where no capacity is known
    range_interval: tuple[tuple[float, float], ...]
    driven: tuple[float, float]

    @property
    def best(self) -> int:
        """Where it goes farthest."""
        return min(range(len(self.speeds)), key=lambda i: self.wh_per_km[i])


class RangeCurve(Drawn):
    """Two panels over the same speeds; solid where driven, dashed beyond."""

    read = Signal(float)  # km/h

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setMinimumHeight(210)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName("Consumption and range over speed")
        self.lines: Sequence[RangeLine] = ()
        self.rated: tuple[float | None, float | None] = (None, None)
        self._units: UnitChoice | None = None
        self.at_kmh: float | None = None
        theme.changed.connect(self.update)

    def show_lines(
        self,
        lines: Sequence[RangeLine],
        units: UnitChoice,
        at_kmh: float,
        rated: tuple[float | None, float | None] = (None, None),
    ) -> None:
        """Show lines; `rated` are the consumption [Wh/km] and the range [km] that the maker states."""
        self.lines, self._units, self.rated = lines, units, rated
        self.at_kmh = at_kmh
        self.setAccessibleDescription(
            "; ".join(
                f"{line.name} from {units.show('speed', line.speeds[0]):.0f} to {units.show('speed', line.speeds[-1]):.0f} {units.speed}: "
                f"{units.show_consumption(line.wh_per_km[0]):.3g} to {units.show_consumption(line.wh_per_km[-1]):.3g} {unit_label(units.consumption)}"
                for line in lines
            )
        )
        self.update()

    def _places(self) -> list[tuple[float, float]]:
        """Left and right of each panel."""
        with_range = any(line.range_km for line in self.lines)
        half = self.width() / 2 if with_range else float(self.width())
        return [(LEFT, half - 14)] + ([(half + LEFT, self.width() - 12.0)] if with_range else [])

    def _across(self, left: float, right: float) -> Axis:
        assert self._units is not None
        speeds = [self._units.show("speed", v) for v in self.lines[0].speeds]
        return Axis(speeds[0], speeds[-1], left, right, 6)

    # ------------------------------------------------------------ reading off

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if not self.lines or self._units is None:
            return
        x = event.position().x()
        for left, right in self._places():
            if left <= x <= right:
                axis = self._across(left, right)
                shown = axis.low + (x - axis.start) / (axis.end - axis.start) * (axis.high - axis.low)
                self._tell(shown / self._units.show("speed", 1.0))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Left: -1.0, Qt.Key.Key_Right: 1.0}.get(Qt.Key(event.key()))
        if step is None or not self.lines or self.at_kmh is None:
            super().keyPressEvent(event)
            return
        speeds = self.lines[0].speeds
        self._tell(min(max(self.at_kmh + step, speeds[0]), speeds[-1]))

    def _tell(self, kmh: float) -> None:
        self.at_kmh = kmh
        self.update()
        self.read.emit(kmh)

    # ------------------------------------------------------------ drawing

    def paintEvent(self, _event: object) -> None:
        if not self.lines or self._units is None:
            return
        p = Painter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setFont(font(12))
        units, places = self._units, self._places()

        def c(wh: float) -> float:
            return units.show_consumption(wh)

        def d(km: float) -> float:
            return units.show("distance", km)

        rated_wh, rated_km = self.rated
        self._panel(
            p, places[0], f"consumption, {label(units.consumption)}",
            [([c(v) for v in x.wh_per_km], [(c(a), c(b)) for a, b in x.wh_interval]) for x in self.lines],
            None if rated_wh is None else c(rated_wh), best=False,
        )  # fmt: skip
        if len(places) > 1:
            self._panel(
                p, places[1], f"range to the reserve, {units.distance}",
                [([d(v) for v in x.range_km], [(d(a), d(b)) for a, b in x.range_interval]) for x in self.lines],
                None if rated_km is None else d(rated_km), best=True,
            )  # fmt: skip
        if self.hasFocus():
            p.setPen(QPen(theme.colour("here"), 1.5))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawRoundedRect(QRectF(self.rect()).adjusted(1, 1, -1, -1), 4, 4)
        p.end()

    def _panel(
        self,
        p: QPainter,
        place: tuple[float, float],
        title: str,
        lines: Sequence[tuple[list[float], list[tuple[float, float]]]],
        rated: float | None,
        best: bool,
    ) -> None:
        assert self._units is not None
        left, right = place
        top, bottom = 26.0, self.height() - 36.0
        across = self._across(left, right)
        every = [v for values, ends in lines for v in (*values, *(e for end in ends for e in end))]
        every += [] if rated is None else [rated]
        # Far from what was driven the band may leave the chart: what was driven must stay readable.
        middle = sorted(v for values, _ in lines for v in values)
        low, high = max(min(every), 0.8 * middle[0]), min(max(every), 1.25 * middle[-1])
        up = Axis.whole_ticks(low, high, bottom, top, 4)
        plot = Plot(p, across, up)
        plot.frame(title, self._units.speed, lambda v: f"{v:.{up.decimals}f}")
        with plot.clipped():
            if rated is not None:
                y = up.at(rated)
                p.setPen(QPen(theme.colour("muted"), 1.2, Qt.PenStyle.DotLine))
                p.drawLine(QPointF(left, y), QPointF(right, y))
                p.drawText(QRectF(left, y - 17, right - left - 4, 15), Qt.AlignmentFlag.AlignRight, "rated")
            for line, (values, ends) in zip(self.lines, lines, strict=True):
                self._line(plot, line, values, ends, best)
            if self.at_kmh is not None:
                x = across.at(self._units.show("speed", self.at_kmh))
                p.setPen(QPen(theme.colour("ink"), 1.2))
                p.drawLine(QPointF(x, top), QPointF(x, bottom))

    def _line(
        self, plot: Plot, line: RangeLine, values: list[float], ends: list[tuple[float, float]], best: bool
    ) -> None:
        """One configuration's curve, band, the speeds that were driven, and where it goes farthest."""
        assert self._units is not None
        xs = [self._units.show("speed", v) for v in line.speeds]
        low, high = line.driven
        plot.band(xs, ends, line.which)
        plot.line(xs, values, line.which, [low - 4 <= v <= high + 4 for v in line.speeds])
        for kmh in dict.fromkeys(line.driven):
            plot.mark(self._units.show("speed", kmh), float(np.interp(kmh, line.speeds, values)), line.which)
        if best and 0 < line.best < len(xs) - 1:
            at = plot.at(xs[line.best], values[line.best])
            plot.p.setPen(QPen(theme.colour(colour_name(line.which)), 1.6))
            plot.p.drawLine(at - QPointF(0, 12), at - QPointF(0, 4))
            if line is self.lines[0]:
                plot.p.drawText(at + QPointF(6, -8), "farthest")

"""Consumption and range over speed, in the circumstances asked about; a speed can be read off with mouse or keys."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from fairmargin.core.units import UnitChoice, label
from fairmargin.desktop.theme import font, theme, trial_colour
from fairmargin.desktop.widgets.axis import Axis
from fairmargin.desktop.widgets.basics import draw_mark

LEFT = 52.0


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


class RangeCurve(QWidget):
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
        p = QPainter(self)
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
        p.setPen(theme.colour("muted"))
        p.drawText(QPointF(left - LEFT + 8, 15), title)
        up.draw_upright(p, left, right, lambda v: f"{v:.{up.decimals}f}", False)
        across.draw_across(p, bottom, bottom + 4, lambda v: f"{v:.0f}")
        p.drawText(QRectF(left, bottom + 18, right - left, 18), Qt.AlignmentFlag.AlignRight, self._units.speed)
        p.save()
        p.setClipRect(QRectF(left, top, right - left, bottom - top))
        if rated is not None:
            p.setPen(QPen(theme.colour("muted"), 1.2, Qt.PenStyle.DotLine))
            p.drawLine(QPointF(left, up.at(rated)), QPointF(right, up.at(rated)))
            p.drawText(QRectF(left, up.at(rated) - 17, right - left - 4, 15), Qt.AlignmentFlag.AlignRight, "rated")
        for line, (values, ends) in zip(self.lines, lines, strict=True):
            self._line(p, line, values, ends, across, up, best)
        if self.at_kmh is not None:
            x = across.at(self._units.show("speed", self.at_kmh))
            p.setPen(QPen(theme.colour("ink"), 1.2))
            p.drawLine(QPointF(x, top), QPointF(x, bottom))
        p.restore()

    def _line(
        self,
        p: QPainter,
        line: RangeLine,
        values: list[float],
        ends: list[tuple[float, float]],
        across: Axis,
        up: Axis,
        best: bool,
    ) -> None:
        """One configuration's curve, band, the speeds that were driven, and where it goes farthest."""
        assert self._units is not None
        name = "baseline" if line.which is None else trial_colour(line.which)
        xs = [across.at(self._units.show("speed", v)) for v in line.speeds]
        band = [QPointF(x, up.at(e[0])) for x, e in zip(xs, ends, strict=True)]
        band += [QPointF(x, up.at(e[1])) for x, e in reversed(list(zip(xs, ends, strict=True)))]
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(theme.colour(name, 0.14))
        p.drawPolygon(QPolygonF(band))
        p.setBrush(Qt.BrushStyle.NoBrush)
        for i in range(len(xs) - 1):
            tested = all(line.driven[0] - 4 <= line.speeds[k] <= line.driven[1] + 4 for k in (i, i + 1))
            p.setPen(QPen(theme.colour(name), 2, Qt.PenStyle.SolidLine if tested else Qt.PenStyle.DashLine))
            p.drawLine(QPointF(xs[i], up.at(values[i])), QPointF(xs[i + 1], up.at(values[i + 1])))
        for kmh in dict.fromkeys(line.driven):
            at = _between(line.speeds, values, kmh)
            draw_mark(
                p, QPointF(across.at(self._units.show("speed", kmh)), up.at(at)), 10, line.which, theme.colour(name)
            )
        if best and 0 < line.best < len(xs) - 1:
            x, y = xs[line.best], up.at(values[line.best])
            p.setPen(QPen(theme.colour(name), 1.6))
            p.drawLine(QPointF(x, y - 12), QPointF(x, y - 4))
            if line is self.lines[0]:
                p.drawText(QPointF(x + 6, y - 8), "farthest")


def _between(speeds: Sequence[float], values: Sequence[float], kmh: float) -> float:
    """Value of a curve at a speed, between its points."""
    for i in range(len(speeds) - 1):
        if speeds[i] <= kmh <= speeds[i + 1]:
            share = (kmh - speeds[i]) / (speeds[i + 1] - speeds[i])
            return values[i] + share * (values[i + 1] - values[i])
    return values[0] if kmh < speeds[0] else values[-1]

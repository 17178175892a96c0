"""The road drawn from its points."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QFontMetricsF, QPainter, QPainterPath, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from fairmargin.core.units import UNIT_CHOICES, UnitChoice
from fairmargin.desktop.theme import font, theme
from fairmargin.desktop.widgets.axis import Axis
from fairmargin.desktop.widgets.charts import Chart
from fairmargin.exchange.words.figures import height_words

_MIDDLE = Qt.AlignmentFlag.AlignVCenter
_RIGHT = Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight


class RouteDrawing(Chart):
    """The road from above with the forecast wind, and its height below."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._x: np.ndarray = np.zeros(0)
        self._y: np.ndarray = np.zeros(0)
        self._s: np.ndarray = np.zeros(0)
        self._z: np.ndarray | None = None
        self._wind: tuple[float, float] | None = None
        self._sectors: list[tuple[float, float, str]] = []
        self._gates: tuple[float | None, float | None] = (None, None)
        self._units = UNIT_CHOICES["metric"]
        self._unit, self._per_km = "km", 1.0
        self.setMinimumHeight(240)

    def show_route(
        self,
        east_m: np.ndarray,
        north_m: np.ndarray,
        distance_m: np.ndarray,
        height_m: np.ndarray | None,
        wind: tuple[float, float] | None,
        sectors: list[tuple[float, float, str]],
        units: UnitChoice,
        gates_m: tuple[float | None, float | None] = (None, None),
    ) -> None:
        """Redraw; `wind` is speed [m/s] and the direction it comes from [degrees]."""
        self._gates = gates_m
        self._x, self._y, self._s, self._z = east_m, north_m, distance_m, height_m
        self._wind, self._sectors, self._units = wind, sectors, units
        self._unit, self._per_km = units.distance, units.show("distance", 1.0)
        far = f"{float(distance_m[-1]) / 1000.0 * self._per_km:.1f} {self._unit}" if len(distance_m) else "no length"
        named = ", ".join(name for _, _, name in sectors)
        self.setAccessibleName(f"The road, {far}" + (f"; sectors {named}" if named else ""))
        self.update()

    def draw(self, p: QPainter) -> None:
        if len(self._s) < 2:
            self.empty(p, "No route yet. Bring in a GPX track or a route.csv, or type a few stretches.")
            return
        plan_height = self.height() * 0.56
        spread = max(float(np.ptp(self._x)), float(np.ptp(self._y)), 1.0)
        scale = min(
            (self.width() - 190) / max(float(np.ptp(self._x)), 1.0),
            (plan_height - 44) / max(float(np.ptp(self._y)), 1.0),
        )
        scale = min(scale, 0.9 * max(self.width() - 190, 50) / spread * 3)
        cx, cy = (self._x.max() + self._x.min()) / 2, (self._y.max() + self._y.min()) / 2

        def at(i: int) -> QPointF:
            return QPointF(
                (self.width() - 150) / 2 + (self._x[i] - cx) * scale, plan_height / 2 - (self._y[i] - cy) * scale
            )

        self._plan(p, at)
        self._ends(p, at)
        self._draw_wind(p)
        self._heights(p, plan_height + 14, self.height() - 24.0)

    def _plan(self, p: QPainter, at: Callable[[int], QPointF]) -> None:
        path = QPainterPath(at(0))
        for i in range(1, len(self._s)):
            path.lineTo(at(i))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(QPen(theme.colour("muted"), 7, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
        p.drawPath(path)
        p.setPen(QPen(theme.colour("panel"), 4, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
        p.drawPath(path)

    def _ends(self, p: QPainter, at: Callable[[int], QPointF]) -> None:
        p.setFont(font(12, 600))
        loop = math.hypot(self._x[-1] - self._x[0], self._y[-1] - self._y[0]) < 0.05 * self._s[-1]
        first = 0 if self._gates[0] is None else int(np.searchsorted(self._s, self._gates[0]))
        last = len(self._s) - 1
        if self._gates[1] is not None:
            last = min(last, int(np.searchsorted(self._s, self._gates[1])))
        closed = loop and self._gates == (None, None)
        for i, words in (
            (min(first, last), "start and end" if closed else "start gate"),
            (last, "" if closed else "end gate"),
        ):
            if not words:
                continue
            p.setPen(QPen(theme.colour("here"), 3))
            c = at(i)
            p.drawEllipse(c, 5, 5)
            p.setPen(theme.colour("ink"))
            leftmost = c.x() < at(len(self._s) - 1 - i).x()
            width = QFontMetricsF(font(12, 600)).horizontalAdvance(words)
            p.drawText(QPointF(c.x() - width - 10 if leftmost else c.x() + 10, c.y() + 4), words)

    def _heights(self, p: QPainter, top: float, bottom: float) -> None:
        """Draw the heights along the road, with the sectors."""
        left, right = 46.0, self.width() - 40.0
        along = Axis(0.0, float(self._s[-1]), left, right)
        p.setFont(font(12))
        for k in range(5):
            s = along.high * k / 4
            p.setPen(theme.colour("muted"))
            box = QRectF(along.at(s) - 40, bottom + 4, 80, 16)
            p.drawText(box, Qt.AlignmentFlag.AlignCenter, f"{s / 1000 * self._per_km:.1f} {self._unit}")
        if self._z is None:
            p.drawText(
                QRectF(left, top, right - left, bottom - top),
                Qt.AlignmentFlag.AlignCenter,
                "no heights: the road counts as flat",
            )
            return
        low, high = float(self._z.min()), float(self._z.max())
        room = max(high - low, 5.0)
        up = Axis(low, low + room, bottom, top + 6)
        points = [QPointF(along.at(s), up.at(z)) for s, z in zip(self._s, self._z, strict=True)]
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(theme.colour("trial3", 0.25))
        p.drawPolygon(QPolygonF([QPointF(left, bottom), *points, QPointF(right, bottom)]))
        p.setPen(QPen(theme.colour("trial3"), 1.8))
        p.drawPolyline(QPolygonF(points))
        p.setPen(theme.colour("muted"))
        for z in (low, low + room):
            p.drawText(QRectF(0, up.at(z) - 9, left - 6, 18), _RIGHT, height_words(z, self._units))
        for a, b, name in self._sectors:
            xa, xb = along.at(a), along.at(b)
            p.setPen(QPen(theme.colour("muted"), 1, Qt.PenStyle.DotLine))
            p.drawLine(QPointF(xb, top), QPointF(xb, bottom))
            p.setPen(theme.colour("ink"))
            p.drawText(QRectF(xa + 4, top - 4, xb - xa, 16), _MIDDLE, name)

    def _draw_wind(self, p: QPainter) -> None:
        c = QPointF(self.width() - 78.0, 58.0)
        p.setPen(QPen(theme.colour("rule"), 1.4))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawEllipse(c, 34, 34)
        p.setPen(theme.colour("muted"))
        p.setFont(font(12))
        p.drawText(QRectF(c.x() - 20, c.y() - 53, 40, 16), Qt.AlignmentFlag.AlignCenter, "N")
        if self._wind is None:
            p.drawText(QRectF(c.x() - 70, c.y() + 38, 140, 18), Qt.AlignmentFlag.AlignCenter, "wind not known")
            return
        speed, from_deg = self._wind
        a = math.radians(from_deg)
        start = QPointF(c.x() + 30 * math.sin(a), c.y() - 30 * math.cos(a))
        end = QPointF(c.x() - 26 * math.sin(a), c.y() + 26 * math.cos(a))
        p.setPen(QPen(theme.colour("here"), 3))
        p.drawLine(start, end)
        for side in (-0.45, 0.45):
            b = a + side
            p.drawLine(end, QPointF(end.x() + 12 * math.sin(b), end.y() - 12 * math.cos(b)))
        p.setPen(theme.colour("ink"))
        p.drawText(
            QRectF(c.x() - 75, c.y() + 38, 150, 18),
            Qt.AlignmentFlag.AlignCenter,
            f"{speed:.1f} m/s from {from_deg:.0f}\u00b0",
        )

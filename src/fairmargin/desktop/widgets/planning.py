"""Charts of what lies before the drive: designs, expected effect, split of the energy, road, day, load."""

from __future__ import annotations

import math
from collections.abc import Sequence
from datetime import datetime, timedelta

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QFontMetricsF, QMouseEvent, QPainter, QPainterPath, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from fairmargin.core.designs import Design, Expected, Share
from fairmargin.core.planning.day import Timetable
from fairmargin.core.planning.load import Check
from fairmargin.core.units import UnitChoice
from fairmargin.desktop.theme import font, theme
from fairmargin.desktop.widgets.basics import draw_mark, nice_step
from fairmargin.desktop.widgets.charts import Chart
from fairmargin.exchange.wording import signed

_MIDDLE = Qt.AlignmentFlag.AlignVCenter
_RIGHT = Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight


class DesignBars(Chart):
    """One row a design: its order as marks, its expected margin, the drift it keeps, what it costs."""

    chosen = Signal(int)
    ROW = 44

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._designs: Sequence[Design] = ()
        self._at = 0
        self.setMinimumHeight(5 * self.ROW + 40)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def show_designs(self, designs: Sequence[Design]) -> None:
        """Redraw."""
        self._designs = designs
        best = [i for i, d in enumerate(designs) if d.recommended]
        self._at = best[0] if best else 0
        self.setAccessibleName(
            "; ".join(
                f"{d.order}: margin \u00b1{d.half_width_percent:.1f} %, settles {d.settles:.0%}, {d.hours:.1f} h"
                + (", recommended" if d.recommended else "")
                for d in designs
            )
            or "No designs compared yet"
        )
        self.update()

    @property
    def current(self) -> Design | None:
        """The row that is chosen."""
        return self._designs[self._at] if self._designs else None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._choose(int((event.position().y() - 24) // self.ROW))

    def keyPressEvent(self, event: object) -> None:
        key = event.key()  # type: ignore[attr-defined]
        if key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self._choose(self._at + (1 if key == Qt.Key.Key_Down else -1))
        else:
            super().keyPressEvent(event)  # type: ignore[arg-type]

    def _choose(self, row: int) -> None:
        if 0 <= row < len(self._designs):
            self._at = row
            self.update()
            self.chosen.emit(row)

    def draw(self, p: QPainter) -> None:
        if not self._designs:
            self.empty(p, "Compare designs: five orders are driven on simulated days of this very study.")
            return
        w = float(self.width())
        bar_left, bar_right = 150.0, w - 226.0
        widest = max(max(d.price_percent for d in self._designs) * 1.08, 0.5)
        p.setFont(font(12))
        p.setPen(theme.colour("muted"))
        for x0, width, words in (
            (8.0, 150.0, "order"),
            (
                bar_left,
                bar_right - bar_left,
                "margin, \u00b1 % of consumption; hatched: drift kept",
            ),
            (w - 214, 76.0, "settles it on"),
            (w - 120, 60.0, "time"),
            (w - 68, 66.0, "energy"),
        ):
            p.drawText(QRectF(x0, 2, width, 18), _MIDDLE, words)
        for i, d in enumerate(self._designs):
            y = 24.0 + self.ROW * i
            if i == self._at:
                p.setPen(QPen(theme.colour("here"), 1.6))
                p.setBrush(theme.colour("band", 0.5))
                p.drawRoundedRect(QRectF(2, y, w - 6, self.ROW - 4), 5, 5)
            letters = d.order if d.order != "random" else "?" * min(d.runs, 8)
            size = min(13.0, 126.0 / max(len(letters), 1) - 3)
            for k, letter in enumerate(letters):
                centre = QPointF(16 + k * (size + 4), y + 14)
                if letter == "?":
                    p.setPen(theme.colour("muted"))
                    p.setFont(font(13, 600))
                    p.drawText(QRectF(centre.x() - 6, y + 4, 12, 20), Qt.AlignmentFlag.AlignCenter, "?")
                else:
                    trial = None if letter == "A" else 0
                    draw_mark(p, centre, size, trial, theme.colour("baseline" if letter == "A" else "trial"))
            p.setFont(font(12))
            p.setPen(theme.colour("muted"))
            p.drawText(
                QRectF(8, y + 24, 178, 14), _MIDDLE, "drawn by lot" if d.order == "random" else d.order
            )

            def x(value: float) -> float:
                return bar_left + value / widest * (bar_right - bar_left - 60)

            ink = theme.colour("fine" if d.recommended else "baseline", 0.85)
            p.fillRect(QRectF(bar_left, y + 6, x(d.half_width_percent) - bar_left, 14), ink)
            if d.price_percent - d.half_width_percent > 0.02:
                extra = QRectF(
                    x(d.half_width_percent), y + 6, x(d.price_percent) - x(d.half_width_percent), 14
                )
                p.setPen(Qt.PenStyle.NoPen)
                p.setBrush(theme.colour("caution"))
                p.fillRect(extra, theme.colour("caution", 0.25))
                p.setBrush(Qt.BrushStyle.BDiagPattern)
                p.drawRect(extra)
            p.setPen(theme.colour("ink"))
            p.setFont(font(13, 600))
            p.drawText(
                QRectF(x(d.price_percent) + 6, y + 3, 70, 20), _MIDDLE, f"\u00b1{d.price_percent:.1f} %"
            )
            p.setFont(font(12))
            p.setPen(theme.colour("fine") if d.recommended else theme.colour("muted"))
            words = ("recommended: " if d.recommended else "") + d.words
            metrics = QFontMetricsF(font(12))
            p.drawText(
                QRectF(bar_left, y + 23, w - bar_left - 16, 15),
                _MIDDLE,
                metrics.elidedText(words, Qt.TextElideMode.ElideRight, w - bar_left - 16),
            )
            p.setPen(theme.colour("ink"))
            p.setFont(font(13))
            p.drawText(QRectF(w - 214, y + 3, 90, 20), _MIDDLE, f"{d.settles:.0%} of days")
            p.drawText(QRectF(w - 120, y + 3, 60, 20), _MIDDLE, f"{d.hours:.1f} h")
            p.drawText(QRectF(w - 68, y + 3, 66, 20), _MIDDLE, f"{d.energy_kwh:.0f} kWh")


class ExpectedCurve(Chart):
    """Expected effect against speed with its margin, and the band the design cannot see."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._expected: Expected | None = None
        self._units: UnitChoice | None = None
        self._blind = 0.0
        self._speed = 90.0
        self.setMinimumHeight(150)

    def show_expected(
        self, expected: Expected, blind_percent: float, speed_kmh: float, units: UnitChoice
    ) -> None:
        """Redraw."""
        self._expected, self._blind, self._speed, self._units = expected, blind_percent, speed_kmh, units
        if expected.given:
            at = float(np.interp(speed_kmh, expected.speed_kmh, expected.percent))
            self.setAccessibleName(f"Expected effect {signed(at)} % at {speed_kmh:.0f} km/h")
        self.update()

    def draw(self, p: QPainter) -> None:
        e, units = self._expected, self._units
        if e is None or units is None or not e.given:
            self.empty(
                p, "Say what the change does (drag area, rolling, mass, power) to see what to expect of it."
            )
            return
        left, right, top, bottom = 50.0, self.width() - 34.0, 10.0, self.height() - 26.0
        high = max(float(e.high.max()), self._blind, 0.5) * 1.08
        low = min(float(e.low.min()), -self._blind, -0.5) * 1.08

        def x(kmh: float) -> float:
            first, last = float(e.speed_kmh[0]), float(e.speed_kmh[-1])
            return left + (kmh - first) / (last - first) * (right - left)

        def y(value: float) -> float:
            return bottom - (value - low) / (high - low) * (bottom - top)

        p.fillRect(
            QRectF(left, y(self._blind), right - left, y(-self._blind) - y(self._blind)), theme.colour("band")
        )
        p.setFont(font(12))
        step = nice_step(high - low, 5)
        tick = math.ceil(low / step) * step
        while tick <= high:
            p.setPen(QPen(theme.colour("rule" if abs(tick) > 1e-9 else "ink"), 1))
            p.drawLine(QPointF(left, y(tick)), QPointF(right, y(tick)))
            p.setPen(theme.colour("muted"))
            p.drawText(
                QRectF(0, y(tick) - 9, left - 6, 18), _RIGHT, f"{signed(tick, 0 if step >= 1 else 1)} %"
            )
            tick += step
        upper = [QPointF(x(v), y(z)) for v, z in zip(e.speed_kmh, e.high, strict=True)]
        lower = [QPointF(x(v), y(z)) for v, z in zip(e.speed_kmh, e.low, strict=True)]
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(theme.colour("trial", 0.22))
        p.drawPolygon(QPolygonF([*upper, *lower[::-1]]))
        p.setPen(QPen(theme.colour("trial"), 2))
        p.drawPolyline(QPolygonF([QPointF(x(v), y(z)) for v, z in zip(e.speed_kmh, e.percent, strict=True)]))
        at = float(np.interp(self._speed, e.speed_kmh, e.percent))
        draw_mark(p, QPointF(x(self._speed), y(at)), 12, 0, theme.colour("trial"))
        p.setPen(theme.colour("muted"))
        p.drawText(QRectF(left + 4, y(self._blind) - 1, 320, 16), _MIDDLE, "grey: what the design cannot see")
        shown = units.show("speed", 1.0)
        for kmh in range(40, 131, 30):
            p.drawText(
                QRectF(x(kmh) - 40, bottom + 4, 80, 18),
                Qt.AlignmentFlag.AlignCenter,
                f"{kmh * shown:.0f} {units.speed}",
            )


class SplitBar(Chart):
    """Where the energy goes at one speed, as one bar of named parts."""

    PARTS = (
        ("air", "air"),
        ("tyres", "tyres"),
        ("hills", "hills"),
        ("climate", "cabin, aux."),
        ("driveline", "driveline"),
    )

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._share: Share | None = None
        self._most = 1.0
        self.setFixedHeight(66)

    def show_share(self, share: Share, most_wh_per_km: float) -> None:
        """Redraw; bars of one most are comparable."""
        self._share, self._most = share, max(most_wh_per_km, share.total)
        self.setAccessibleName(
            ", ".join(f"{words} {getattr(share, name):.0f} Wh/km" for name, words in self.PARTS)
        )
        self.update()

    def draw(self, p: QPainter) -> None:
        if self._share is None:
            return
        shades = (0.82, 0.6, 0.42, 0.28, 0.16)  # neutral: colours belong to baseline and trials
        left, width = 2.0, self.width() - 96.0
        p.setFont(font(12))
        x = left
        for (name, words), shade in zip(self.PARTS, shades, strict=True):
            value = max(0.0, getattr(self._share, name))
            w = value / self._most * width
            if w < 0.5:
                continue
            p.fillRect(QRectF(x, 6, w - 1, 24), theme.colour("ink", shade))
            metrics = QFontMetricsF(font(12))
            text = f"{words} {value:.0f}"
            need = metrics.horizontalAdvance(text) + 2
            if need < w or name == "driveline":
                p.setPen(theme.colour("muted"))
                p.drawText(QRectF(x, 34, max(w, need), 16), _MIDDLE, text)
            x += w
        p.setPen(theme.colour("ink"))
        p.setFont(font(14, 600))
        p.drawText(QRectF(self.width() - 92, 6, 92, 24), _MIDDLE, f"{self._share.total:.0f} Wh/km")


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
        unit: str,
        per_km: float,
        gates_m: tuple[float | None, float | None] = (None, None),
    ) -> None:
        """Redraw; `wind` is speed [m/s] and the direction it comes from [degrees]."""
        self._gates = gates_m
        self._x, self._y, self._s, self._z = east_m, north_m, distance_m, height_m
        self._wind, self._sectors, self._unit, self._per_km = wind, sectors, unit, per_km
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
                (self.width() - 150) / 2 + (self._x[i] - cx) * scale,
                plan_height / 2 - (self._y[i] - cy) * scale,
            )

        path = QPainterPath(at(0))
        for i in range(1, len(self._s)):
            path.lineTo(at(i))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(QPen(theme.colour("muted"), 7, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
        p.drawPath(path)
        p.setPen(QPen(theme.colour("panel"), 4, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
        p.drawPath(path)
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
        self._draw_wind(p)
        top, bottom, left, right = plan_height + 14, self.height() - 24.0, 46.0, self.width() - 40.0
        p.setFont(font(12))
        whole = float(self._s[-1])
        for k in range(5):
            s = whole * k / 4
            p.setPen(theme.colour("muted"))
            box = QRectF(left + s / whole * (right - left) - 40, bottom + 4, 80, 16)
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
        points = [
            QPointF(left + s / whole * (right - left), bottom - (z - low) / room * (bottom - top - 6))
            for s, z in zip(self._s, self._z, strict=True)
        ]
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(theme.colour("trial3", 0.25))
        p.drawPolygon(QPolygonF([QPointF(left, bottom), *points, QPointF(right, bottom)]))
        p.setPen(QPen(theme.colour("trial3"), 1.8))
        p.drawPolyline(QPolygonF(points))
        p.setPen(theme.colour("muted"))
        for z in (low, low + room):
            p.drawText(
                QRectF(0, bottom - (z - low) / room * (bottom - top - 6) - 9, left - 6, 18),
                _RIGHT,
                f"{z:.0f} m",
            )
        for a, b, name in self._sectors:
            xa, xb = left + a / whole * (right - left), left + b / whole * (right - left)
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
            p.drawText(
                QRectF(c.x() - 70, c.y() + 38, 140, 18), Qt.AlignmentFlag.AlignCenter, "wind not known"
            )
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


class DayStrip(Chart):
    """The day to scale: every step on the clock, daylight behind, charge along the top."""

    INKS = {
        "travel": "muted",
        "cold pressures": "caution",
        "warm-up": "muted",
        "turn": "rule",
        "swap": "here",
        "charge": "fine",
        "pause": "rule",
    }

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._table: Timetable | None = None
        self._baseline = "A"
        self.setMinimumHeight(170)

    def show_day(self, table: Timetable, baseline: str) -> None:
        """Redraw."""
        self._table, self._baseline = table, baseline
        self.setAccessibleName(
            "; ".join(f"{s.start:%H:%M} {s.words}" for s in table.steps if s.kind != "turn")
        )
        self.update()

    def draw(self, p: QPainter) -> None:
        table = self._table
        if table is None:
            self.empty(p, "Lay out runs to see the day.")
            return
        first = table.steps[0].start.replace(minute=0)
        last = table.end + timedelta(minutes=59)
        last = last.replace(minute=0, second=0, microsecond=0)
        span = max((last - first).total_seconds(), 3600.0)
        left, right, mid = 30.0, self.width() - 30.0, 78.0

        def x(moment: datetime) -> float:
            return left + (moment - first).total_seconds() / span * (right - left)

        light = table.daylight
        if light is not None and light.sunrise is not None and light.sunset is not None:
            a, b = max(x(light.sunrise), left), min(x(light.sunset), right)
            p.fillRect(QRectF(left, 8, right - left, 112), theme.colour("muted", 0.16))
            if b > a:
                p.fillRect(QRectF(a, 8, b - a, 112), theme.colour("panel"))
        p.setFont(font(12))
        moment = first
        every = 1 if span <= 9 * 3600 else 2
        while moment <= last:
            p.setPen(QPen(theme.colour("rule"), 1))
            p.drawLine(QPointF(x(moment), 8), QPointF(x(moment), 120))
            p.setPen(theme.colour("muted"))
            p.drawText(QRectF(x(moment) - 30, 122, 60, 16), Qt.AlignmentFlag.AlignCenter, f"{moment:%H:%M}")
            moment += timedelta(hours=every)
        for step in table.steps:
            a, b = x(step.start), x(step.end)
            box = QRectF(a, mid - 18, max(b - a - 1, 1.5), 36)
            if step.kind == "run":
                base = step.configuration == self._baseline
                ink = theme.colour("baseline" if base else "trial")
                p.fillRect(box, theme.colour("baseline" if base else "trial", 0.28))
                draw_mark(p, QPointF((a + b) / 2, mid), min(16.0, b - a - 4), None if base else 0, ink)
                p.setPen(theme.colour("ink"))
                p.drawText(QRectF(a - 10, mid + 19, b - a + 20, 16), Qt.AlignmentFlag.AlignCenter, step.run)
            else:
                p.fillRect(box.adjusted(0, 8, 0, -8), theme.colour(self.INKS[step.kind], 0.75))
        levels = [(x(s.end), s.charge_percent) for s in table.steps if s.charge_percent is not None]
        if levels:
            line = [QPointF(a, 48.0 - 36.0 * max(v, 0) / 100.0) for a, v in levels if v is not None]
            p.setPen(QPen(theme.colour("fine"), 1.8))
            p.drawPolyline(QPolygonF(line))
            p.setPen(theme.colour("fine"))
            p.drawText(QPointF(line[0].x() - 2, line[0].y() - 4), f"charge {levels[0][1]:.0f} %")
            p.drawText(QRectF(line[-1].x() - 60, line[-1].y() - 18, 60, 14), _RIGHT, f"{levels[-1][1]:.0f} %")
        keys = (
            ("cold pressures", "cold pressures"),
            ("travel", "travel, warm-up"),
            ("swap", "swap"),
            ("charge", "charge"),
            ("pause", "pause, turn"),
        )
        at = left
        for kind, words in keys:
            p.fillRect(QRectF(at, 150, 12, 10), theme.colour(self.INKS[kind], 0.75))
            p.setPen(theme.colour("muted"))
            p.drawText(QPointF(at + 17, 160), words)
            at += 34 + QFontMetricsF(font(12)).horizontalAdvance(words)


class LoadDrawing(Chart):
    """Vehicle and trailer from the side, and each check as a bar towards its limit."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._checks: Sequence[Check] = ()
        self._trailer = False
        self._roof = False
        self.setMinimumHeight(300)

    def show_checks(self, checks: Sequence[Check], trailer: bool, roof: bool) -> None:
        """Redraw."""
        self._checks, self._trailer, self._roof = checks, trailer, roof
        self.setMinimumHeight(118 + 60 * max(len(checks), 1))
        self.setAccessibleName(
            "; ".join(f"{c.name}: {c.state}, {c.words}" for c in checks) or "Nothing to check yet"
        )
        self.update()

    def draw(self, p: QPainter) -> None:
        self._draw_vehicle(p)
        if not self._checks:
            p.setPen(theme.colour("muted"))
            p.setFont(font(13))
            p.drawText(
                QRectF(20, 110, self.width() - 40, 60),
                Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap,
                "Enter masses and the limits from plates and handbook; what is over or close is said here.",
            )
            return
        inks = {"fine": "fine", "close": "caution", "over": "blocks", "not known": "muted"}
        words = {"fine": "fine", "close": "close", "over": "NOT ALLOWED", "not known": "not known"}
        left, right = 120.0, self.width() - 120.0
        for i, check in enumerate(self._checks):
            y = 112.0 + 60.0 * i
            p.setFont(font(13, 600))
            p.setPen(theme.colour("ink"))
            p.drawText(QRectF(8, y, 110, 18), _MIDDLE, check.name)
            most = 1.15 * max(check.value_kg or 0.0, check.high_kg or 0.0, check.low_kg or 0.0, 1.0)
            p.fillRect(QRectF(left, y + 3, right - left, 12), theme.colour("band"))
            ink = theme.colour(inks[check.state])
            if check.value_kg is not None:
                p.fillRect(QRectF(left, y + 3, check.value_kg / most * (right - left), 12), ink)
            p.setPen(QPen(theme.colour("ink"), 2))
            for edge in (check.low_kg, check.high_kg):
                if edge is not None:
                    ex = left + edge / most * (right - left)
                    p.drawLine(QPointF(ex, y - 1), QPointF(ex, y + 19))
            p.setPen(ink)
            p.setFont(font(13, 600))
            p.drawText(QRectF(right + 10, y, 110, 18), _MIDDLE, words[check.state])
            p.setFont(font(12))
            p.setPen(theme.colour("muted"))
            flags = Qt.AlignmentFlag.AlignTop | Qt.TextFlag.TextWordWrap
            p.drawText(QRectF(8, y + 19, self.width() - 16, 34), flags, check.words)

    def _draw_vehicle(self, p: QPainter) -> None:
        ground = 92.0
        p.save()
        scale = min(1.0, self.width() / 440.0)
        p.translate(0.0, ground * (1 - scale))
        p.scale(scale, scale)
        p.setPen(QPen(theme.colour("rule"), 2))
        p.drawLine(QPointF(8, ground), QPointF(self.width() / scale - 8, ground))
        p.setPen(QPen(theme.colour("baseline"), 2))
        p.setBrush(theme.colour("baseline", 0.18))
        x = 250.0 if self._trailer else 60.0
        body = QPolygonF(
            [
                QPointF(x, 78),
                QPointF(x, 34),
                QPointF(x + 108, 34),
                QPointF(x + 140, 56),
                QPointF(x + 166, 60),
                QPointF(x + 168, 78),
            ]
        )
        p.drawPolygon(body)
        for wheel in (x + 34, x + 132):
            p.setBrush(theme.colour("panel"))
            p.drawEllipse(QPointF(wheel, ground - 12), 12, 12)
        if self._roof:
            p.setPen(QPen(theme.colour("trial"), 2))
            p.setBrush(theme.colour("trial", 0.3))
            p.drawRect(QRectF(x + 14, 20, 78, 11))
        if self._trailer:
            # The vehicle faces right; the trailer is hitched behind it.
            p.setPen(QPen(theme.colour("trial"), 2))
            p.setBrush(theme.colour("trial", 0.18))
            tx = x - 190
            p.drawRect(QRectF(tx, 30, 130, 46))
            p.drawLine(QPointF(tx + 130, 74), QPointF(x, 74))
            p.setBrush(theme.colour("panel"))
            p.drawEllipse(QPointF(tx + 66, ground - 12), 12, 12)
        p.restore()

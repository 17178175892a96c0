"""A trip drawn to scale: charge along the road with its band, stops that can be moved, and the hours below."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QFontMetricsF, QKeyEvent, QMouseEvent, QPainter, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from fairmargin.core.outcome.trips import TripPlan
from fairmargin.core.units import UNIT_CHOICES, UnitChoice, in_units
from fairmargin.desktop.theme import font, theme, trial_colour
from fairmargin.desktop.widgets.axis import Axis
from fairmargin.desktop.widgets.decimals import Painter
from fairmargin.desktop.widgets.drawn import Drawn
from fairmargin.exchange.words.outcomes import hours_words

LEFT, RIGHT = 46.0, 16.0
NEAR: Final = 14.0  # a handle is taken hold of within, px
HOURS_H: Final = 44.0


class TripDay(Drawn):
    """A plan; a stop is dragged to another charger, or moved with the arrow keys (up and down choose one)."""

    moving = Signal(int, float)  # which stop, and the charger it is over; while it is dragged
    moved = Signal(int, float)  # and when it is let go

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFixedHeight(300)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.plan: TripPlan | None = None
        self._units: UnitChoice | None = None
        self._which: int | None = None
        self.held: int | None = None  # stop that is dragged
        self.chosen = 0  # stop that the keys move
        self._over_km: float | None = None
        theme.changed.connect(self.update)

    def show_plan(self, plan: TripPlan | None, units: UnitChoice, which: int | None) -> None:
        """Show a plan; `which` is its configuration's number among the trials."""
        self.plan, self._units, self._which = plan, units, which
        if plan is not None:
            self.chosen = min(self.chosen, max(len(plan.stops) - 1, 0))
        self.setAccessibleName("No trip is planned" if plan is None else self._words(plan))
        self.update()

    def _words(self, plan: TripPlan) -> str:
        units = self._units or UNIT_CHOICES["metric"]
        stops = ", ".join(
            f"{in_units(s.charger.label, units)} {s.arrival.percent:.0f} to {s.leave_percent:.0f} %" for s in plan.stops
        )
        return (
            f"Trip of {hours_words(plan.total_h)}, stops: {stops or 'none'}, arrival with {plan.arrival.percent:.0f} %"
        )

    # ------------------------------------------------------------ moving a stop

    def _across(self) -> Axis:
        assert self.plan is not None and self._units is not None
        return Axis(0.0, self._units.show("distance", self.plan.trip.km), LEFT, self.width() - RIGHT, 8)

    def _up(self) -> Axis:
        return Axis(0.0, 100.0, self.height() - HOURS_H - 52.0, 22.0, 5, 20.0)

    def handle(self, which: int) -> QPointF:
        """Where a stop is taken hold of."""
        assert self.plan is not None and self._units is not None
        s = self.plan.stops[which]
        km = self._over_km if self.held == which and self._over_km is not None else s.charger.at_km
        return QPointF(self._across().at(self._units.show("distance", km)), self._up().at(s.leave_percent))

    def _charger_near(self, x: float) -> float | None:
        """The working charger nearest a place, of those that no other stop has."""
        assert self.plan is not None and self._units is not None
        taken = {s.charger.at_km for i, s in enumerate(self.plan.stops) if i != self.held}
        across = self._across()
        free = [c.at_km for c in self.plan.trip.chargers if c.working and c.at_km not in taken]
        units = self._units
        return min(free, key=lambda km: abs(across.at(units.show("distance", km)) - x), default=None)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self.plan is None:
            return
        at = event.position()
        near = [
            (abs(self.handle(i).x() - at.x()) + abs(self.handle(i).y() - at.y()), i)
            for i in range(len(self.plan.stops))
        ]
        if near and min(near)[0] < 2 * NEAR:
            self.held = self.chosen = min(near)[1]
            self._over_km = self.plan.stops[self.held].charger.at_km
            self.setCursor(Qt.CursorShape.ClosedHandCursor)
            self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self.plan is None:
            return
        if self.held is None:
            near = any(
                abs(self.handle(i).x() - event.position().x()) < NEAR
                and abs(self.handle(i).y() - event.position().y()) < NEAR
                for i in range(len(self.plan.stops))
            )
            self.setCursor(Qt.CursorShape.OpenHandCursor if near else Qt.CursorShape.ArrowCursor)
            return
        km = self._charger_near(event.position().x())
        if km is not None and km != self._over_km:
            self._over_km = km
            self.moving.emit(self.held, km)
            self.update()

    def mouseReleaseEvent(self, _event: QMouseEvent) -> None:
        if self.held is None or self._over_km is None:
            return
        which, km = self.held, self._over_km
        self.held = self._over_km = None
        self.setCursor(Qt.CursorShape.ArrowCursor)
        self.moved.emit(which, km)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = Qt.Key(event.key())
        if self.plan is None or not self.plan.stops:
            super().keyPressEvent(event)
        elif key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            step = 1 if key == Qt.Key.Key_Up else -1
            self.chosen = (self.chosen + step) % len(self.plan.stops)
            self.update()
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            here = self.plan.stops[self.chosen].charger.at_km
            taken = {s.charger.at_km for s in self.plan.stops}
            free = [c.at_km for c in self.plan.trip.chargers if c.working and c.at_km not in taken]
            ahead = [km for km in free if km > here] if key == Qt.Key.Key_Right else [km for km in free if km < here]
            if ahead:
                self.moved.emit(self.chosen, min(ahead) if key == Qt.Key.Key_Right else max(ahead))
        else:
            super().keyPressEvent(event)

    # ------------------------------------------------------------ drawing

    def paintEvent(self, _event: object) -> None:
        p = Painter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setFont(font(12))
        if self.plan is None or self._units is None:
            p.setPen(theme.colour("muted"))
            p.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, "The day is drawn here once it can be planned.")
            p.end()
            return
        across, up = self._across(), self._up()
        p.setPen(theme.colour("muted"))
        p.drawText(QPointF(8, 13), "charge, %")
        up.draw_upright(p, LEFT, self.width() - RIGHT, lambda v: f"{v:.0f}", False)
        self._charge(p, across, up)
        self._road(p, across, up)
        self._stops(p, up)
        self._hours(p)
        if self.hasFocus():
            p.setPen(QPen(theme.colour("here"), 1.5))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawRoundedRect(QRectF(self.rect()).adjusted(1, 1, -1, -1), 4, 4)
        p.end()

    def _charge(self, p: QPainter, across: Axis, up: Axis) -> None:
        """Charge and its band, and the charge wished for."""
        assert self.plan is not None and self._units is not None
        profile = self.plan.profile
        name = "baseline" if self._which is None else trial_colour(self._which)
        xs = [across.at(self._units.show("distance", float(km))) for km in profile.km]

        def ys(values: object) -> list[float]:
            return [up.at(float(v)) for v in np.clip(np.asarray(values), 0.0, 100.0)]

        low, middle, high = ys(profile.low), ys(profile.percent), ys(profile.high)
        band = [QPointF(x, y) for x, y in zip(xs, low, strict=True)]
        band += [QPointF(x, y) for x, y in reversed(list(zip(xs, high, strict=True)))]
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(theme.colour(name, 0.18))
        p.drawPolygon(QPolygonF(band))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(QPen(theme.colour(name), 2))
        p.drawPolyline(QPolygonF([QPointF(x, y) for x, y in zip(xs, middle, strict=True)]))
        p.setPen(QPen(theme.colour("caution"), 1.2, Qt.PenStyle.DashLine))
        y = up.at(self.plan.trip.reserve_percent)
        p.drawLine(QPointF(LEFT, y), QPointF(self.width() - RIGHT, y))
        p.drawText(QPointF(LEFT + 4, y - 3), "reserve")

    def _road(self, p: QPainter, across: Axis, up: Axis) -> None:
        """The road with its chargers: filled where one stops, open elsewhere, crossed out of order."""
        assert self.plan is not None and self._units is not None
        units = self._units
        y = up.at(0.0) + 14.0
        p.setPen(QPen(theme.colour("muted"), 3))
        p.drawLine(QPointF(LEFT, y), QPointF(self.width() - RIGHT, y))
        used = {s.charger.at_km for s in self.plan.stops}
        for c in self.plan.trip.chargers:
            x = across.at(units.show("distance", c.at_km))
            p.setPen(QPen(theme.colour("ink"), 1.6))
            p.setBrush(theme.colour("ink" if c.at_km in used else "panel"))
            p.drawRect(QRectF(x - 5, y - 5, 10, 10))
            if not c.working:
                p.drawLine(QPointF(x - 7, y - 7), QPointF(x + 7, y + 7))
                p.drawLine(QPointF(x - 7, y + 7), QPointF(x + 7, y - 7))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(theme.colour("muted"))
        for value in across.ticks():
            p.drawText(QRectF(across.at(value) - 24, y + 7, 48, 15), Qt.AlignmentFlag.AlignCenter, f"{value:.0f}")
        p.drawText(QRectF(0, y + 7, LEFT - 14, 15), Qt.AlignmentFlag.AlignRight, units.distance)

    def _stops(self, p: QPainter, up: Axis) -> None:
        """Handles, and what each stop is."""
        assert self.plan is not None
        for i, s in enumerate(self.plan.stops):
            at = self.handle(i)
            held = i == self.held or (self.hasFocus() and i == self.chosen)
            p.setPen(QPen(theme.colour("here" if held else "ink"), 2))
            p.setBrush(theme.colour("panel"))
            p.drawEllipse(at, 7, 7)
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.setPen(theme.colour("ink"))
            text = f"{s.charging_min + s.other_min + s.waiting_min:.0f} min"
            p.drawText(QRectF(at.x() - 45, max(at.y() - 26, 0.0), 90, 16), Qt.AlignmentFlag.AlignCenter, text)
        p.setPen(theme.colour("ink"))
        p.drawText(self.end_label(), Qt.AlignmentFlag.AlignRight, self._end_words())

    def _end_words(self) -> str:
        assert self.plan is not None
        return f"{self.plan.arrival.percent:.0f} % at the end"

    def end_label(self) -> QRectF:
        """Where the charge at the end is written: above the band that runs under its words, else below it."""
        assert self.plan is not None and self._units is not None
        across, up, profile = self._across(), self._up(), self.plan.profile
        wide, tall = QFontMetricsF(font(12)).horizontalAdvance(self._end_words()) + 4, 16.0
        left = self.width() - RIGHT - 2 - wide
        xs = [across.at(self._units.show("distance", float(km))) for km in profile.km]

        def beside(values: Sequence[float]) -> list[float]:
            """Charge where the words begin, and wherever the band bends beside them."""
            here = float(np.interp(left, xs, values))
            return [min(max(v, 0.0), 100.0) for v in (here, *(v for x, v in zip(xs, values, strict=True) if x >= left))]

        top = up.at(max(beside([float(v) for v in profile.high]))) - 4 - tall
        if top < up.at(100.0) - tall:
            top = up.at(min(beside([float(v) for v in profile.low]))) + 4
        return QRectF(left, top, wide, tall)

    def _hours(self, p: QPainter) -> None:
        """The day in hours: driving, charging, everything else, to scale."""
        assert self.plan is not None
        plan = self.plan
        y, h = self.height() - HOURS_H + 2, 15.0
        across = Axis(0.0, plan.total_h, LEFT, self.width() - RIGHT)
        at = 0.0
        p.setPen(Qt.PenStyle.NoPen)
        for s in plan.stops:
            for hours, colour in (
                (s.at_h - at, "baseline" if self._which is None else trial_colour(self._which)),
                (s.charging_min / 60.0, "fine"),
                ((s.other_min + s.waiting_min) / 60.0, "rule"),
            ):
                begin = across.at(at)
                p.fillRect(
                    QRectF(begin, y, max(across.at(at + hours) - begin - 0.5, 0.5), h), theme.colour(colour, 0.85)
                )
                at += hours
        name = "baseline" if self._which is None else trial_colour(self._which)
        p.fillRect(QRectF(across.at(at), y, across.at(plan.total_h) - across.at(at), h), theme.colour(name, 0.85))
        p.setPen(theme.colour("muted"))
        p.drawText(QRectF(0, y, LEFT - 14, h), Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, "h")
        start = plan.trip.depart_at
        leave, there = "0", hours_words(plan.total_h)
        if start is not None:
            leave, there = f"{start:%H:%M}", f"{plan.arrival_at():%H:%M}, {there}"
        p.drawText(QRectF(LEFT, y + h + 2, 80, 16), Qt.AlignmentFlag.AlignLeft, leave)
        p.drawText(QRectF(self.width() - RIGHT - 160, y + h + 2, 160, 16), Qt.AlignmentFlag.AlignRight, there)
        self._legend(p, y + h + 2)

    def _legend(self, p: QPainter, y: float) -> None:
        x = LEFT + 74.0
        name = "baseline" if self._which is None else trial_colour(self._which)
        for colour, words in ((name, "driving"), ("fine", "charging"), ("rule", "the rest of a stop")):
            p.fillRect(QRectF(x, y + 3, 10, 10), theme.colour(colour, 0.85))
            p.drawText(QPointF(x + 14, y + 13), words)
            x += 26.0 + p.fontMetrics().horizontalAdvance(words)

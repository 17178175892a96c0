"""The expected effect over speed, and where the energy goes."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QFontMetricsF, QPainter
from PySide6.QtWidgets import QWidget

from fairmargin.core.planning import Expected, Share
from fairmargin.core.units import UNIT_CHOICES, UnitChoice, label
from fairmargin.core.words import minus, signed
from fairmargin.desktop.theme import font, theme
from fairmargin.desktop.widgets.axis import Axis
from fairmargin.desktop.widgets.charts import Chart
from fairmargin.desktop.widgets.plot import Plot
from fairmargin.exchange.words.figures import speed_words
from fairmargin.exchange.words.steps import pencil_unit

_MIDDLE = Qt.AlignmentFlag.AlignVCenter
_RIGHT = Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight


class ExpectedCurve(Chart):
    """Expected effect against speed with its margin, and the band the design cannot see."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._expected: Expected | None = None
        self._units: UnitChoice | None = None
        self._blind = 0.0
        self._speed = 90.0
        self.setAccessibleName("No expected effect yet")
        self.setMinimumHeight(150)

    def show_expected(self, expected: Expected, blind_percent: float, speed_kmh: float, units: UnitChoice) -> None:
        """Redraw."""
        self._expected, self._blind, self._speed, self._units = expected, blind_percent, speed_kmh, units
        if expected.given:
            at = float(np.interp(speed_kmh, expected.speed_kmh, expected.percent))
            self.setAccessibleName(f"Expected effect {signed(at)} % at {speed_words(speed_kmh, units)}")
        else:
            self.setAccessibleName("No expected effect yet")
        self.update()

    def draw(self, p: QPainter) -> None:
        e, units = self._expected, self._units
        if e is None or units is None or not e.given:
            self.empty(p, "Say what the change does (drag area, rolling, mass, power) to see what to expect of it.")
            return
        left, right, top, bottom = 50.0, self.width() - 34.0, 10.0, self.height() - 26.0
        high = max(float(e.high.max()), self._blind, 0.5) * 1.08
        low = min(float(e.low.min()), -self._blind, -0.5) * 1.08
        across = Axis(float(e.speed_kmh[0]), float(e.speed_kmh[-1]), left, right)
        upright = Axis(low, high, bottom, top, 5)
        plot, x, y = Plot(p, across, upright), across.at, upright.at
        p.fillRect(QRectF(left, y(self._blind), right - left, y(-self._blind) - y(self._blind)), theme.colour("band"))
        p.setFont(font(12))
        fine = 0 if upright.step >= 1 else 1
        upright.draw_upright(p, left, right, lambda v: f"{signed(v, fine)} %", zero=True)
        speeds = e.speed_kmh.tolist()
        plot.band(speeds, list(zip(e.low.tolist(), e.high.tolist(), strict=True)), 0, 0.22)
        plot.line(speeds, e.percent.tolist(), 0)
        plot.mark(self._speed, float(np.interp(self._speed, e.speed_kmh, e.percent)), 0, 12)
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
        self._unit, self._factor = pencil_unit(UNIT_CHOICES["metric-wh"])
        self.setFixedHeight(66)

    def show_share(self, share: Share, most_wh_per_km: float, units: UnitChoice) -> None:
        """Redraw, in the person's unit of energy over distance; bars of one most are comparable."""
        self._share, self._most = share, max(most_wh_per_km, share.total)
        self._unit, self._factor = pencil_unit(units)
        self.setAccessibleName(
            ", ".join(f"{words} {self._shown(getattr(share, name))} {label(self._unit)}" for name, words in self.PARTS)
        )
        self.update()

    def _shown(self, wh_per_km: float) -> str:
        value = wh_per_km * self._factor
        return minus(f"{value:.{0 if self._share is None or self._share.total * self._factor >= 50 else 1}f}")

    def draw(self, p: QPainter) -> None:
        if self._share is None:
            return
        shades = (0.82, 0.6, 0.42, 0.28, 0.16)  # neutral: colours belong to baseline and trials
        left, width = 2.0, self.width() - 136.0
        p.setFont(font(12))
        x = left
        for (name, words), shade in zip(self.PARTS, shades, strict=True):
            value = max(0.0, getattr(self._share, name))
            w = value / self._most * width
            if w < 0.5:
                continue
            p.fillRect(QRectF(x, 6, w - 1, 24), theme.colour("ink", shade))
            metrics = QFontMetricsF(font(12))
            text = f"{words} {self._shown(value)}"
            need = metrics.horizontalAdvance(text) + 2
            if need < w or name == "driveline":
                p.setPen(theme.colour("muted"))
                p.drawText(QRectF(x, 34, max(w, need), 16), _MIDDLE, text)
            x += w
        p.setPen(theme.colour("ink"))
        p.setFont(font(14, 600))
        p.drawText(
            QRectF(self.width() - 132, 6, 132, 24), _MIDDLE, f"{self._shown(self._share.total)} {label(self._unit)}"
        )

"""Instruments of one leg side by side: each with the band its step leaves open."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPen
from PySide6.QtWidgets import QWidget

from fairmargin.core.companion import ReadingBand, agreement
from fairmargin.core.units import UnitChoice, in_units, label
from fairmargin.desktop.theme import theme
from fairmargin.desktop.widgets.axis import Axis
from fairmargin.desktop.widgets.decimals import Painter
from fairmargin.desktop.widgets.drawn import Drawn

ROW: Final = 30
LEFT: Final = 150
RIGHT: Final = 190


class BandsChart(Drawn):
    """One row an instrument; the bar is what its step leaves open, the tick what it said."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.bands: tuple[ReadingBand, ...] = ()
        self._units: UnitChoice | None = None
        self.setMinimumHeight(ROW)

    def show_bands(self, bands: Sequence[ReadingBand], units: UnitChoice) -> None:
        """Draw other readings."""
        self.bands, self._units = tuple(bands), units
        self.setFixedHeight(ROW * max(1, len(bands)) + (24 if len(bands) > 1 else 0))
        own = label(units.consumption)
        self.setAccessibleName(
            "; ".join(f"{b.instrument} {units.show_consumption(b.wh_per_km):.3g} {own}" for b in bands)
        )
        self.update()

    def words(self) -> str:
        """Say in words whether they agree."""
        if len(self.bands) < 2:
            return "" if not self.bands else "One instrument was read; a second one would be a check."
        if agreement(self.bands) == "agree":
            return "The instruments agree within their steps."
        odd = ", ".join(b.instrument for b in self.bands if not b.agrees)
        return f"Do not agree with the {self.bands[0].instrument}: {odd}. Look at the reading and the reset again."

    def paintEvent(self, _event: object) -> None:
        if not self.bands or self._units is None:
            return
        painter = Painter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        ends = [self._units.show_consumption(v) for b in self.bands for v in (max(b.low, 0.1), b.high)]
        low, high = min(ends), max(ends)
        room = 0.08 * max(high - low, 0.02 * abs(high))
        across = max(40.0, self.width() - LEFT - RIGHT)
        axis = Axis(low - room, high + room, LEFT, LEFT + across, 5)
        x = axis.at
        bottom = ROW * len(self.bands)
        if len(self.bands) > 1:
            axis.draw_across(painter, 0, bottom, lambda v: f"{v:.{axis.decimals}f}")
        for i, band in enumerate(self.bands):
            middle = ROW * i + ROW / 2
            colour = theme.colour("ink" if band.agrees else "blocks")
            painter.setPen(colour)
            painter.drawText(
                QRectF(0, ROW * i, LEFT - 12, ROW), Qt.AlignmentFlag.AlignVCenter, band.instrument.capitalize()
            )
            a, b = sorted(self._units.show_consumption(v) for v in (max(band.low, 0.1), band.high))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.colour("band" if band.agrees else "blocks", 1.0 if band.agrees else 0.3))
            painter.drawRoundedRect(QRectF(x(a), middle - 7, max(2.0, x(b) - x(a)), 14), 3, 3)
            painter.setPen(QPen(colour, 2.5))
            at = x(self._units.show_consumption(band.wh_per_km))
            painter.drawLine(QPointF(at, middle - 9), QPointF(at, middle + 9))
            painter.setPen(theme.colour("muted"))
            painter.drawText(
                QRectF(self.width() - RIGHT + 8, ROW * i, RIGHT - 8, ROW),
                Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight,
                f"shown {in_units(band.shown, self._units)}",
            )
        if len(self.bands) > 1:
            painter.setPen(theme.colour("muted"))
            painter.drawText(
                QRectF(0, bottom + 2, LEFT - 12, 18), Qt.AlignmentFlag.AlignLeft, label(self._units.consumption)
            )
        painter.end()

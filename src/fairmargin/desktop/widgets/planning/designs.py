"""Designs compared, one row each."""

from __future__ import annotations

from collections.abc import Sequence
from string import ascii_uppercase

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QFontMetricsF, QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import QWidget

from fairmargin.core.planning import Design
from fairmargin.desktop.theme import font, theme, trial_colour
from fairmargin.desktop.widgets.axis import Axis
from fairmargin.desktop.widgets.basics import draw_mark
from fairmargin.desktop.widgets.charts import Chart
from fairmargin.exchange.words.planning import settles_words

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
                f"{d.order}: margin \u00b1{d.half_width_percent:.1f} %, "
                + (f"settles {settles_words(d)}, " if settles_words(d) else "")
                + f"{d.hours:.1f} h"
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
            self.empty(p, "Compare designs: orders are driven on simulated days of this very study.")
            return
        w = float(self.width())
        widest = max(max(d.half_width_percent for d in self._designs) * 1.08, 0.5)
        axis = Axis(0.0, widest, 150.0, w - 286.0)
        p.setFont(font(12))
        p.setPen(theme.colour("muted"))
        for x0, width, words in (
            (8.0, 150.0, "order"),
            (150.0, w - 376.0, "margin, \u00b1 % of consumption; hatched: by drift"),
            (w - 214, 76.0, "" if self._designs[0].lone else "settles it on"),
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
            self._order(p, d, y)
            self._bar(p, d, axis, y)
            self._figures(p, d, y)

    def _order(self, p: QPainter, d: Design, y: float) -> None:
        """Draw the letters of a design as marks."""
        letters = d.order if d.order != "random" else "?" * min(d.runs, 8)
        size = min(13.0, 126.0 / max(len(letters), 1) - 3)
        for k, letter in enumerate(letters):
            centre = QPointF(16 + k * (size + 4), y + 14)
            if letter == "?":
                p.setPen(theme.colour("muted"))
                p.setFont(font(13, 600))
                p.drawText(QRectF(centre.x() - 6, y + 4, 12, 20), Qt.AlignmentFlag.AlignCenter, "?")
            else:
                trial = None if letter == "A" else ascii_uppercase.index(letter) - 1
                draw_mark(p, centre, size, trial, theme.colour("baseline" if trial is None else trial_colour(trial)))
        p.setFont(font(12))
        p.setPen(theme.colour("muted"))
        told = "drawn by lot" if d.order == "random" else d.order
        p.drawText(
            QRectF(8, y + 24, 140, 14),
            _MIDDLE,
            QFontMetricsF(font(12)).elidedText(told, Qt.TextElideMode.ElideRight, 138),
        )

    def _bar(self, p: QPainter, d: Design, axis: Axis, y: float) -> None:
        """Draw a design's margin, hatched where drift adds to it."""
        ink = theme.colour("fine" if d.recommended else "baseline", 0.85)
        margin, price = axis.at(d.without_drift_percent), axis.at(d.half_width_percent)
        p.fillRect(QRectF(axis.start, y + 6, margin - axis.start, 14), ink)
        if d.half_width_percent - d.without_drift_percent > 0.02:
            extra = QRectF(margin, y + 6, price - margin, 14)
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(theme.colour("caution"))
            p.fillRect(extra, theme.colour("caution", 0.25))
            p.setBrush(Qt.BrushStyle.BDiagPattern)
            p.drawRect(extra)
        p.setPen(theme.colour("ink"))
        p.setFont(font(13, 600))
        p.drawText(QRectF(price + 6, y + 3, 70, 20), _MIDDLE, f"\u00b1{d.half_width_percent:.1f} %")

    def _figures(self, p: QPainter, d: Design, y: float) -> None:
        """Say what a design settles and costs."""
        w = float(self.width())
        p.setFont(font(12))
        p.setPen(theme.colour("fine") if d.recommended else theme.colour("muted"))
        words = ("recommended: " if d.recommended else "") + d.words
        short = QFontMetricsF(font(12)).elidedText(words, Qt.TextElideMode.ElideRight, w - 166)
        p.drawText(QRectF(150, y + 23, w - 166, 15), _MIDDLE, short)
        p.setPen(theme.colour("ink"))
        p.setFont(font(13))
        p.drawText(QRectF(w - 214, y + 3, 90, 20), _MIDDLE, settles_words(d))
        p.drawText(QRectF(w - 120, y + 3, 60, 20), _MIDDLE, f"{d.hours:.1f} h")
        p.drawText(QRectF(w - 68, y + 3, 66, 20), _MIDDLE, f"{d.energy_kwh:.0f} kWh")

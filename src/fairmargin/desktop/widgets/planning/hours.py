"""Hours of the days ahead: which can be driven in, and what speaks against the others."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, datetime, time

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QBrush, QFontMetricsF, QPainter, QPen
from PySide6.QtWidgets import QWidget

from fairmargin.core.planning.best_window import Hour, spans_of
from fairmargin.desktop.theme import font, theme
from fairmargin.desktop.widgets.axis import Axis
from fairmargin.desktop.widgets.charts import Chart
from fairmargin.desktop.widgets.dates import day_words

ROW = 24.0
MOST_DAYS = 4
_WORDS = {"go": "go", "wait": "wait", "no-go": "no"}


class HoursStrip(Chart):
    """One row a day, midnight to midnight: go, wait and no in colour, pattern and word; the best window framed."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._days: dict[date, list[Hour]] = {}
        self._best: Sequence[tuple[datetime, datetime]] = ()
        self.setFixedHeight(60)

    def show_hours(self, hours: Sequence[Hour], best: Sequence[tuple[datetime, datetime]]) -> None:
        """Redraw."""
        self._days = {}
        for h in hours:
            self._days.setdefault(h.time.date(), []).append(h)
        self._days = dict(list(self._days.items())[:MOST_DAYS])
        self._best = best
        self.setFixedHeight(round(ROW * max(len(self._days), 1)) + 24)
        self.setAccessibleName(
            "; ".join(
                f"{a:%a %d} {a:%H:%M} to {b:%H:%M} {_WORDS[answer]}{': ' + reason if reason else ''}"
                for own in self._days.values()
                for a, b, answer, reason in spans_of(own)
            )
        )
        self.update()

    def draw(self, p: QPainter) -> None:
        axis = Axis(0.0, 24.0, 84.0, self.width() - 26.0)
        p.setFont(font(12))
        inks = {"go": "fine", "wait": "caution", "no-go": "blocks"}
        for row, (day, own) in enumerate(self._days.items()):
            y = 2.0 + ROW * row
            p.setPen(theme.colour("muted"))
            p.drawText(
                QRectF(6, y, 76, ROW - 4), Qt.AlignmentFlag.AlignVCenter, day_words(day, weekday=True, year=False)
            )
            midnight = datetime.combine(day, time())
            for begin, end, answer, reason in spans_of(own):
                a, b = (axis.at((m - midnight).total_seconds() / 3600.0) for m in (begin, end))
                box = QRectF(a, y, b - a - 1, ROW - 5)
                night = reason in {"dark", "night"}
                p.fillRect(box, theme.colour("muted", 0.3) if night else theme.colour(inks[answer], 0.22))
                if answer == "no-go" and not night:
                    p.setPen(Qt.PenStyle.NoPen)
                    p.setBrush(QBrush(theme.colour("blocks", 0.35), Qt.BrushStyle.BDiagPattern))
                    p.drawRect(box)
                text = reason or "go"
                if QFontMetricsF(p.font()).horizontalAdvance(text) < box.width() - 4:
                    p.setPen(theme.colour("ink"))
                    p.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
            for begin, end in self._best:
                if begin.date() == day:
                    a, b = (axis.at((m - midnight).total_seconds() / 3600.0) for m in (begin, end))
                    p.setBrush(Qt.BrushStyle.NoBrush)
                    p.setPen(QPen(theme.colour("here"), 2))
                    p.drawRect(QRectF(a, y - 1, b - a, ROW - 3))
        p.setPen(theme.colour("muted"))
        for hour in range(0, 25, 4):
            x = axis.at(float(hour))
            p.drawText(
                QRectF(x - 24, ROW * len(self._days) + 4, 48, 16), Qt.AlignmentFlag.AlignCenter, f"{hour:02d}:00"
            )

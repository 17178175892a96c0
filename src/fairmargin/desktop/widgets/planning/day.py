"""The day as a strip of steps."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime, timedelta

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QFontMetricsF, QPainter, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from fairmargin.core.planning.timetable import Timetable
from fairmargin.desktop.theme import font, theme
from fairmargin.desktop.widgets.axis import Axis
from fairmargin.desktop.widgets.basics import draw_mark
from fairmargin.desktop.widgets.charts import Chart

_MIDDLE = Qt.AlignmentFlag.AlignVCenter
_RIGHT = Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight


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
        self.setAccessibleName("; ".join(f"{s.start:%H:%M} {s.words}" for s in table.steps if s.kind != "turn"))
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
        axis = Axis(0.0, span, 30.0, self.width() - 30.0)

        def x(moment: datetime) -> float:
            return axis.at((moment - first).total_seconds())

        p.setFont(font(12))
        self._light(p, table, x)
        moment = first
        every = 1 if span <= 9 * 3600 else 2
        while moment <= last:
            p.setPen(QPen(theme.colour("rule"), 1))
            p.drawLine(QPointF(x(moment), 8), QPointF(x(moment), 120))
            p.setPen(theme.colour("muted"))
            p.drawText(QRectF(x(moment) - 30, 122, 60, 16), Qt.AlignmentFlag.AlignCenter, f"{moment:%H:%M}")
            moment += timedelta(hours=every)
        self._steps(p, table, x)
        self._charge(p, table, x)
        self._keys(p)

    def _light(self, p: QPainter, table: Timetable, x: Callable[[datetime], float]) -> None:
        left, right = 30.0, self.width() - 30.0
        light = table.daylight
        if light is not None and light.sunrise is not None and light.sunset is not None:
            a, b = max(x(light.sunrise), left), min(x(light.sunset), right)
            p.fillRect(QRectF(left, 8, right - left, 112), theme.colour("muted", 0.16))
            if b > a:
                p.fillRect(QRectF(a, 8, b - a, 112), theme.colour("panel"))

    def _steps(self, p: QPainter, table: Timetable, x: Callable[[datetime], float]) -> None:
        mid = 78.0
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

    def _charge(self, p: QPainter, table: Timetable, x: Callable[[datetime], float]) -> None:
        levels = [(x(s.end), s.charge_percent) for s in table.steps if s.charge_percent is not None]
        if levels:
            line = [QPointF(a, 48.0 - 36.0 * max(v, 0) / 100.0) for a, v in levels if v is not None]
            p.setPen(QPen(theme.colour("fine"), 1.8))
            p.drawPolyline(QPolygonF(line))
            p.setPen(theme.colour("fine"))
            p.drawText(QPointF(line[0].x() - 2, line[0].y() - 4), f"charge {levels[0][1]:.0f} %")
            p.drawText(QRectF(line[-1].x() - 60, line[-1].y() - 18, 60, 14), _RIGHT, f"{levels[-1][1]:.0f} %")

    def _keys(self, p: QPainter) -> None:
        keys = (
            ("cold pressures", "cold pressures"),
            ("travel", "travel, warm-up"),
            ("swap", "swap"),
            ("charge", "charge"),
            ("pause", "pause, turn"),
        )
        at = 30.0
        for kind, words in keys:
            p.fillRect(QRectF(at, 150, 12, 10), theme.colour(self.INKS[kind], 0.75))
            p.setPen(theme.colour("muted"))
            p.drawText(QPointF(at + 17, 160), words)
            at += 34 + QFontMetricsF(font(12)).horizontalAdvance(words)

"""The day as a strip of steps."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from datetime import datetime, time, timedelta

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QFontMetricsF, QPainter, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from fairmargin.core.planning.timetable import Step, Timetable
from fairmargin.desktop.theme import font, theme, trial_colour
from fairmargin.desktop.widgets.axis import Axis
from fairmargin.desktop.widgets.basics import draw_mark
from fairmargin.desktop.widgets.charts import Chart
from fairmargin.desktop.widgets.dates import day_words

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
        self._trials: Mapping[str, int | None] = {}
        self.setMinimumHeight(170)

    def show_day(self, table: Timetable, trials: Mapping[str, int | None]) -> None:
        """Redraw; `trials` numbers the sides of the runs, None for the baseline."""
        self._table, self._trials = table, trials
        several = len(table.days) > 1
        self.setAccessibleName(
            "; ".join(
                (f"{s.start:%a %d} " if several else "") + f"{s.start:%H:%M} {s.words}"
                for s in table.steps
                if s.kind != "turn"
            )
        )
        self.update()

    def draw(self, p: QPainter) -> None:
        table = self._table
        if table is None:
            self.empty(p, "Lay out runs to see the day.")
            return
        if len(table.days) > 1:
            self._mornings(p, table)
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
        self._steps(p, table.steps, x, 78.0, 36.0)
        self._charge(p, table, x)
        self._keys(p)

    def _mornings(self, p: QPainter, table: Timetable) -> None:
        """One row a morning, all on the same clock."""
        days = table.days
        height = min(30.0, 118.0 / len(days))
        begin = min((own[0].start - datetime.combine(day, time())).total_seconds() for day, own in days.items())
        end = max((own[-1].end - datetime.combine(day, time())).total_seconds() for day, own in days.items())
        axis = Axis(begin, max(end, begin + 1800.0), 96.0, self.width() - 30.0)
        p.setFont(font(12))
        for row, (day, own) in enumerate(days.items()):
            middle = 8.0 + height * (row + 0.5)
            midnight = datetime.combine(day, time())
            p.setPen(theme.colour("muted"))
            p.drawText(QRectF(8, middle - 9, 84, 18), _MIDDLE, day_words(own[0].start, weekday=True, year=False))

            def x(moment: datetime, midnight: datetime = midnight) -> float:
                return axis.at((moment - midnight).total_seconds())

            self._steps(p, own, x, middle, height - 4, named=False)
        for seconds in (begin, end):
            p.setPen(theme.colour("muted"))
            at = axis.at(seconds)
            moment = datetime.combine(next(iter(days)), time()) + timedelta(seconds=seconds)
            p.drawText(QRectF(at - 30, 128, 60, 16), Qt.AlignmentFlag.AlignCenter, f"{moment:%H:%M}")
        self._keys(p)

    def _light(self, p: QPainter, table: Timetable, x: Callable[[datetime], float]) -> None:
        left, right = 30.0, self.width() - 30.0
        light = table.daylight
        if light is not None and light.sunrise is not None and light.sunset is not None:
            a, b = max(x(light.sunrise), left), min(x(light.sunset), right)
            p.fillRect(QRectF(left, 8, right - left, 112), theme.colour("muted", 0.16))
            if b > a:
                p.fillRect(QRectF(a, 8, b - a, 112), theme.colour("panel"))

    def _steps(
        self,
        p: QPainter,
        steps: Sequence[Step],
        x: Callable[[datetime], float],
        mid: float,
        tall: float,
        named: bool = True,
    ) -> None:
        """Draw steps around a line; runs with the colour and shape of their side."""
        for step in steps:
            a, b = x(step.start), x(step.end)
            box = QRectF(a, mid - tall / 2, max(b - a - 1, 1.5), tall)
            if step.kind == "run":
                trial = self._trials.get(step.configuration)
                name = "baseline" if trial is None else trial_colour(trial)
                p.fillRect(box, theme.colour(name, 0.28))
                draw_mark(p, QPointF((a + b) / 2, mid), min(16.0, b - a - 4, tall - 2), trial, theme.colour(name))
                if named:
                    p.setPen(theme.colour("ink"))
                    p.drawText(QRectF(a - 10, mid + 19, b - a + 20, 16), Qt.AlignmentFlag.AlignCenter, step.run)
            else:
                p.fillRect(box.adjusted(0, tall / 4.5, 0, -tall / 4.5), theme.colour(self.INKS[step.kind], 0.75))

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

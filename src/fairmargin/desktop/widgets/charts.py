"""Charts drawn by hand in the theme: pairs, waterfalls, order of runs."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QFontMetricsF, QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from fairmargin.core.words import minus, signed
from fairmargin.desktop.theme import font, theme, trial_colour
from fairmargin.desktop.widgets.axis import Axis
from fairmargin.desktop.widgets.basics import draw_mark
from fairmargin.desktop.widgets.decimals import Painter
from fairmargin.desktop.widgets.drawn import Drawn

if TYPE_CHECKING:  # the list draws an order of runs before there is any result
    from fairmargin.core.result.pairs import Pair, PairRow


class Chart(Drawn):
    """Common to the drawn charts: antialiased, redrawn with the theme."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        theme.changed.connect(self.update)

    def paintEvent(self, _event: object) -> None:
        painter = Painter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self.draw(painter)
        painter.end()

    def draw(self, p: QPainter) -> None:
        """Draw everything."""

    def empty(self, p: QPainter, words: str) -> None:
        """Say what to do next in the middle."""
        p.setPen(theme.colour("muted"))
        p.setFont(font(13))
        flags = Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap
        p.drawText(QRectF(20, 0, self.width() - 40, self.height()), flags, words)


class PairsChart(Chart):
    """Each pair as dots on one scale: as read (open), corrected (filled), its own margin."""

    ROW = 31

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._pairs: Sequence[Pair] = ()
        self._trial = 0

    def show_pairs(self, pairs: Sequence[Pair], trial_index: int) -> None:
        """Redraw from the pairs of one comparison."""
        self._pairs, self._trial = pairs, trial_index
        self.setMinimumHeight(min(len(pairs), 8) * 18 + 36)
        directions = ", ".join(
            f"{p.number} {p.direction}: as read {signed(p.measured_percent)} %"
            + (f", corrected {signed(p.corrected_percent)} %" if p.corrected_percent is not None else "")
            + ("" if p.included else f", left out: {p.reason}")
            for p in pairs
        )
        self.setAccessibleName(f"Pairs: {directions}" if pairs else "No pairs yet")
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(400, self.minimumHeight())

    def draw(self, p: QPainter) -> None:
        if not self._pairs:
            self.empty(p, "Pairs appear here when both configurations have a reading in the same direction.")
            return
        from fairmargin.core.result.pairs import pair_row

        rows = [pair_row(pair) for pair in self._pairs]
        points = [0.0, *(v for row in rows for v in row.reach)]
        bottom = self.height() - 26.0
        axis = Axis.whole_ticks(min(points), max(points), 92.0, self.width() - 26.0, 7)
        height = min(self.ROW + 8.0, (bottom - 4) / len(rows))
        p.setFont(font(12))
        fine = 0 if axis.step >= 1 else 1
        axis.draw_across(p, 0, bottom, lambda v: signed(v, fine) if v else "0", zero=True)
        for i, row in enumerate(rows):
            self._draw_row(p, row, axis, height * (i + 0.5))

    def _draw_row(self, p: QPainter, row: PairRow, axis: Axis, y: float) -> None:
        name = trial_colour(self._trial)
        p.setFont(font(13, 600))
        p.setPen(theme.colour("muted" if row.left_out else "ink"))
        p.drawText(QPointF(4, y + 5), row.label)
        ink = theme.colour(name, 0.5 if row.left_out else 1.0)
        read = QPointF(axis.at(row.read), y)
        if row.interval is not None and row.corrected is not None:
            lo, hi = (axis.at(v) for v in row.interval)
            p.fillRect(QRectF(lo, y - 2.5, hi - lo, 5), theme.colour(name, 0.4))
            p.setPen(QPen(theme.colour("muted"), 1.2, Qt.PenStyle.DotLine))
            p.drawLine(read, QPointF(axis.at(row.corrected), y))
        draw_mark(p, read, 13, self._trial, ink, filled=False)
        if row.corrected is not None:
            draw_mark(p, QPointF(axis.at(row.corrected), y), 14, self._trial, ink)
        if row.left_out:
            metrics = QFontMetricsF(font(12))
            p.setPen(theme.colour("muted"))
            p.setFont(font(12))
            width = metrics.horizontalAdvance(row.left_out)
            if read.x() - width - 14 > axis.start:
                p.drawText(QPointF(read.x() - width - 12, y + 4), row.left_out)
            else:
                room = axis.end - read.x() - 12
                short = metrics.elidedText(row.left_out, Qt.TextElideMode.ElideRight, room)
                p.drawText(QPointF(read.x() + 12, y + 4), short)


@dataclass(frozen=True, slots=True)
class Fall:
    """A waterfall's content in shown units."""

    start: float
    lines: tuple[tuple[str, float], ...]
    end: float
    unit: str
    decimals: int


def fall_of(measured: float, corrections: Sequence[tuple[str, float]], factor: float, unit: str, decimals: int) -> Fall:
    """Build a waterfall from Wh/km, scaled by `factor`; as read, lines and corrected add up as they are printed."""
    from fairmargin.core.result.corrections import line_words
    from fairmargin.core.result.steps import rounded

    start, end = measured * factor, (measured + sum(v for _, v in corrections)) * factor
    figures = rounded(start, [value * factor for _, value in corrections], end, decimals)
    shown = tuple((line_words(name), x) for (name, _), x in zip(corrections, figures, strict=True))
    return Fall(start, shown, end, unit, decimals)


class Waterfall(Chart):
    """From read to corrected, one condition after another."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._fall: Fall | None = None
        self.setMinimumHeight(92)

    def show_fall(self, fall: Fall | None) -> None:
        """Redraw."""
        self._fall = fall
        if fall is not None:
            parts = ", ".join(f"{n} {signed(v, fall.decimals)}" for n, v in fall.lines)
            self.setAccessibleName(
                f"As read {minus(f'{fall.start:.{fall.decimals}f}')}, {parts}, "
                f"corrected {minus(f'{fall.end:.{fall.decimals}f}')} {fall.unit}"
            )
        self.update()

    def draw(self, p: QPainter) -> None:
        fall = self._fall
        if fall is None:
            self.empty(p, "The corrections of a leg appear here once it has a reading.")
            return
        columns = len(fall.lines) + 2
        width = self.width() / columns
        bar = min(58.0, width * 0.72)
        level, levels = fall.start, [fall.start]
        for _, value in fall.lines:
            level += value
            levels.append(level)
        low, high = min([*levels, fall.end]), max([*levels, fall.end])
        span = max(high - low, abs(fall.start) * 0.01)
        top, bottom = 24.0, self.height() - 22.0
        floor = low - span * 0.55
        y = Axis(floor, high, bottom, top).at

        small = font(12)
        metrics = QFontMetricsF(small)

        def text_at(column: int, line: float, text: str, weight: int = 400, colour: str = "ink") -> None:
            p.setFont(font(12, weight))
            p.setPen(theme.colour(colour))
            shown = metrics.elidedText(text, Qt.TextElideMode.ElideRight, width + 6)
            middle = width * (column + 0.5)
            p.drawText(QRectF(middle - width / 2 - 4, line, width + 8, 18), Qt.AlignmentFlag.AlignCenter, shown)

        def column_bar(column: int, a: float, b: float, colour: str) -> None:
            up, down = min(y(a), y(b)), max(y(a), y(b))
            p.fillRect(QRectF(width * (column + 0.5) - bar / 2, up, bar, max(down - up, 2.0)), theme.colour(colour))

        column_bar(0, fall.start, floor, "band")
        text_at(0, y(fall.start) - 20, f"{fall.start:.{fall.decimals}f}", 600)
        text_at(0, bottom + 3, "as read", colour="muted")
        level = fall.start
        for i, (name, value) in enumerate(fall.lines, start=1):
            p.setPen(QPen(theme.colour("rule"), 1, Qt.PenStyle.DotLine))
            p.drawLine(QPointF(width * (i - 0.5) + bar / 2, y(level)), QPointF(width * (i + 0.5) - bar / 2, y(level)))
            column_bar(i, level, level + value, "fine" if value < 0 else "caution")
            text_at(i, min(y(level), y(level + value)) - 19, signed(value, fall.decimals))
            text_at(i, bottom + 3, name, colour="muted")
            level += value
        last = columns - 1
        column_bar(last, fall.end, floor, "band")
        text_at(last, y(fall.end) - 20, f"{fall.end:.{fall.decimals}f}", 600)
        text_at(last, bottom + 3, "corrected", colour="muted")


@dataclass(frozen=True, slots=True)
class LegStrip:
    """One leg for the strip chart."""

    name: str
    trial: int | None
    direction: str
    included: bool
    measured: float
    corrected: float | None


class LegStrips(Chart):
    """Legs in the order driven, as read (open) and corrected (filled), on one scale."""

    legChosen = Signal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._legs: Sequence[LegStrip] = ()
        self._chosen = ""
        self._unit = ""
        self._means: dict[int | None, float] = {}
        self.setMinimumHeight(190)

    def show_legs(
        self, legs: Sequence[LegStrip], chosen: str, unit: str, means: dict[int | None, float] | None = None
    ) -> None:
        """Redraw; `means` are level lines per configuration."""
        self._legs, self._chosen, self._unit, self._means = legs, chosen, unit, means or {}
        told = [
            f"{x.name} {x.direction} {x.measured:.1f}"
            + (f", corrected {minus(f'{x.corrected:.1f}')}" if x.corrected is not None else "")
            + ("" if x.included else ", left out")
            for x in legs
        ]
        self.setAccessibleName(f"Legs, {unit}: {'; '.join(told)}" if told else "No legs yet")
        self.update()

    def _column(self) -> float:
        return (self.width() - 56.0) / max(len(self._legs), 1)

    def draw(self, p: QPainter) -> None:
        if not self._legs:
            self.empty(p, "Legs appear here as their readings are typed in.")
            return
        values = [leg.measured for leg in self._legs] + [x for leg in self._legs if (x := leg.corrected)]
        low, high = min(values), max(values)
        pad = max((high - low) * 0.12, high * 0.005)
        left, right, top, bottom = 50.0, self.width() - 6.0, 8.0, self.height() - 34.0
        axis = Axis(low - pad, high + pad, bottom, top, 5)
        y = axis.at
        p.setFont(font(12))
        axis.draw_upright(p, left, right, lambda v: f"{v:.{axis.decimals}f}")
        for trial, value in self._means.items():
            name = "baseline" if trial is None else trial_colour(trial)
            p.setPen(QPen(theme.colour(name, 0.7), 1.5, Qt.PenStyle.DashLine))
            p.drawLine(QPointF(left, y(value)), QPointF(right, y(value)))
        width = self._column()
        for i, leg in enumerate(self._legs):
            x = left + width * (i + 0.5)
            if leg.name == self._chosen:
                p.fillRect(QRectF(x - width / 2, top, width, bottom - top + 30), theme.colour("band", 0.6))
            name = "baseline" if leg.trial is None else trial_colour(leg.trial)
            ink = theme.colour(name, 1.0 if leg.included else 0.45)
            if leg.corrected is not None:
                p.setPen(QPen(theme.colour("muted"), 1.2, Qt.PenStyle.DotLine))
                p.drawLine(QPointF(x, y(leg.measured)), QPointF(x, y(leg.corrected)))
            draw_mark(p, QPointF(x, y(leg.measured)), 12, leg.trial, ink, filled=False)
            if leg.corrected is not None:
                draw_mark(p, QPointF(x, y(leg.corrected)), 13, leg.trial, ink)
            if not leg.included:
                p.setPen(QPen(theme.colour("muted"), 1.6))
                p.drawLine(QPointF(x - 8, y(leg.measured) + 8), QPointF(x + 8, y(leg.measured) - 8))
            p.setPen(theme.colour("ink" if leg.name == self._chosen else "muted"))
            p.setFont(font(11 if width < 34 else 12, 600 if leg.name == self._chosen else 400))
            box = QRectF(x - width / 2 - 4, bottom + 2, width + 8, 16)
            p.drawText(box, Qt.AlignmentFlag.AlignCenter, leg.name)
            p.drawText(box.translated(0, 14), Qt.AlignmentFlag.AlignCenter, leg.direction)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        index = int((event.position().x() - 50.0) // self._column())
        if 0 <= index < len(self._legs):
            self.legChosen.emit(self._legs[index].name)


def _side(trial: int | None) -> str:
    return "baseline" if trial is None else f"trial {trial + 1}"


class OrderStrip(Chart):
    """The runs in their order, as marks on a line, with block brackets."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._runs: Sequence[tuple[str, tuple[int | None, ...], str, str]] = ()  # run, sides, state, block
        self.setFixedHeight(92)

    def show_runs(self, runs: Sequence[tuple[str, tuple[int | None, ...], str, str]]) -> None:
        """Redraw: of every run its name, the number of its trial (or of both, side by side), its state and block."""
        self._runs = runs
        told = [f"{run} {' and '.join(_side(t) for t in trials)}, {state}" for run, trials, state, _ in runs]
        self.setAccessibleName(f"Order of runs: {'; '.join(told)}" if told else "No runs laid out yet")
        self.update()

    def draw(self, p: QPainter) -> None:
        if not self._runs:
            self.empty(p, "No runs laid out yet. Choose an order below.")
            return
        width = min(84.0, (self.width() - 24.0) / len(self._runs))
        p.setPen(QPen(theme.colour("rule"), 2))
        p.drawLine(QPointF(10, 40), QPointF(14 + width * len(self._runs), 40))
        block_start = 0
        for i, (run, trials, state, block) in enumerate(self._runs):
            x = 12 + width * (i + 0.5)
            size = min(22.0, width / len(trials) - 2.0)
            for k, trial in enumerate(trials):
                name = "baseline" if trial is None else trial_colour(trial)
                ink = theme.colour(name, 0.45 if state == "left out" else 1.0)
                at = x + (k - (len(trials) - 1) / 2) * (size + 4.0)
                draw_mark(p, QPointF(at, 40), size, trial, ink, filled=state == "driven")
            p.setPen(theme.colour("muted"))
            p.setFont(font(12))
            p.drawText(QRectF(x - width / 2, 56, width, 16), Qt.AlignmentFlag.AlignCenter, run)
            p.drawText(QRectF(x - width / 2, 70, width, 16), Qt.AlignmentFlag.AlignCenter, state)
            last = i == len(self._runs) - 1
            if last or self._runs[i + 1][3] != block:
                a, b = 12 + width * block_start + 8, 12 + width * (i + 1) - 8
                p.setPen(QPen(theme.colour("muted"), 1.2))
                p.drawPolyline([QPointF(a, 18), QPointF(a, 13), QPointF(b, 13), QPointF(b, 18)])
                p.drawText(QPointF(a + 2, 10), f"block {block}" if block else "")
                block_start = i + 1


class RangeBars(Chart):
    """Range of baseline and trial from the usable capacity, with the margin at the tip."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._bars: Sequence[tuple[str, int | None, float, float, float, float]] = ()
        self._unit = "km"

    def show_bars(self, bars: Sequence[tuple[str, int | None, float, float, float, float]], unit: str) -> None:
        """Bars of (name, trial, full, to reserve, low, high) in `unit`."""
        self._bars, self._unit = bars, unit
        told = [f"{name} {reserve:.0f} ({low:.0f} to {high:.0f})" for name, _, _, reserve, low, high in bars]
        self.setAccessibleName(f"Range to the reserve, {unit}: {'; '.join(told)}" if told else "No ranges yet")
        self.setMinimumHeight(max(1, len(bars)) * 58 + 30)
        self.update()

    def draw(self, p: QPainter) -> None:
        if not self._bars:
            self.empty(p, "Enter the usable capacity of the battery to see ranges.")
            return
        longest = max(b[5] for b in self._bars) * 1.04
        left, right = 8.0, self.width() - 20.0

        def x(value: float) -> float:
            return left + value / longest * (right - left)

        for i, (name, trial, full, reserve, low, high) in enumerate(self._bars):
            y = 8.0 + 58.0 * i
            ink = theme.colour("baseline" if trial is None else trial_colour(trial))
            draw_mark(p, QPointF(left + 8, y + 9), 13, trial, ink)
            p.setFont(font(13, 600))
            p.setPen(theme.colour("ink"))
            bold, room = QFontMetricsF(font(13, 600)), right - left - 30
            shown = bold.elidedText(name, Qt.TextElideMode.ElideRight, 0.45 * room)
            p.drawText(QPointF(left + 22, y + 14), shown)
            p.setFont(font(12))
            text = f"{reserve:.0f} {self._unit} to the reserve, {full:.0f} to empty"
            if high - low > 0.5:
                text = f"{reserve:.0f} {self._unit} to the reserve ({low:.0f} to {high:.0f}), {full:.0f} to empty"
            p.setPen(theme.colour("muted"))
            taken = bold.horizontalAdvance(shown) + 10
            p.drawText(
                QPointF(left + 22 + taken, y + 14),
                QFontMetricsF(font(12)).elidedText(text, Qt.TextElideMode.ElideRight, room - taken),
            )
            tint = theme.colour("baseline" if trial is None else trial_colour(trial), 0.3)
            p.fillRect(QRectF(left, y + 22, x(full) - left, 16), tint)
            p.fillRect(QRectF(left, y + 22, x(reserve) - left, 16), ink)
            if high - low > 0.5:
                p.setPen(QPen(theme.colour("ink"), 1.6))
                for end in (low, high):
                    p.drawLine(QPointF(x(end), y + 18), QPointF(x(end), y + 42))
                p.drawLine(QPointF(x(low), y + 30), QPointF(x(high), y + 30))

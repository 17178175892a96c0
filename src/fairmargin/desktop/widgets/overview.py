"""All comparisons at a glance: every effect with its margin on one scale; and what each configuration took."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QFocusEvent, QKeyEvent, QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import QHeaderView, QSizePolicy, QTableWidgetItem, QWidget

from fairmargin.core.result.results import Result
from fairmargin.core.result.types import Comparison
from fairmargin.core.study import Study
from fairmargin.core.units import UnitChoice
from fairmargin.core.units import label as unit_label
from fairmargin.core.words import signed
from fairmargin.desktop.theme import font, theme, trial_colour
from fairmargin.desktop.widgets.axis import Axis
from fairmargin.desktop.widgets.basics import as_tip, draw_mark
from fairmargin.desktop.widgets.decimals import Painter
from fairmargin.desktop.widgets.drawn import Drawn
from fairmargin.desktop.widgets.tables import Table, filled_at_once
from fairmargin.exchange.words.figures import distance_words, span_words
from fairmargin.exchange.words.names import comparison_name, result_name, units_of
from fairmargin.exchange.words.results import level_words

ROW = 26.0  # height of a line, px
LABEL_SHARE = 0.38  # of the width, for what a line is of
WORDS = 150.0  # for the verdict at the right, px


@dataclass(frozen=True, slots=True)
class _Line:
    name: str
    effect: float
    interval: tuple[float, float]
    read: float
    word: str
    trial: int
    whole: bool


class OverviewChart(Drawn):
    """A line for each comparison; arrows choose one, Enter goes to its pairs."""

    chosen = Signal(int)
    opened = Signal(int)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("All comparisons")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self._lines: list[_Line] = []
        self._now = 0
        theme.changed.connect(self.update)

    def show_comparisons(self, study: Study, comparisons: Sequence[Comparison], now: int, units: UnitChoice) -> None:
        """Show every comparison; `now` is the one that bar, ledger and the other pages speak of."""
        against = len({c.baseline for c in comparisons}) > 1
        self._lines = [
            _Line(
                comparison_name(study, c, units, against), c.effect_percent, c.interval_percent, c.as_measured_percent,
                c.verdict, study.trial_number(c.trial), c.sector == "whole",
            )
            for c in comparisons
        ]  # fmt: skip
        self._now = min(now, max(len(self._lines) - 1, 0))
        if self._lines:
            line = self._lines[self._now]
            low, high = line.interval
            self.setAccessibleDescription(
                f"{self._now + 1} of {len(self._lines)}: {line.name}: {signed(line.effect)} % ({signed(low)} to {signed(high)}), "
                f"as read {signed(line.read)} %: {line.word}"
            )
        self.setFixedHeight(int(ROW * max(len(self._lines), 1) + 30))
        self.update()

    @property
    def names(self) -> list[str]:
        """What the lines are of, top to bottom."""
        return [line.name for line in self._lines]

    def sizeHint(self) -> QSize:
        return QSize(600, int(ROW * max(len(self._lines), 1) + 30))

    def _axis(self) -> Axis:
        ends = [v for line in self._lines for v in (*line.interval, line.read, 0.0)]
        pad = 0.04 * (max(ends) - min(ends) or 1.0)
        start = self.width() * LABEL_SHARE
        room = self.width() - WORDS - start
        return Axis.whole_ticks(min(ends) - pad, max(ends) + pad, start, start + room, max(2, min(7, int(room / 75))))

    def paintEvent(self, _event: object) -> None:
        if not self._lines:
            return
        p = Painter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setFont(font(12))
        axis, bottom = self._axis(), ROW * len(self._lines) + 4
        axis.draw_across(p, 2, bottom, lambda v: "0" if v == 0 else f"{signed(v, axis.decimals)} %", zero=True)
        for i, line in enumerate(self._lines):
            top = ROW * i
            if i == self._now:
                p.fillRect(QRectF(0, top + 1, self.width(), ROW - 2), theme.colour("band"))
                if self.hasFocus():
                    p.setPen(QPen(theme.colour("ink"), 1.4))
                    p.drawRect(QRectF(1, top + 1, self.width() - 2, ROW - 2))
            self._draw(p, axis, line, top + ROW / 2)
        p.end()

    def _draw(self, p: QPainter, axis: Axis, line: _Line, y: float) -> None:
        """One comparison: name, interval, as read, verdict."""
        p.setPen(theme.colour("ink"))
        p.setFont(font(13, 600 if line.whole else 400))
        room = axis.start - 16
        name = p.fontMetrics().elidedText(line.name, Qt.TextElideMode.ElideRight, int(room))
        middle = Qt.AlignmentFlag.AlignVCenter
        p.drawText(QRectF(4, y - ROW / 2, room, ROW), middle, name)
        ink = theme.colour(trial_colour(line.trial))
        low, high = (axis.at(v) for v in line.interval)
        p.fillRect(QRectF(low, y - 5, max(high - low, 1.0), 10), theme.colour(trial_colour(line.trial), 0.32))
        draw_mark(p, QPointF(axis.at(line.read), y), 9, line.trial, ink, False)
        draw_mark(p, QPointF(axis.at(line.effect), y), 12, line.trial, ink)
        p.setPen(theme.colour("ink"))
        p.setFont(font(13))
        words = f"{signed(line.effect)} % \u00b1 {(line.interval[1] - line.interval[0]) / 2:.1f}"
        p.drawText(QRectF(axis.end + 12, y - ROW / 2, WORDS - 16, ROW), middle, words)

    # ------------------------------------------------------------ choosing

    def _choose(self, index: int) -> None:
        if 0 <= index < len(self._lines) and index != self._now:
            self.chosen.emit(index)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._choose(int(event.position().y() // ROW))

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.opened.emit(int(event.position().y() // ROW))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = event.key()
        if key == Qt.Key.Key_Down:
            self._choose(self._now + 1)
        elif key == Qt.Key.Key_Up:
            self._choose(self._now - 1)
        elif key in {Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space}:
            self.opened.emit(self._now)
        else:
            super().keyPressEvent(event)

    def focusInEvent(self, event: QFocusEvent) -> None:
        super().focusInEvent(event)
        self.update()

    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        self.update()


class ResultsTable(Table):
    """What each configuration took: as driven, at the reference (named in the head), range, each way; with margins."""

    COLUMNS = ("", "as driven", "at reference", "range as driven", "each way")

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(0, len(self.COLUMNS), "What each configuration took", parent)
        self.setShowGrid(False)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAsNeeded)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        self.horizontalHeader().setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)

    def show_results(self, study: Study, results: Sequence[Result], units: UnitChoice) -> None:
        """Show every result; columns that nothing fills are hidden."""
        heads = list(self.COLUMNS)
        if results:
            heads[2] = level_words(study, results[0], units)
        with filled_at_once(self):
            self.setHorizontalHeaderLabels(heads)
            self.setRowCount(len(results))
            for row, r in enumerate(results):
                for column, text in enumerate(self._cells(study, r, units)):
                    item = QTableWidgetItem(text)
                    item.setToolTip(as_tip(text))
                    if column:
                        item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                    if r.sector == "whole":
                        item.setFont(font(13, 600))
                    self.setItem(row, column, item)
            for column in range(1, len(self.COLUMNS)):
                cells = [self.item(row, column) for row in range(len(results))]
                self.setColumnHidden(column, not any(cell is not None and cell.text() for cell in cells))
        self.resizeRowsToContents()
        for row in range(self.rowCount()):
            self.setRowHeight(row, self.rowHeight(row) + 8)
        height = self.horizontalHeader().sizeHint().height() + 6
        height += sum(self.rowHeight(i) for i in range(self.rowCount()))
        self.setFixedHeight(height + 14)

    def _cells(self, study: Study, r: Result, units: UnitChoice) -> list[str]:
        """One result as a line; the unit stands with its figures, since vehicles may differ in it."""
        own = units_of(study, r.vehicle, units)
        unit = unit_label(own.consumption)

        def figure(wh_per_km: float | None) -> str:
            if wh_per_km is None:
                return ""
            value = own.show_consumption(wh_per_km)
            return f"{value:.{0 if value >= 100 else 1 if value >= 10 else 2}f} {unit}"

        def around(text: str, ends: str) -> str:
            return f"{text}\n{ends}" if text and ends else text

        reach = r.range_interval_km
        ways = [
            f"{d.direction} {figure(d.as_driven_wh_per_km)}"
            + ("" if d.range_km is None else f" \u00b7 {distance_words(d.range_km, units)}")
            for d in r.directions
        ]
        return [
            result_name(study, r, units),
            around(
                figure(r.as_driven_wh_per_km),
                "" if r.as_driven_interval is None else span_words(r.as_driven_interval, own),
            ),
            around(figure(r.wh_per_km), "" if r.interval_wh_per_km is None else span_words(r.interval_wh_per_km, own)),
            around(
                "" if r.range_km is None else distance_words(r.range_km, units),
                "" if reach is None else "{:.0f} to {:.0f}".format(*(units.show("distance", v) for v in reach)),
            ),
            "\n".join(ways),
        ]

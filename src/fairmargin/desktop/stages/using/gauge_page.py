"""The car's own forecasts: what its gauge promised, and what came, over every trip of the logbook."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPen
from PySide6.QtWidgets import QHBoxLayout, QHeaderView, QTableWidgetItem, QWidget

from fairmargin.core.outcome.gauge import GaugeRecord, gauge_record, promises_of
from fairmargin.core.study import Study
from fairmargin.core.units import read_in
from fairmargin.core.words import signed
from fairmargin.desktop.stages.base import Field
from fairmargin.desktop.stages.using.page import UsePage
from fairmargin.desktop.state.session import Session
from fairmargin.desktop.theme import font, theme
from fairmargin.desktop.widgets.axis import Axis
from fairmargin.desktop.widgets.basics import draw_mark, label, panel
from fairmargin.desktop.widgets.charts import Chart
from fairmargin.desktop.widgets.tables import Table
from fairmargin.exchange.words.figures import distance_words

HEADS = ("Trip", "Distance", "Promised", "Found", "Short by", "Energy", "The climb alone")


class PromisesChart(Chart):
    """Promised against found; what lies under the line came worse than was promised."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFixedHeight(230)
        self._record = GaugeRecord(())

    def show_record(self, record: GaugeRecord) -> None:
        """Redraw."""
        self._record = record
        self.setAccessibleName(record.words())
        self.update()

    def draw(self, p: QPainter) -> None:
        every = self._record.promises
        if not every:
            self.empty(p, "What the gauge promised and what came is drawn here.")
            return
        top, bottom, left = 16.0, self.height() - 36.0, 56.0
        right = min(self.width() - 20.0, left + 420.0)
        across = Axis(0.0, 100.0, left, right, 5, 20.0)
        up = Axis(0.0, 100.0, bottom, top, 5, 20.0)
        p.setFont(font(12))
        up.draw_upright(p, left, right, lambda v: f"{v:.0f}", False)
        across.draw_across(p, bottom, bottom + 4, lambda v: f"{v:.0f}")
        p.setPen(theme.colour("muted"))
        p.drawText(QPointF(left + 4, top + 10), "found at the end, %")
        p.drawText(QRectF(left, bottom + 18, right - left, 16), Qt.AlignmentFlag.AlignRight, "promised before, %")
        p.setPen(QPen(theme.colour("ink"), 1.2, Qt.PenStyle.DashLine))
        p.drawLine(QPointF(across.at(0), up.at(0)), QPointF(across.at(100), up.at(100)))
        for x in every:
            at = QPointF(across.at(min(max(x.promised_percent, 0), 100)), up.at(min(max(x.found_percent, 0), 100)))
            draw_mark(p, at, 11, None, theme.colour("baseline"))


class GaugePage(UsePage):
    """Promised and found."""

    def __init__(self, session: Session, touch: Callable[[], None], parent: QWidget | None = None) -> None:
        super().__init__(session, touch, parent)
        frame, box = panel()
        box.addWidget(label("What the gauge promised, and what came", "heading"))
        self.words = label("", wrap=True)
        self.words.setStyleSheet("font-size: 14px;")
        box.addWidget(self.words)
        row = QHBoxLayout()
        self.leaving = Field("Leaving with", self._percent("leaving"), unit="%")
        self.promise = Field("it promises at the end", self._percent("promise"), unit="%")
        for made in (self.leaving, self.promise):
            made.edit.setFixedWidth(70)
            row.addWidget(made)
        self.expected = label("", wrap=True)
        self.expected.setAccessibleName("What to expect at the end of this trip")
        row.addWidget(self.expected, 1)
        box.addLayout(row)
        self.chart = PromisesChart()
        box.addWidget(self.chart)
        self.table = Table(0, len(HEADS), "Promised and found, trip by trip")
        self.table.setHorizontalHeaderLabels(HEADS)
        box.addWidget(self.table)
        self._typed: dict[str, float] = {}
        self._record = GaugeRecord(())
        self.body.addWidget(frame)
        self.body.addWidget(
            label(
                "Before a trip, note the charge that the car promises for its end: on the sheet, under More, Forecast at end.",
                "muted", wrap=True,
            )
        )  # fmt: skip
        self.body.addStretch()
        self._read: tuple[object, tuple[Study, ...]] | None = None

    def _percent(self, name: str) -> Callable[[str], None]:
        """Keep a charge that is asked about; it is no reading of any leg."""

        def commit(text: str) -> None:
            if text:
                value = read_in(text, "%")
                if not 0 <= value <= 100:
                    raise ValueError(f"{value:g} % is no charge; expected 0 to 100 %")
                self._typed[name] = value
            else:
                self._typed.pop(name, None)
            self._show_expected()

        return commit

    def _show_expected(self) -> None:
        """What the next trip would end with, where both charges are told."""
        if len(self._typed) < 2:
            self.expected.setText("")
            return
        confidence = self.study.confidence
        found = self._record.expected(self._typed["leaving"], self._typed["promise"], confidence)
        self.expected.setText("" if found is None else found.words(confidence))

    def subtitle(self, study: Study) -> str:
        return "the car's own forecasts"

    def _studies(self, study: Study) -> tuple[Study, ...]:
        """Studies of the logbook that hold forecasts, the open one as it is now."""
        book = self.session.logbook
        key = (book, self.session.study_id, len(study.legs))
        if self._read is None or self._read[0] != key:
            others = () if book is None else tuple(s for _, s in book.forecasts(self.session.study_id))
            self._read = (key, others)
        return (*self._read[1], study)

    def refresh(self, study: Study) -> None:
        record = gauge_record(self._studies(study), self.vehicle.name, study.confidence)
        self.words.setText(record.words())
        self.chart.show_record(record)
        self.chart.setVisible(bool(record.promises))
        self._record = record
        for made in (self.leaving, self.promise):
            made.setVisible(record.share_percent is not None)
        self._show_expected()
        self.table.setVisible(bool(record.promises))
        own = {(study.title, p.leg) for p in promises_of(study)}
        self.table.setRowCount(len(record.promises))
        for i, p in enumerate(record.promises):
            where = p.leg if (p.title, p.leg) in own else f"{p.title}, {p.leg}"
            cells = (
                f"{p.day:%Y-%m-%d} {where}" if p.day else where,
                "" if p.km is None else distance_words(float(p.km), self.units),
                f"{p.promised_percent:g} %",
                f"{p.found_percent:g} %",
                f"{signed(p.short_percent, 0)} %",
                "" if p.kwh_short is None else f"{signed(p.kwh_short)} kWh",
                "" if p.climb_kwh is None else f"{signed(p.climb_kwh)} kWh",
            )
            for j, text in enumerate(cells):
                item = QTableWidgetItem(text)
                item.setTextAlignment(
                    Qt.AlignmentFlag.AlignVCenter | (Qt.AlignmentFlag.AlignRight if j else Qt.AlignmentFlag.AlignLeft)
                )
                self.table.setItem(i, j, item)
        self.table.resizeColumnsToContents()
        self.table.horizontalHeader().setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        rows = min(len(record.promises), 12)
        self.table.setFixedHeight(self.table.horizontalHeader().height() + 30 * rows + 6)

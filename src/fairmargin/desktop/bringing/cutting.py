"""Where a log is cut, and which legs get its pieces."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from datetime import datetime, timedelta
from pathlib import Path
from typing import Final

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QHBoxLayout,
    QHeaderView,
    QPushButton,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from fairmargin.core.study.entry import words_of
from fairmargin.core.units import read_duration_s, show_duration
from fairmargin.desktop.bringing.base import BringDialog, day_of, plain_table
from fairmargin.desktop.state.session import Session
from fairmargin.desktop.theme import theme, trial_colour
from fairmargin.desktop.widgets.axis import dress
from fairmargin.desktop.widgets.basics import as_tip, label
from fairmargin.desktop.widgets.dates import day_words
from fairmargin.desktop.widgets.decimals import as_here
from fairmargin.desktop.widgets.drawn import as_drawn
from fairmargin.desktop.widgets.inputs import Choice, NumberBox
from fairmargin.exchange.logs.formats import format_of_file
from fairmargin.exchange.logs.legs import Piece, piece_km, pieces_of, suggest, take
from fairmargin.exchange.logs.loggers import ImportedLog

CURVE_POINTS: Final = 4000


class CuttingDialog(BringDialog):
    """A log that was read, its pieces on a curve and in a list, each with its leg."""

    path: Path
    kind: str

    def __init__(self, session: Session, title: str, button: str, parent: QWidget | None = None) -> None:
        super().__init__(session, title, button, parent)
        self.log: ImportedLog | None = None
        self.pieces: list[Piece] = []

    def _build_cutting(self, box: QVBoxLayout) -> None:
        head = QHBoxLayout()
        head.addWidget(label("Cut it into legs", "heading"))
        self.how = Choice()
        self.how.setAccessibleName("Where to cut")
        for key, words in (
            ("coasts", "into coasting runs"),
            ("gates", "at the road's gates"),
            ("stops", "at stops of a minute"),
            ("whole", "not at all"),
        ):
            self.how.addItem(words, key)
        self.how.activated.connect(self.recut)
        head.addWidget(self.how)
        self.add_piece = QPushButton("One more piece")
        self.add_piece.setToolTip("Then drag its edges on the curve")
        self.add_piece.clicked.connect(self._one_more)
        head.addWidget(self.add_piece)
        head.addStretch()
        head.addWidget(label("Hours to add to its clock"))
        self.hours = NumberBox()
        self.hours.setRange(-14, 14)
        self.hours.setSingleStep(0.5)
        self.hours.setDecimals(1)
        self.hours.setAccessibleName("Hours to add to the log's clock")
        self.hours.setToolTip("Tracks are in UTC; the study is in local time")
        if self.kind == "track" and format_of_file(self.path).in_utc:
            away = day_of(self.study).astimezone().utcoffset() or timedelta()
            self.hours.setValue(away.total_seconds() / 3600.0)
        self.hours.valueChanged.connect(self._suggest)
        head.addWidget(self.hours)
        box.addLayout(head)
        self._plot_box = QVBoxLayout()
        box.addLayout(self._plot_box, 3)
        self.list = plain_table(["From, min", "To, min", "Driven", "Direction", "Leg", "Begins"], "Pieces of the log")
        self.list.setMinimumHeight(150)
        columns = self.list.horizontalHeader()
        columns.setStretchLastSection(False)
        columns.setSectionResizeMode(4, QHeaderView.ResizeMode.Stretch)
        self.list.setEditTriggers(
            QAbstractItemView.EditTrigger.DoubleClicked
            | QAbstractItemView.EditTrigger.EditKeyPressed
            | QAbstractItemView.EditTrigger.AnyKeyPressed
        )
        self.list.itemChanged.connect(self._typed)
        box.addWidget(self.list, 2)
        self._plot: object = None
        self._regions: list[object] = []

    def recut(self, *_: object) -> None:
        """Cut anew as chosen."""
        if self.log is None:
            return
        self.pieces = pieces_of(self.study, self.log.trace, str(self.how.currentData()))  # type: ignore[arg-type]
        self._draw()
        self._suggest()

    def _one_more(self) -> None:
        if self.log is None:
            return
        t = self.log.trace.time_s
        last = self.pieces[-1].end_s if self.pieces else float(t[0])
        room = float(t[-1]) - last
        start = last + 0.1 * room if room > 60 else float(t[0])
        self.pieces.append(Piece(start, start + max(30.0, 0.3 * room)))
        self._draw()
        self._suggest()

    def _draw(self) -> None:
        import pyqtgraph as pg

        assert self.log is not None
        if self._plot is None:
            plot = pg.PlotWidget()
            plot.setMenuEnabled(False)
            plot.hideButtons()
            plot.setMinimumHeight(150)
            plot.setMouseEnabled(y=False)
            as_drawn(plot)
            self._plot_box.addWidget(plot)
            self._plot = plot
        plot = self._plot
        assert isinstance(plot, pg.PlotWidget)
        plot.clear()
        plot.setBackground(theme.colour("panel"))
        units = self.session.units
        trace = self.log.trace
        every = max(1, len(trace.time_s) // CURVE_POINTS)
        plot.plot(
            trace.time_s[::every] / 60.0,
            trace.speed_kmh[::every] * units.show("speed", 1.0),
            pen=pg.mkPen(theme.colour("ink"), width=1),
        )
        self._regions = []
        for i, piece in enumerate(self.pieces):
            colour = theme.colour("baseline" if i % 2 == 0 else trial_colour(0), 0.18)
            region = pg.LinearRegionItem(
                (piece.start_s / 60.0, piece.end_s / 60.0), brush=pg.mkBrush(colour), swapMode="sort"
            )
            region.sigRegionChangeFinished.connect(lambda _=None, k=i: self._dragged(k))
            plot.addItem(region)
            self._regions.append(region)
        dress(plot)
        plot.setLabel("bottom", "min of the log; drag the edges of a piece", color=theme.colours.muted)
        plot.setLabel("left", f"speed, {units.speed}", color=theme.colours.muted)
        self._tell_pieces()

    def _tell_pieces(self) -> None:
        cuts = "; ".join(
            f"{i} from {show_duration(x.start_s)} to {show_duration(x.end_s)}"
            for i, x in enumerate(self.pieces, start=1)
        )
        assert isinstance(self._plot, QWidget)
        self._plot.setAccessibleName(as_here(f"Speed over the log's time, its pieces: {cuts or 'none'}"))

    def _dragged(self, index: int) -> None:
        a, b = self._regions[index].getRegion()  # type: ignore[attr-defined]
        self.set_piece(index, 60.0 * a, 60.0 * b)

    def set_piece(self, index: int, start_s: float, end_s: float) -> None:
        """Move a piece's edges (also by dragging them on the curve)."""
        assert self.log is not None
        t = self.log.trace.time_s
        start_s, end_s = max(float(t[0]), start_s), min(float(t[-1]), end_s)
        was = self.pieces[index]
        self.pieces[index] = replace(was, start_s=start_s, end_s=end_s)
        self._tell_pieces()
        self._show_pieces([str(self._leg_box(i).currentData()) for i in range(len(self.pieces))])

    def _suggest(self, *_: object) -> None:
        if self.log is None:
            return
        started = self.log.started_at
        shifted = None if started is None else started + timedelta(hours=self.hours.value())
        self._show_pieces(suggest(self.study, self.session.traces, shifted, self.pieces))

    def _leg_box(self, row: int) -> QComboBox:
        box = self.list.cellWidget(row, 4)
        assert isinstance(box, QComboBox)
        return box

    def _show_pieces(self, legs: list[str]) -> None:
        assert self.log is not None
        units = self.session.units
        self.list.blockSignals(True)
        self.list.setRowCount(len(self.pieces))
        for i, (piece, name) in enumerate(zip(self.pieces, legs, strict=True)):
            km = piece_km(self.log.trace, piece)
            way = {None: "", True: "back", False: "out"}[piece.backwards]
            cells = (
                f"{piece.start_s / 60:.1f}", f"{piece.end_s / 60:.1f}",
                f"{units.show('distance', km):.2f} {units.distance}", way,
            )  # fmt: skip
            for j, text in enumerate(cells):
                item = QTableWidgetItem(text)
                if j > 1:
                    item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsEditable)
                else:
                    item.setToolTip(as_tip("Minutes of the log: 12.5, 12:30, or drag the edge on the curve"))
                self.list.setItem(i, j, item)
            box = Choice()
            box.setAccessibleName(f"Leg of piece {i + 1}")
            box.addItem("(leave it)", "")
            for leg in self.study.legs:
                has = " (has a log, would be replaced)" if leg.leg in self.session.traces else ""
                words = f"{leg.leg} {leg.run} {leg.direction} {self.study.configuration(leg.configuration).label}{has}"
                box.addItem(words, leg.leg)
            box.setCurrentIndex(max(0, box.findData(name)))
            box.activated.connect(self._lay)
            self.list.setCellWidget(i, 4, box)
            began = self._began(piece)
            clock = QTableWidgetItem("" if began is None else f"{began:%Y-%m-%d %H:%M}")
            clock.setFlags(clock.flags() & ~Qt.ItemFlag.ItemIsEditable)
            self.list.setItem(i, 5, clock)
        self.list.setColumnHidden(5, self.log.started_at is None)
        self.list.resizeColumnToContents(5)
        self.list.blockSignals(False)
        self._lay()

    def _began(self, piece: Piece) -> datetime | None:
        """Day and clock of a piece, as the study would have it; None where the log has none."""
        assert self.log is not None
        if self.log.started_at is None:
            return None
        return self.log.started_at + timedelta(hours=self.hours.value(), seconds=piece.start_s)

    def _of_other_days(self, legs: Sequence[str]) -> str:
        """Legs that were noted on another day than their piece was driven."""
        apart = []
        for piece, name in zip(self.pieces, legs, strict=True):
            began = self._began(piece)
            noted = self.study.leg(name).started_at if name else None
            if began is not None and noted is not None and noted.date() != began.date():
                apart.append(
                    f"{name} was noted on {day_words(noted, long=True)}, its piece is of {day_words(began, long=True)}"
                )
        return "".join(f" {words}." for words in apart)

    def _typed(self, item: QTableWidgetItem) -> None:
        """A cut time that was typed: minutes of the log, or min:s; what cannot be read is put back, in words."""
        row, column = item.row(), item.column()
        if column > 1 or not 0 <= row < len(self.pieces):
            return
        piece = self.pieces[row]
        try:
            seconds = read_duration_s(item.text())
        except ValueError as error:
            self.fault.setText(words_of(error))
            self._show_pieces([str(self._leg_box(i).currentData()) for i in range(len(self.pieces))])
            return
        ends = [piece.start_s, piece.end_s]
        ends[column] = seconds
        if ends[1] - ends[0] < 1.0:
            self.fault.setText("A piece ends after it begins.")
            self._show_pieces([str(self._leg_box(i).currentData()) for i in range(len(self.pieces))])
            return
        self.set_piece(row, *ends)
        self._draw()

    def _lay(self, *_: object) -> None:
        assert self.log is not None
        legs = [str(self._leg_box(i).currentData()) for i in range(len(self.pieces))]
        try:
            self.after, self.traces = take(self.study, self.log, self.pieces, legs, timedelta(hours=self.hours.value()))
        except ValueError as error:
            self.fault.setText(words_of(error))
            self.after = None
        else:
            left = sum(not leg for leg in legs)
            words = "" if not left else f"{left} of {len(legs)} pieces have no leg and would be left."
            self.fault.setText(f"{words}{self._of_other_days(legs)}".strip())
        self.take_button.setEnabled(self.after is not None and bool(self.traces))

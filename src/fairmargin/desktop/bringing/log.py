"""A logger's table or a track: how it is read, where it is cut, and which legs get its pieces."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime, timedelta
from pathlib import Path
from typing import Final

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QProgressBar,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from fairmargin.core.study.entry import words_of
from fairmargin.core.units import read_duration_s
from fairmargin.desktop.bringing.base import BringDialog, day_of, days_of, plain_table
from fairmargin.desktop.state.background import Background
from fairmargin.desktop.state.session import Session
from fairmargin.desktop.theme import theme, trial_colour
from fairmargin.desktop.widgets.basics import label, panel
from fairmargin.desktop.widgets.inputs import Choice, Line, NumberBox
from fairmargin.exchange.files.faults import InvalidInput
from fairmargin.exchange.logs.formats import format_of_file
from fairmargin.exchange.logs.legs import Piece, piece_km, pieces_of, suggest, take
from fairmargin.exchange.logs.loggers import (
    ROLES,
    Column,
    ImportedLog,
    Preview,
    Profile,
    load_profiles,
    preview,
    profiles_path,
    read_log,
    roles_notices,
    save_profiles,
)

CURVE_POINTS: Final = 4000
#: What a positive power may be, and how a profile keeps it.
POWER_WORDS: Final = {
    "power: as the drive tells": "",
    "power: positive is drawn": "drawn",
    "power: positive is given back": "given",
}
SESSION_OF_COASTS: Final = 3  # from so many on a log is one of coasting


class LogDialog(BringDialog):
    """A logger's table or a track: its columns, then its cuts, then its legs."""

    KIND = "log"

    ready = Signal()  # the whole log has been read

    def __init__(self, session: Session, path: Path, kind: str, parent: QWidget | None = None, name: str = "") -> None:
        super().__init__(session, f"Bring in {name or path.name}", "Put the pieces into their legs", parent)
        self.path, self.kind = path, kind
        self.log: ImportedLog | None = None
        self.pieces: list[Piece] = []
        self._background = Background(self)
        self._combos: list[tuple[QComboBox, QComboBox]] = []
        self._profiles: dict[str, Profile] = {}
        self.columns, box = panel()
        self._build_columns(box)
        self.page.addWidget(self.columns, 1)
        self.cutting, box = panel()
        self._build_cutting(box)
        self.page.addWidget(self.cutting, 2)
        self.cutting.hide()
        self.progress = QProgressBar()
        self.progress.setRange(0, 0)
        self.progress.setTextVisible(False)
        self.progress.setFixedHeight(5)
        self.progress.hide()
        self.page.addWidget(self.progress)
        if kind == "track":
            self.columns.hide()
            self.read_whole()
        else:
            self._show_preview(preview(path, name or path.stem))

    # ------------------------------------------------------------ columns

    def _build_columns(self, box: QVBoxLayout) -> None:
        head = QHBoxLayout()
        head.addWidget(label("How each column is read", "heading"), 1)
        head.addWidget(label("Profile"))
        self.profile = Choice()
        self.profile.setAccessibleName("Saved profile")
        self.profile.addItem("guessed", "")
        try:
            self._profiles = load_profiles(profiles_path())
        except InvalidInput as fault:
            self.fault.setText(str(fault))
        for name in self._profiles:
            self.profile.addItem(name, name)
        self.profile.activated.connect(self._use_profile)
        head.addWidget(self.profile)
        self.profile_name = Line()
        self.profile_name.setPlaceholderText("keep it as\u2026")
        self.profile_name.setAccessibleName("Name to keep this profile under")
        self.profile_name.setMaximumWidth(150)
        head.addWidget(self.profile_name)
        box.addLayout(head)
        self.separators = label("", "muted")
        box.addWidget(self.separators)
        self.sheet = QTableWidget()
        self.sheet.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.sheet.verticalHeader().hide()
        box.addWidget(self.sheet, 1)
        row = QHBoxLayout()
        self.notices = label("", "muted", wrap=True)
        row.addWidget(self.notices, 1)
        self.power = Choice()
        self.power.setAccessibleName("What a positive power is")
        for words, sign in POWER_WORDS.items():
            self.power.addItem(words, sign)
        row.addWidget(self.power)
        self.read_button = QPushButton("Read the whole log")
        self.read_button.clicked.connect(self.read_whole)
        row.addWidget(self.read_button)
        self.stop_button = QPushButton("Stop")
        self.stop_button.clicked.connect(self.stop_reading)
        self.stop_button.hide()
        row.addWidget(self.stop_button)
        box.addLayout(row)

    def _show_preview(self, seen: Preview) -> None:
        self._seen = seen
        profile = seen.profile
        self.power.setCurrentIndex(max(self.power.findData(profile.power), 0))
        self._ask_power([c.role for c in profile.columns])
        self._combos = []
        self.sheet.clear()
        self.sheet.setColumnCount(len(profile.columns))
        self.sheet.setRowCount(2 + len(seen.rows))
        self.sheet.setHorizontalHeaderLabels([c.header or "(no name)" for c in profile.columns])
        for i, column in enumerate(profile.columns):
            role, unit = Choice(), Choice()
            role.setAccessibleName(f"Column {column.header} is")
            unit.setAccessibleName(f"Unit of {column.header}")
            role.addItem("not used", "")
            for name in ROLES:
                role.addItem(name, name)
            role.setCurrentIndex(max(0, role.findData(column.role)))
            self._fill_units(unit, column.role, column.unit)
            role.activated.connect(lambda _=0, k=i: self._other_role(k))
            self._combos.append((role, unit))
            self.sheet.setCellWidget(0, i, role)
            self.sheet.setCellWidget(1, i, unit)
            for j, row in enumerate(seen.rows):
                item = QTableWidgetItem(row[i] if i < len(row) else "")
                item.setForeground(theme.colour("ink" if column.role else "muted"))
                self.sheet.setItem(j + 2, i, item)
        for i in range(len(profile.columns)):
            widest = max((len(row[i]) for row in seen.rows if i < len(row)), default=0)
            self.sheet.setColumnWidth(i, max(118, 9 * min(widest, 30)))
        for r in (0, 1):
            self.sheet.setRowHeight(r, 32)
        names = {",": "comma", ";": "semicolon", "\t": "tab", "|": "bar"}
        self.separators.setText(
            f"Columns are parted by a {names.get(profile.delimiter, profile.delimiter)}, decimals by a "
            f"{'comma' if profile.decimal == ',' else 'point'}. The first {len(seen.rows)} rows:"
        )
        self.notices.setText("; ".join(seen.notices))

    @staticmethod
    def _fill_units(box: QComboBox, role: str, unit: str) -> None:
        box.clear()
        for name in ROLES.get(role, ()):
            box.addItem(name, name)
        box.setCurrentIndex(max(0, box.findData(unit)))
        box.setEnabled(box.count() > 1)

    def _other_role(self, index: int) -> None:
        role, unit = self._combos[index]
        self._fill_units(unit, str(role.currentData()), "")
        chosen = [str(r.currentData()) for r, _ in self._combos]
        self.notices.setText("; ".join(roles_notices(chosen, self._seen.profile)))
        self._ask_power(chosen)

    def _ask_power(self, roles: Sequence[str]) -> None:
        """What a positive power is may be said where there is one."""
        self.power.setVisible("power" in roles or {"voltage", "current"} <= set(roles))

    def _use_profile(self) -> None:
        chosen = self._profiles.get(str(self.profile.currentData()))
        try:
            seen = preview(self.path)
        except InvalidInput as fault:
            self.fault.setText(str(fault))
            return
        if chosen is not None:
            have = [c.header for c in seen.profile.columns]
            missing = [c.header for c in chosen.columns if c.role and c.header not in have]
            if missing:
                self.fault.setText(f"This log has no column {', '.join(missing)}, which that profile reads.")
                return
            roles = {c.header: c for c in chosen.columns}
            columns = tuple(roles.get(h, Column(h, "", "")) for h in have)
            seen = Preview(
                Profile(chosen.name, chosen.delimiter, chosen.decimal, columns, chosen.dates, chosen.power),
                seen.rows,
                seen.notices,
            )
        self.fault.clear()
        self._show_preview(seen)

    def chosen_profile(self) -> Profile:
        """Return the profile as the columns are set now."""
        seen = self._seen.profile
        columns = tuple(
            Column(c.header, str(role.currentData()), str(unit.currentData() or ""))
            for c, (role, unit) in zip(seen.columns, self._combos, strict=True)
        )
        return Profile(
            self.profile_name.text().strip() or seen.name,
            seen.delimiter,
            seen.decimal,
            columns,
            self.dates.order or seen.dates,
            self.power.currentData(),
        )

    def read_again(self) -> None:
        self.read_whole()

    def read_whole(self) -> None:
        """Read all of it off the GUI thread; it can be stopped."""
        path = self.path
        if self.kind == "track":
            work = lambda: format_of_file(path).read(path)  # noqa: E731
        else:
            profile = self.chosen_profile()
            used = [c.role for c in profile.columns if c.role]
            twice = next((r for r in used if used.count(r) > 1), None)
            if twice:
                self.fault.setText(f"Two columns are taken for {twice}; expected one.")
                return
            days = days_of(self.study)
            work = lambda: read_log(path, profile, days)  # noqa: E731
        self.fault.clear()
        self.progress.show()
        self.read_button.setEnabled(False)
        self.stop_button.show()
        self._background.run(work, self._arrived)

    def stop_reading(self) -> None:
        """Do not wait for the log any longer."""
        self._background.forget()
        self._idle()
        self.words.setText("Stopped; nothing was taken.")

    def _idle(self) -> None:
        self.progress.hide()
        self.stop_button.hide()
        self.read_button.setEnabled(True)

    def _arrived(self, result: object, fault: Exception | None) -> None:
        self._idle()
        if fault is not None or not isinstance(result, ImportedLog):
            self.refuse(fault or ValueError("nothing was read"))
            return
        self.log = result
        name = self.profile_name.text().strip()
        if name and self.kind != "track":
            try:
                save_profiles(profiles_path(), [*(p for p in self._profiles.values() if p.name != name), self.chosen_profile()])  # fmt: skip
            except OSError as error:
                self.fault.setText(f"The profile could not be kept: {error.strerror or error}")
            except InvalidInput as error:
                self.fault.setText(f"The profile could not be kept: {error.faults[0]}")
        t = result.trace.time_s
        said = [f"{len(t)} of {result.rows} rows taken, {(t[-1] - t[0]) / 60:.0f} min", *result.notices]
        self.words.setText("; ".join(said) + ".")
        self.sheet.setMaximumHeight(104)
        self.page.setStretch(0, 0)
        self.cutting.show()
        coasts = len(pieces_of(self.study, result.trace, "coasts"))
        gates = bool(pieces_of(self.study, result.trace, "gates"))
        # A fall of speed at the end of a drive is none: of a session of coasting there are several.
        self.how.setCurrentIndex(
            self.how.findData("coasts" if coasts >= SESSION_OF_COASTS else "gates" if gates else "stops")
        )
        if coasts >= SESSION_OF_COASTS:
            self.words.setText(f"{self.words.text()} {coasts} coasting runs are in it.")
        self.recut()
        self.ready.emit()

    # ------------------------------------------------------------ cuts

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
        self.list = plain_table(["From, min", "To, min", "Driven", "Direction", "Leg", "Begins"])
        self.list.setMinimumHeight(150)
        self.list.setEditTriggers(
            QTableWidget.EditTrigger.DoubleClicked
            | QTableWidget.EditTrigger.EditKeyPressed
            | QTableWidget.EditTrigger.AnyKeyPressed
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
        for side in ("left", "bottom"):
            axis = plot.getAxis(side)
            axis.setPen(pg.mkPen(theme.colour("rule")))
            axis.setTextPen(pg.mkPen(theme.colour("muted")))
            axis.enableAutoSIPrefix(False)
        plot.setLabel("bottom", "min of the log; drag the edges of a piece", color=theme.colours.muted)
        plot.setLabel("left", f"speed, {units.speed}", color=theme.colours.muted)

    def _dragged(self, index: int) -> None:
        a, b = self._regions[index].getRegion()  # type: ignore[attr-defined]
        self.set_piece(index, 60.0 * a, 60.0 * b)

    def set_piece(self, index: int, start_s: float, end_s: float) -> None:
        """Move a piece's edges (also by dragging them on the curve)."""
        assert self.log is not None
        t = self.log.trace.time_s
        start_s, end_s = max(float(t[0]), start_s), min(float(t[-1]), end_s)
        was = self.pieces[index]
        self.pieces[index] = Piece(start_s, end_s, was.backwards)
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
                    item.setToolTip("Minutes of the log: 12.5, 12:30, or drag the edge on the curve")
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
                apart.append(f"{name} was noted on {noted:%d %B %Y}, its piece is of {began:%d %B %Y}")
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

    def done(self, result: int) -> None:
        self._background.forget()
        super().done(result)

"""A trip with what the study found: the way, chargers, stops, the day drawn to scale, what would change it."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime
from pathlib import Path
from typing import Any, Final

from PySide6.QtCore import QEvent, QObject
from PySide6.QtWidgets import (
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QPlainTextEdit,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from fairmargin.core.outcome.asking import Askable
from fairmargin.core.outcome.stops import CannotArrive
from fairmargin.core.outcome.trips import (
    TripPlan,
    WhatIf,
    fuelled,
    plan_way,
    returning,
    what_ifs,
    with_stop_moved,
)
from fairmargin.core.outcome.way import Way, way_of
from fairmargin.core.study import Study
from fairmargin.core.study.entry import show_number, words_of
from fairmargin.core.study.leg_fields import read_climate
from fairmargin.core.study.trip import Trip
from fairmargin.core.units import in_units, read_in, read_number, read_quantity
from fairmargin.core.words import sentence
from fairmargin.desktop.background import Background
from fairmargin.desktop.session import Session
from fairmargin.desktop.stages.base import Field
from fairmargin.desktop.stages.using.page import UsePage
from fairmargin.desktop.widgets.basics import label, named_choice, panel
from fairmargin.desktop.widgets.using.tripday import TripDay
from fairmargin.exchange.chargers import (
    read_chargers,
    read_stretches,
    show_chargers,
    show_stretches,
    stretches_of,
)
from fairmargin.exchange.outcomes import arrival_words, case_words, hours_words, money_words, stop_words
from fairmargin.exchange.wording import distance_words

CAUTION: Final = "Arrive with a reserve. Do not block bays with a trailer: unhitch where it is allowed. Plates, law and handbook come first."
#: How surely stops are planned: words, and the share of trips that take no more.
CERTAINTIES: Final = (
    ("the mean", 0.5),
    ("three times in four", 0.75),
    ("nine times in ten", 0.9),
    ("nineteen in twenty", 0.95),
)
#: Fields behind "More": name, caption, unit or quantity, tip.
MORE: Final = (
    ("temperature_c", "Air", "temperature", "Empty: as at the reference"),
    ("climate", "Cabin", "climate", "off, auto, or the temperature set"),
    ("head_wind_ms", "Head wind", "wind", "At the mast; negative from behind"),
    ("temperature_sd_k", "Air may be off by", "K", "What the forecast leaves open, standard deviation"),
    ("wind_sd_ms", "Wind may be off by", "wind", "What the forecast leaves open, standard deviation"),
    ("load_kg", "Load on top", "mass", ""),
    ("unhitch_min", "Unhitch and hitch", "min", "At each stop, with a trailer"),
    ("stop_min", "Park, plug in, pay", "min", "At each stop"),
    ("queue_chance", "Chance of a queue", "%", "At a charger"),
    ("queue_min", "which then lasts", "min", ""),
    ("pause_every_h", "Pause after", "h", "Driving without a stop"),
    ("pause_min", "of", "min", ""),
    ("peak_kw", "Battery takes at most", "kW", "Empty: 1.8 times its capacity an hour (common practice)"),
    ("taper_from_percent", "and less from", "%", "Falls to a fifth of it when full"),
    ("price_per_kwh", "Price at chargers", "/kWh", "Where a charger's own is not told"),
    ("home_price_per_kwh", "Price at home", "/kWh", "Empty: as at chargers"),
    ("road_price_per_km", "Road charge", "a distance", ""),
    ("fuel_l_per_100km", "Fuel vehicle beside", "L/100 km", "Its consumption on this way"),
    ("fuel_price_per_l", "Price of fuel", "a litre", ""),
    ("fuel_tank_l", "Its tank", "L", ""),
)  # fmt: skip
WORDS_UNITS: Final = frozenset({"L/100 km", "a litre", "a distance"})


class TripPage(UsePage):
    """A trip."""

    def __init__(self, session: Session, touch: Callable[[], None], parent: QWidget | None = None) -> None:
        super().__init__(session, touch, parent)
        self.fields: dict[str, Field] = {}
        self._lay_trip()
        self._lay_day()
        self._lay_cases()
        self.body.addWidget(label(CAUTION, "caution", wrap=True))
        self.body.addStretch()
        self.plan: TripPlan | None = None
        self._way: Way | None = None
        self._planned: object = None
        self._beside = Background(self)
        session.wanted.ready.connect(touch)

    def _lay_trip(self) -> None:
        frame, box = panel()
        head = QHBoxLayout()
        head.addWidget(label("The trip", "heading"), 1)
        self.more = QPushButton("More")
        self.more.setCheckable(True)
        self.more.setToolTip("Weather, towing, queues, pauses, prices, a fuel vehicle beside")
        self.rest = QWidget()
        self.more.toggled.connect(self.rest.setVisible)
        head.addWidget(self.more)
        box.addLayout(head)
        row = QHBoxLayout()
        self.way = self._field(
            "way",
            "The way",
            self._set_way,
            tip="420, or stretches: 60 at 90; 300 at 85 +400 m; 60 at 50, town",
        )
        self.way.edit.setPlaceholderText("420   or   60 at 90; 300 at 85 +400 m")
        row.addWidget(self.way, 3)
        holder, self.who = named_choice("With", (), self._set_who)
        row.addWidget(holder, 2)
        box.addLayout(row)
        row = QHBoxLayout()
        column = QVBoxLayout()
        column.setSpacing(1)
        column.addWidget(label("Chargers along it", "muted"))
        self.chargers = QPlainTextEdit()
        self.chargers.setAccessibleName("Chargers along it")
        self.chargers.setPlaceholderText(
            "every 90 to 140 km, 150 kW\nor a line each:  140 Mill Quay 150 kW 0.45"
        )
        self.chargers.setFixedHeight(74)
        self.chargers.setTabChangesFocus(True)
        self.chargers.installEventFilter(self)
        column.addWidget(self.chargers)
        self.chargers_fault = label("", "fault", wrap=True)
        self.chargers_fault.hide()
        column.addWidget(self.chargers_fault)
        row.addLayout(column, 3)
        side = QVBoxLayout()
        self.file = QPushButton("Chargers from a table\u2026")
        self.file.clicked.connect(self._choose_file)
        side.addWidget(self.file)
        self.track = QPushButton("The way from a track\u2026")
        self.track.clicked.connect(self._choose_track)
        side.addWidget(self.track)
        self.back = QPushButton("The way back")
        self.back.clicked.connect(self._turn_round)
        side.addWidget(self.back)
        side.addStretch()
        row.addLayout(side)
        box.addLayout(row)
        row = QHBoxLayout()
        for name, words in (
            ("start_percent", "Leave with"), ("arrive_percent", "Arrive with"), ("reserve_percent", "At chargers, at least"),
            ("most_percent", "Charge to at most"),
        ):  # fmt: skip
            row.addWidget(self._field(name, words, self._number(name, "%"), unit="%"))
        row.addWidget(
            self._field("depart_at", "Set off", self._set_departure, tip="07:30, or a date and a time")
        )
        holder, self.certainty = named_choice(
            "Planned for", tuple(w for w, _ in CERTAINTIES), self._set_certainty
        )
        row.addWidget(holder)
        box.addLayout(row)
        grid = QGridLayout(self.rest)
        grid.setContentsMargins(0, 0, 0, 0)
        for i, (name, words, unit, tip) in enumerate(MORE):
            commit = self._set_climate if unit == "climate" else self._number(name, unit)
            shown = unit if unit in {"K", "min", "%", "h", "kW", "/kWh", "L", "L/100 km"} else ""
            grid.addWidget(self._field(name, words, commit, unit=shown, tip=tip), i // 5, i % 5)
        holder, self.road = named_choice("Road", ("dry", "damp", "wet", "snow"), self._set_road)
        grid.addWidget(holder, len(MORE) // 5, len(MORE) % 5)
        self.rest.hide()
        box.addWidget(self.rest)
        self.body.addWidget(frame)

    def _lay_day(self) -> None:
        frame, box = panel()
        head = QHBoxLayout()
        self.day_title = label("The day", "heading")
        head.addWidget(self.day_title, 1)
        self.again = QPushButton("Find the quickest stops")
        self.again.clicked.connect(lambda: self._change("find the stops", stop_at_km=()))
        head.addWidget(self.again)
        self.calendar = QPushButton("Calendar file\u2026")
        self.calendar.clicked.connect(self._choose_calendar)
        head.addWidget(self.calendar)
        box.addLayout(head)
        self.drawing = TripDay()
        self.drawing.moving.connect(self._moving)
        self.drawing.moved.connect(self._moved)
        box.addWidget(self.drawing)
        self.fault = label("", "fault", wrap=True)
        box.addWidget(self.fault)
        self.arrival = label("", wrap=True)
        self.arrival.setStyleSheet("font-size: 14px;")
        box.addWidget(self.arrival)
        self.stops = label("", "muted", wrap=True)
        box.addWidget(self.stops)
        self.body.addWidget(frame)

    def _lay_cases(self) -> None:
        self.cases_frame, box = panel()
        box.addWidget(label("What would change it", "heading"))
        self.cases = QTableWidget(0, 2)
        self.cases.setAccessibleName("What would change it")
        self.cases.horizontalHeader().hide()
        self.cases.verticalHeader().hide()
        self.cases.setShowGrid(False)
        self.cases.setWordWrap(True)
        self.cases.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.cases.setSelectionMode(QTableWidget.SelectionMode.NoSelection)
        box.addWidget(self.cases)
        self.body.addWidget(self.cases_frame)

    def _field(
        self, name: str, words: str, commit: Callable[[str], None], unit: str = "", tip: str = ""
    ) -> Field:
        made = self.fields[name] = Field(words, commit, unit=unit, tip=tip)
        return made

    # ------------------------------------------------------------ edits

    @property
    def trip_value(self) -> Trip:
        """The study's trip."""
        return self.study.trip or Trip()

    def _change(self, text: str, **changes: Any) -> None:
        try:
            after = self.study.with_(trip=self.trip_value.with_(**changes))
        except ValueError as error:
            raise ValueError(words_of(error)) from error
        if not self.session.edit(after, text):
            raise ValueError("could not be saved")

    def _number(self, name: str, unit: str) -> Callable[[str], None]:
        def commit(text: str) -> None:
            value: float | None = None
            if text and unit in {"temperature", "wind", "mass"}:
                value = read_quantity(text, unit, getattr(self.session.units, unit))
            elif text and unit in WORDS_UNITS:
                number = read_number(text)
                if number.rest and number.rest != unit:
                    raise ValueError(f'"{number.rest}" is not expected here; expected a figure, {unit}')
                value = number.value
            elif text:
                value = read_in(text, unit)
            if value is not None and name == "queue_chance":
                value /= 100.0
            if value is not None and name == "road_price_per_km":
                value *= self.session.units.show("distance", 1.0)
            if value is None:
                value = Trip.model_fields[name].default
            self._change(name.split("_")[0], **{name: value})

        return commit

    def _set_way(self, text: str) -> None:
        units = self.session.units
        usual = float(self.study.target_speed_kmh or 90.0)
        trip = self.trip_value
        stretches = read_stretches(text, usual, units.distance, units.speed)
        whole = sum(s.km for s in stretches)
        kept = tuple(c for c in trip.chargers if c.at_km < whole)
        stops = tuple(km for km in trip.stop_at_km if km < whole)
        self._change("the way", stretches=stretches, chargers=kept, stop_at_km=stops)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if watched is self.chargers and event.type() == QEvent.Type.FocusOut:
            self.commit_chargers()
        return super().eventFilter(watched, event)

    def commit_chargers(self) -> None:
        """Take the chargers as typed; what cannot be read is said below, and the text stays."""
        if self.session.study is None or not self.chargers.document().isModified():
            return
        try:
            trip = self.trip_value
            if self.chargers.toPlainText().strip() and not trip.stretches:
                raise ValueError("give the way first: chargers stand along it")
            found = read_chargers(self.chargers.toPlainText(), trip.km, self.session.units.distance)
            self.chargers.document().setModified(False)
            self._change("chargers", chargers=found, stop_at_km=())
        except ValueError as error:
            self.chargers.document().setModified(True)
            self.chargers_fault.setText(words_of(error))
            self.chargers_fault.show()
            return
        self.chargers_fault.hide()

    def _choose_file(self) -> None:
        path, _ = QFileDialog.getOpenFileName(
            self, "Chargers", "", "Tables (*.csv *.txt *.tsv);;All files (*)"
        )
        if path:
            self.bring_chargers(Path(path))

    def _choose_track(self) -> None:
        path, _ = QFileDialog.getOpenFileName(self, "Track of the way", "", "Tracks (*.gpx);;All files (*)")
        if path:
            self.bring_track(Path(path))

    def bring_track(self, path: Path) -> bool:
        """Take the way, with its climbs, from a track; at the speed that the trip had, or the study's."""
        from fairmargin.exchange.faults import InvalidInput
        from fairmargin.exchange.route import read_gpx

        trip = self.trip_value
        speed = trip.stretches[0].speed_kmh if trip.stretches else float(self.study.target_speed_kmh or 90.0)
        try:
            points, notices = read_gpx(path)
            made = stretches_of(points, speed)
        except (InvalidInput, ValueError) as error:
            self.session.failed.emit(str(error))
            return False
        whole = sum(s.km for s in made)
        self._change(
            "the way",
            stretches=made,
            chargers=tuple(c for c in trip.chargers if c.at_km < whole),
            stop_at_km=(),
        )
        if notices:
            self.session.failed.emit(" ".join(notices))
        return True

    def bring_chargers(self, path: Path) -> None:
        """Take chargers from a table."""
        try:
            text = path.read_text(encoding="utf-8-sig")
        except (OSError, UnicodeDecodeError) as error:
            self.session.failed.emit(f"{path}: cannot be read: {error}")
            return
        self.chargers.setPlainText(text)
        self.chargers.document().setModified(True)
        self.commit_chargers()

    def _set_who(self, _words: str) -> None:
        self._change("with", configuration=str(self.who.currentData()))

    def _set_certainty(self, words: str) -> None:
        self._change("planned for", certainty=dict(CERTAINTIES)[words])

    def _set_road(self, road: str) -> None:
        self._change("road", road="" if road == "dry" else road)

    def _set_climate(self, text: str) -> None:
        self._change("cabin", climate=(read_climate(text, self.session.units) or "auto") if text else "auto")

    def _set_departure(self, text: str) -> None:
        if not text:
            self._change("set off", depart_at=None)
            return
        before = self.trip_value.depart_at or datetime.now()
        for shape in ("%H:%M", "%H.%M"):
            try:
                clock = datetime.strptime(text, shape).time()
            except ValueError:
                continue
            self._change("set off", depart_at=datetime.combine(before.date(), clock))
            return
        try:
            self._change("set off", depart_at=datetime.fromisoformat(text))
        except ValueError:
            raise ValueError(f'"{text}" is no time; expected 07:30, or 2026-05-02 07:30') from None

    def _turn_round(self) -> None:
        study = self.study
        self.session.edit(study.with_(trip=returning(self.trip_value)), "the way back")

    # ------------------------------------------------------------ moving a stop

    def _moving(self, which: int, km: float) -> None:
        """A stop is dragged: show the plan that would be, without keeping it."""
        if self.plan is None or self._way is None:
            return
        trip = with_stop_moved(self.plan, which, km)
        try:
            plan = plan_way(self._way.for_trip(trip))
        except (CannotArrive, ValueError) as error:
            self.fault.setText(in_units(str(error), self.units))
            return
        self.fault.setText("")
        self.drawing.show_plan(plan, self.units, self.trial_of(plan.configuration))
        self._say(plan)

    def _moved(self, which: int, km: float) -> None:
        if self.plan is None:
            return
        moved = with_stop_moved(self.plan, which, km)
        if moved.stop_at_km == tuple(s.charger.at_km for s in self.plan.stops):
            self.refresh(self.study)
            return
        self._change("move a stop", stop_at_km=moved.stop_at_km)

    # ------------------------------------------------------------ drawing

    def subtitle(self, study: Study) -> str:
        return "a trip with what was found"

    def refresh(self, study: Study) -> None:
        trip, units = self.trip_value, self.session.units
        shown = "" if not trip.stretches else show_stretches(
            trip.stretches, units.show("distance", 1.0), units.show("speed", 1.0)
        )  # fmt: skip
        self.way.show_text(shown, units.distance)
        for name, field in self.fields.items():
            if name not in {"way", "depart_at"}:
                field.show_text(*self._shown(name, getattr(trip, name)))
        self.fields["depart_at"].show_text(_departure(trip.depart_at))
        if not self.chargers.document().isModified():
            text = show_chargers(trip.chargers, units.show("distance", 1.0))
            if self.chargers.toPlainText() != text:
                self.chargers.setPlainText(text)
                self.chargers.document().setModified(False)
        self.certainty.setCurrentIndex(
            min(range(len(CERTAINTIES)), key=lambda i: abs(CERTAINTIES[i][1] - trip.certainty))
        )
        self.road.setCurrentText(trip.road or "dry")
        asking = self.asking_of_all()
        self._offer(study, asking, trip)
        self._plan(study, asking, trip)

    def _shown(self, name: str, value: Any) -> tuple[str] | tuple[str, str]:
        units = self.session.units
        quantity = next((u for n, _, u, _ in MORE if n == name), "%")
        if quantity in {"temperature", "wind", "mass"}:
            text = "" if value is None else show_number(units.show(quantity, float(value)), 1)
            return text, getattr(units, quantity)
        if name == "climate":
            return (
                value
                if value in {"off", "auto"}
                else show_number(units.show("temperature", float(value)), 0),
            )
        if name == "queue_chance":
            return (show_number(100 * value, 0),)
        if name == "road_price_per_km":
            return show_number(value / units.show("distance", 1.0), 4), f"/{units.distance}"
        return (show_number(value, 3),)

    def _offer(self, study: Study, asking: Askable | None, trip: Trip) -> None:
        """Configurations that were driven."""
        self.who.clear()
        for name in asking.configurations if asking is not None else ():
            self.who.addItem(study.configuration(name).label, name)
        chosen = trip.configuration or next((t.id for t in study.trials), study.baseline.id)
        self.who.setCurrentIndex(max(self.who.findData(chosen), 0))

    def _plan(self, study: Study, asking: Askable | None, trip: Trip) -> None:
        """Plan anew where anything is other than it was."""
        self.again.setVisible(bool(trip.stop_at_km))
        self.back.setEnabled(bool(trip.stretches))
        key = (trip, asking, study.vehicle, study.vehicles)
        if self._planned is not None and self._planned == key:
            self._show(study)
            return
        self._planned, self.plan, self._way = key, None, None
        self.fault.setText("")
        if asking is None:
            waiting = self.session.wanted.askings() is None
            self.fault.setText(
                "Being worked out \u2026"
                if waiting
                else "A trip is planned from legs with readings, of a study that a road load is fitted to."
            )
        elif trip.stretches:
            try:
                self._way = way_of(study, asking, trip)
                self.plan = plan_way(self._way)
            except (ArithmeticError, ValueError) as error:
                self.fault.setText(in_units(str(error), self.units))
        self._show(study)
        self._ask_cases(study, asking)

    def _show(self, study: Study) -> None:
        plan, units = self.plan, self.units
        which = None if plan is None else self.trial_of(plan.configuration)
        self.drawing.show_plan(plan, units, which)
        self.drawing.setVisible(plan is not None or not self.fault.text())
        self.calendar.setEnabled(plan is not None)
        self.fault.setVisible(bool(self.fault.text()))
        self.cases_frame.setVisible(plan is not None)
        if plan is None:
            self.day_title.setText("The day")
            self.arrival.setText("")
            self.stops.setText("")
            return
        self._say(plan)

    def _say(self, plan: TripPlan) -> None:
        units = self.units
        low, high = plan.kwh_interval
        self.day_title.setText(f"{distance_words(plan.trip.km, units)} in {hours_words(plan.total_h)}")
        late = (
            f" {hours_words(plan.late_h)} with a queue at every stop."
            if plan.late_h > plan.total_h + 0.01
            else ""
        )
        self.arrival.setText(
            f"{arrival_words(plan)} {plan.kwh:.0f} kWh ({low:.0f} to {high:.0f}){money_words(plan)}.{late}"
        )
        rest = plan.pauses_h + plan.other_h + plan.waiting_h
        parts = [
            f"{hours_words(plan.driving_h)} of driving, {hours_words(plan.charging_h)} of charging, {hours_words(rest)} of pauses and the rest."
        ]
        parts += [stop_words(s, units) for s in plan.stops] or ["No stop is needed."]
        parts += [sentence(in_units(w, units)) + "." for w in plan.not_driven]
        self.stops.setText("\n".join(parts))

    def _ask_cases(self, study: Study, asking: Askable | None) -> None:
        """What would change it, worked out beside the window."""
        plan = self.plan
        self._show_cases(study, (), None)
        if plan is None or asking is None:
            self._beside.forget()
            return

        def work() -> object:
            others: list[tuple[str, TripPlan | None, str]] = []
            for name in asking.configurations:
                if name == plan.configuration:
                    continue
                try:
                    other = plan_way(
                        way_of(study, asking, plan.trip.with_(configuration=name, stop_at_km=()))
                    )
                except ValueError as error:
                    others.append((name, None, str(error)))
                    continue
                others.append((name, other, ""))
            return what_ifs(study, asking, plan), others

        def then(result: object, fault: Exception | None) -> None:
            if fault is None and self.plan is plan and self.session.study is study:
                self._show_cases(study, *result)  # type: ignore[misc]

        self._beside.run(work, then)

    def _show_cases(self, study: Study, cases: tuple[WhatIf, ...], others: Any) -> None:
        units = self.units
        rows = [(w.name, in_units(case_words(w), units)) for w in cases]
        for name, other, why in others or ():
            words = why if other is None else (
                f"{hours_words(other.total_h)}, {len(other.stops)} stop{'s' if len(other.stops) != 1 else ''}, {other.kwh:.0f} kWh"
                + ("" if other.cost is None else f", {other.cost:.2f} in your money")
            )  # fmt: skip
            rows.append((f"with {study.configuration(name).label}", in_units(words, units)))
        beside = None if self.plan is None else fuelled(self.plan.trip)
        if beside is not None:
            cost = "" if beside.cost is None else f", {beside.cost:.2f} in your money"
            stops = (
                f", {beside.stops} stop{'s' if beside.stops != 1 else ''} for fuel" if beside.stops else ""
            )
            rows.append(
                ("the fuel vehicle", f"{hours_words(beside.total_h)}, {beside.litres:.1f} L{stops}{cost}")
            )
        self.cases.setRowCount(len(rows))
        for i, row in enumerate(rows):
            for j, text in enumerate(row):
                self.cases.setItem(i, j, QTableWidgetItem(sentence(in_units(text, units))))
        self.cases.setColumnWidth(0, 210)
        self.cases.horizontalHeader().setStretchLastSection(True)
        self.cases.resizeRowsToContents()
        height = sum(self.cases.rowHeight(i) for i in range(len(rows)))
        self.cases.setFixedHeight(height + 6 if rows else 30)

    # ------------------------------------------------------------ taking it along

    def _choose_calendar(self) -> None:
        path, _ = QFileDialog.getSaveFileName(self, "Calendar file", "trip.ics", "Calendar (*.ics)")
        if path:
            self.calendar_to(Path(path))

    def calendar_to(self, path: Path) -> bool:
        """Write the trip as a calendar file."""
        from fairmargin.exchange.ical import trip_calendar

        if self.plan is None:
            return False
        if self.plan.trip.depart_at is None:
            self.session.failed.emit("When is it? Give a time under Set off, then it can go into a calendar.")
            return False
        try:
            path.write_bytes(trip_calendar(self.study, self.plan, datetime.now().astimezone()))
        except OSError as error:
            self.session.failed.emit(f"{path}: {error.strerror or error}")
            return False
        return True


def _departure(moment: datetime | None) -> str:
    """A time of today as a clock shows it; with its date where it is another day."""
    if moment is None:
        return ""
    return f"{moment:%H:%M}" if moment.date() == datetime.now().date() else f"{moment:%Y-%m-%d %H:%M}"

"""A trip with what the study found: the way, chargers, stops, the day drawn to scale, what would change it."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime
from pathlib import Path
from typing import Final

from PySide6.QtWidgets import QHBoxLayout, QPushButton, QTableWidgetItem, QWidget

from fairmargin.core.outcome.alternatives import Beside, fuel_trip, trip_beside
from fairmargin.core.outcome.asking import Askable
from fairmargin.core.outcome.charging_stops import CannotArrive
from fairmargin.core.outcome.trips import TripPlan, WhatIf, fuelled, plan_way, what_ifs, with_stop_moved
from fairmargin.core.outcome.way import Way, way_of
from fairmargin.core.study import Study
from fairmargin.core.study.cells import vehicle_label
from fairmargin.core.study.entry import words_of
from fairmargin.core.study.trip import Trip
from fairmargin.core.units import in_units
from fairmargin.core.words import sentence
from fairmargin.desktop.stages.using.trip_form import TripForm
from fairmargin.desktop.state.background import Background
from fairmargin.desktop.state.session import Session
from fairmargin.desktop.widgets.basics import label, panel
from fairmargin.desktop.widgets.files import ask_save
from fairmargin.desktop.widgets.tables import Table
from fairmargin.desktop.widgets.using.tripday import TripDay
from fairmargin.exchange.words.figures import distance_words, volume_words
from fairmargin.exchange.words.names import speed_told
from fairmargin.exchange.words.outcomes import (
    arrival_words,
    beside_words,
    case_words,
    hours_words,
    money_words,
    stop_words,
    sums,
)

CAUTION: Final = "Arrive with a reserve. Do not block bays with a trailer: unhitch where it is allowed. Plates, law and handbook come first."


class TripPage(TripForm):
    """A trip."""

    def __init__(self, session: Session, touch: Callable[[], None], parent: QWidget | None = None) -> None:
        super().__init__(session, touch, parent)
        self._lay_day()
        self._lay_cases()
        self.body.addWidget(label(CAUTION, "caution", wrap=True))
        self.body.addStretch()
        self.plan: TripPlan | None = None
        self._way: Way | None = None
        self._planned: object = None
        self._beside = Background(self)
        session.wanted.ready.connect(touch)

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
        self.cases = Table(0, 2, "What would change it")
        self.cases.horizontalHeader().hide()
        self.cases.setShowGrid(False)
        self.cases.setWordWrap(True)
        box.addWidget(self.cases)
        self.body.addWidget(self.cases_frame)

    # ------------------------------------------------------------ moving a stop

    def _moving(self, which: int, km: float) -> None:
        """A stop is dragged: show the plan that would be, without keeping it."""
        if self.plan is None or self._way is None:
            return
        trip = with_stop_moved(self.plan, which, km)
        try:
            plan = plan_way(self._way.for_trip(trip))
        except (CannotArrive, ValueError) as error:
            self.fault.setText(words_of(error, self.units))
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
        asking, trip = self.asking_of_all(), self.trip_value
        self.show_form(study, trip, asking)
        self._plan(study, asking, trip)

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
        elif trip.stretches and self.vehicle.energy != "electric":
            self._plan_fuelled(study, asking, trip)
            return
        elif trip.stretches:
            try:
                self._way = way_of(study, asking, trip)
                self.plan = plan_way(self._way)
            except (ArithmeticError, ValueError) as error:
                self.fault.setText(words_of(error, self.units))
        self._show(study)
        self._ask_cases(study, asking)

    def _plan_fuelled(self, study: Study, asking: Askable, trip: Trip) -> None:
        """A trip of a vehicle that burns fuel: litres, time and cost; there is no charge to draw."""
        self._show(study)
        self._ask_cases(study, None)
        try:
            found = fuel_trip(study, asking, trip)
        except ValueError as error:
            self.fault.setText(words_of(error, self.units))
            self.fault.show()
            return
        self.drawing.hide()
        self.day_title.setText(f"{distance_words(trip.km, self.units)} in {hours_words(found.total_h or 0.0)}")
        self.arrival.setText(sentence(in_units(beside_words(found), self.units)) + ".")

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
        late = f" {hours_words(plan.late_h)} with a queue at every stop." if plan.late_h > plan.total_h + 0.01 else ""
        self.arrival.setText(
            f"{in_units(arrival_words(plan), units)} {plan.kwh:.0f} kWh ({low:.0f} to {high:.0f}){money_words(plan)}.{late}"
        )
        parts = [stop_words(s, units) for s in plan.stops] or ["No stop is needed."]
        parts += sums(plan, units)
        if not speed_told(self.study) and any(s.speed_kmh is None for s in self.trip_value.stretches):
            parts.append(
                "The time supposes a speed: nobody said how fast these legs were driven. Give it with the way, as in 380 at 90."
            )
        if self.study.change.about.hitched and plan.stops and plan.trip.unhitch_min is None:
            parts.append("Nobody said how long unhitching and hitching takes: no minute of it is counted.")
        parts += [sentence(in_units(w, units)) + "." for w in plan.not_driven]
        self.stops.setText("\n".join(parts))

    def _ask_cases(self, study: Study, asking: Askable | None) -> None:
        """What would change it, worked out beside the window."""
        plan = self.plan
        self._show_cases(study, (), ())
        if plan is None or asking is None:
            self._beside.forget()
            return

        every = self.session.wanted.askings() or ()

        def work() -> object:
            return what_ifs(study, asking, plan), trip_beside(
                study, every, plan.trip, asking.vehicle, plan.configuration
            )

        def then(result: object, fault: Exception | None) -> None:
            if fault is None and self.plan is plan and self.session.study is study:
                self._show_cases(study, *result)  # type: ignore[misc]

        self._beside.run(work, then)

    def _show_cases(self, study: Study, cases: tuple[WhatIf, ...], others: tuple[Beside, ...]) -> None:
        units = self.units
        rows = [(w.name, in_units(case_words(w), units)) for w in cases]
        for b in others:
            name = study.configuration(b.configuration).label
            name = f"{vehicle_label(study, b.vehicle)}, {name}" if b.vehicle else name
            rows.append((f"with {name}", in_units(beside_words(b), units)))
        beside = None if self.plan is None else fuelled(self.plan.trip)
        if beside is not None:
            cost = "" if beside.cost is None else f", {beside.cost:.2f} in your money"
            stops = f", {beside.stops} stop{'s' if beside.stops != 1 else ''} for fuel" if beside.stops else ""
            rows.append(
                (
                    "the fuel vehicle",
                    f"{hours_words(beside.total_h)}, {volume_words(beside.litres, units)}{stops}{cost}",
                )
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
        path, _ = ask_save(self, "Calendar file", "trip.ics", "Calendar (*.ics)")
        if path:
            self.calendar_to(Path(path))

    def calendar_to(self, path: Path) -> bool:
        """Write the trip as a calendar file."""
        from fairmargin.exchange.reports.calendar import trip_calendar

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

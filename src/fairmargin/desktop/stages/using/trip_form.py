"""The form of a trip: the way, chargers, charge, weather, habits and prices; every field is kept as it is left."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime
from pathlib import Path
from typing import Any, Final

from PySide6.QtCore import QEvent, QObject
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from fairmargin.core.conditions.typed import read_climate
from fairmargin.core.outcome.asking import Askable
from fairmargin.core.outcome.trips import returning
from fairmargin.core.study import Study
from fairmargin.core.study.entry import show_number, words_of
from fairmargin.core.study.trip import Trip
from fairmargin.core.units import label as unit_label
from fairmargin.core.units import read_in, read_number, read_quantity
from fairmargin.desktop.stages.base import Field
from fairmargin.desktop.stages.using.fuel_fields import (
    read_litres_a_hundred,
    read_price_a_litre,
    shown_litres_a_hundred,
    shown_price_a_litre,
)
from fairmargin.desktop.stages.using.page import UsePage
from fairmargin.desktop.state.session import Session
from fairmargin.desktop.widgets.basics import label, named_choice, panel
from fairmargin.desktop.widgets.decimals import as_here, typed_here
from fairmargin.desktop.widgets.files import ask_open
from fairmargin.desktop.widgets.flow import Flow
from fairmargin.desktop.widgets.inputs import Words
from fairmargin.exchange.tables.chargers import (
    read_chargers,
    read_stretches,
    show_chargers,
    show_stretches,
    stretches_of,
)

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
    ("stop_min", "Park, plug in, pay", "min", "At each stop"),
    ("queue_chance", "Chance of a queue", "%", "At a charger"),
    ("queue_min", "which then lasts", "min", ""),
    ("pause_every_h", "Pause after", "h", "Driving without a stop"),
    ("pause_min", "of", "min", ""),
    ("peak_kw", "Battery takes at most", "kW", "Empty: 1.8 times its capacity an hour (common practice)"),
    ("taper_from_percent", "and less from", "%", "Falls to a fifth of it when full"),
    ("charger_efficiency_percent", "Of a charger's energy arrives", "%", "From the plug into the battery"),
    ("fuel_tank_l", "Fuel vehicle's tank", "volume", ""),
)  # fmt: skip
#: Prices, which stand in sight.
PRICES: Final = (
    ("price_per_kwh", "Price at chargers", "/kWh", "Where a charger's own is not told"),
    ("home_price_per_kwh", "Price at home", "/kWh", "Empty: as at chargers"),
    ("road_price_per_km", "Road charge", "a distance", "Of the vehicle that the trip is planned for"),
    ("fuel_l_per_100km", "Fuel vehicle", "fuel", "Its consumption on this way"),
    ("fuel_price_per_l", "Fuel price", "fuel price", "As the pump counts it: a litre, or a gallon"),
    ("fuel_road_price_per_km", "Its roads", "a distance", "Of the fuel vehicle"),
)
WORDS_UNITS: Final = frozenset({"a distance"})


class TripForm(UsePage):
    """What is to be driven."""

    def __init__(self, session: Session, touch: Callable[[], None], parent: QWidget | None = None) -> None:
        super().__init__(session, touch, parent)
        self.fields: dict[str, Field] = {}
        self._lay_trip()

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
            "way", "The way", self._set_way, tip="420, or stretches: 60 at 90; 300 at 85 +400 m; 60 at 50, town"
        )
        self.way.edit.setPlaceholderText("420   or   60 at 90; 300 at 85 +400 m")
        row.addWidget(self.way, 3)
        holder, self.who = named_choice("With", (), self._set_who)
        self.who.setSizeAdjustPolicy(self.who.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.who.setMinimumContentsLength(8)
        row.addWidget(holder, 2)
        box.addLayout(row)
        box.addLayout(self._chargers_row())
        box.addLayout(self._charge_row())
        box.addLayout(self._price_row())
        self._lay_more()
        box.addWidget(self.rest)
        self.body.addWidget(frame)

    def _chargers_row(self) -> QHBoxLayout:
        """Chargers, and where they and the way may come from."""
        row = QHBoxLayout()
        column = QVBoxLayout()
        column.setSpacing(1)
        column.addWidget(label("Chargers along it", "muted"))
        self.chargers = Words(lines=4)
        self.chargers.setAccessibleName("Chargers along it")
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
        return row

    def _charge_row(self) -> Flow:
        """Charge on leaving, arriving and between, when, and how surely."""
        row = Flow()
        for name, words, tip in (
            ("start_percent", "Leave with", ""), ("arrive_percent", "Arrive with", "At the end, at least"),
            ("reserve_percent", "At chargers", "At least, on coming to one"), ("most_percent", "Charge to", "At the most"),
        ):  # fmt: skip
            row.addWidget(self._field(name, words, self._number(name, "%"), unit="%", tip=tip))
        self.unhitch = self._field(
            "unhitch_min", "Unhitch, hitch", self._number("unhitch_min", "min"), unit="min",
            tip="At each stop, with a trailer; not where it may stay on: a charger with \u201chitched\u201d behind it",
        )  # fmt: skip
        row.addWidget(self.unhitch)
        leave = self._field("depart_at", "Set off", self._set_departure, tip="07:30, or a date and a time")
        leave.edit.setMinimumWidth(leave.edit.fontMetrics().horizontalAdvance("2026-08-28 07:30") + 26)
        row.addWidget(leave)
        holder, self.certainty = named_choice("Planned for", tuple(w for w, _ in CERTAINTIES), self._set_certainty)
        row.addWidget(holder)
        return row

    def _price_row(self) -> Flow:
        """What energy, roads and a vehicle that burns fuel cost."""
        row = Flow()
        for name, words, unit, tip in PRICES:
            row.addWidget(self._field(name, words, self._number(name, unit), unit=_fixed(unit), tip=tip))
        return row

    def _lay_more(self) -> None:
        """What is a key away."""
        grid = Flow(self.rest, even=True)
        for name, words, unit, tip in MORE:
            commit = self._set_climate if unit == "climate" else self._number(name, unit)
            grid.addWidget(self._field(name, words, commit, unit=_fixed(unit), tip=tip))
        holder, self.road = named_choice("Road", ("dry", "damp", "wet", "snow"), self._set_road)
        grid.addWidget(holder)
        self.rest.hide()

    def _field(self, name: str, words: str, commit: Callable[[str], None], unit: str = "", tip: str = "") -> Field:
        made = self.fields[name] = Field(words, commit, unit=unit, tip=tip)
        made.edit.setMinimumWidth(52)
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
            raise ValueError(words_of(error, self.session.units)) from error
        if not self.session.edit(after, text):
            raise ValueError("could not be saved")

    def _number(self, name: str, unit: str) -> Callable[[str], None]:
        def commit(text: str) -> None:
            value: float | None = None
            if text and unit == "fuel":
                value = read_litres_a_hundred(text, self.session.units)
            elif text and unit == "fuel price":
                value = read_price_a_litre(text, self.session.units)
            elif text and unit in {"temperature", "wind", "mass", "volume"}:
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
            if value is not None and name.endswith("road_price_per_km"):
                value *= self.session.units.show("distance", 1.0)
            if value is None:
                value = Trip.model_fields[name].default
            self._change(name.split("_")[0], **{name: value})

        return commit

    def _set_way(self, text: str) -> None:
        units = self.session.units
        trip = self.trip_value
        stretches = read_stretches(text, units.distance, units.speed)
        whole = sum(s.km for s in stretches)
        kept = tuple(c for c in trip.chargers if c.at_km < whole)
        stops = tuple(km for km in trip.stop_at_km if km < whole)
        self._change("the way", stretches=stretches, chargers=kept, stop_at_km=stops)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if watched is self.chargers and event.type() == QEvent.Type.FocusOut:
            self.commit_chargers()
        return super().eventFilter(watched, event)

    @typed_here()
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
            self.chargers_fault.setText(words_of(error, self.session.units))
            self.chargers_fault.show()
            return
        self.chargers_fault.hide()

    def _choose_file(self) -> None:
        path = ask_open(self, "Chargers", "Tables (*.csv *.txt *.tsv);;All files (*)")
        if path:
            self.bring_chargers(Path(path))

    def _choose_track(self) -> None:
        path = ask_open(self, "Track of the way", "Tracks (*.gpx);;All files (*)")
        if path:
            self.bring_track(Path(path))

    def bring_track(self, path: Path) -> bool:
        """Take the way, with its climbs, from a track; at the speed that the trip had, or the study's."""
        from fairmargin.exchange.files.faults import InvalidInput
        from fairmargin.exchange.route import read_gpx

        trip = self.trip_value
        speed = trip.stretches[0].speed_kmh if trip.stretches else None
        try:
            points, notices = read_gpx(path)
            made = stretches_of(points, speed)
        except (InvalidInput, ValueError) as error:
            self.session.failed.emit(words_of(error))
            return False
        whole = sum(s.km for s in made)
        self._change(
            "the way", stretches=made, chargers=tuple(c for c in trip.chargers if c.at_km < whole), stop_at_km=()
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

    # ------------------------------------------------------------ showing

    def show_form(self, study: Study, trip: Trip, asking: Askable | None) -> None:
        """Show the trip's values; a field that is being typed in keeps its text."""
        units = self.session.units
        near, far = (round(units.show("distance", x), -1) for x in (90.0, 140.0))
        self.chargers.setPlaceholderText(
            f"every {near:.0f} to {far:.0f} {units.distance}, 150 kW\nor a line each:  {far:.0f} Mill Quay 150 kW 0.45"
        )
        shown = "" if not trip.stretches else show_stretches(
            trip.stretches, units.show("distance", 1.0), units.show("speed", 1.0)
        )  # fmt: skip
        self.way.show_text(shown, units.distance)
        for name, field in self.fields.items():
            if name not in {"way", "depart_at"}:
                field.show_text(*self._shown(name, getattr(trip, name)))
        self.fields["depart_at"].show_text(_departure(trip.depart_at))
        if not self.chargers.document().isModified():
            text = as_here(show_chargers(trip.chargers, units.show("distance", 1.0)))
            if self.chargers.toPlainText() != text:
                self.chargers.setPlainText(text)
                self.chargers.document().setModified(False)
        self.certainty.setCurrentIndex(
            min(range(len(CERTAINTIES)), key=lambda i: abs(CERTAINTIES[i][1] - trip.certainty))
        )
        self.road.setCurrentText(trip.road or "dry")
        self.unhitch.setVisible(study.change.about.hitched or trip.unhitch_min is not None)
        self._offer(study, asking, trip)

    def _shown(self, name: str, value: Any) -> tuple[str] | tuple[str, str]:
        units = self.session.units
        quantity = next((u for n, _, u, _ in (*MORE, *PRICES) if n == name), "%")
        if quantity in {"temperature", "wind", "mass", "volume"}:
            text = "" if value is None else show_number(units.show(quantity, float(value)), 1)
            return text, unit_label(getattr(units, quantity))
        if name == "fuel_l_per_100km":
            return shown_litres_a_hundred(value, units)
        if name == "fuel_price_per_l":
            return shown_price_a_litre(value, units)
        if name == "climate":
            return (value if value in {"off", "auto"} else show_number(units.show("temperature", float(value)), 0),)
        if name == "queue_chance":
            return (show_number(100 * value, 0),)
        if name.endswith("road_price_per_km"):
            return show_number(value / units.show("distance", 1.0), 4), f"/{units.distance}"
        return (show_number(value, 3),)

    def _offer(self, study: Study, asking: Askable | None, trip: Trip) -> None:
        """Configurations that were driven."""
        self.who.clear()
        for name in asking.configurations if asking is not None else ():
            self.who.addItem(study.configuration(name).label, name)
        chosen = trip.configuration or next((t.id for t in study.trials), study.baseline.id)
        self.who.setCurrentIndex(max(self.who.findData(chosen), 0))


def _fixed(unit: str) -> str:
    """A unit that stands behind a field whatever somebody's units are."""
    return unit if unit in {"K", "min", "%", "h", "kW", "/kWh"} else ""


def _departure(moment: datetime | None) -> str:
    """A time of today as a clock shows it; with its date where it is another day."""
    if moment is None:
        return ""
    return f"{moment:%H:%M}" if moment.date() == datetime.now().date() else f"{moment:%Y-%m-%d %H:%M}"

"""The study values: frozen pydantic models that are the file format and the application's state at once.

An edit makes a new value (`Study.with_leg`, `model_copy`); nothing here is ever changed in place. Unknown
keys of a package are kept in ``extra`` fields so that a round trip loses nothing.
"""

from __future__ import annotations

from collections.abc import Iterable
from datetime import datetime
from functools import cached_property
from string import ascii_uppercase
from typing import Annotated, Any, Final, Literal, Self

from pydantic import AfterValidator, Field, field_validator, model_validator

from fairmargin.core.kinds import ChangeKind, Mechanism, change_kind, change_kinds
from fairmargin.core.study.attachments import MOST_OF_A_STUDY, Attachment
from fairmargin.core.study.base import Value as _Value
from fairmargin.core.study.base import within
from fairmargin.core.study.circumstances import Circumstances, Outing
from fairmargin.core.study.leg import Leg
from fairmargin.core.study.plan import Plan
from fairmargin.core.study.registration import Registration
from fairmargin.core.study.remembered import Learned, Remembered
from fairmargin.core.study.statements import Asked, Claim, KnownDifference, Prediction, Side, WayReading
from fairmargin.core.study.trip import Trip
from fairmargin.core.study.vehicle import NamedVehicle, Vehicle
from fairmargin.core.study.vocabulary import EventKind, InstrumentName, Method, Subject
from fairmargin.core.units import ConsumptionUnit

#: Sides of a test with a control vehicle, as a leg names them.
SIDES: Final = ("test", "control")


class Change(_Value):
    """What differs between the configurations, and what the tester expects of it."""

    kind: Annotated[
        str,
        AfterValidator(lambda name: change_kind(name).name),
        Field(json_schema_extra={"enum": list(change_kinds())}),
    ] = "other"
    mechanism: Mechanism | tuple[Mechanism, ...] = "unknown"
    subject: Subject = "configuration"
    prediction_percent: Annotated[float | None, within(-95, 500, "%")] = None
    prediction: Prediction | None = None
    claim: Claim | None = None
    prediction_sealed_at: datetime | None = None
    purchase_price: Annotated[float | None, within(0, 1e9, "in your money")] = None
    description: str = ""

    @property
    def about(self) -> ChangeKind:
        """Everything that is known of its kind."""
        return change_kind(self.kind)

    @property
    def mechanisms(self) -> tuple[Mechanism, ...]:
        """The mechanism or mechanisms as a tuple."""
        return self.mechanism if isinstance(self.mechanism, tuple) else (self.mechanism,)

    @property
    def is_technique(self) -> bool:
        """Whether the way of driving is the change itself."""
        return "technique" in {*self.mechanisms, self.about.mechanism}

    @property
    def is_warming(self) -> bool:
        """Whether the change is what warms the vehicle: what it is worth hangs on the air it was driven in."""
        return self.about.mechanism == "auxiliary" or self.mechanisms == ("auxiliary",)


class Configuration(_Value):
    """One state of the vehicle; exactly one of a study's configurations is the baseline.

    A `mechanism` or `speed_kmh` of its own stands where it is not the change's or the study's.
    """

    id: str = Field(min_length=1, max_length=40)
    name: str = ""
    baseline: bool = False
    mass_delta_kg: Annotated[float | None, within(-10000, 20000, "kg")] = 0.0
    circumference_change_percent: Annotated[float | None, within(-25, 25, "%")] = 0.0
    mechanism: tuple[Mechanism, ...] = ()  # empty: the change's
    speed_kmh: Annotated[float | None, within(5, 300, "km/h")] = None
    frontal_area_delta_m2: Annotated[float | None, within(-5, 10, "m²")] = None

    @property
    def label(self) -> str:
        """The name, or the id when it has none."""
        return self.name or self.id


class Reference(_Value):
    """The conditions the legs are corrected to."""

    temperature_c: Annotated[float, within(-40, 50, "°C")] = 15.0
    pressure_hpa: Annotated[float, within(500, 1100, "hPa")] = 1013.25
    humidity_percent: Annotated[float, within(0, 100, "%")] = 60.0
    wind_speed_ms: Annotated[float, within(0, 30, "m/s")] = 0.0


class WindSetup(_Value):
    """Where the reported wind was measured, and what lies between the mast and the road."""

    measured_at_m: Annotated[float, within(0.5, 200, "m")] = 10.0
    terrain: Literal["open", "hedges", "forest", "built-up"] = "open"
    station_km: Annotated[float | None, within(0, 500, "km")] = None  # from the road; None where nobody said


class RoutePoint(_Value):
    """A point of the route in the out direction."""

    distance_m: Annotated[float, within(0, 5e6, "m")]
    latitude: Annotated[float | None, within(-90, 90, "degrees")] = None
    longitude: Annotated[float | None, within(-180, 180, "degrees")] = None
    elevation_m: Annotated[float | None, within(-500, 6000, "m")] = None
    sector: str = ""


class WeatherRow(_Value):
    """What a station reported at one time."""

    time: datetime
    station: str = ""
    temperature_c: Annotated[float | None, within(-50, 60, "°C")] = None
    pressure_hpa: Annotated[float | None, within(500, 1100, "hPa")] = None
    humidity_percent: Annotated[float | None, within(0, 100, "%")] = None
    wind_speed_ms: Annotated[float | None, within(0, 60, "m/s")] = None
    wind_gust_ms: Annotated[float | None, within(0, 90, "m/s")] = None
    wind_from_deg: Annotated[float | None, within(0, 360, "degrees")] = None


class Event(_Value):
    """Something that happened on a leg."""

    leg: str
    at_km: Annotated[float | None, within(0, 5000, "km")] = None
    at_s: Annotated[float | None, within(0, 400000, "s")] = None
    duration_s: Annotated[float | None, within(0, 400000, "s")] = None
    kind: EventKind = "other"
    speed_kmh: Annotated[float | None, within(0, 300, "km/h")] = None
    note: str = ""


class Stretch(_Value):
    """A stretch of the road, in the out direction, that is left out of every logged leg, and why."""

    from_m: Annotated[float, within(0, 5e6, "m")]
    to_m: Annotated[float, within(0, 5e6, "m")]
    reason: str = Field(min_length=1)
    after_result: bool = False  # left out when the result had been seen

    @model_validator(mode="after")
    def _forwards(self) -> Self:
        if self.to_m <= self.from_m:
            raise ValueError(f"to_m {self.to_m:g} does not lie beyond from_m {self.from_m:g}")
        return self


class Instrument(_Value):
    """Facts of one instrument, whatever its figures look like."""

    step: Annotated[float | None, within(0, 100, "")] = None
    unit: ConsumptionUnit | Literal["kWh", "%", "L", "km", "mi"] | None = None
    truncates: bool = False
    trusted: bool = True


class Study(_Value):
    """One question and all the evidence for it.

    Raises
    ------
    pydantic.ValidationError
        If a value is impossible, a name is used twice, a leg or event refers to nothing, the route does not
        advance, or not exactly one configuration is the baseline.
    """

    format: Literal["fairmargin-study"] = "fairmargin-study"
    version: Literal[1] = 1
    title: str = ""
    tester: str = Field(default="", max_length=120)  # who tested, as it is to stand in a report
    notes: str = ""
    change: Change = Change.model_construct()
    vehicle: Vehicle = Vehicle.model_construct()
    vehicles: tuple[NamedVehicle, ...] = ()
    configurations: tuple[Configuration, ...]
    method: Method = "out-and-back"
    target_speed_kmh: Annotated[float | None, within(5, 300, "km/h")] = None
    confidence: Annotated[float, within(0.5, 0.999, "(a share of 1)")] = 0.95
    smallest_effect_percent: Annotated[float, within(0.05, 50, "%")] = 1.0
    reference: Reference = Reference.model_construct()
    wind: WindSetup = WindSetup.model_construct()
    instruments: dict[InstrumentName, Instrument] = Field(default_factory=dict)
    known_differences: tuple[KnownDifference, ...] = ()
    also_compared: tuple[Asked, ...] = ()
    circumstances: Circumstances = Circumstances.model_construct()
    outings: tuple[Outing, ...] = ()
    registration: Registration | None = None
    said_afterwards: tuple[str, ...] = ()  # what should be said beforehand, and was said when the result was seen
    sector_weights_km: dict[str, float] = Field(default_factory=dict)  # for the whole route; empty: as driven
    route_name: str = ""
    left_out_stretches: tuple[Stretch, ...] = ()
    plan: Plan = Plan.model_construct()
    trip: Trip | None = None
    remembered: Remembered | None = None
    learned: Learned | None = None  # of its tester, where it came as a package
    tags: tuple[str, ...] = ()
    attachments: tuple[Attachment, ...] = ()  # photographs and small files of a leg, the load, a tyre plate
    legs: tuple[Leg, ...] = ()
    route: tuple[RoutePoint, ...] = ()
    weather: tuple[WeatherRow, ...] = ()
    events: tuple[Event, ...] = ()
    readings: tuple[WayReading, ...] = ()

    @field_validator("sector_weights_km")
    @classmethod
    def _weights(cls, value: dict[str, float]) -> dict[str, float]:
        for sector, km in value.items():
            if not 0 < km <= 5000:
                raise ValueError(f"{sector}: {km:g} is no length of a sector; expected more than 0, up to 5000 km")
        return value

    @field_validator("attachments")
    @classmethod
    def _attachments(cls, value: tuple[Attachment, ...]) -> tuple[Attachment, ...]:
        names = [x.file for x in value]
        if len(set(names)) != len(names):
            raise ValueError("attachments must have names of their own")
        size = sum(len(x.data) for x in value) * 3 // 4
        if size > MOST_OF_A_STUDY:
            raise ValueError(
                f"all attachments together hold {size / 1000:.0f} kB; expected at most {MOST_OF_A_STUDY // 1000} kB"
            )
        return value

    @field_validator("vehicles")
    @classmethod
    def _vehicles(cls, value: tuple[NamedVehicle, ...]) -> tuple[NamedVehicle, ...]:
        ids = [v.id for v in value]
        if len(set(ids)) != len(ids):
            raise ValueError(f"vehicle ids must differ; got {', '.join(ids)}")
        return value

    @field_validator("outings")
    @classmethod
    def _outings(cls, value: tuple[Outing, ...]) -> tuple[Outing, ...]:
        ids = [o.id for o in value]
        if len(set(ids)) != len(ids):
            raise ValueError(f"outings must have names of their own; got {', '.join(ids)}")
        return value

    @field_validator("configurations")
    @classmethod
    def _configurations(cls, value: tuple[Configuration, ...]) -> tuple[Configuration, ...]:
        if not value:
            raise ValueError("expected at least one configuration")
        ids = [c.id for c in value]
        if len(set(ids)) != len(ids):
            raise ValueError(f"configuration ids must differ; got {', '.join(ids)}")
        marked = [c.id for c in value if c.baseline]
        if len(marked) != 1:
            raise ValueError(f'exactly one configuration must have "baseline": true; got {len(marked)}')
        return value

    @field_validator("route")
    @classmethod
    def _route(cls, value: tuple[RoutePoint, ...]) -> tuple[RoutePoint, ...]:
        for before, after in zip(value, value[1:], strict=False):
            if after.distance_m <= before.distance_m:
                raise ValueError(
                    f"distance_m must increase along the route; {after.distance_m:g} m follows {before.distance_m:g} m"
                )
        return value

    @model_validator(mode="after")
    def _references(self) -> Self:
        ids = {c.id for c in self.configurations}
        names: set[str] = set()
        for leg in self.legs:
            if leg.leg in names:
                raise ValueError(f'leg "{leg.leg}" stands twice; expected a name of its own for each leg')
            names.add(leg.leg)
            if leg.configuration not in ids:
                raise ValueError(
                    f'leg "{leg.leg}": configuration "{leg.configuration}" is not in study.json; expected one of '
                    f"{', '.join(sorted(ids))}"
                )
        for event in self.events:
            if event.leg not in names:
                raise ValueError(f'an event names leg "{event.leg}", which is not in legs.csv')
        for reading in self.readings:
            if reading.leg not in names:
                raise ValueError(f'a reading on the way names leg "{reading.leg}", which is not in legs.csv')
        self._vehicles_are_there(ids)
        return self

    def _vehicles_are_there(self, ids: set[str]) -> None:
        """Legs and known differences name vehicles (and configurations) that the study has."""
        vehicles = {v.id for v in self.vehicles}
        for leg in self.legs:
            if leg.vehicle not in {"", *SIDES} and leg.vehicle not in vehicles:
                expected = ", ".join([*sorted(vehicles), *SIDES])
                raise ValueError(f'leg "{leg.leg}": vehicle "{leg.vehicle}" is not in study.json; expected {expected}')
        for known in self.known_differences:
            if known.configuration and known.configuration not in ids:
                raise ValueError(f'known_differences: there is no configuration "{known.configuration}"')
            if known.vehicle and known.vehicle not in vehicles:
                raise ValueError(f'known_differences: there is no vehicle "{known.vehicle}"')

    def driven_before_s(self, leg: Leg) -> float | None:
        """What was driven just before a leg that is the first of its outing, of itself, its outing or the study. [s]"""
        if leg.driven_before_s is not None:
            return leg.driven_before_s
        own = [o.warm_up_min for o in self.outings if (leg.run or leg.leg) in o.runs and o.warm_up_min is not None]
        minutes = own[0] if own else self.circumstances.warm_up_min
        return None if minutes is None else 60.0 * minutes

    @property
    def baseline(self) -> Configuration:
        """The baseline configuration."""
        return next(c for c in self.configurations if c.baseline)

    @property
    def trials(self) -> tuple[Configuration, ...]:
        """The configurations that are compared with the baseline."""
        return tuple(c for c in self.configurations if not c.baseline)

    def configuration(self, identifier: str) -> Configuration:
        """Return the configuration with that id (KeyError if there is none)."""
        for configuration in self.configurations:
            if configuration.id == identifier:
                return configuration
        raise KeyError(identifier)

    def side_label(self, identifier: str) -> str:
        """What one side of a comparison is called: a configuration or, where vehicles are compared, a vehicle."""
        named = {v.id: v.label for v in self.vehicles} | {c.id: c.label for c in self.configurations}
        side = self.asked_side(identifier)
        if identifier in named or side is None:
            return named.get(identifier, identifier)
        speed = f"{side.speed_kmh:g} km/h" if side.speed_kmh else ""
        words = [named.get(side.vehicle, ""), named.get(side.configuration, side.configuration), side.sector, speed]
        return ", ".join(w for w in words if w)

    def trial_number(self, identifier: str) -> int:
        """Which trial, from 0, the side of a comparison is told apart by; of vehicles, which after the first."""
        side = self.asked_side(identifier)
        names = [t.id for t in self.trials], [v.id for v in self.vehicles[1:]]
        for wanted in (identifier, side.configuration if side else "", side.vehicle if side else ""):
            for ids in names:
                if wanted in ids:
                    return ids.index(wanted)
        return 0

    def asked_side(self, identifier: str) -> Side | None:
        """The side of a comparison asked for that goes by a name."""
        sides = (side for asked in self.also_compared for side in (asked.baseline, asked.trial))
        return next((side for side in sides if side.name == identifier), None)

    def mechanisms_of(self, trial: Configuration) -> tuple[Mechanism, ...]:
        """What a trial works through: its own mechanisms, or the change's."""
        return trial.mechanism or self.change.mechanisms

    def leg(self, name: str) -> Leg:
        """Return the leg with that name (KeyError if there is none)."""
        legs, named = self.named_legs
        if legs is not self.legs:  # a copy that was given others (`model_copy` takes along what was found)
            named = {leg.leg: leg for leg in self.legs}
        return named[name]

    @cached_property
    def named_legs(self) -> tuple[tuple[Leg, ...], dict[str, Leg]]:
        """The legs, and each by its name."""
        return self.legs, {leg.leg: leg for leg in self.legs}

    def with_leg(self, name: str, **changes: Any) -> Study:
        """Return a study in which leg `name` has `changes` (KeyError if there is no such leg)."""
        new = self.leg(name).with_(**changes)
        return self.with_(legs=tuple(new if leg.leg == name else leg for leg in self.legs))

    def with_legs(self, legs: Iterable[Leg]) -> Study:
        """Return a study with these legs instead; events and readings of legs that are gone go with them."""
        legs = tuple(legs)
        names = {leg.leg for leg in legs}
        return self.with_(
            legs=legs,
            events=tuple(e for e in self.events if e.leg in names),
            readings=tuple(r for r in self.readings if r.leg in names),
        )

    def runs(self) -> list[tuple[str, list[Leg]]]:
        """Runs in the order they are driven, each with its legs (a leg without a run is its own)."""
        grouped: dict[str, list[Leg]] = {}
        for leg in self.legs:
            grouped.setdefault(leg.run or leg.leg, []).append(leg)
        return list(grouped.items())

    @property
    def lettered(self) -> dict[str, str]:
        """What each letter of an order of runs stands for: A the baseline or the first vehicle, then B, C and so on.

        Ids of vehicles where vehicles are what is compared and each drives runs of its own; else of configurations.
        """
        sides = self.vehicles if self.vehicles_take_turns else (self.baseline, *self.trials)
        return dict(zip(ascii_uppercase, (side.id for side in sides), strict=False))

    @property
    def vehicles_take_turns(self) -> bool:
        """Whether vehicles are what is compared, each in runs of its own."""
        fleet = {v.id for v in self.vehicles}
        if self.change.subject != "vehicle" or len(fleet) < 2 or self.trials:
            return False
        return {legs[0].vehicle for _, legs in self.runs()} <= fleet

    @property
    def order(self) -> str:
        """Order of the runs as letters, such as ABBA or ABCCBA; empty without runs."""
        letters = {side: letter for letter, side in self.lettered.items()}
        turns = self.vehicles_take_turns
        first = [legs[0] for _, legs in self.runs()]
        return "".join(letters.get(leg.vehicle if turns else leg.configuration, "?") for leg in first)


def new_study(
    *,
    title: str,
    kind: str,
    order: str,
    method: str = "out-and-back",
    speed_kmh: float = 90.0,
    baseline_name: str = "Baseline",
    trial_name: str = "Trial",
    vehicle: Vehicle | None = None,
) -> Study:
    """Lay out a study whose runs follow `order`, such as ``ABBA``, with every leg still planned.

    Raises
    ------
    ValueError
        If `order` holds anything but the letters A and B.
    """
    pattern = order.replace(" ", "").upper()
    if not pattern or set(pattern) - {"A", "B"}:
        raise ValueError(f'"{order}" is not an order of runs; expected the letters A and B, such as ABBA')
    directions = {"out-and-back": ("out", "back"), "one-way": ("out",)}.get(method, ("loop",))
    legs = [
        Leg(
            leg=f"L{len(directions) * i + j + 1:02d}",
            run=f"R{i + 1}",
            block=str(i // 4 + 1),
            configuration=letter,
            direction=direction,
        )
        for i, letter in enumerate(pattern)
        for j, direction in enumerate(directions)
    ]
    return Study(
        title=title,
        change=Change(kind=kind, mechanism=change_kind(kind).mechanism),
        vehicle=vehicle or Vehicle(),
        configurations=(
            Configuration(id="A", name=baseline_name, baseline=True),
            Configuration(id="B", name=trial_name),
        ),
        method=method,
        target_speed_kmh=speed_kmh,
        legs=tuple(legs),
    )

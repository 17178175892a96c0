"""The study values: frozen pydantic models that are the file format and the application's state at once.

An edit makes a new value (`Study.with_leg`, `model_copy`); nothing here is ever changed in place. Unknown
keys of a package are kept in ``extra`` fields so that a round trip loses nothing.
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from typing import Annotated, Any, Final, Literal, Self

from pydantic import AfterValidator, Field, field_validator, model_validator

from fairmargin.core.study.base import Value as _Value
from fairmargin.core.study.base import between as _between
from fairmargin.core.study.base import number as _number
from fairmargin.core.study.plan import Plan
from fairmargin.core.units import HEATING_VALUE_WH_PER_L, ConsumptionUnit

CHANGE_KINDS: Final = (
    "wheels",
    "aero covers",
    "tyres",
    "cargo",
    "payload",
    "towing",
    "preconditioning",
    "technique",
    "other",
)
MECHANISMS: Final = (
    "aerodynamic",
    "rolling",
    "mass",
    "auxiliary",
    "driveline",
    "technique",
    "mixed",
    "unknown",
)
METHODS: Final = ("out-and-back", "loop", "one-way", "laps", "side-by-side", "everyday", "climb")
EVENT_KINDS: Final = (
    "slow-traffic",
    "following-closely",
    "stop",
    "overtaking",
    "wrong-turn",
    "rain",
    "gust",
    "lift-off",
    "reset-doubtful",
    "other",
)
ROADS: Final = ("dry", "damp", "wet", "snow")

Kind = Literal[
    "wheels", "aero covers", "tyres", "cargo", "payload", "towing", "preconditioning", "technique", "other"
]
Mechanism = Literal[
    "aerodynamic", "rolling", "mass", "auxiliary", "driveline", "technique", "mixed", "unknown"
]
Method = Literal["out-and-back", "loop", "one-way", "laps", "side-by-side", "everyday", "climb"]
Energy = Literal["electric", "petrol", "diesel"]
EventKind = Literal[
    "slow-traffic",
    "following-closely",
    "stop",
    "overtaking",
    "wrong-turn",
    "rain",
    "gust",
    "lift-off",
    "reset-doubtful",
    "other",
]
Road = Literal["dry", "damp", "wet", "snow"]
Direction = Literal["out", "back", "loop"]
LegState = Literal["planned", "driven", "left out"]


class Change(_Value):
    """What differs between the configurations, and what the tester expects of it."""

    kind: Kind = "other"
    mechanism: Mechanism | tuple[Mechanism, ...] = "unknown"
    prediction_percent: _number(-95, 500, "%") = None  # type: ignore[valid-type]
    prediction_sealed_at: datetime | None = None
    description: str = ""

    @property
    def mechanisms(self) -> tuple[Mechanism, ...]:
        """The mechanism or mechanisms as a tuple."""
        return self.mechanism if isinstance(self.mechanism, tuple) else (self.mechanism,)

    @property
    def is_technique(self) -> bool:
        """Whether the way of driving is the change itself."""
        return self.kind == "technique" or "technique" in self.mechanisms


def default_mechanism(kind: str) -> Mechanism:
    """Return the mechanism a change of `kind` works through, unless its owner says otherwise."""
    table: dict[str, Mechanism] = {
        "wheels": "mixed",
        "aero covers": "aerodynamic",
        "tyres": "rolling",
        "cargo": "aerodynamic",
        "payload": "mass",
        "towing": "mixed",
        "preconditioning": "auxiliary",
        "technique": "technique",
    }
    return table.get(kind, "unknown")


@dataclass(frozen=True, slots=True)
class VehicleConstants:
    """Vehicle constants with their standard deviations, all known (filled from a class where missing)."""

    mass_kg: float
    mass_sd_kg: float
    drag_area_m2: float
    drag_area_sd_m2: float
    rolling_coefficient: float
    rolling_coefficient_sd: float
    drive_efficiency: float
    drive_efficiency_sd: float
    regen_efficiency: float
    auxiliary_w: float
    auxiliary_sd_w: float
    usable_capacity_kwh: float | None
    charging_efficiency: float
    heating_value_wh_per_l: float
    assumed: tuple[str, ...]  # names of the constants taken from the class preset


#: Class presets: middle and standard deviation. Common practice; wide on purpose.
CLASS_PRESETS: Final[dict[str, dict[str, tuple[float, float]]]] = {
    "small car": {
        "mass_kg": (1250, 150),
        "drag_area_m2": (0.65, 0.07),
        "rolling_coefficient": (0.0095, 0.0015),
    },
    "car": {"mass_kg": (1700, 200), "drag_area_m2": (0.62, 0.07), "rolling_coefficient": (0.0095, 0.0015)},
    "tall car": {
        "mass_kg": (2100, 250),
        "drag_area_m2": (0.78, 0.09),
        "rolling_coefficient": (0.0100, 0.0015),
    },
    "van": {"mass_kg": (1900, 300), "drag_area_m2": (0.95, 0.15), "rolling_coefficient": (0.0098, 0.0015)},
    "light truck": {
        "mass_kg": (2900, 350),
        "drag_area_m2": (1.20, 0.18),
        "rolling_coefficient": (0.0105, 0.0018),
    },
}
VehicleClass = Literal["small car", "car", "tall car", "van", "light truck"]


class Vehicle(_Value):
    """The vehicle: what its owner knows of it. ``None`` = not known, taken from the class."""

    name: str = ""
    energy: Energy = "electric"
    vehicle_class: VehicleClass = Field(default="car", alias="class")
    mass_kg: _number(200, 40000, "kg") = None  # type: ignore[valid-type]
    mass_sd_kg: _number(0, 5000, "kg") = None  # type: ignore[valid-type]
    drag_area_m2: _number(0.1, 12, "m²") = None  # type: ignore[valid-type]
    drag_area_sd_m2: _number(0, 5, "m²") = None  # type: ignore[valid-type]
    rolling_coefficient: _number(0.002, 0.05, "") = None  # type: ignore[valid-type]
    rolling_coefficient_sd: _number(0, 0.02, "") = None  # type: ignore[valid-type]
    drive_efficiency: _number(0.1, 1, "(a share of 1)") = None  # type: ignore[valid-type]
    regen_efficiency: _number(0, 1, "(a share of 1)") = None  # type: ignore[valid-type]
    auxiliary_w: _number(0, 20000, "W") = None  # type: ignore[valid-type]
    usable_capacity_kwh: _number(0.5, 1000, "kWh") = None  # type: ignore[valid-type]
    charging_efficiency: _number(0.3, 1, "(a share of 1)") = None  # type: ignore[valid-type]
    heating_value_wh_per_l: _number(5000, 12000, "Wh/L") = None  # type: ignore[valid-type]
    distance_error_percent: _number(-30, 30, "%") = None  # type: ignore[valid-type]
    speed_error_percent: _number(-30, 30, "%") = None  # type: ignore[valid-type]

    @property
    def heating_value(self) -> float:
        """Lower heating value used for fuel readings. [Wh/L]"""
        if self.heating_value_wh_per_l is not None:
            return float(self.heating_value_wh_per_l)
        return HEATING_VALUE_WH_PER_L["diesel" if self.energy == "diesel" else "petrol"]

    def constants(self) -> VehicleConstants:
        """Fill what is not known from the class preset, with its wide margin."""
        preset = CLASS_PRESETS[self.vehicle_class]
        fuel = self.energy != "electric"
        assumed: list[str] = []

        def known(name: str, sd_name: str, share: float) -> tuple[float, float]:
            value, sd = getattr(self, name), getattr(self, sd_name, None)
            if value is None:
                assumed.append(name)
                return preset[name]
            return float(value), float(sd) if sd is not None else share * float(value)

        def plain(name: str, default: float) -> float:
            value = getattr(self, name)
            if value is None:
                assumed.append(name)
                return default
            return float(value)

        mass = known("mass_kg", "mass_sd_kg", 0.03)
        drag = known("drag_area_m2", "drag_area_sd_m2", 0.08)
        rolling = known("rolling_coefficient", "rolling_coefficient_sd", 0.10)
        return VehicleConstants(
            mass_kg=mass[0],
            mass_sd_kg=mass[1],
            drag_area_m2=drag[0],
            drag_area_sd_m2=drag[1],
            rolling_coefficient=rolling[0],
            rolling_coefficient_sd=rolling[1],
            drive_efficiency=plain("drive_efficiency", 0.27 if fuel else 0.88),
            drive_efficiency_sd=0.03 if fuel else 0.025,
            regen_efficiency=0.0 if fuel else plain("regen_efficiency", 0.6),
            auxiliary_w=(aux := plain("auxiliary_w", 1200.0 if fuel else 350.0)),
            auxiliary_sd_w=0.3 * aux + 60.0,
            usable_capacity_kwh=self.usable_capacity_kwh,
            charging_efficiency=plain("charging_efficiency", 0.9),
            heating_value_wh_per_l=self.heating_value,
            assumed=tuple(assumed),
        )


class Configuration(_Value):
    """One state of the vehicle; exactly one of a study's configurations is the baseline."""

    id: str = Field(min_length=1, max_length=40)
    name: str = ""
    baseline: bool = False
    mass_delta_kg: _number(-10000, 20000, "kg") = 0.0  # type: ignore[valid-type]
    circumference_change_percent: _number(-25, 25, "%") = 0.0  # type: ignore[valid-type]
    frontal_area_delta_m2: _number(-5, 10, "m²") = None  # type: ignore[valid-type]

    @property
    def label(self) -> str:
        """The name, or the id when it has none."""
        return self.name or self.id


class Reference(_Value):
    """The conditions the legs are corrected to."""

    temperature_c: Annotated[float, AfterValidator(_between(-40, 50, "°C"))] = 15.0
    pressure_hpa: Annotated[float, AfterValidator(_between(500, 1100, "hPa"))] = 1013.25
    humidity_percent: Annotated[float, AfterValidator(_between(0, 100, "%"))] = 60.0
    wind_speed_ms: Annotated[float, AfterValidator(_between(0, 30, "m/s"))] = 0.0


class WindSetup(_Value):
    """Where the reported wind was measured, and what lies between the mast and the road."""

    measured_at_m: Annotated[float, AfterValidator(_between(0.5, 200, "m"))] = 10.0
    terrain: Literal["open", "hedges", "forest", "built-up"] = "open"


_LEG_NAME = re.compile(r"^[^/\\\x00-\x1f]{1,60}$")


class Leg(_Value):
    """One reading-to-reading drive in one direction; ``None`` = not known.

    Readings are kept as read (`average_shown` in `average_unit`); what follows from them is computed.
    Distances in km, times in s, wind in m/s *from* `wind_from_deg` (degrees true).
    """

    leg: str
    run: str = ""
    block: str = ""
    configuration: str
    vehicle: Literal["", "test", "control"] = ""
    direction: Literal["", "out", "back", "loop"] = ""
    sector: str = ""
    speed_kmh: _number(5, 300, "km/h") = None  # type: ignore[valid-type]
    started_at: datetime | None = None
    duration_s: _number(1, 400000, "s") = None  # type: ignore[valid-type]
    stopped_s: _number(0, 400000, "s") = None  # type: ignore[valid-type]
    distance_km: _number(0.05, 5000, "km") = None  # type: ignore[valid-type]
    gps_distance_km: _number(0.05, 5000, "km") = None  # type: ignore[valid-type]
    average_shown: _number(0.001, 10000, "") = None  # type: ignore[valid-type]
    average_unit: ConsumptionUnit | None = None
    average_step: _number(0, 100, "") = None  # type: ignore[valid-type]
    energy_kwh: _number(-100, 5000, "kWh") = None  # type: ignore[valid-type]
    energy_step_kwh: _number(0, 10, "kWh") = None  # type: ignore[valid-type]
    soc_start_percent: _number(0, 100, "%") = None  # type: ignore[valid-type]
    soc_end_percent: _number(0, 100, "%") = None  # type: ignore[valid-type]
    soc_step_percent: _number(0, 10, "%") = None  # type: ignore[valid-type]
    charger_kwh: _number(0, 5000, "kWh") = None  # type: ignore[valid-type]
    fuel_l: _number(0, 1000, "L") = None  # type: ignore[valid-type]
    grid_kwh: _number(0, 500, "kWh") = None  # type: ignore[valid-type]
    temperature_c: _number(-50, 60, "°C") = None  # type: ignore[valid-type]
    pressure_hpa: _number(500, 1100, "hPa (at the place, not a gauge)") = None  # type: ignore[valid-type]
    humidity_percent: _number(0, 100, "%") = None  # type: ignore[valid-type]
    wind_speed_ms: _number(0, 60, "m/s") = None  # type: ignore[valid-type]
    wind_gust_ms: _number(0, 90, "m/s") = None  # type: ignore[valid-type]
    wind_from_deg: _number(0, 360, "degrees") = None  # type: ignore[valid-type]
    road: Literal["", "dry", "damp", "wet", "snow"] = ""
    climate: str = ""
    tyre_pressure_kpa: _number(50, 1200, "kPa") = None  # type: ignore[valid-type]
    battery_temperature_c: _number(-40, 80, "°C") = None  # type: ignore[valid-type]
    mass_delta_kg: _number(-10000, 20000, "kg") = None  # type: ignore[valid-type]
    driver: str = ""
    mode: str = ""
    included: bool = True
    reason: str = ""
    left_out_after_result: bool = False
    note: str = ""

    @field_validator("leg")
    @classmethod
    def _leg_name(cls, value: str) -> str:
        if not _LEG_NAME.match(value) or value in {".", ".."} or value != value.strip():
            raise ValueError(f'"{value}" is not a leg name; expected 1 to 60 characters without "/"')
        return value

    @field_validator("climate")
    @classmethod
    def _climate(cls, value: str) -> str:
        if value in {"", "off"}:
            return value
        try:
            set_c = float(value.replace(",", "."))
        except ValueError:
            raise ValueError(
                f'"{value}" is not a climate setting; expected off or a temperature in °C'
            ) from None
        if not 10 <= set_c <= 35:
            raise ValueError(f"{value} °C is not a cabin setting; expected 10 to 35 °C, or off")
        return value

    @model_validator(mode="after")
    def _consistent(self) -> Self:
        if self.average_shown is not None and self.average_unit is None:
            raise ValueError("average_unit is missing; expected the unit of average_shown")
        stopped, duration = self.stopped_s, self.duration_s
        if stopped is not None and duration is not None and stopped >= duration:
            raise ValueError(f"stopped_s {stopped:g} is not shorter than duration_s {duration:g}")
        return self

    @property
    def has_reading(self) -> bool:
        """Whether any instrument was read on this leg."""
        soc = self.soc_start_percent is not None and self.soc_end_percent is not None
        values = (self.average_shown, self.energy_kwh, self.charger_kwh, self.fuel_l)
        return soc or any(v is not None for v in values)

    @property
    def state(self) -> LegState:
        """Planned (nothing read yet), driven, or left out with a reason."""
        if not self.included:
            return "left out"
        return "driven" if self.has_reading else "planned"


class RoutePoint(_Value):
    """A point of the route in the out direction."""

    distance_m: Annotated[float, AfterValidator(_between(0, 5e6, "m"))]
    latitude: _number(-90, 90, "degrees") = None  # type: ignore[valid-type]
    longitude: _number(-180, 180, "degrees") = None  # type: ignore[valid-type]
    elevation_m: _number(-500, 6000, "m") = None  # type: ignore[valid-type]
    sector: str = ""


class WeatherRow(_Value):
    """What a station reported at one time."""

    time: datetime
    station: str = ""
    temperature_c: _number(-50, 60, "°C") = None  # type: ignore[valid-type]
    pressure_hpa: _number(500, 1100, "hPa") = None  # type: ignore[valid-type]
    humidity_percent: _number(0, 100, "%") = None  # type: ignore[valid-type]
    wind_speed_ms: _number(0, 60, "m/s") = None  # type: ignore[valid-type]
    wind_gust_ms: _number(0, 90, "m/s") = None  # type: ignore[valid-type]
    wind_from_deg: _number(0, 360, "degrees") = None  # type: ignore[valid-type]


class Event(_Value):
    """Something that happened on a leg."""

    leg: str
    at_km: _number(0, 5000, "km") = None  # type: ignore[valid-type]
    at_s: _number(0, 400000, "s") = None  # type: ignore[valid-type]
    duration_s: _number(0, 400000, "s") = None  # type: ignore[valid-type]
    kind: EventKind = "other"
    speed_kmh: _number(0, 300, "km/h") = None  # type: ignore[valid-type]
    note: str = ""


class Stretch(_Value):
    """A stretch of the road, in the out direction, that is left out of every logged leg, and why."""

    from_m: Annotated[float, AfterValidator(_between(0, 5e6, "m"))]
    to_m: Annotated[float, AfterValidator(_between(0, 5e6, "m"))]
    reason: str = Field(min_length=1)
    after_result: bool = False  # left out when the result had been seen

    @model_validator(mode="after")
    def _forwards(self) -> Self:
        if self.to_m <= self.from_m:
            raise ValueError(f"to_m {self.to_m:g} does not lie beyond from_m {self.from_m:g}")
        return self


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
    notes: str = ""
    change: Change = Change()
    vehicle: Vehicle = Vehicle()
    control_vehicle: Vehicle | None = None
    configurations: tuple[Configuration, ...]
    method: Method = "out-and-back"
    target_speed_kmh: _number(5, 300, "km/h") = None  # type: ignore[valid-type]
    confidence: Annotated[float, AfterValidator(_between(0.5, 0.999, "(a share of 1)"))] = 0.95
    smallest_effect_percent: Annotated[float, AfterValidator(_between(0.05, 50, "%"))] = 1.0
    reference: Reference = Reference()
    wind: WindSetup = WindSetup()
    route_name: str = ""
    left_out_stretches: tuple[Stretch, ...] = ()
    plan: Plan = Plan()
    legs: tuple[Leg, ...] = ()
    route: tuple[RoutePoint, ...] = ()
    weather: tuple[WeatherRow, ...] = ()
    events: tuple[Event, ...] = ()

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
                    f"distance_m must increase along the route; {after.distance_m:g} m follows "
                    f"{before.distance_m:g} m"
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
        return self

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

    def leg(self, name: str) -> Leg:
        """Return the leg with that name (KeyError if there is none)."""
        for leg in self.legs:
            if leg.leg == name:
                return leg
        raise KeyError(name)

    def with_leg(self, name: str, **changes: Any) -> Study:
        """Return a study in which leg `name` has `changes` (KeyError if there is no such leg)."""
        new = self.leg(name).with_(**changes)
        return self.with_(legs=tuple(new if leg.leg == name else leg for leg in self.legs))

    def with_legs(self, legs: Iterable[Leg]) -> Study:
        """Return a study with these legs instead; events of legs that are gone go with them."""
        legs = tuple(legs)
        names = {leg.leg for leg in legs}
        return self.with_(legs=legs, events=tuple(e for e in self.events if e.leg in names))

    def runs(self) -> list[tuple[str, list[Leg]]]:
        """Runs in the order they are driven, each with its legs (a leg without a run is its own)."""
        grouped: dict[str, list[Leg]] = {}
        for leg in self.legs:
            grouped.setdefault(leg.run or leg.leg, []).append(leg)
        return list(grouped.items())

    def letter(self, configuration: str) -> str:
        """Letter of a configuration in an order of runs: A for the baseline, B for any trial."""
        return "A" if configuration == self.baseline.id else "B"

    @property
    def order(self) -> str:
        """Order of the runs as letters, such as ABBA; empty without runs."""
        return "".join(self.letter(legs[0].configuration) for _, legs in self.runs())


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
        change=Change(kind=kind, mechanism=default_mechanism(kind)),
        vehicle=vehicle or Vehicle(),
        configurations=(
            Configuration(id="A", name=baseline_name, baseline=True),
            Configuration(id="B", name=trial_name),
        ),
        method=method,
        target_speed_kmh=speed_kmh,
        legs=tuple(legs),
    )

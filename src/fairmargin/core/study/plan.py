"""What is planned: the day, the forecast, the limits, the load, the checklists."""

from __future__ import annotations

from datetime import date, datetime, time
from typing import Annotated, Literal

from pydantic import AfterValidator, Field

from fairmargin.core.study.base import Value, between, number

CheckWhen = Literal["before the day", "arrival", "each run", "each leg", "swap", "afterwards"]


class Forecast(Value):
    """Weather expected for the day (or observed just now); ``None`` = not known. Wind at the mast."""

    wind_speed_ms: number(0, 60, "m/s") = None  # type: ignore[valid-type]
    wind_gust_ms: number(0, 90, "m/s") = None  # type: ignore[valid-type]
    wind_from_deg: number(0, 360, "degrees") = None  # type: ignore[valid-type]
    temperature_c: number(-50, 60, "°C") = None  # type: ignore[valid-type]
    warming_k_per_h: number(-10, 10, "K/h") = None  # type: ignore[valid-type]
    pressure_hpa: number(500, 1100, "hPa") = None  # type: ignore[valid-type]
    rain: bool = False
    source: str = ""


class HourForecast(Value):
    """Weather expected at one hour; ``None`` = not known. Wind at the mast."""

    time: datetime
    wind_speed_ms: number(0, 60, "m/s") = None  # type: ignore[valid-type]
    wind_gust_ms: number(0, 90, "m/s") = None  # type: ignore[valid-type]
    wind_from_deg: number(0, 360, "degrees") = None  # type: ignore[valid-type]
    temperature_c: number(-50, 60, "\u00b0C") = None  # type: ignore[valid-type]
    pressure_hpa: number(500, 1100, "hPa") = None  # type: ignore[valid-type]
    rain: bool = False


class Limits(Value):
    """When to go, when to wait; accepted as they are or set by the tester."""

    wind_ms: Annotated[float, AfterValidator(between(0, 30, "m/s"))] = 6.0
    gust_ms: Annotated[float, AfterValidator(between(0, 40, "m/s"))] = 10.0
    temperature_spread_k: Annotated[float, AfterValidator(between(0, 40, "K"))] = 6.0
    coldest_c: Annotated[float, AfterValidator(between(-40, 40, "°C"))] = 0.0
    rain: bool = False  # whether rain is accepted


class CheckItem(Value):
    """One line of a checklist."""

    text: str
    when: CheckWhen = "each run"
    done: bool = False


class LimitSource(Value):
    """One stated limit and where it is written."""

    mass_kg: Annotated[float, AfterValidator(between(0, 60000, "kg"))]
    source: str = ""


#: Where a thing is carried.
LoadPlace = Literal["aboard", "roof", "trailer"]


class LoadItem(Value):
    """One thing that is carried: by mass, or by volume and density. Several alike count `count` times."""

    name: str = Field(min_length=1, max_length=60)
    place: LoadPlace = "aboard"
    count: Annotated[float, AfterValidator(between(0, 1000, ""))] = 1.0
    mass_kg: number(0, 20000, "kg") = None  # type: ignore[valid-type]
    litres: number(0, 20000, "L") = None  # type: ignore[valid-type]
    kg_per_l: number(0.05, 20, "kg/L") = None  # type: ignore[valid-type]
    liquid: bool = False


class Load(Value):
    """What is aboard, on the roof and behind, and the limits it is held against. Masses in kg."""

    items: tuple[LoadItem, ...] = ()
    payload_limit: tuple[LimitSource, ...] = ()  # everything aboard: people, load, nose weight
    gross_limit: tuple[LimitSource, ...] = ()  # vehicle, laden
    train_limit: tuple[LimitSource, ...] = ()  # vehicle and trailer together
    towing_limit: tuple[LimitSource, ...] = ()  # trailer mass allowed: car plate, trailer plate, coupling
    nose_limit: tuple[LimitSource, ...] = ()  # nose weight allowed: coupling, car, trailer
    roof_limit: tuple[LimitSource, ...] = ()
    vehicle_kg: number(200, 40000, "kg") = None  # type: ignore[valid-type]
    aboard_scale_kg: number(0, 20000, "kg") = None  # type: ignore[valid-type]  # everything aboard, by a scale
    people_kg: number(0, 5000, "kg") = None  # type: ignore[valid-type]
    cargo_kg: number(0, 20000, "kg") = None  # type: ignore[valid-type]
    roof_kg: number(0, 1000, "kg") = None  # type: ignore[valid-type]
    water_l: number(0, 20000, "L") = None  # type: ignore[valid-type]
    water_c: number(0, 40, "°C") = None  # type: ignore[valid-type]
    fuel_l: number(0, 500, "L") = None  # type: ignore[valid-type]
    fuel_kg_per_l: Annotated[float, AfterValidator(between(0.6, 1.0, "kg/L"))] = 0.75
    trailer_kg: number(0, 20000, "kg") = None  # type: ignore[valid-type]
    nose_kg: number(0, 2000, "kg") = None  # type: ignore[valid-type]
    jockey_kg: number(0, 2000, "kg") = None  # type: ignore[valid-type]
    axle_to_jockey_m: number(0.2, 15, "m") = None  # type: ignore[valid-type]
    axle_to_coupling_m: number(0.2, 15, "m") = None  # type: ignore[valid-type]


class Plan(Value):
    """The day as planned."""

    day: date | None = None
    start: time = time(8, 30)
    travel_min: Annotated[float, AfterValidator(between(0, 600, "min"))] = 20.0
    warm_up_min: Annotated[float, AfterValidator(between(0, 120, "min"))] = 20.0
    swap_min: number(0, 600, "min") = None  # type: ignore[valid-type]
    turn_min: Annotated[float, AfterValidator(between(0, 60, "min"))] = 3.0
    charge_start_percent: Annotated[float, AfterValidator(between(10, 100, "%"))] = 85.0
    charge_low_percent: Annotated[float, AfterValidator(between(0, 90, "%"))] = 35.0
    charger_kw: Annotated[float, AfterValidator(between(1, 400, "kW"))] = 50.0
    avoid: tuple[tuple[time, time], ...] = ()  # traffic windows in which no leg is driven
    display_step_kwh_per_100km: Annotated[float, AfterValidator(between(0.001, 5, "kWh/100 km"))] = 0.1
    forecast: Forecast = Forecast()
    hours: tuple[HourForecast, ...] = ()  # of the days ahead, where somebody has them
    limits: Limits = Limits()
    load: Load = Load()
    checklist: tuple[CheckItem, ...] = ()
    #: What the change is thought to do, for the expected effect (share of the vehicle's value, or absolute).
    drag_area_percent: number(-80, 500, "%") = None  # type: ignore[valid-type]
    rolling_percent: number(-80, 500, "%") = None  # type: ignore[valid-type]
    auxiliary_w: number(-10000, 10000, "W") = None  # type: ignore[valid-type]
    total_percent: number(-80, 500, "%") = None  # type: ignore[valid-type]
    #: Start and end line along the route in the out direction; where absent the logs' own ramps decide.
    gate_start_m: number(0, 5e6, "m") = None  # type: ignore[valid-type]
    gate_end_m: number(0, 5e6, "m") = None  # type: ignore[valid-type]
    tyre_baseline: str = ""
    tyre_trial: str = ""
    details: dict[str, str] = Field(default_factory=dict)  # answers to the prompts of the kind

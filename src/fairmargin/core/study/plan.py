"""What is planned: the day, the forecast, the limits, the load, the checklists."""

from __future__ import annotations

from datetime import date, datetime, time
from typing import Annotated, Literal

from pydantic import Field

from fairmargin.core.study.base import Value, within

CheckWhen = Literal["before the day", "arrival", "each run", "each leg", "swap", "afterwards"]


class Forecast(Value):
    """Weather expected for the day (or observed just now); ``None`` = not known. Wind at the mast."""

    wind_speed_ms: Annotated[float | None, within(0, 60, "m/s")] = None
    wind_gust_ms: Annotated[float | None, within(0, 90, "m/s")] = None
    wind_from_deg: Annotated[float | None, within(0, 360, "degrees")] = None
    temperature_c: Annotated[float | None, within(-50, 60, "°C")] = None
    warming_k_per_h: Annotated[float | None, within(-10, 10, "K/h")] = None
    pressure_hpa: Annotated[float | None, within(500, 1100, "hPa")] = None
    rain: bool = False
    source: str = ""


class HourForecast(Value):
    """Weather expected at one hour; ``None`` = not known. Wind at the mast."""

    time: datetime
    wind_speed_ms: Annotated[float | None, within(0, 60, "m/s")] = None
    wind_gust_ms: Annotated[float | None, within(0, 90, "m/s")] = None
    wind_from_deg: Annotated[float | None, within(0, 360, "degrees")] = None
    temperature_c: Annotated[float | None, within(-50, 60, "\u00b0C")] = None
    pressure_hpa: Annotated[float | None, within(500, 1100, "hPa")] = None
    rain: bool = False


class Limits(Value):
    """When to go, when to wait; accepted as they are or set by the tester."""

    wind_ms: Annotated[float, within(0, 30, "m/s")] = 6.0
    gust_ms: Annotated[float, within(0, 40, "m/s")] = 10.0
    temperature_spread_k: Annotated[float, within(0, 40, "K")] = 6.0
    coldest_c: Annotated[float, within(-40, 40, "°C")] = 0.0
    rain: bool = False  # whether rain, and a wet road, are accepted
    dries_h: Annotated[float, within(0, 24, "h")] = 2.0  # after rain, until the road counts as dry


class CheckItem(Value):
    """One line of a checklist."""

    text: str
    when: CheckWhen = "each run"
    done: bool = False


class LimitSource(Value):
    """One stated limit and where it is written."""

    mass_kg: Annotated[float, within(0, 60000, "kg")]
    source: str = ""


#: Where a thing is carried.
LoadPlace = Literal["aboard", "roof", "trailer"]


class LoadItem(Value):
    """One thing that is carried: by mass, or by volume and density. Several alike count `count` times."""

    name: str = Field(min_length=1, max_length=60)
    place: LoadPlace = "aboard"
    count: Annotated[float, within(0, 1000, "")] = 1.0
    mass_kg: Annotated[float | None, within(0, 20000, "kg")] = None
    litres: Annotated[float | None, within(0, 20000, "L")] = None
    kg_per_l: Annotated[float | None, within(0.05, 20, "kg/L")] = None
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
    front_axle_limit: tuple[LimitSource, ...] = ()
    rear_axle_limit: tuple[LimitSource, ...] = ()
    front_axle_kg: Annotated[float | None, within(0, 20000, "kg")] = None  # on a weighbridge, laden, nothing hitched
    rear_axle_kg: Annotated[float | None, within(0, 30000, "kg")] = None
    front_axle_towing_kg: Annotated[float | None, within(0, 20000, "kg")] = None  # the same with the trailer hitched
    rear_axle_towing_kg: Annotated[float | None, within(0, 30000, "kg")] = None
    trailer_axles_kg: Annotated[float | None, within(0, 20000, "kg")] = None  # of the trailer, hitched
    trailer_axle_count: Annotated[int, Field(ge=1, le=3)] = 1
    tyres: str = ""  # marking, with load index and speed symbol
    trailer_tyres: str = ""
    vehicle_kg: Annotated[float | None, within(200, 40000, "kg")] = None
    aboard_scale_kg: Annotated[float | None, within(0, 20000, "kg")] = None  # everything aboard, by a scale
    people_kg: Annotated[float | None, within(0, 5000, "kg")] = None
    cargo_kg: Annotated[float | None, within(0, 20000, "kg")] = None
    roof_kg: Annotated[float | None, within(0, 1000, "kg")] = None
    water_l: Annotated[float | None, within(0, 20000, "L")] = None
    water_c: Annotated[float | None, within(0, 40, "°C")] = None
    fuel_l: Annotated[float | None, within(0, 500, "L")] = None
    fuel_kg_per_l: Annotated[float, within(0.6, 1.0, "kg/L")] = 0.75
    trailer_kg: Annotated[float | None, within(0, 20000, "kg")] = None
    nose_kg: Annotated[float | None, within(0, 2000, "kg")] = None
    jockey_kg: Annotated[float | None, within(0, 2000, "kg")] = None
    axle_to_jockey_m: Annotated[float | None, within(0.2, 15, "m")] = None
    axle_to_coupling_m: Annotated[float | None, within(0.2, 15, "m")] = None


class Plan(Value):
    """The day as planned."""

    day: date | None = None
    start: time = time(8, 30)
    travel_min: Annotated[float, within(0, 600, "min")] = 20.0
    warm_up_min: Annotated[float, within(0, 120, "min")] = 20.0
    swap_min: Annotated[float | None, within(0, 600, "min")] = None
    turn_min: Annotated[float, within(0, 60, "min")] = 3.0
    charge_start_percent: Annotated[float, within(10, 100, "%")] = 85.0
    charge_low_percent: Annotated[float, within(0, 90, "%")] = 35.0
    charger_kw: Annotated[float, within(1, 400, "kW")] = 50.0
    charger_away_min: Annotated[float | None, within(0, 240, "min")] = (
        None  # from the start, one way; None: nobody said
    )
    place: str = ""  # where it is driven, as somebody said it; for daylight
    place_latitude: Annotated[float | None, within(-90, 90, "degrees")] = None
    place_longitude: Annotated[float | None, within(-180, 180, "degrees")] = None
    turning_point: str = ""  # what it is known by, on the road
    turn_at_km: Annotated[float | None, within(0.1, 2000, "km")] = None  # from the start, where no track tells it
    avoid: tuple[tuple[time, time], ...] = ()  # traffic windows in which no leg is driven
    display_step_kwh_per_100km: Annotated[float, within(0.001, 5, "kWh/100 km")] = 0.1
    forecast: Forecast = Forecast.model_construct()
    hours: tuple[HourForecast, ...] = ()  # of the days ahead, where somebody has them
    limits: Limits = Limits.model_construct()
    load: Load = Load.model_construct()
    checklist: tuple[CheckItem, ...] = ()
    #: What the change is thought to do, for the expected effect (share of the vehicle's value, or absolute).
    drag_area_percent: Annotated[float | None, within(-80, 500, "%")] = None
    rolling_percent: Annotated[float | None, within(-80, 500, "%")] = None
    auxiliary_w: Annotated[float | None, within(-10000, 10000, "W")] = None
    total_percent: Annotated[float | None, within(-80, 500, "%")] = None
    #: Start and end line along the route in the out direction; where absent the logs' own ramps decide.
    gate_start_m: Annotated[float | None, within(0, 5e6, "m")] = None
    gate_end_m: Annotated[float | None, within(0, 5e6, "m")] = None
    tyre_set_kpa: Annotated[float | None, within(50, 1200, "kPa")] = None  # cold, as they were set
    tyre_set_c: Annotated[float | None, within(-40, 60, "°C")] = None  # of the tyres then
    tyre_baseline: str = ""
    tyre_trial: str = ""
    details: dict[str, str] = Field(default_factory=dict)  # answers to the prompts of the kind

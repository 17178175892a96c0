"""A trip to be driven with what a study found: the road, the chargers along it, the driver's habits, the prices."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Self

from pydantic import Field, model_validator

from fairmargin.core.study.base import Value as _Value
from fairmargin.core.study.base import within
from fairmargin.core.units import SaidError, said, said_range


class TripStretch(_Value):
    """A part of the way at one speed; with none, as the study's legs were driven."""

    km: Annotated[float, within(0.1, 5000, "km")]
    speed_kmh: Annotated[float | None, within(5, 200, "km/h")] = None
    climb_m: Annotated[float, within(-6000, 6000, "m")] = 0.0
    name: str = ""


class Charger(_Value):
    """A place to charge along the way."""

    at_km: Annotated[float, within(0, 20000, "km")]
    name: str = ""
    kw: Annotated[float, within(1, 1500, "kW")] = 150.0
    price_per_kwh: Annotated[float | None, within(0, 1000, "a kWh")] = None
    working: bool = True
    hitched: bool | None = None  # whether a trailer may stay on; None: nobody said, so it is unhitched

    @property
    def label(self) -> str:
        """The name, or where it stands."""
        return self.name or f"charger at {said(self.at_km, 'km')}"


class Trip(_Value):
    """A trip: what is None is not known; chargers out of order stay in the list."""

    name: str = ""
    vehicle: str = ""  # id, in a study of several
    configuration: str = ""  # id; empty: the trial first, else the baseline
    stretches: tuple[TripStretch, ...] = ()
    chargers: tuple[Charger, ...] = ()
    stop_at_km: tuple[float, ...] = ()  # chargers chosen by hand; empty: the best are found
    depart_at: datetime | None = None
    start_percent: Annotated[float, within(1, 100, "%")] = 90.0
    arrive_percent: Annotated[float, within(0, 95, "%")] = 15.0
    reserve_percent: Annotated[float, within(0, 60, "%")] = 10.0  # at chargers
    most_percent: Annotated[float, within(20, 100, "%")] = 90.0  # charged to at the most
    certainty: Annotated[float, within(0.5, 0.99, "(a share of 1)")] = 0.5  # 0.5: the mean is planned for
    temperature_c: Annotated[float | None, within(-40, 50, "°C")] = None
    temperature_sd_k: Annotated[float, within(0, 20, "K")] = 2.0
    climate: str = "auto"
    head_wind_ms: Annotated[float, within(-30, 30, "m/s")] = 0.0
    wind_sd_ms: Annotated[float, within(0, 15, "m/s")] = 1.5
    road: str = ""
    load_kg: Annotated[float, within(-2000, 20000, "kg")] = 0.0
    peak_kw: Annotated[float | None, within(2, 1500, "kW")] = None
    taper_from_percent: Annotated[float, within(10, 95, "%")] = 50.0
    stop_min: Annotated[float, within(0, 120, "minutes")] = 4.0  # to park, plug in and pay
    unhitch_min: Annotated[float | None, within(0, 120, "minutes")] = None  # and hitch again; None: nobody said
    queue_chance: Annotated[float, within(0, 1, "(a share of 1)")] = 0.0
    queue_min: Annotated[float, within(0, 240, "minutes")] = 15.0
    pause_every_h: Annotated[float, within(0.5, 24, "h")] = 2.5
    pause_min: Annotated[float, within(0, 120, "minutes")] = 15.0
    charger_efficiency_percent: Annotated[float, within(50, 100, "%")] = 95.0  # from the plug into the battery
    price_per_kwh: Annotated[float | None, within(0, 1000, "a kWh")] = None
    home_price_per_kwh: Annotated[float | None, within(0, 1000, "a kWh")] = None
    road_price_per_km: Annotated[float, within(0, 100, "a km")] = 0.0
    fuel_l_per_100km: Annotated[float | None, within(0.5, 100, "L/100 km")] = None
    fuel_price_per_l: Annotated[float | None, within(0, 1000, "a litre")] = None
    fuel_tank_l: Annotated[float | None, within(1, 2000, "L")] = None
    fuel_pauses: Annotated[int, Field(ge=0, le=20)] = 1
    fuel_road_price_per_km: Annotated[float, within(0, 100, "a km")] = 0.0

    @model_validator(mode="after")
    def _possible(self) -> Self:
        if self.climate not in {"off", "auto"}:
            try:
                setting = float(self.climate)
            except ValueError:
                raise ValueError(f'climate "{self.climate}": expected off, auto or a temperature in °C') from None
            if not 5 <= setting <= 35:
                raise SaidError(f"climate {said(setting, '°C')}: expected {said_range(5, 35, '°C')}")
        beyond = [c for c in self.chargers if self.stretches and c.at_km >= self.km]
        if beyond:
            raise SaidError(
                f"{beyond[0].label}: {said(beyond[0].at_km, 'km')} lies beyond the trip's {said(self.km, 'km')}"
            )
        at = [c.at_km for c in self.chargers]
        if sorted(set(at)) != at:
            raise ValueError("chargers: expected each at a distance of its own, in the order they are passed")
        unknown = [x for x in self.stop_at_km if x not in at]
        if unknown:
            raise SaidError(f"stop at {said(unknown[0], 'km')}: no charger stands there")
        return self

    @property
    def km(self) -> float:
        """Length of the way. [km]"""
        return sum(s.km for s in self.stretches)


def chargers_every(
    low_km: float, high_km: float, whole_km: float, kw: float, price_per_kwh: float | None = None
) -> tuple[Charger, ...]:
    """Chargers at alternating distances, the long gap first: "every 90 to 140 km"; at one distance where both are alike.

    Raises
    ------
    ValueError
        If the distances are not positive, or there would be more than 200.

    Examples
    --------
    >>> [c.at_km for c in chargers_every(90, 140, 420, 150)]
    [140.0, 230.0, 370.0]
    """
    if not 0 < low_km <= high_km:
        raise SaidError(f"every {said_range(low_km, high_km, 'km')}: expected two distances above 0, the shorter first")
    found: list[Charger] = []
    at, long = high_km, False
    while at < whole_km:
        if len(found) >= 200:
            raise SaidError(
                f"every {said_range(low_km, high_km, 'km')} makes more than 200 chargers on {said(whole_km, 'km')}"
            )
        found.append(Charger(at_km=round(at, 3), kw=kw, price_per_kwh=price_per_kwh))
        at += high_km if long else low_km
        long = not long
    return tuple(found)

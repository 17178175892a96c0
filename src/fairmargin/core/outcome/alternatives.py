"""A trip in other configurations and vehicles of the study, electric or burning fuel, beside the one that is planned."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np

from fairmargin.core.outcome.asking import Askable, Asking, of_vehicle
from fairmargin.core.outcome.charging_stops import pauses_h
from fairmargin.core.outcome.trips import BAND, REFUEL_MIN, plan_way
from fairmargin.core.outcome.way import as_driven, circumstances_of, configuration_of, driving_h, way_of
from fairmargin.core.study import Study
from fairmargin.core.study.cells import vehicle_of
from fairmargin.core.study.trip import Trip

TANK_SHARE: Final = 0.9  # of a tank that is driven before one fills up; common practice


@dataclass(frozen=True, slots=True)
class Beside:
    """The trip in one vehicle and configuration; `litres` where it burns fuel, else `kwh`; or why it cannot be driven."""

    vehicle: str
    configuration: str
    total_h: float | None = None
    stops: int | None = 0  # None: nobody said what the tank holds
    kwh: float | None = None
    litres: float | None = None
    interval: tuple[float, float] | None = None  # of the kilowatt-hours or litres, nine times in ten
    cost: float | None = None
    why_not: str = ""


def fuel_trip(study: Study, asking: Askable, trip: Trip) -> Beside:
    """The trip in a vehicle of the study that burns fuel.

    Litres by the study's own fit and the fuel's heating value; a stop for fuel each time nine tenths of a tank are gone.

    Raises
    ------
    ValueError
        If the trip has no length, or the configuration was not driven.
    """
    vehicle = vehicle_of(study, asking.vehicle)
    wanted = configuration_of(study, asking, trip)
    trip = as_driven(study, asking, trip)
    band = asking.band(wanted, circumstances_of(asking, trip), np.array([[s.km for s in trip.stretches]]), [trip.km])
    litres = float(band.wh[0]) / vehicle.heating_value
    low, high = (wh / vehicle.heating_value for wh in band.interval(0, BAND))
    stops = max(math.ceil(litres / (TANK_SHARE * vehicle.tank_l)) - 1, 0) if vehicle.tank_l else None
    driving = driving_h(trip)
    price = trip.fuel_price_per_l
    return Beside(
        vehicle=asking.vehicle,
        configuration=wanted,
        total_h=driving + float(pauses_h(trip, driving)) + (stops or 0) * REFUEL_MIN / 60.0,
        stops=stops,
        litres=litres,
        interval=(low, high),
        cost=None if price is None else litres * float(price) + trip.fuel_road_price_per_km * trip.km,
    )


def trip_beside(
    study: Study, every: Sequence[Asking], trip: Trip, vehicle: str, configuration: str
) -> tuple[Beside, ...]:
    """The trip in every other vehicle and configuration.

    Parameters
    ----------
    study : Study
    every : sequence of Asking
        Of all vehicles.
    trip : Trip
    vehicle, configuration : str
        The ones that are planned with.
    """
    found = []
    free = trip.with_(stop_at_km=())
    for name in dict.fromkeys(a.vehicle for a in every):
        asking = of_vehicle(every, name)
        assert asking is not None
        for other in asking.configurations:
            if (name, other) == (vehicle, configuration):
                continue
            own = free.with_(configuration=other)
            try:
                found.append(_one(study, asking, own))
            except ValueError as error:
                found.append(Beside(name, other, why_not=str(error)))
    return tuple(found)


def _one(study: Study, asking: Askable, trip: Trip) -> Beside:
    if vehicle_of(study, asking.vehicle).energy != "electric":
        return fuel_trip(study, asking, trip)
    plan = plan_way(way_of(study, asking, trip))
    return Beside(
        vehicle=asking.vehicle,
        configuration=plan.configuration,
        total_h=plan.total_h,
        stops=len(plan.stops),
        kwh=plan.kwh,
        interval=plan.kwh_interval,
        cost=plan.cost,
    )

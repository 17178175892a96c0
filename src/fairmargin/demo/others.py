"""Two more studies of the demo: Hallock Bank up and down with one configuration, and what the two vans differ by."""

from __future__ import annotations

from dataclasses import replace
from datetime import date, datetime, time, timedelta
from typing import Final

import numpy as np

from fairmargin.core.study import Change, Leg, NamedVehicle, Vehicle
from fairmargin.core.study.plan import Plan
from fairmargin.simulation import DayPlan, SimulatedStudy, simulate, straight_road
from fairmargin.simulation.road import TrueRoad
from fairmargin.simulation.vehicle import TrueVehicle, true_van

BANK_M: Final = 5_200.0
BANK_RISE_M: Final = 230.0
MARKET_M: Final = 61_000.0
MARKET_RISE_M: Final = 240.0
FEN_WH_PER_KM: Final = 150.0  # what the fen rounds of the weeks before took
CAR_SHARE: Final = 0.68
ORRIN_2_ODOMETER_PERCENT: Final = 1.2


def rising_road(seed: int, length_m: float, rise_m: float) -> TrueRoad:
    """A road that rises from the fen to the upland, steepest half way."""
    road = straight_road(np.random.default_rng(seed), length_m)
    at = np.arange(len(road.height_m)) * road.step_m
    rise = rise_m * (1.0 - np.cos(np.pi * at / road.length_m)) / 2.0
    points = tuple(
        p.with_(elevation_m=round(float(p.elevation_m or 0.0) + float(np.interp(p.distance_m, at, rise)), 1))
        for p in road.points
    )
    return replace(road, height_m=road.height_m + rise, points=points, car_share=CAR_SHARE)


def hallock_bank(van: TrueVehicle, known: Vehicle, seed: int) -> SimulatedStudy:
    """Up and down twice with the van as it is; energy read at each end."""
    plan = DayPlan(
        kind="other", effect_percent=0.0, order="AA", instrument="energy", speed_kmh=60.0, wind="calm", temperature_c=16.0,
        start=datetime(2026, 8, 22, 7, 0), traffic=0.0,
    )  # fmt: skip
    driven = simulate(seed, plan, road=rising_road(seed, BANK_M, BANK_RISE_M), known=known, van=van)
    study = driven.study.with_(
        title="Hallock Bank, up and down",
        method="climb",
        configurations=(driven.study.configurations[0].with_(name="As it is"),),
        change=Change(kind="other", mechanism="unknown"),
        route_name="Hallock Bank",
        notes="What does the mill on the bank cost the morning round, and what comes back on the way home?",
        plan=Plan(day=date(2026, 8, 22), start=time(6, 45)),
        tags=("hill",),
    )
    return replace(driven, study=study)


def market_trips(van: TrueVehicle, known: Vehicle, seed: int) -> SimulatedStudy:
    """The weekly drive to the upland market, and what the dashboard promised of the charge at its end.

    The dashboard goes by what the rounds in the fen took; it knows of no hill, no wind and no frost.
    """
    rng = np.random.default_rng(seed)
    road = rising_road(seed + 1, MARKET_M, MARKET_RISE_M)
    capacity = float(known.usable_capacity_kwh or 50.0)
    legs: list[Leg] = []
    made: SimulatedStudy | None = None
    for week in range(10):
        start = datetime(2026, 2, 7, 6, 20) + timedelta(days=7 * week)
        plan = DayPlan(
            kind="other", effect_percent=0.0, order="A", method="one-way", instrument="soc", speed_kmh=80.0,
            wind=("calm", "mixed", "windy")[int(rng.integers(3))], temperature_c=2.0 + 1.1 * week, start=start, traffic=0.1,
        )  # fmt: skip
        made = simulate(seed + week, plan, road=road, known=known, van=van)
        leg = made.study.legs[0]
        full = float(rng.integers(84, 97))
        used = float(leg.soc_start_percent or 0.0) - float(leg.soc_end_percent or 0.0)
        promised = full - 100.0 * FEN_WH_PER_KM * MARKET_M / 1e6 / capacity
        legs.append(
            leg.with_(
                leg=f"L{week + 1:02d}", run=f"R{week + 1}", block=str(week + 1), soc_start_percent=full,
                soc_end_percent=full - used, forecast_end_percent=round(promised),
            )
        )  # fmt: skip
    assert made is not None
    study = made.study.with_(
        title="To the upland market, Saturdays",
        legs=tuple(legs),
        events=(),
        configurations=(made.study.configurations[0].with_(name="As it is"),),
        change=Change(kind="other", mechanism="unknown"),
        route_name="Upland market",
        notes="How far may one trust what the dashboard promises, with the ovens waiting at home?",
        plan=Plan(day=date(2026, 4, 11), start=time(6, 0)),
        tags=("gauge",),
    )
    return replace(made, study=study)


def two_vans_apart(road: TrueRoad, van: TrueVehicle, known: Vehicle, seed: int) -> SimulatedStudy:
    """The same road with one van and then with the other: the vehicle is the question."""
    other = true_van(np.random.default_rng(seed))
    vehicles = (
        NamedVehicle(id="orrin-1", **known.model_dump(by_alias=True)),
        NamedVehicle(
            id="orrin-2",
            **known.with_(name="Orrin 2", distance_error_percent=ORRIN_2_ODOMETER_PERCENT).model_dump(by_alias=True),
        ),
    )
    sides = {
        "A": simulate(seed, _one_after_the_other("ABBA"), road=road, known=known, van=van),
        "B": simulate(seed, _one_after_the_other("ABBA"), road=road, known=vehicles[1], van=other),
    }
    legs: list[Leg] = []
    for first, second in zip(sides["A"].study.legs, sides["B"].study.legs, strict=True):
        of_second = first.configuration == "B"
        leg = second if of_second else first
        legs.append(leg.with_(configuration="A", vehicle="orrin-2" if of_second else "orrin-1"))
    study = sides["A"].study.with_(
        title="Orrin 1 and Orrin 2, what they differ by",
        legs=tuple(legs),
        events=(),
        vehicles=vehicles,
        configurations=(sides["A"].study.configurations[0].with_(name="As it is"),),
        change=Change(kind="other", mechanism="unknown", subject="vehicle"),
        route_name="Dyke Road",
        notes="Same tyres, same shelves, and Orrin 2 is always the one that comes home empty. Is it the van, or its driver?",
        plan=Plan(day=date(2026, 10, 10), start=time(8, 45)),
        tags=("vans",),
    )
    return replace(sides["A"], study=study)


def _one_after_the_other(order: str) -> DayPlan:
    return DayPlan(
        kind="other", effect_percent=0.0, order=order, wind="mixed", temperature_c=12.0, traffic=0.0,
        start=datetime(2026, 10, 10, 9, 0), swap_minutes=10.0,
    )  # fmt: skip

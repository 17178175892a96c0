"""Days driven as they were planned: any order, several trials, two speeds, two vehicles in turn or side by side."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date
from typing import Final

import numpy as np

from fairmargin.core.planning import planned
from fairmargin.core.planning.planned_runs import leg_speed_kmh
from fairmargin.core.study import Leg, RoutePoint, Study
from fairmargin.core.study.aims import laid_out, relaid
from fairmargin.core.study.plan import Forecast, Plan
from fairmargin.core.study.vocabulary import Method

from .truths.field.days import WINDS
from .truths.field.driving import Air, Habits, drive
from .truths.field.machines import Alteration, Machine, altered, as_its_owner_knows, draw_machine
from .truths.field.roads import CELL_M, FieldRoad, as_noted, draw_road

WAYS: Final = ("out", "loop", "back")
REPORT_M_S: Final = 0.5  # what a station six kilometres away misses


@dataclass(frozen=True, slots=True)
class PlannedShape:
    """A shape of study, and the day that it is driven on."""

    aim: str = "change"
    method: Method = "out-and-back"
    order: str = "ABBA"
    kind: str = "aero covers"
    sizes: Sequence[float] = (-0.06,)  # of each trial's change
    speed_kmh: float = 95.0
    speeds_kmh: tuple[float, float] | None = None
    at_kmh: Sequence[float] = ()  # every side is driven at each of them
    length_km: float = 20.0
    relief_m: float = 25.0
    town: bool = False  # lights and corners; what stood is noted
    sectors: Sequence[str] = ()  # equal parts of the road, each read off for itself
    wind: str = "mixed"
    temperature_c: float = 12.0
    scatter: float = 0.010  # of 20 km
    step: float = 0.1  # kWh/100 km


def laid(seed: int, shape: PlannedShape) -> tuple[Study, list[Machine], np.random.Generator]:
    """The study before the day, its vehicles as they really are, and what else is drawn."""
    rng = np.random.default_rng([seed, 777])
    road = draw_road(rng, 1000 * shape.length_km, shape.relief_m, shape.method in {"loop", "laps"}, shape.town)
    count = 2 if shape.aim in {"side", "vehicles"} else 1
    machines = [draw_machine("car", rng) for _ in range(count)]
    vehicles = [as_its_owner_knows(m, "car", rng).with_(usable_capacity_kwh=60.0) for m in machines]
    names = ["As it is"] if shape.aim in {"vehicles", "one"} else [f"Side {i}" for i in range(len(shape.sizes) + 1)]
    study = laid_out(
        shape.aim,
        title=f"{shape.aim} {shape.order}",
        kind=shape.kind,
        order=shape.order,
        method=shape.method,
        names=names,
        speed_kmh=None if shape.speeds_kmh else shape.speed_kmh,
        speeds_kmh=shape.speeds_kmh,
        vehicles=vehicles,
    )
    if shape.sectors or shape.at_kmh:
        study = relaid(study, shape.order, sectors=shape.sectors or None, speeds_kmh=shape.at_kmh or None)
    wind = WINDS[shape.wind]
    plan = Plan(day=date(2026, 4, 11), forecast=Forecast(wind_speed_ms=wind, temperature_c=shape.temperature_c))
    return study.with_(route=_marked(as_noted(road, rng), shape.sectors), plan=plan), machines, rng


def _marked(points: Sequence[RoutePoint], sectors: Sequence[str]) -> tuple[RoutePoint, ...]:
    """The route with its sectors, in equal parts."""
    part = (len(points) - 1) / max(len(sectors), 1)
    return tuple(
        p.with_(sector=sectors[min(int(i / part), len(sectors) - 1)]) if sectors else p for i, p in enumerate(points)
    )


def driven(seed: int, shape: PlannedShape) -> Study:
    """Drive the plan, and note everything that it speaks of."""
    study, machines, rng = laid(seed, shape)
    again = np.random.default_rng([seed, 777])
    road = draw_road(again, 1000 * shape.length_km, shape.relief_m, shape.method in {"loop", "laps"}, shape.town)
    parts = {name: _part(road, k, len(shape.sectors)) for k, name in enumerate(shape.sectors)} or {"": road}
    roads = {(name, way): r.turned() if way == "back" else r for name, r in parts.items() for way in WAYS}
    length_km = shape.length_km / len(parts)
    changes = {
        t.id: altered(shape.kind, size, machines[0], rng) for t, size in zip(study.trials, shape.sizes, strict=False)
    }
    if shape.speeds_kmh:
        changes = {}
    of = {v.id: m for v, m in zip(study.vehicles, machines, strict=False)}
    day = _Weather(shape, rng)
    scatter = shape.scatter * math.exp(0.3 * rng.normal()) * math.sqrt(20.0 / length_km)
    odometer = {name: 1 + 0.012 * rng.normal() for name in ("", *of)}
    cold = dict.fromkeys(odometer, 0.15)
    running = dict.fromkeys(odometer, 20.0)
    legs: list[Leg] = []
    last = None
    for leg in planned(study, shape.order).legs:
        assert leg.started_at is not None and leg.duration_s is not None
        if leg.started_at != last:  # side by side both have the same air
            day.on(0.0 if last is None else (leg.started_at - last).total_seconds() / 60.0)
            last = leg.started_at
        machine = of.get(leg.vehicle, machines[0])
        north, east = day.wind.tolist()
        air = Air(day.temperature, day.pressure, north, east, day.share, day.gust)
        aim = leg_speed_kmh(study, leg) / 3.6 * (1 + 0.004 * float(rng.normal()))
        habits = Habits(aim, driven_before_min=running[leg.vehicle], cold=cold[leg.vehicle])
        change = changes.get(leg.configuration, Alteration())
        change = replace(change, mass_kg=change.mass_kg + 7.0 * float(rng.normal()))
        made = drive(machine, change, roads[leg.sector, leg.direction], air, habits, rng)
        cold[leg.vehicle] *= math.exp(-made.duration_s / machine.warm_s)
        running[leg.vehicle] += made.duration_s / 60.0
        km = length_km * odometer[leg.vehicle]
        wh = made.energy_wh * (1 + scatter * float(rng.normal()))
        seen = day.wind + day.station + rng.normal(0, REPORT_M_S + 0.09 * math.hypot(*day.mean), 2)
        legs.append(
            leg.with_(
                duration_s=float(round(made.duration_s)),
                stopped_s=float(round(made.stopped_s)) if shape.town else None,
                distance_km=round(km, 1),
                gps_distance_km=round(length_km + 0.01 * float(rng.normal()), 2),
                temperature_c=round(2 * (day.temperature + day.station_t)) / 2,
                pressure_hpa=float(round(day.pressure)),
                wind_speed_ms=round(2 * math.hypot(*seen)) / 2,
                wind_from_deg=float(int(round(math.degrees(math.atan2(seen[1], seen[0])) / 10) * 10) % 360),
                average_shown=round(round(wh / km / 10 / shape.step) * shape.step, 4),
                average_unit="kWh/100km",
                average_step=shape.step,
            )
        )
    warm = study.circumstances.with_(warm_up_min=20.0)
    return study.with_(circumstances=warm).with_legs(legs)


def _part(road: FieldRoad, number: int, count: int) -> FieldRoad:
    """One of equal parts of a road."""
    n = len(road.heading)
    i, j = n * number // count, n * (number + 1) // count
    stops = tuple(s - CELL_M * i for s in road.stops_m if CELL_M * i <= s < CELL_M * j)
    return FieldRoad(road.height_m[i : j + 1], road.heading[i:j], road.shelter[i:j], stops, road.limit_m_s[i:j])


class _Weather:
    """Wind that wanders around its mean, air that warms, a station that errs."""

    def __init__(self, shape: PlannedShape, rng: np.random.Generator) -> None:
        self.rng = rng
        speed, angle = WINDS[shape.wind] * rng.uniform(0.7, 1.3), rng.uniform(0, 2 * math.pi)
        self.mean = speed * np.array([math.cos(angle), math.sin(angle)])
        self.wind = self.mean + rng.normal(0, 0.25 * speed, 2)
        self.temperature = shape.temperature_c + 1.5 * float(rng.normal())
        self.warming = float(rng.uniform(0.0, 1.6))
        self.pressure = 1013 + 9 * float(rng.normal())
        self.share, self.gust = float(rng.uniform(0.5, 0.8)), float(rng.uniform(0.1, 0.26))
        self.station, self.station_t = rng.normal(0, 0.48, 2), 0.48 * float(rng.normal())

    def on(self, minutes: float) -> None:
        """Let time pass."""
        k = math.exp(-minutes / 45.0)
        spread = 0.28 * math.hypot(*self.mean) + 0.15
        self.wind = self.mean + (self.wind - self.mean) * k + math.sqrt(1 - k * k) * spread * self.rng.normal(0, 1, 2)
        self.temperature += self.warming * minutes / 60.0

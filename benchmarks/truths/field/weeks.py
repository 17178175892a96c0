"""Weeks of everyday trips, with and without a change, while a season moves on."""

from __future__ import annotations

import math
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

import numpy as np

from fairmargin.core.kinds import change_kind
from fairmargin.core.study import Change, Configuration, Leg, Study

from .days import FieldDay, FieldStudy, sized, truth_of
from .driving import Air, Habits, drive
from .machines import Alteration, as_its_owner_knows, draw_machine
from .roads import draw_road


@dataclass(frozen=True, slots=True)
class Weeks:
    """A commute, out in the morning and back in the evening."""

    kind: str = "tyres"
    effect_percent: float = 3.0
    sort: str = "car"
    weeks: int = 6
    order: str = "halves"  # halves: first without, then with; weekly: in turn
    length_km: float = 28.0
    relief_m: float = 60.0
    climb_m: float = 0.0  # from home to work
    first_c: float = 14.0
    last_c: float = 14.0
    rain: float = 0.0  # chance of a wet day
    rain_noted: bool = False
    heating: bool = True  # 20 °C in the cabin, on days that want it
    forget: frozenset[str] = frozenset()


def field_weeks(seed: int, plan: Weeks) -> FieldStudy:
    """Drive every working day there and back, and note what the car shows."""
    rng = np.random.default_rng([seed, 4343])
    road = draw_road(rng, 1000 * plan.length_km, plan.relief_m, False, False, plan.climb_m)
    roads = {False: road, True: road.turned()}
    machine = draw_machine(plan.sort, rng)
    whole = FieldDay(
        sort=plan.sort, kind=plan.kind, effect_percent=plan.effect_percent, length_km=plan.length_km,
        speed_kmh=85.0,
    )  # fmt: skip
    change = sized(whole, machine, road, [False, True], rng)
    days = 5 * plan.weeks
    share = float(rng.uniform(0.5, 0.8))
    legs: list[Leg] = []
    for d in range(days):
        trial = d >= days // 2 if plan.order == "halves" else (d // 5) % 2 == 1
        day = _day(plan, d, days, rng)
        for back, hour, warmer in ((False, 7, -3.0), (True, 17, 3.0)):
            t = day.middle_c + warmer
            direction = day.wind_angle
            air = Air(
                t,
                1013 + 8 * float(rng.normal()),
                day.wind_m_s * math.cos(direction),
                day.wind_m_s * math.sin(direction),
                share,
                0.2,
            )
            habits = _habits(plan, t, day, road.length_m, rng)
            done = drive(machine, change if trial else Alteration(), roads[back], air, habits, rng)
            wh = done.energy_wh * day.factor * (1 + 0.012 * float(rng.normal()))
            at = datetime(2026, 9, 7, hour, 20) + timedelta(days=d + 2 * (d // 5))
            known = _noted(plan, t, done.duration_s, at, day.water > 0)
            legs.append(
                Leg(
                    leg=f"T{len(legs) + 1:03d}",
                    run=f"D{d + 1}",
                    configuration="B" if trial else "A",
                    direction="back" if back else "out",
                    distance_km=round(plan.length_km, 1),
                    average_shown=round(wh / plan.length_km / 10, 1),
                    average_unit="kWh/100km",
                    average_step=0.1,
                    **known,
                )
            )
    study = Study(
        title=f"everyday {plan.kind}, seed {seed}",
        change=Change(kind=plan.kind, mechanism=change_kind(plan.kind).mechanism),
        vehicle=as_its_owner_knows(machine, plan.sort, rng),
        configurations=(
            Configuration(id="A", name="Without", baseline=True),
            Configuration(id="B", name="With", mass_delta_kg=round(change.mass_kg)),
        ),
        method="everyday",
        legs=tuple(legs),
    )
    return FieldStudy(study, {}, truth_of(whole, machine, change, road, [False, True]))


@dataclass(frozen=True, slots=True)
class _Day:
    middle_c: float
    wind_m_s: float
    wind_angle: float
    water: float
    factor: float


def _day(plan: Weeks, d: int, days: int, rng: np.random.Generator) -> _Day:
    middle = plan.first_c + (plan.last_c - plan.first_c) * d / max(days - 1, 1) + 3.0 * float(rng.normal())
    wind = float(rng.weibull(2.0)) * 4.0
    angle = float(rng.uniform(0, 2 * math.pi))
    water = float(rng.uniform(0.02, 0.1)) if rng.random() < plan.rain else 0.0
    return _Day(middle, wind, angle, water, 1 + 0.008 * float(rng.normal()))


def _habits(plan: Weeks, t: float, day: _Day, length_m: float, rng: np.random.Generator) -> Habits:
    slow: tuple[tuple[float, float, float], ...] = ()
    if rng.random() < 0.5:
        where, long = float(rng.uniform(0.1, 0.7)) * length_m, float(rng.uniform(300, 3000))
        slow = ((where, long, float(rng.uniform(8, 18))),)
    return Habits(
        85 / 3.6 * (1 + 0.025 * float(rng.normal())),
        slow=slow,
        setting_c=20.0 if plan.heating and (t < 17 or t > 24) else None,
        driven_before_min=0.0,
        cold=1.0,
        wet=day.water,
    )


def _noted(plan: Weeks, t: float, seconds: float, at: datetime, wet: bool) -> dict[str, Any]:
    """What the driver wrote down of one trip."""
    known: dict[str, Any] = {}
    if "temperature" not in plan.forget:
        known["temperature_c"] = round(t)
    if "times" not in plan.forget:
        known["duration_s"] = 60 * round(seconds / 60)
    if "clock" not in plan.forget:
        known["started_at"] = at
    if plan.rain_noted:
        known["road"] = "wet" if wet else "dry"
    return known

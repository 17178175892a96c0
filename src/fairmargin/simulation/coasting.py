"""A virtual session of coasting: runs there and back over one stretch, with a known truth."""

from __future__ import annotations

import math
from dataclasses import dataclass
from datetime import datetime, timedelta

import numpy as np

from fairmargin.core.study import Change, Configuration, Leg, Study, Trace, Vehicle
from fairmargin.simulation.day import SimulatedStudy
from fairmargin.simulation.sky import air_density
from fairmargin.simulation.vehicle import TrueEffect, TrueVehicle

STEP_S = 0.1
TURNING = 1.035  # mass with what wheels and driveline turn
KNOT_M_S = 0.1  # to which a logger's speed is rounded: 0.36 km/h
COVERS = TrueEffect(drag=0.92)


@dataclass(frozen=True, slots=True)
class CoastPlan:
    """What is coasted, and in what weather."""

    order: str = "ABBA"
    effect: TrueEffect = COVERS
    kind: str = "aero covers"
    from_kmh: float = 105.0
    to_kmh: float = 35.0
    wind_m_s: float = 1.0  # along the road, standard deviation from session to session
    gust_m_s: float = 0.3
    slope: float = 0.002
    temperature_c: float = 14.0
    scatter: float = 0.008
    rate_hz: float = 2.0
    start: datetime = datetime(2026, 5, 3, 7, 40)
    minutes: float = 6.0  # from run to run
    both_ways: bool = True


def coast(
    rng: np.random.Generator, van: TrueVehicle, effect: TrueEffect, plan: CoastPlan, density: float, head: float, rise: float
) -> Trace:  # fmt: skip
    """One run: out of gear at the top speed, until the lowest."""
    v, t, gust, factor = plan.from_kmh / 3.6, 0.0, 0.0, 1.0 + plan.scatter * rng.normal()
    keep = math.exp(-STEP_S / 6.0)
    mass = van.mass_kg + effect.mass_kg
    rolls = van.rolling * effect.rolling * (1 - van.tyre_per_k * (plan.temperature_c - 20.0))
    times, speeds, due = [], [], 0.0
    while v > plan.to_kmh / 3.6:
        if t >= due:
            times.append(t)
            speeds.append(max(round(v / KNOT_M_S + 0.3 * rng.normal()) * KNOT_M_S, 0.0))
            due += 1.0 / plan.rate_hz
        gust = keep * gust + plan.gust_m_s * math.sqrt(1 - keep**2) * rng.normal()
        air = v + head + gust
        drag = 0.5 * density * van.drag_area_m2 * effect.drag * air * abs(air)
        force = factor * (drag + mass * 9.81 * (rolls * (1 + 0.0000028 * (3.6 * v) ** 2) + rise))
        v -= force / (mass * TURNING) * STEP_S
        t += STEP_S
    return Trace(
        time_s=np.array(times), speed_kmh=3.6 * np.array(speeds), power_kw=np.full(len(times), van.auxiliary_w / 1000.0)
    )


def true_percent(van: TrueVehicle, effect: TrueEffect, speed_kmh: float) -> float:
    """What the change does to steady consumption in still air at 15 °C, 1013.25 hPa; losses are a polynomial of the power."""
    density, v = air_density(15.0, 1013.25), speed_kmh / 3.6

    def taken(e: TrueEffect) -> float:
        rolls = van.rolling * e.rolling * (1 + 5.0 * van.tyre_per_k) * (1 + 0.0000028 * speed_kmh**2)
        wheel = v * (0.5 * density * van.drag_area_m2 * e.drag * v**2 + (van.mass_kg + e.mass_kg) * 9.81 * rolls)
        return wheel + van.loss_constant_w + van.loss_share * wheel + van.loss_square_per_w * wheel**2 + van.auxiliary_w

    return 100.0 * (taken(effect) / taken(TrueEffect()) - 1.0)


def simulate_coasts(
    seed: int, plan: CoastPlan, van: TrueVehicle, known: Vehicle, title: str = "Coasting", speed_kmh: float = 90.0
) -> SimulatedStudy:
    """A session: each run there and back, the change put on and taken off in the plan's order."""
    rng = np.random.default_rng(seed)
    density = air_density(plan.temperature_c, 1011.0)
    along = plan.wind_m_s * rng.normal()
    legs: list[Leg] = []
    traces: dict[str, Trace] = {}
    for number, side in enumerate(plan.order, start=1):
        effect = plan.effect if side == "B" else TrueEffect()
        wind = along + 0.3 * rng.normal()
        for way in ("out", "back") if plan.both_ways else ("out",):
            sign = 1.0 if way == "out" else -1.0
            name = f"L{len(legs) + 1:02d}"
            traces[name] = coast(rng, van, effect, plan, density, sign * wind, sign * plan.slope)
            legs.append(
                Leg(
                    leg=name,
                    run=f"R{number}",
                    configuration=side,
                    direction=way,
                    started_at=plan.start + timedelta(minutes=plan.minutes * len(legs)),
                    temperature_c=plan.temperature_c,
                    pressure_hpa=1011.0,
                    # Other tyres are driven warm before they are coasted on, and it is noted.
                    driven_before_s=2400.0 if not legs or (way == "out" and plan.kind in {"tyres", "wheels"}) else None,
                )
            )
    study = Study(
        title=title,
        change=Change(kind=plan.kind, mechanism="aerodynamic"),
        vehicle=known,
        configurations=(Configuration(id="A", name="Baseline", baseline=True), Configuration(id="B", name="Trial")),
        target_speed_kmh=speed_kmh,
        legs=tuple(legs),
    )
    return SimulatedStudy(study, traces, {"effect_percent": true_percent(van, plan.effect, speed_kmh)})

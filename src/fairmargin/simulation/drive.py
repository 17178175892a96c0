"""One leg driven second by second, with and without noise, and what a logger would have written of it."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.study import Trace
from fairmargin.simulation.road import TrueRoad
from fairmargin.simulation.sky import air_density
from fairmargin.simulation.vehicle import TrueEffect, TrueVehicle

Array = NDArray[np.float64]
REFERENCE_C: Final = 15.0  # of the air that truths are told for


@dataclass(frozen=True, slots=True)
class Course:
    """Where on the road a logged leg begins (from a slow roll) and ends (off the pedal on the ramp). [m]"""

    start_m: float
    lift_off_m: float
    end_m: float


@dataclass(frozen=True, eq=False, slots=True)
class Drive:
    """One leg as it was driven, second by second."""

    energy_wh: float
    duration_s: float
    time_s: Array
    speed: Array
    power_w: Array
    position_m: Array


def _remembering(shocks: Array, k: float) -> Array:
    """First-order process x = k x + √(1 − k²) shock; keeps the standard deviation of the shocks."""
    gain, x, out = math.sqrt(1 - k * k), 0.0, []
    for shock in shocks.tolist():
        x = k * x + gain * shock
        out.append(x)
    return np.array(out)


def _hold_speed(
    road: TrueRoad,
    speed_m_s: float,
    rng: np.random.Generator | None,
    holdup: tuple[float, float, float] | None,
    course: Course | None,
) -> tuple[NDArray[np.float64], NDArray[np.float64], float]:
    """Drive the speed a driver holds, second by second: speed in m/s, position in m, where the leg ends."""
    n_max = int(road.length_m / speed_m_s * 2.2) + 600
    wobble = np.zeros(n_max)
    if rng is not None:
        shock = rng.normal(0, 1, n_max)
        k = math.exp(-1 / 25.0)
        # A driver's slow hunting around the aim, about 0.35 m/s.
        wobble = 0.35 * _remembering(shock, k)
    hunting = wobble.tolist()  # a loop over plain numbers takes a third of the time
    speeds, positions = [], []
    s, v = 0.0, (asked := float(speed_m_s))
    stop_at, lift_at = road.length_m, math.inf
    if course is not None:
        s, v, stop_at, lift_at = course.start_m, 8.0, course.end_m, course.lift_off_m
    hold_left = 0.0
    hold_at, hold_s, hold_v = holdup or (math.inf, 0.0, 0.0)
    i = 0
    while s < stop_at and i < n_max:
        aim = asked + hunting[i]
        if s >= hold_at and hold_s > 0:
            hold_left, hold_s = hold_s, 0.0
        if hold_left > 0:
            hold_left -= 1.0
            aim = hold_v
        if s >= lift_at:
            aim = min(aim, 12.0)
        v += max(-1.5, min(0.9, (aim - v) / 3.0))
        speeds.append(v)
        positions.append(s)
        s += v
        i += 1
    return np.array(speeds), np.array(positions), stop_at


def drive_leg(
    van: TrueVehicle,
    effect: TrueEffect,
    road: TrueRoad,
    back: bool,
    speed_m_s: float,
    temperature_c: float,
    density: float,
    wind_north: float,
    wind_east: float,
    gust_sd: float,
    car_share: float,
    tyre_cold: float,
    rng: np.random.Generator | None,
    holdup: tuple[float, float, float] | None,
    course: Course | None = None,
) -> Drive:
    """Drive one leg second by second; without `rng` there is no noise (for the truth).

    The wind vector points to where the wind comes from, at 10 m.
    """
    heading = np.mod(road.heading[::-1] + math.pi, 2 * math.pi) if back else road.heading
    height = road.height_m[::-1] if back else road.height_m
    shelter = road.shelter[::-1] if back else road.shelter
    slope = np.diff(height) / road.step_m
    speed, position, stop_at = _hold_speed(road, speed_m_s, rng, holdup, course)
    n = len(speed)
    cell = np.minimum((position / road.step_m).astype(int), len(heading) - 1)
    acceleration = np.diff(speed, append=speed[-1])
    gust_along = gust_across = np.zeros(n)
    if rng is not None and gust_sd > 0:
        k = math.exp(-1 / 4.0)
        gust_along = gust_sd * _remembering(rng.normal(0, 1, n), k)
        gust_across = gust_sd * _remembering(rng.normal(0, 0.8, n), k)
    share = car_share * shelter[cell]
    cos, sin = np.cos(heading[cell]), np.sin(heading[cell])
    along = share * (wind_north * cos + wind_east * sin) + gust_along
    across = share * (wind_east * cos - wind_north * sin) + gust_across
    air_speed = speed + along
    squared = air_speed**2 + across**2
    yaw = np.degrees(np.arctan2(np.abs(across), np.maximum(air_speed, 0.1)))
    area = van.drag_area_m2 * effect.drag * (1 + van.yaw_per_deg * np.minimum(yaw, 14.0))
    f_air = 0.5 * density * area * np.sqrt(squared) * air_speed
    mass = van.mass_kg + effect.mass_kg
    elapsed = np.arange(n, dtype=float)
    warm = 1 + tyre_cold * np.exp(-elapsed / van.tyre_warm_s)
    rolling = (
        van.rolling
        * effect.rolling
        * warm
        * (1 - van.tyre_per_k * (temperature_c - 20.0))
        * (1 + 0.0000028 * (speed * 3.6) ** 2)
    )
    grade = slope[cell]
    force = f_air + mass * 9.81 * (rolling + grade) + mass * 1.035 * acceleration
    wheel = force * speed
    loss = van.loss_constant_w + van.loss_share * np.abs(wheel) + van.loss_square_per_w * wheel**2
    battery = np.where(wheel > 0, wheel + loss, np.minimum(wheel * van.regen_share + 0.3 * loss, loss))
    battery = battery * effect.total * (1 + van.battery_per_k * (15.0 - temperature_c))
    battery = battery + van.auxiliary_w + effect.auxiliary_w
    # The last second overshoots the line; count the part before it.
    part = np.ones(n)
    part[-1] = min(1.0, max(0.0, (stop_at - position[-1]) / speed[-1]))
    return Drive(float((battery * part).sum()) / 3600.0, float(part.sum()), elapsed, speed, battery, position)


def true_wh_per_km(van: TrueVehicle, effect: TrueEffect, road: TrueRoad, back: Sequence[bool], speed: float) -> float:
    """Energy per distance at reference conditions: 15 °C, 1013.25 hPa, 60 %, calm, warm tyres. [Wh/km]"""
    density = air_density(REFERENCE_C, 1013.25)
    drives = [drive_leg(van, effect, road, b, speed, REFERENCE_C, density, 0, 0, 0, 0.7, 0.0, None, None) for b in back]
    return sum(d.energy_wh for d in drives) / (len(back) * road.length_m / 1000.0)


def trace_of(
    drive: Drive, road: TrueRoad, back: bool, factor: float, rng: np.random.Generator, rate_hz: float
) -> Trace:
    """What a logger would have written, with its own noise."""
    t = drive.time_s
    fine = np.arange(0.0, t[-1], 1.0 / rate_hz) if rate_hz != 1.0 else t
    speed = np.interp(fine, t, drive.speed)
    power = np.interp(fine, t, drive.power_w) * factor
    position = np.interp(fine, t, drive.position_m)
    along = road.length_m - position if back else position
    at = np.array([p.distance_m for p in road.points])
    return Trace(
        time_s=np.round(fine, 2),
        speed_kmh=np.asarray(np.round(np.maximum(speed * 3.6 + rng.normal(0, 0.1, len(fine)), 0), 2), dtype=np.float64),
        power_kw=np.round(power / 1000 + rng.normal(0, 0.05, len(fine)), 3),
        latitude=np.round(np.interp(along, at, [p.latitude or 0.0 for p in road.points]), 6),
        longitude=np.round(np.interp(along, at, [p.longitude or 0.0 for p in road.points]), 6),
        elevation_m=np.round(np.interp(along, at, [p.elevation_m or 0.0 for p in road.points]), 1),
    )


def cumulated(trace: Trace) -> tuple[Array, Array]:
    """Distance and energy of a log up to each of its samples. [km, kWh]"""
    assert trace.power_kw is not None
    steps = np.diff(trace.time_s) / 7200.0

    def summed(rate: Array) -> Array:
        return np.concatenate([[0.0], np.cumsum((rate[1:] + rate[:-1]) * steps)])

    return summed(trace.speed_kmh), summed(trace.power_kw)

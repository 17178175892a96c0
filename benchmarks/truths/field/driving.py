"""One drive of a field day, cell by cell: speeds, forces, energy, time."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.signal import lfilter

from .machines import Alteration, Machine, drag_growth, with_change
from .roads import CELL_M, FieldRoad

Array = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Air:
    """Air of a drive: at the road's lowest point, wind where nothing shelters."""

    temperature_c: float
    pressure_hpa: float
    north: float  # m/s, where it comes from, at 10 m
    east: float
    share: float  # of it at the car on open road
    gust: float  # standard deviation of gusts, share of the wind

    def density(self, height_m: Array) -> Array:
        """Density at heights. [kg/m³]"""
        t = self.temperature_c + 273.15 - 0.0065 * (height_m - 60.0)
        p = self.pressure_hpa * 100.0 * np.exp(-(height_m - 60.0) / 8300.0)
        return np.asarray(p / (287.3 * t) * 0.9965)


CALM = Air(15.0, 1013.25, 0.0, 0.0, 0.7, 0.0)


@dataclass(frozen=True, slots=True)
class Habits:
    """How a leg is driven."""

    aim_m_s: float
    accelerate: float = 0.9
    brake: float = 1.1
    slow: tuple[tuple[float, float, float], ...] = ()  # from [m], length [m], speed [m/s]
    dwell_s: float = 14.0
    halts: tuple[tuple[float, float], ...] = ()  # at [m], standing for [s]
    setting_c: float | None = None
    driven_before_min: float = 60.0  # for cabin and engine
    cold: float = 0.0  # share of the tyres' coldness left at the start
    wet: float = 0.0  # share of rolling and drag together that water adds


@dataclass(frozen=True, eq=False, slots=True)
class Driven:
    """What came of a drive."""

    energy_wh: float
    duration_s: float
    stopped_s: float
    time_s: Array  # at the end of each cell
    speed_m_s: Array
    power_w: Array


def drive(
    machine: Machine, change: Alteration, road: FieldRoad, air: Air, habits: Habits, rng: np.random.Generator | None
) -> Driven:
    """Drive a road; without `rng` without a driver's wobble and without gusts."""
    m = with_change(machine, change)
    n = len(road.heading)
    wobble = np.zeros(n + 1)
    if rng is not None:
        wobble = 0.3 * math.sqrt(1 - 0.96**2) * lfilter([1.0], [1.0, -0.96], rng.normal(0, 1, n + 1))
    v_end = _speeds(road, habits, wobble)
    v = np.sqrt((v_end[1:] ** 2 + v_end[:-1] ** 2) / 2)
    dt = CELL_M / np.maximum(v, 0.4)
    acceleration = (v_end[1:] ** 2 - v_end[:-1] ** 2) / (2 * CELL_M)
    standing = habits.dwell_s * len(road.stops_m)
    elapsed = np.cumsum(dt) + standing * np.arange(1, n + 1) / n
    for at, seconds in habits.halts:
        elapsed[min(int(at / CELL_M), n - 1) :] += seconds
        standing += seconds

    north, east = np.full(n, air.north), np.full(n, air.east)
    if rng is not None:
        speed = math.hypot(air.north, air.east)
        moved = np.interp(elapsed, np.linspace(0, elapsed[-1], 6), rng.normal(0, 0.18 * speed + 0.15, 6))
        turned = np.interp(elapsed, np.linspace(0, elapsed[-1], 6), rng.normal(0, 0.18 * speed + 0.15, 6))
        north, east = north + moved, east + turned
    share = air.share * road.shelter
    cos, sin = np.cos(road.heading), np.sin(road.heading)
    along, across = share * (north * cos + east * sin), share * (east * cos - north * sin)
    if rng is not None:
        size = air.gust * share * np.hypot(north, east)
        along = along + size * rng.normal(0, 1, n)
        across = across + 0.8 * size * rng.normal(0, 1, n)
    head = v + along
    flow = np.hypot(head, across)
    yaw = np.degrees(np.arctan2(across, np.maximum(head, 0.5)))
    middle = (road.height_m[1:] + road.height_m[:-1]) / 2
    f_air = 0.5 * air.density(middle) * m.drag_area_m2 * drag_growth(yaw, m.yaw) * flow * head
    warm = 1 + m.cold_share * habits.cold * np.exp(-elapsed / m.warm_s)
    t = air.temperature_c - 0.0065 * (middle - 60.0)
    crr = m.rolling * warm * (1 - m.rolling_per_k * (t - 20.0)) * (1 + m.rolling_per_v2 * (3.6 * v) ** 2)
    slope = np.diff(road.height_m) / CELL_M
    water = habits.wet * (f_air + m.mass_kg * 9.81 * crr)
    force = f_air + water + m.mass_kg * 9.81 * (crr + slope) + m.mass_kg * (1 + m.rotating) * acceleration
    wheel = force * v
    minutes = habits.driven_before_min + elapsed / 60.0
    climate = np.array(
        [m.climate_w(air.temperature_c, habits.setting_c, x) for x in np.linspace(minutes[0], minutes[-1], 9)]
    )
    side = m.auxiliary_w + np.interp(minutes, np.linspace(minutes[0], minutes[-1], 9), climate)
    if m.energy == "electric":
        power = _battery(m, wheel) * (1 + m.battery_per_k * max(20.0 - air.temperature_c, 0.0))
    else:
        power = _fuel(m, wheel, side, minutes)
        side = 0.0 * side
    power = power * change.total + side
    idle = standing * (m.idle_w * 0.8 if m.energy != "electric" else float(np.mean(side)))
    energy = float(power @ dt) + idle
    return Driven(energy / 3600.0, float(elapsed[-1]), standing, elapsed, np.asarray(v), np.asarray(power))


def _speeds(road: FieldRoad, habits: Habits, wobble: Array) -> Array:
    """Speed at every edge: what is aimed for, capped by limits, slow traffic and stops, within what one accelerates."""
    n = len(road.heading)
    at = np.arange(n + 1) * CELL_M
    cap = np.minimum(habits.aim_m_s, np.append(road.limit_m_s, road.limit_m_s[-1])) + wobble
    for begin, length, slow in habits.slow:
        cap = np.where((at >= begin) & (at <= begin + length), np.minimum(cap, slow), cap)
    for stop in (*road.stops_m, *(at for at, _ in habits.halts)):
        cap[min(int(stop / CELL_M), n)] = 0.6
    square = np.maximum(cap, 0.6) ** 2
    up = np.minimum.accumulate(square - 2 * habits.accelerate * at) + 2 * habits.accelerate * at
    down = np.minimum.accumulate((square + 2 * habits.brake * at)[::-1])[::-1] - 2 * habits.brake * at
    return np.asarray(np.sqrt(np.maximum(np.minimum(up, down), 0.36)))


def _battery(m: Machine, wheel: Array) -> Array:
    loss = m.loss_w + m.loss_share * np.abs(wheel) + m.loss_per_w * wheel**2
    given_back = np.maximum(wheel, -m.regen_most_w) * m.regen
    return np.asarray(np.where(wheel > 0, wheel + loss, given_back + 0.5 * m.loss_w))


def _fuel(m: Machine, wheel: Array, side: Array, minutes: Array) -> Array:
    """Willans line: a rate at no load and a slope; nothing while the vehicle pushes the engine."""
    cold = 1 + m.cold_engine * np.exp(-minutes / 6.0)
    drawn = (m.idle_w + m.engine_slope * (wheel / 0.93 + 1.6 * side)) * cold
    return np.asarray(np.where(wheel > -0.2 * m.idle_w, np.maximum(drawn, 0.25 * m.idle_w), 0.0))

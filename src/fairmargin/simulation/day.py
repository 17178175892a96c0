"""A virtual test day.

A van is driven second by second over a road by a driver who holds the speed imperfectly, in a wind that
wanders (mean-reverting, minutes), gusts (seconds) and is reported by a station that rounds and errs, while
the day warms, tyres warm up, traffic holds it up now and then, and the display rounds. The truth of the
change is computed by driving the same van over the same road at reference conditions, without noise.

Nothing here is shared with the correction: own road load, own air (ideal mixture), own wind profile
(power law), own tyre thermal model, own driveline loss (a loss polynomial, not an efficiency).
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.study import (
    Change,
    Configuration,
    Event,
    Leg,
    RoutePoint,
    Study,
    Trace,
    Vehicle,
    default_mechanism,
)

Array = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class TrueVehicle:
    """What the virtual van really is (its owner knows it only roughly)."""

    mass_kg: float = 1710.0
    drag_area_m2: float = 0.83
    rolling: float = 0.0092
    yaw_per_deg: float = 0.012
    tyre_per_k: float = 0.006
    loss_constant_w: float = 350.0
    loss_share: float = 0.075
    loss_square_per_w: float = 6.0e-7
    regen_share: float = 0.62
    auxiliary_w: float = 300.0
    battery_per_k: float = 0.0006
    cold_tyre_share: float = 0.16
    tyre_warm_s: float = 620.0


@dataclass(frozen=True, slots=True)
class TrueEffect:
    """What the change really does."""

    drag: float = 1.0
    rolling: float = 1.0
    mass_kg: float = 0.0
    total: float = 1.0
    auxiliary_w: float = 0.0


@dataclass(frozen=True, slots=True)
class DayPlan:
    """What is driven, and in what weather."""

    kind: str = "aero covers"
    effect_percent: float = -4.0
    order: str = "ABBA"
    method: str = "out-and-back"
    speed_kmh: float = 90.0
    wind: str = "mixed"  # calm, mixed, windy
    days: int = 1  # trial runs on the last day when more than one
    day_gap: int = 1
    step: float = 0.1  # display step, kWh/100 km
    instrument: str = "average"  # average, energy, charge-back, soc, logger
    samples: bool = False
    traffic: float = 0.12  # chance of a hold-up per leg
    warm_up_drive: bool = True
    wet_day: int | None = None
    scatter: float = 0.008  # typical of 18 km; each study's own is drawn around it
    start: datetime = datetime(2026, 4, 18, 8, 40)
    sample_rate_hz: float = 1.0
    temperature_c: float = 10.0
    day_warmer_k: float = 0.0  # each later day
    reported_gusts: bool = True
    swap_minutes: float = 12.0
    ramps: bool = True  # logged legs begin on one ramp and end on another, wherever the driver turned


@dataclass(frozen=True, slots=True)
class SimulatedStudy:
    """A study with the truth that made it."""

    study: Study
    traces: Mapping[str, Trace]
    truth: Mapping[str, object] = field(default_factory=dict)


@dataclass(frozen=True, eq=False, slots=True)
class Road:
    """A road as the van feels it: every 10 m."""

    step_m: float
    height_m: Array
    heading: Array  # rad, of each step
    points: tuple[RoutePoint, ...]
    shelter: Array  # share of the wind that gets to the road, per step

    @property
    def length_m(self) -> float:
        """Length. [m]"""
        return self.step_m * len(self.heading)


def straight_road(rng: np.random.Generator, length_m: float, loop: bool = False) -> Road:
    """Make a gently winding road over fen country (or a closed town round)."""
    step = 10.0
    n = int(length_m / step)
    s = np.arange(n) * step
    if loop:
        heading = 2 * math.pi * s / length_m + 0.35 * np.sin(2 * math.pi * s / length_m * 3)
        heading += rng.uniform(0, 2 * math.pi)
    else:
        heading = np.full(n, rng.uniform(0, 2 * math.pi))
        for _ in range(5):
            wave = rng.uniform(2000, 9000)
            heading = heading + rng.uniform(0.05, 0.22) * np.sin(
                2 * math.pi * s / wave + rng.uniform(0, 6.28)
            )
    height = np.zeros(n + 1)
    s1 = np.arange(n + 1) * step
    for _ in range(6):
        wave = rng.uniform(900, 8000)
        height += rng.uniform(0.5, 4.0) * np.sin(2 * math.pi * s1 / wave + rng.uniform(0, 6.28))
    if loop:
        height -= (height[-1] - height[0]) * s1 / s1[-1]
    else:
        height += rng.uniform(-12, 12) * s1 / s1[-1]
    height += 8.0 - height.min()
    shelter = np.clip(1 - 0.25 * (np.sin(2 * math.pi * s / 5200 + rng.uniform(0, 6.28)) > 0.75), 0.6, 1.0)
    lat0, lon0 = 52.6, 0.12
    north = np.concatenate([[0], np.cumsum(np.cos(heading)) * step])
    east = np.concatenate([[0], np.cumsum(np.sin(heading)) * step])
    lat = lat0 + north / 111_250.0
    lon = lon0 + east / (111_320.0 * math.cos(math.radians(lat0)))
    every = 10
    noisy = height[::every] + rng.normal(0, 0.8, len(height[::every]))
    points = tuple(
        RoutePoint(
            distance_m=round(float(s1[i * every]), 1),
            latitude=round(float(lat[i * every]), 6),
            longitude=round(float(lon[i * every]), 6),
            elevation_m=round(float(noisy[i]), 1),
        )
        for i in range(len(noisy))
    )
    return Road(step, height, np.mod(heading, 2 * math.pi), points, shelter)


@dataclass(slots=True)
class _Sky:
    """Wind at 10 m and air, wandering through a day."""

    speed: float
    angle: float
    temperature: float
    pressure_hpa: float
    wander: float
    rng: np.random.Generator

    def advance(self, seconds: float, calm: float) -> None:
        """Mean-reverting wander of speed and direction over minutes; the day warms by a kelvin an hour."""
        tau = 2400.0
        k = math.exp(-seconds / tau)
        noise = math.sqrt(1 - k * k)
        self.speed = max(0.1, calm + (self.speed - calm) * k + noise * self.wander * self.rng.normal())
        self.angle += noise * 0.22 * self.rng.normal()
        self.temperature += seconds / 3600.0 * 0.9


def _density(temperature_c: float, pressure_hpa: float) -> float:
    """Moist air at 65 % humidity as an ideal mixture (Magnus vapour pressure)."""
    vapour = 0.65 * 611.2 * math.exp(17.62 * temperature_c / (243.12 + temperature_c))
    t = temperature_c + 273.15
    return (pressure_hpa * 100.0 - vapour) / (287.05 * t) + vapour / (461.5 * t)


@dataclass(frozen=True, slots=True)
class _Course:
    """Where on the road a logged leg begins (from a slow roll) and ends (off the pedal on the ramp). [m]"""

    start_m: float
    lift_off_m: float
    end_m: float


@dataclass(frozen=True, eq=False, slots=True)
class _Drive:
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


def _drive(
    van: TrueVehicle,
    effect: TrueEffect,
    road: Road,
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
    course: _Course | None = None,
) -> _Drive:
    """Drive one leg second by second; without `rng` there is no noise (for the truth).

    The wind vector points to where the wind comes from, at 10 m.
    """
    heading = np.mod(road.heading[::-1] + math.pi, 2 * math.pi) if back else road.heading
    height = road.height_m[::-1] if back else road.height_m
    shelter = road.shelter[::-1] if back else road.shelter
    slope = np.diff(height) / road.step_m
    n_max = int(road.length_m / speed_m_s * 2.2) + 600
    wobble = np.zeros(n_max)
    if rng is not None:
        shock = rng.normal(0, 1, n_max)
        k = math.exp(-1 / 25.0)
        # A driver's slow hunting around the aim, about 0.35 m/s.
        wobble = 0.35 * _remembering(shock, k)
    speeds, positions = [], []
    s, v = 0.0, speed_m_s
    stop_at, lift_at = road.length_m, math.inf
    if course is not None:
        s, v, stop_at, lift_at = course.start_m, 8.0, course.end_m, course.lift_off_m
    hold_left = 0.0
    hold_at, hold_s, hold_v = holdup or (math.inf, 0.0, 0.0)
    i = 0
    while s < stop_at and i < n_max:
        aim = speed_m_s + wobble[i]
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
    speed, position = np.array(speeds), np.array(positions)
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
    return _Drive(
        float((battery * part).sum()) / 3600.0,
        float(part.sum()),
        elapsed,
        speed,
        battery,
        position,
    )


def _truth(van: TrueVehicle, effect: TrueEffect, road: Road, back: Sequence[bool], speed: float) -> float:
    """Energy per distance at reference conditions: 15 °C, 1013.25 hPa, 60 %, calm, warm tyres. [Wh/km]"""
    density = _density(15.0, 1013.25)
    drives = [_drive(van, effect, road, b, speed, 15.0, density, 0, 0, 0, 0.7, 0.0, None, None) for b in back]
    return sum(d.energy_wh for d in drives) / (len(back) * road.length_m / 1000.0)


def _effect_for(plan: DayPlan, van: TrueVehicle, road: Road, back: Sequence[bool]) -> TrueEffect:
    """Find the size of the mechanism that gives the wanted effect, by the secant method on the truth."""
    wanted = 1 + plan.effect_percent / 100.0
    speed = plan.speed_kmh / 3.6
    base = _truth(van, TrueEffect(), road, back, speed)

    def make(x: float) -> TrueEffect:
        mechanism = default_mechanism(plan.kind)
        if mechanism == "aerodynamic":
            return TrueEffect(drag=1 + x, mass_kg=2.5)
        if mechanism == "rolling":
            return TrueEffect(rolling=1 + x)
        if mechanism == "mass":
            return TrueEffect(mass_kg=x * van.mass_kg)
        if plan.kind == "towing":
            return TrueEffect(drag=1 + x, rolling=1 + 0.3 * x, mass_kg=350.0 * min(1.0, abs(x) * 3))
        return TrueEffect(total=1 + x)

    low, high = 0.0, 2.0 * plan.effect_percent / 100.0
    f_low = _truth(van, make(low), road, back, speed) / base - wanted
    for _ in range(12):
        f_high = _truth(van, make(high), road, back, speed) / base - wanted
        if abs(f_high) < 1e-6 or f_high == f_low:
            break
        low, high, f_low = high, high - f_high * (high - low) / (f_high - f_low), f_high
    return make(high)


def road_of(points: Sequence[RoutePoint]) -> Road:
    """Lay a given route out as the van feels it.

    Raises
    ------
    ValueError
        If it has fewer than two points with a position, or is shorter than a kilometre.
    """
    placed = [p for p in points if p.latitude is not None and p.longitude is not None]
    if len(placed) < 2 or placed[-1].distance_m - placed[0].distance_m < 1000.0:
        raise ValueError("the route needs positions over at least a kilometre")
    step = 10.0
    at = np.array([p.distance_m for p in placed])
    at = at - at[0]
    s = np.arange(0.0, at[-1] - step / 2, step)
    lat = np.array([p.latitude for p in placed], dtype=float)
    lon = np.array([p.longitude for p in placed], dtype=float)
    edges = np.append(s, s[-1] + step)
    north = np.diff(np.interp(edges, at, lat)) * 111_250.0
    east = np.diff(np.interp(edges, at, lon)) * 111_320.0 * math.cos(math.radians(float(lat.mean())))
    height = np.interp(edges, at, np.array([p.elevation_m or 0.0 for p in placed]))
    kernel = np.full(31, 1 / 31)  # given heights are noisy
    padded = np.pad(height, 15, mode="edge")
    height = np.convolve(padded, kernel, mode="valid")
    moved = tuple(p.with_(distance_m=p.distance_m - placed[0].distance_m) for p in placed)
    return Road(step, height, np.mod(np.arctan2(east, north), 2 * math.pi), moved, np.ones(len(s)))


def simulate(
    seed: int, plan: DayPlan, road: Road | None = None, title: str = "", known: Vehicle | None = None
) -> SimulatedStudy:
    """Drive the plan and write down what the instruments would have shown.

    Parameters
    ----------
    seed : int
        Everything random follows from it.
    plan : DayPlan
    road : Road, optional
        A road to drive; one of 18.4 km is made when absent.
    title : str
    known : Vehicle, optional
        A vehicle as its owner knows it; the true one is drawn around it. Else a van.

    Returns
    -------
    SimulatedStudy
        The study as its owner would have it, traces when asked for, and the truth.

    Raises
    ------
    ValueError
        If the order holds anything but A and B, or the wind word is unknown.
    """
    if set(plan.order) - {"A", "B"} or not plan.order:
        raise ValueError(f'order "{plan.order}": expected the letters A and B, such as ABBA')
    winds = {"calm": (1.2, 0.5), "mixed": (3.6, 1.0), "windy": (7.0, 1.5)}
    if plan.wind not in winds:
        raise ValueError(f'wind "{plan.wind}": expected one of {", ".join(winds)}')
    rng = np.random.default_rng(seed)
    loop = plan.method in {"loop", "laps"}
    if road is None:
        road = straight_road(rng, 6200.0 if loop else 18_400.0, loop)
    van = TrueVehicle(
        rolling=0.0092 * (1 + 0.05 * rng.normal()),
        drag_area_m2=0.83 * (1 + 0.03 * rng.normal()),
        yaw_per_deg=max(0.002, 0.012 + 0.005 * rng.normal()),
        tyre_per_k=max(0.002, 0.006 + 0.0015 * rng.normal()),
        battery_per_k=max(0.0, 0.0006 + 0.0004 * rng.normal()),
    )
    if known is not None:
        van = _around(known, van, rng)
    known = known or Vehicle(
        name="Orrin 1",
        vehicle_class="van",
        mass_kg=round(van.mass_kg * (1 + 0.008 * rng.normal()), -1),
        mass_sd_kg=20,
        drag_area_m2=round(van.drag_area_m2 * (1 + rng.uniform(-0.06, 0.06)), 2),
        drag_area_sd_m2=0.05,
        rolling_coefficient=round(van.rolling * (1 + rng.uniform(-0.06, 0.06)), 4),
        rolling_coefficient_sd=0.0008,
        drive_efficiency=0.88,
        regen_efficiency=0.6,
        auxiliary_w=300,
        usable_capacity_kwh=52.0,
        charging_efficiency=0.9,
    )
    car_share = float(rng.uniform(0.55, 0.8))
    directions = [False] if loop or plan.method == "one-way" else [False, True]
    change = _effect_for(plan, van, road, directions)
    runs = list(plan.order)
    legs: list[Leg] = []
    traces: dict[str, Trace] = {}
    events: list[Event] = []
    day_of_run = [0 if plan.days == 1 or letter == "A" else plan.days - 1 for letter in runs]
    count = 0
    drive_order = sorted(range(len(runs)), key=lambda i: (day_of_run[i], i))
    sky: _Sky | None = None
    clock = plan.start
    today = -1
    tyre_cold = 0.0
    day_factor = 1.0
    calm, wander = winds[plan.wind]
    station_bias = (0.0, 0.0)
    odometer = 1.0 + 0.002 * rng.normal()
    # Some testers are steadier than others, short drives less so than long ones; days weeks or a night apart are seldom alike.
    scatter = plan.scatter * math.exp(0.3 * float(rng.normal())) * math.sqrt(18_400.0 / road.length_m)
    windier = [float(np.clip(rng.weibull(2.0) / 0.886, 0.35, 2.0)) for _ in range(plan.days)]
    for i in drive_order:
        if day_of_run[i] != today:
            today = day_of_run[i]
            clock = plan.start + timedelta(days=today * plan.day_gap, minutes=float(rng.integers(0, 40)))
            spread = float(rng.uniform(0.7, 1.3)) if plan.days == 1 else windier[today]
            mean_wind = max(0.3, winds[plan.wind][0] * spread)
            sky = _Sky(
                mean_wind,
                float(rng.uniform(0, 2 * math.pi)),
                plan.temperature_c
                + today * plan.day_warmer_k
                + (3.0 if plan.days == 1 else 4.5) * float(rng.normal()),
                1013.0 + 8 * float(rng.normal()),
                wander,
                rng,
            )
            calm = mean_wind
            day_factor = 1 + (0.006 * float(rng.normal()) if plan.days > 1 else 0.0)
            station_bias = (0.35 * float(rng.normal()), 0.35 * float(rng.normal()))
            tyre_cold = van.cold_tyre_share * (0.12 if plan.warm_up_drive else 1.0)
        assert sky is not None
        report = None
        for back in directions:
            count += 1
            sky.advance(180.0, calm)
            north, east = sky.speed * math.cos(sky.angle), sky.speed * math.sin(sky.angle)
            if report is None or rng.random() < 0.85:
                seen_n = north + station_bias[0] + 0.45 * rng.normal()
                seen_e = east + station_bias[1] + 0.45 * rng.normal()
                speed_seen = math.hypot(seen_n, seen_e)
                report = (
                    round(speed_seen * 2) / 2,
                    (round(math.degrees(math.atan2(seen_e, seen_n)) / 10) * 10) % 360,
                    round(sky.temperature * 2) / 2,
                    round(sky.pressure_hpa),
                )
            holdup = None
            if rng.random() < plan.traffic:
                lasting, slow = (
                    float(rng.uniform(40, 110)),
                    plan.speed_kmh / 3.6 * float(rng.uniform(0.75, 0.9)),
                )
                holdup = (float(rng.uniform(0.1, 0.7)) * road.length_m, lasting, slow)
            effect = change if runs[i] == "B" else TrueEffect()
            held = plan.speed_kmh / 3.6 * (1 + 0.006 * rng.normal())
            course = None
            if plan.samples and plan.ramps and not loop:
                ends = rng.uniform(100, 700, 2)
                lift = float(rng.uniform(150, 450))
                course = _Course(
                    float(ends[0]), road.length_m - float(ends[1]) - lift, road.length_m - float(ends[1])
                )
            drive = _drive(
                van,
                effect,
                road,
                back,
                held,
                sky.temperature,
                _density(sky.temperature, sky.pressure_hpa),
                north,
                east,
                0.17 * sky.speed,
                car_share,
                tyre_cold,
                rng,
                holdup,
                course,
            )
            wet = plan.wet_day is not None and plan.wet_day == today
            factor = (1 + scatter * rng.normal()) * day_factor * (1.07 if wet else 1.0)
            energy = drive.energy_wh * factor
            tyre_cold *= math.exp(-drive.duration_s / van.tyre_warm_s)
            km = (road.length_m if course is None else course.end_m - course.start_m) / 1000.0
            name = f"L{count:02d}"
            shown_km = round(km * odometer, 1)
            reading: dict[str, object] = {}
            per_100 = energy / 10.0 / km
            if plan.instrument in {"average", "logger"} and not (
                plan.samples and plan.instrument == "logger"
            ):
                reading = {
                    "average_shown": round(round(per_100 / odometer / plan.step) * plan.step, 4),
                    "average_unit": "kWh/100km",
                    "average_step": plan.step,
                }
            elif plan.instrument == "energy":
                reading = {"energy_kwh": round(energy / 1000, 2), "energy_step_kwh": 0.01}
            elif plan.instrument == "charge-back":
                reading = {"charger_kwh": round(energy / 1000 / 0.9 + 0.03 * rng.normal(), 2)}
            elif plan.instrument == "soc":
                start = 80 - 8 * (count % 6)
                reading = {
                    "soc_start_percent": start,
                    "soc_end_percent": start - round(energy / 520.0),
                    "soc_step_percent": 1.0,
                }
            legs.append(
                Leg(
                    leg=name,
                    run=f"R{i + 1}",
                    block=str(i // 4 + 1),
                    configuration=runs[i],
                    direction="loop" if loop else ("back" if back else "out"),
                    started_at=clock.replace(second=0, microsecond=0),
                    duration_s=round(drive.duration_s),
                    distance_km=shown_km,
                    gps_distance_km=round(km + 0.01 * rng.normal(), 2),
                    temperature_c=report[2],
                    pressure_hpa=report[3],
                    humidity_percent=65,
                    wind_speed_ms=report[0],
                    wind_gust_ms=round((report[0] * 1.5) * 2) / 2 if plan.reported_gusts else None,
                    wind_from_deg=report[1],
                    road="wet" if wet else "dry",
                    climate="off",
                    **reading,
                )
            )
            if holdup is not None:
                events.append(
                    Event(
                        leg=name,
                        at_km=round((holdup[0] - (course.start_m if course else 0.0)) / 1000, 1),
                        duration_s=round(holdup[1], -1),
                        kind="slow-traffic",
                        speed_kmh=round(holdup[2] * 3.6),
                    )
                )
            if plan.samples:
                traces[name] = _trace(drive, road, back, factor, rng, plan.sample_rate_hz)
            sky.advance(drive.duration_s, calm)
            clock += timedelta(seconds=drive.duration_s + 180)
        clock += timedelta(minutes=plan.swap_minutes)
        sky.advance(plan.swap_minutes * 60, calm)
        tyre_cold = min(van.cold_tyre_share, tyre_cold + 0.015)

    speed = plan.speed_kmh / 3.6
    base = _truth(van, TrueEffect(), road, directions, speed)
    trial = _truth(van, change, road, directions, speed)
    order = {run: k for k, run in enumerate(f"R{i + 1}" for i in drive_order)}
    study = Study(
        title=title or f"Simulated {plan.kind}, {plan.effect_percent:+g} %",
        change=Change(kind=plan.kind, mechanism=_declared(plan)),  # type: ignore[arg-type]
        vehicle=known,
        configurations=(
            Configuration(id="A", name="Baseline", baseline=True),
            Configuration(id="B", name="Trial", mass_delta_kg=round(change.mass_kg, 1)),
        ),
        method=plan.method,  # type: ignore[arg-type]
        target_speed_kmh=plan.speed_kmh,
        legs=tuple(sorted(legs, key=lambda leg: order[leg.run])),
        route=road.points,
        events=tuple(events),
    )
    truth = {
        "seed": seed,
        "effect_percent": (trial / base - 1) * 100,
        "baseline_wh_per_km": base,
        "trial_wh_per_km": trial,
        "car_share_of_wind": car_share,
        "scatter": scatter,
        "vehicle": {name: getattr(van, name) for name in van.__dataclass_fields__},
    }
    return SimulatedStudy(study, traces, truth)


def _around(known: Vehicle, van: TrueVehicle, rng: np.random.Generator) -> TrueVehicle:
    """Draw a true vehicle around what its owner knows; what he does not know is the van's."""
    k = known.constants()
    return replace(
        van,
        mass_kg=k.mass_kg + k.mass_sd_kg * float(rng.normal()),
        drag_area_m2=k.drag_area_m2 * math.exp(k.drag_area_sd_m2 / k.drag_area_m2 * float(rng.normal())),
        rolling=k.rolling_coefficient
        * math.exp(k.rolling_coefficient_sd / k.rolling_coefficient * float(rng.normal())),
        regen_share=k.regen_efficiency,
        auxiliary_w=k.auxiliary_w,
    )


def _declared(plan: DayPlan) -> str | tuple[str, ...]:
    if plan.kind == "towing":
        return ("aerodynamic", "rolling")
    return default_mechanism(plan.kind)


def _trace(
    drive: _Drive, road: Road, back: bool, factor: float, rng: np.random.Generator, rate_hz: float
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
        speed_kmh=np.round(np.maximum(speed * 3.6 + rng.normal(0, 0.1, len(fine)), 0), 2),
        power_kw=np.round(power / 1000 + rng.normal(0, 0.05, len(fine)), 3),
        latitude=np.round(np.interp(along, at, [p.latitude or 0.0 for p in road.points]), 6),
        longitude=np.round(np.interp(along, at, [p.longitude or 0.0 for p in road.points]), 6),
        elevation_m=np.round(np.interp(along, at, [p.elevation_m or 0.0 for p in road.points]), 1),
    )

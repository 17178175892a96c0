"""The road-load model of every leg at once: energy, and its derivative by every uncertain quantity.

Legs are flattened into one array of stretches (or samples, for logged legs), so that one pass of array
arithmetic evaluates the whole study. Each uncertain quantity acts on one *slot* of each leg with a weight;
see `Slot` for the slots.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from enum import IntEnum
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.judgement.conditions import Conditions
from fairmargin.core.physics import roadload
from fairmargin.core.physics.route import RouteShape, headings_rad, route_shape, smooth_over_distance
from fairmargin.core.study import Event, Study, Trace, VehicleConstants

Array = NDArray[np.float64]

LOOP_STRETCHES: Final = 36  # a loop of unknown shape is taken as a circle
TRACE_RATE_S: Final = 1.0  # logged legs are thinned to about this step for the model


class Slot(IntEnum):
    """What an uncertain quantity acts on, per leg. Logarithmic unless a unit is given."""

    DRAG = 0
    ROLLING = 1
    MASS = 2
    EFFICIENCY = 3
    AUXILIARY_W = 4
    HEIGHT_FACTOR = 5  # added to the factor
    YAW_SLOPE = 6  # per degree
    TYRE_PER_K = 7  # per kelvin
    DRIVELINE_PER_K = 8  # per kelvin
    WARM_UP = 9  # added share of C_rr when cold
    CLIMATE_W_PER_K = 10
    WIND_NORTH = 11  # m/s at the mast
    WIND_EAST = 12  # m/s at the mast
    TOTAL = 13
    SPEED = 14
    PRESSURE_EXPONENT = 15


@dataclass(frozen=True, eq=False, slots=True)
class Paths:
    """Flattened stretches of n legs: arrays of shape (total,), and where each leg begins."""

    starts: NDArray[np.intp]
    counts: NDArray[np.intp]
    length_m: Array
    speed_m_s: Array
    acceleration: Array
    slope_sin: Array
    slope_cos: Array
    heading_cos: Array
    heading_sin: Array
    heading_known: NDArray[np.bool_]  # per leg
    stops: Array  # per leg, full stops that cost kinetic energy

    def spread(self, per_leg: Array) -> Array:
        """Repeat a per-leg value over its stretches."""
        return np.repeat(per_leg, self.counts)

    def total(self, per_stretch: Array) -> Array:
        """Sum over each leg's stretches."""
        return np.asarray(np.add.reduceat(per_stretch, self.starts))


@dataclass(frozen=True, eq=False, slots=True)
class LegTable:
    """Per-leg conditions as arrays of shape (n,)."""

    temperature_c: Array
    density: Array
    from_north: Array
    from_east: Array
    turbulence: Array
    climate_k: Array
    mass_delta_kg: Array
    pressure_ratio: Array  # tyre pressure over the study's mean
    warm_share: Array
    stopped_s: Array


@dataclass(frozen=True, eq=False, slots=True)
class Energies:
    """Modelled energy per leg [Wh] and its derivative by each slot, shape (n, slots)."""

    wh: Array
    by_slot: Array | None


def study_shape(study: Study) -> RouteShape | None:
    """Shape of the study's route in the out direction, or None when it has fewer than two points."""
    if len(study.route) < 2:
        return None

    def column(name: str) -> Array | None:
        values = np.array([np.nan if getattr(p, name) is None else getattr(p, name) for p in study.route])
        return values if np.isfinite(values).any() else None

    distance = np.array([p.distance_m for p in study.route])
    return route_shape(distance, column("latitude"), column("longitude"), column("elevation_m"))


def default_shape(study: Study, backwards: bool) -> RouteShape:
    """Shape used without a route: a circle for loops, else one straight flat stretch."""
    if study.method in {"loop", "laps"}:
        angle = np.asarray((np.arange(LOOP_STRETCHES) + 0.5) * (2 * np.pi / LOOP_STRETCHES), dtype=np.float64)
        flat = np.zeros(LOOP_STRETCHES)
        return RouteShape(np.full(LOOP_STRETCHES, 1000.0), angle, flat, flat)
    zero = np.zeros(1)
    return RouteShape(np.full(1, 1000.0), np.full(1, math.pi if backwards else 0.0), zero, zero)


def steady_pieces(
    shape: RouteShape | None, study: Study, c: Conditions, speed_m_s: float, events: Sequence[Event]
) -> tuple[Array, ...]:
    """Stretches of a leg at its average moving speed, slower where slow traffic was noted."""
    known = shape is not None
    if shape is None:
        shape = default_shape(study, c.backwards)
    elif c.backwards:
        shape = shape.reversed()
    scale = c.true_m / shape.total_m if c.true_m else 1.0
    length = shape.length_m * scale
    speed = np.full(len(length), speed_m_s)
    middle = np.cumsum(length) - length / 2
    slow = np.zeros(len(length), dtype=bool)
    for event in events:
        if event.kind == "slow-traffic" and event.speed_kmh and event.duration_s and event.at_km is not None:
            v = event.speed_kmh / 3.6
            here = (middle >= event.at_km * 1000.0) & (middle <= event.at_km * 1000.0 + v * event.duration_s)
            slow |= here
            speed[here] = v
    if slow.any() and not slow.all():
        left = length.sum() / speed_m_s - float((length[slow] / speed[slow]).sum())
        if left > 0:
            speed[~slow] = np.clip(length[~slow].sum() / left, 0.7 * speed_m_s, 1.3 * speed_m_s)
    heading = shape.heading_rad
    heading_known = known and bool(np.isfinite(heading).all())
    if not known and study.method in {"loop", "laps"}:
        heading_known = True
    if not np.isfinite(heading).all():
        heading = np.full(len(heading), math.pi if c.backwards else 0.0)
    return (
        length,
        speed,
        np.zeros(len(length)),
        shape.slope_rad,
        heading,
        np.array([heading_known]),
    )


def logged_pieces(shape: RouteShape | None, study: Study, c: Conditions, trace: Trace) -> tuple[Array, ...]:
    """Stretches of a logged leg: its own speed trace, thinned to about one second."""
    t, v = trace.time_s, trace.speed_kmh / 3.6
    edges = np.arange(t[0], t[-1] + TRACE_RATE_S, TRACE_RATE_S)
    if len(t) > len(edges):
        # Distances are kept exactly: interpolate the cumulated distance, not the speed.
        travelled = np.concatenate([[0.0], np.cumsum((v[1:] + v[:-1]) * 0.5 * np.diff(t))])
        edges[-1] = min(edges[-1], t[-1])
        edges = np.unique(edges)
        s = np.interp(edges, t, travelled)
        v_edge = np.interp(edges, t, v)
    else:
        edges, v_edge = t, v
        s = np.concatenate([[0.0], np.cumsum((v[1:] + v[:-1]) * 0.5 * np.diff(t))])
    dt, ds = np.diff(edges), np.diff(s)
    scale = c.true_m / s[-1] if c.true_m and s[-1] > 0 and abs(c.true_m / s[-1] - 1) < 0.1 else 1.0
    ds = ds * scale
    speed = np.maximum(ds / dt, 0.01)
    acceleration = np.diff(v_edge) / dt
    middle = np.cumsum(ds) - ds / 2
    whole = float(ds.sum())
    if shape is not None:
        road = shape.reversed() if c.backwards else shape
        along = np.minimum(middle * (road.total_m / whole), road.total_m - 1e-6)
        index = np.minimum(np.searchsorted(np.cumsum(road.length_m), along), len(road.length_m) - 1)
        slope, heading = road.slope_rad[index], road.heading_rad[index]
    else:
        slope, heading = np.zeros(len(ds)), np.full(len(ds), np.nan)
        if trace.elevation_m is not None and np.isfinite(trace.elevation_m).sum() > 2:
            good = np.isfinite(trace.elevation_m)
            height = np.interp(edges, t[good], trace.elevation_m[good])
            even = np.linspace(0.0, whole, max(2, int(whole / 25.0)))
            travelled = np.concatenate([[0.0], np.cumsum(ds)])
            smooth = smooth_over_distance(np.interp(even, travelled, height), float(even[1]), 120.0)
            slope = np.arctan(np.interp(middle, even, np.gradient(smooth, even)))
        if trace.latitude is not None and trace.longitude is not None:
            lat, lon = np.interp(edges, t, trace.latitude), np.interp(edges, t, trace.longitude)
            moved = np.concatenate([[True], np.diff(lat) ** 2 + np.diff(lon) ** 2 > 0])
            if moved.sum() > 2 and np.isfinite(lat).all() and np.isfinite(lon).all():
                angle = headings_rad(lat[moved], lon[moved])
                heading = angle[np.clip(np.cumsum(moved)[1:] - 2, 0, len(angle) - 1)]
    if not np.isfinite(heading).all() and study.method in {"loop", "laps"}:
        heading = np.asarray(
            2 * np.pi * middle / whole, dtype=np.float64
        )  # a circle, as for legs without a log
    heading_known = bool(np.isfinite(heading).all())
    if not heading_known:
        heading = np.full(len(ds), math.pi if c.backwards else 0.0)
    return ds, speed, acceleration, slope, heading, np.array([heading_known])


def join(pieces: Sequence[tuple[Array, ...]], stops: Sequence[float]) -> Paths:
    """Flatten legs into one set of arrays."""
    counts = np.array([len(p[0]) for p in pieces], dtype=np.intp)
    starts = np.concatenate([[0], np.cumsum(counts)[:-1]]).astype(np.intp)
    length, speed, acceleration, slope, heading = (np.concatenate([p[i] for p in pieces]) for i in range(5))
    return Paths(
        starts=starts,
        counts=counts,
        length_m=length,
        speed_m_s=speed,
        acceleration=acceleration,
        slope_sin=np.sin(slope),
        slope_cos=np.cos(slope),
        heading_cos=np.cos(heading),
        heading_sin=np.sin(heading),
        heading_known=np.array([bool(p[5][0]) for p in pieces]),
        stops=np.array(stops, dtype=float),
    )


def table(
    conditions: Sequence[Conditions], heading_known: NDArray[np.bool_], mean_pressure: float
) -> LegTable:
    """Per-leg arrays; a wind whose angle to the road is not known counts as no wind, and wide."""
    known = [c.wind_known and k for c, k in zip(conditions, heading_known, strict=True)]
    return LegTable(
        temperature_c=np.array([c.temperature_c for c in conditions]),
        density=np.array([c.density_kg_m3 for c in conditions]),
        from_north=np.array([c.from_north if k else 0.0 for c, k in zip(conditions, known, strict=True)]),
        from_east=np.array([c.from_east if k else 0.0 for c, k in zip(conditions, known, strict=True)]),
        turbulence=np.array([c.turbulence_m_s for c in conditions]),
        climate_k=np.array([c.climate_k or 0.0 for c in conditions]),
        mass_delta_kg=np.array([c.mass_delta_kg for c in conditions]),
        pressure_ratio=np.array([(c.tyre_pressure_kpa or mean_pressure) / mean_pressure for c in conditions]),
        warm_share=np.array([c.warm_share for c in conditions]),
        stopped_s=np.array([c.stopped_s for c in conditions]),
    )


@dataclass(frozen=True, eq=False, slots=True)
class RoadModel:
    """Everything fixed about the model of n legs; `energies` evaluates it."""

    constants: VehicleConstants
    height_factor: float
    paths: Paths
    legs: LegTable
    configuration_mass_kg: Array  # declared, per leg

    def replaced(self, **changes: Array) -> RoadModel:
        """Return the model with some per-leg conditions exchanged."""
        return replace(self, legs=replace(self.legs, **changes))

    def energies(self, local: Array, derivatives: bool) -> Energies:
        """Energy of every leg.

        Parameters
        ----------
        local : numpy.ndarray, shape (n, slots)
            Deviation of each slot from its middle value.
        derivatives : bool
            Whether to return the derivatives as well.

        Returns
        -------
        Energies
            Battery (or tank) energy in Wh; derivatives in Wh per unit of the slot.
        """
        k, p, legs = self.constants, self.paths, self.legs
        drag = k.drag_area_m2 * np.exp(local[:, Slot.DRAG])
        crr = k.rolling_coefficient * np.exp(local[:, Slot.ROLLING])
        crr = crr * roadload.tyre_factor(
            legs.temperature_c, roadload.TYRE_TEMPERATURE_PER_K + local[:, Slot.TYRE_PER_K]
        )
        warm = 1.0 + local[:, Slot.WARM_UP] * legs.warm_share
        crr = crr * warm
        log_pressure = np.log(legs.pressure_ratio)
        crr = crr * np.exp((roadload.PRESSURE_EXPONENT + local[:, Slot.PRESSURE_EXPONENT]) * log_pressure)
        mass = (k.mass_kg + self.configuration_mass_kg + legs.mass_delta_kg) * np.exp(local[:, Slot.MASS])
        eta = k.drive_efficiency * np.exp(local[:, Slot.EFFICIENCY])
        height = self.height_factor + local[:, Slot.HEIGHT_FACTOR]
        yaw = roadload.YAW_SLOPE_PER_DEG + local[:, Slot.YAW_SLOPE]

        north, east = legs.from_north + local[:, Slot.WIND_NORTH], legs.from_east + local[:, Slot.WIND_EAST]
        north_s, east_s, height_s = p.spread(north), p.spread(east), p.spread(height)
        head_mast = north_s * p.heading_cos + east_s * p.heading_sin
        cross_mast = east_s * p.heading_cos - north_s * p.heading_sin
        speed = p.speed_m_s * p.spread(np.exp(local[:, Slot.SPEED]))
        aero = roadload.aero_term(
            speed,
            height_s * head_mast,
            height_s * cross_mast,
            p.spread(0.9 * legs.turbulence),
            p.spread(legs.density),
            p.spread(yaw),
        )
        drag_s, mass_s = p.spread(drag), p.spread(mass)
        f_aero = drag_s * aero.value
        f_roll = mass_s * p.spread(crr) * (roadload.GRAVITY_M_S2 * p.slope_cos)
        f_rest = mass_s * (
            roadload.GRAVITY_M_S2 * p.slope_sin + (1 + roadload.ROTATING_MASS_SHARE) * p.acceleration
        )
        force = f_aero + f_roll + f_rest
        driving = force > 0
        weight = np.where(driving, p.spread(1.0 / eta), k.regen_efficiency) * p.length_m / 3600.0

        wh_aero, wh_roll = p.total(weight * f_aero), p.total(weight * f_roll)
        wh_rest = p.total(weight * f_rest)
        # Full stops on legs without a trace: the kinetic energy that braking does not give back.
        mean_speed = p.total(p.length_m) / p.total(p.length_m / speed)
        wh_rest = wh_rest + p.stops * 0.5 * mass * mean_speed**2 * (1 / eta - k.regen_efficiency) / 3600.0
        moving_h = p.total(p.length_m / speed) / 3600.0
        hours = moving_h + legs.stopped_s / 3600.0
        climate = roadload.CLIMATE_W_PER_K + local[:, Slot.CLIMATE_W_PER_K]
        watts = k.auxiliary_w + local[:, Slot.AUXILIARY_W] + climate * legs.climate_k
        colder = 15.0 - legs.temperature_c
        factor = np.exp(
            local[:, Slot.TOTAL]
            + (roadload.DRIVELINE_TEMPERATURE_PER_K + local[:, Slot.DRIVELINE_PER_K]) * colder
        )
        wh = (wh_aero + wh_roll + wh_rest + watts * hours) * factor
        if not derivatives:
            return Energies(wh, None)

        by = np.empty((len(wh), len(Slot)))
        drag_weight = weight * drag_s
        by[:, Slot.DRAG] = wh_aero
        by[:, Slot.ROLLING] = wh_roll
        by[:, Slot.MASS] = wh_roll + wh_rest
        by[:, Slot.EFFICIENCY] = -p.total(np.where(driving, weight * force, 0.0))
        by[:, Slot.AUXILIARY_W] = hours
        by_head, by_cross = drag_weight * aero.by_head, drag_weight * aero.by_cross
        by[:, Slot.HEIGHT_FACTOR] = p.total(by_head * head_mast + by_cross * cross_mast)
        by[:, Slot.YAW_SLOPE] = p.total(drag_weight * aero.by_yaw_slope)
        by[:, Slot.TYRE_PER_K] = -wh_roll * (legs.temperature_c - roadload.TYRE_REFERENCE_C)
        by[:, Slot.DRIVELINE_PER_K] = wh / factor * colder
        by[:, Slot.WARM_UP] = wh_roll * legs.warm_share / warm
        by[:, Slot.CLIMATE_W_PER_K] = hours * legs.climate_k
        by[:, Slot.WIND_NORTH] = p.total(height_s * (by_head * p.heading_cos - by_cross * p.heading_sin))
        by[:, Slot.WIND_EAST] = p.total(height_s * (by_head * p.heading_sin + by_cross * p.heading_cos))
        by[:, Slot.TOTAL] = wh / factor
        by[:, Slot.SPEED] = p.total(by_head * speed) - watts * moving_h
        by[:, Slot.PRESSURE_EXPONENT] = wh_roll * log_pressure
        by *= factor[:, None]
        return Energies(wh, by)


def leg_pieces(
    study: Study,
    shape: RouteShape | None,
    conditions: Sequence[Conditions],
    traces: Mapping[str, Trace],
    use_traces: bool,
) -> tuple[list[tuple[Array, ...]], list[float]]:
    """Stretches and stop counts of the legs as they were driven."""
    events: dict[str, list[Event]] = {}
    for event in study.events:
        events.setdefault(event.leg, []).append(event)
    pieces, stops = [], []
    for c in conditions:
        trace = traces.get(c.leg) if use_traces else None
        own = events.get(c.leg, [])
        if trace is not None:
            pieces.append(logged_pieces(shape, study, c, trace))
            stops.append(0.0)
        else:
            pieces.append(steady_pieces(shape, study, c, c.speed_m_s, own))
            noted = sum(e.kind == "stop" for e in own)
            stops.append(float(noted) if noted else float(c.stopped_s > 5.0))
    return pieces, stops

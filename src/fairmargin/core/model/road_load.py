"""The road-load model of every leg at once: energy, and its derivative by every uncertain quantity.

Legs are flattened into one array of stretches (or samples, for logged legs), so that one pass of array
arithmetic evaluates the whole study. Each uncertain quantity acts on one *slot* of each leg with a weight;
see `Slot` for the slots.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from enum import IntEnum
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.evidence.conditions import Conditions
from fairmargin.core.evidence.logs import STANDING_M_S, GatedLog
from fairmargin.core.laws import aero, auxiliaries, disturbance, driveline, rolling, wind
from fairmargin.core.laws.route import RouteShape, binned
from fairmargin.core.study import Event, Study, VehicleConstants

Array = NDArray[np.float64]

LOOP_STRETCHES: Final = 36  # a loop of unknown shape is taken as a circle


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


def default_shape(study: Study, backwards: bool) -> RouteShape:
    """Shape used without a route: a circle for loops, else one straight flat stretch."""
    if study.method in {"loop", "laps"}:
        angle = np.asarray((np.arange(LOOP_STRETCHES) + 0.5) * (2 * np.pi / LOOP_STRETCHES), dtype=np.float64)
        flat = np.zeros(LOOP_STRETCHES)
        return RouteShape(np.full(LOOP_STRETCHES, 1000.0), angle, flat, flat)
    zero = np.zeros(1)
    return RouteShape(np.full(1, 1000.0), np.full(1, math.pi if backwards else 0.0), zero, zero)


#: Length [m], speed [m/s], acceleration [m/s²], slope [rad], heading [rad], and whether the heading is known.
Pieces = tuple[Array, Array, Array, Array, Array, bool]


class Road:
    """A study's road as steady legs feel it: both ways, stretches of nearly the same heading together."""

    def __init__(self, shape: RouteShape | None, study: Study) -> None:
        """Lay out the road; without a shape a loop is a circle and anything else one straight flat stretch."""
        self.shape = shape
        self._study = study
        self._binned: dict[bool, tuple[Array, Array, Array]] = {}

    def way(self, backwards: bool) -> RouteShape:
        """Return the road in one direction."""
        if self.shape is None:
            return default_shape(self._study, backwards)
        return self.shape.reversed() if backwards else self.shape

    def heading_known(self) -> bool:
        """Whether the road's headings are known (a circle's are)."""
        if self.shape is None:
            return self._study.method in {"loop", "laps"}
        return bool(np.isfinite(self.shape.heading_rad).all())

    def steady(self, backwards: bool, true_m: float, speed_m_s: float, events: Sequence[Event]) -> Pieces:
        """Stretches of a leg at its average moving speed, slower where slow traffic was noted."""
        whole = self.way(backwards)
        scale = true_m / whole.total_m if true_m else 1.0
        slow_events = [
            e
            for e in events
            if e.kind == "slow-traffic" and e.speed_kmh and e.duration_s and e.at_km is not None
        ]
        if not slow_events:
            if backwards not in self._binned:
                self._binned[backwards] = binned(whole.length_m, whole.slope_rad, whole.heading_rad)[:3]
            length, slope, heading = self._binned[backwards]
            length = length * scale
            speed = np.full(len(length), speed_m_s)
        else:
            length = whole.length_m * scale
            speed = np.full(len(length), speed_m_s)
            middle = np.cumsum(length) - length / 2
            slow = np.zeros(len(length))
            for number, event in enumerate(slow_events, start=1):
                v = float(event.speed_kmh or 0.0) / 3.6
                begin = 1000.0 * float(event.at_km or 0.0)
                here = (middle >= begin) & (middle <= begin + v * float(event.duration_s or 0.0))
                slow[here] = number
                speed[here] = v
            held_up = slow > 0
            if held_up.any() and not held_up.all():
                left = length.sum() / speed_m_s - float((length[held_up] / speed[held_up]).sum())
                if left > 0:
                    free = length[~held_up].sum() / left
                    speed[~held_up] = np.clip(free, 0.7 * speed_m_s, 1.3 * speed_m_s)
            length, slope, heading, first = binned(length, whole.slope_rad, whole.heading_rad, slow)
            speed = speed[first]
        known = self.heading_known()
        if not np.isfinite(heading).all():
            heading = np.full(len(heading), math.pi if backwards else 0.0)
        return length, speed, np.zeros(len(length)), slope, heading, known

    def logged(self, log: GatedLog, backwards: bool, segments: int) -> LoggedRows:
        """Cut a logged leg into `segments` rows between its gates, each through its own speeds.

        Raises
        ------
        ValueError
            If the log holds no driving between its gates.
        """
        thinned = log.thinned
        edges = log.edges_m(segments)
        t_edges = np.interp(edges, log.place_m, thinned.time_s)
        inner = thinned.time_s[(thinned.time_s > t_edges[0]) & (thinned.time_s < t_edges[-1])]
        t = np.unique(np.concatenate([t_edges, inner]))
        travelled = np.interp(t, thinned.time_s, thinned.travelled_m) * log.scale
        speed_edge = np.interp(t, thinned.time_s, thinned.speed_m_s) * log.scale
        place = np.interp(t, thinned.time_s, log.place_m)
        dt, ds = np.diff(t), np.diff(travelled)
        if not len(dt) or ds.sum() <= 0:
            raise ValueError("a log holds no driving")
        speed = ds / dt
        standing = speed < STANDING_M_S
        acceleration = np.where(standing, 0.0, np.diff(speed_edge) / dt)
        middle = (place[1:] + place[:-1]) / 2
        row = np.clip(np.searchsorted(t_edges, (t[1:] + t[:-1]) / 2) - 1, 0, segments - 1)
        heading_known = True
        if self.shape is not None:
            way = self.way(backwards)
            ends = np.cumsum(way.length_m)
            index = np.minimum(np.searchsorted(ends, middle), len(ends) - 1)
            slope, heading = way.slope_rad[index], way.heading_rad[index]
            heading_known = bool(np.isfinite(way.heading_rad).all())
        else:
            slope, heading = np.zeros(len(ds)), np.full(len(ds), np.nan)
            heading_known = False
        if not heading_known and self._study.method in {"loop", "laps"}:
            heading = np.asarray(2 * np.pi * middle / max(float(place[-1]), 1.0))  # a circle
            heading_known = True
        if not heading_known:
            heading = np.full(len(ds), math.pi if backwards else 0.0)
        starts = np.searchsorted(row, np.arange(segments))
        ends_at = np.append(starts[1:], len(row))
        seconds = np.diff(t_edges)
        pieces: list[Pieces] = []
        stopped = np.empty(segments)
        for k, (i, j) in enumerate(zip(starts, ends_at, strict=True)):
            moving = ~standing[i:j]
            if not moving.any():
                moving[:] = True  # stood for the whole segment: keep its few metres
            pieces.append(
                (
                    ds[i:j][moving],
                    np.maximum(speed[i:j][moving], 0.05),
                    acceleration[i:j][moving],
                    slope[i:j][moving],
                    heading[i:j][moving],
                    heading_known,
                )
            )
            stopped[k] = max(0.0, seconds[k] - float(dt[i:j][moving].sum()))
        energy = None
        if thinned.energy_wh is not None:
            energy = np.diff(np.interp(t_edges, thinned.time_s, thinned.energy_wh))
        gaps = np.diff(np.interp(t_edges, thinned.time_s, thinned.gap_s)) / np.maximum(seconds, 1e-9)
        return LoggedRows(pieces, stopped, t_edges - thinned.time_s[0], energy, gaps)


@dataclass(frozen=True, eq=False, slots=True)
class LoggedRows:
    """A logged leg cut into segments: per segment its pieces, standing time, energy and share of gaps."""

    pieces: list[Pieces]
    stopped_s: Array
    edges_s: Array  # since the log's first sample, shape (segments + 1,)
    energy_wh: Array | None
    gap_share: Array


def join(pieces: Sequence[Pieces], stops: Sequence[float]) -> Paths:
    """Flatten legs into one set of arrays."""
    counts = np.array([len(p[0]) for p in pieces], dtype=np.intp)
    starts = np.concatenate([[0], np.cumsum(counts)[:-1]]).astype(np.intp)
    length, speed, acceleration, slope, heading = (
        np.concatenate([np.asarray(p[i], dtype=float) for p in pieces]) for i in range(5)
    )
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
        heading_known=np.array([p[5] for p in pieces], dtype=bool),
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

    def by_leg(self, row_leg: NDArray[np.intp]) -> RoadModel:
        """Return the same model with the rows of each leg taken together (rows of a leg lie side by side)."""
        first = np.flatnonzero(np.diff(row_leg, prepend=-1))
        paths = replace(
            self.paths,
            starts=self.paths.starts[first],
            counts=np.add.reduceat(self.paths.counts, first),
            heading_known=self.paths.heading_known[first],
            stops=np.add.reduceat(self.paths.stops, first),
        )
        weight = self.paths.total(self.paths.length_m)
        whole = np.add.reduceat(weight, first)
        legs = replace(
            self.legs,
            **{
                name: np.add.reduceat(getattr(self.legs, name) * weight, first) / whole
                for name in LegTable.__dataclass_fields__
                if name != "stopped_s"
            },
            stopped_s=np.add.reduceat(self.legs.stopped_s, first),
        )
        return replace(self, paths=paths, legs=legs, configuration_mass_kg=self.configuration_mass_kg[first])

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
        warmth = rolling.temperature_factor(
            legs.temperature_c, rolling.TEMPERATURE_PER_K + local[:, Slot.TYRE_PER_K]
        )
        warm_up = rolling.warm_up_factor(legs.warm_share, local[:, Slot.WARM_UP])
        pressure = rolling.pressure_factor(
            legs.pressure_ratio, rolling.PRESSURE_EXPONENT + local[:, Slot.PRESSURE_EXPONENT]
        )
        crr = k.rolling_coefficient * np.exp(local[:, Slot.ROLLING])
        crr = crr * warmth.value * warm_up.value * pressure.value
        mass = (k.mass_kg + self.configuration_mass_kg + legs.mass_delta_kg) * np.exp(local[:, Slot.MASS])
        eta = k.drive_efficiency * np.exp(local[:, Slot.EFFICIENCY])
        height = self.height_factor + local[:, Slot.HEIGHT_FACTOR]
        yaw = aero.YAW_SLOPE_PER_DEG + local[:, Slot.YAW_SLOPE]

        north, east = legs.from_north + local[:, Slot.WIND_NORTH], legs.from_east + local[:, Slot.WIND_EAST]
        height_s = p.spread(height)
        head_mast, cross_mast = wind.resolved(p.spread(north), p.spread(east), p.heading_cos, p.heading_sin)
        speed = p.speed_m_s * p.spread(np.exp(local[:, Slot.SPEED]))
        air = aero.aero_term(
            speed,
            height_s * head_mast,
            height_s * cross_mast,
            p.spread(wind.CAR_TURBULENCE_SHARE * legs.turbulence),
            p.spread(legs.density),
            p.spread(yaw),
        )
        drag_s, mass_s = p.spread(drag), p.spread(mass)
        f_aero = drag_s * air.value
        f_roll = rolling.force_n(mass_s, p.spread(crr), p.slope_cos)
        f_rest = disturbance.climb_n(mass_s, p.slope_sin) + disturbance.inertia_n(mass_s, p.acceleration)
        force = f_aero + f_roll + f_rest
        driving = force > 0
        weight = np.where(driving, p.spread(1.0 / eta), k.regen_efficiency) * p.length_m / 3600.0

        wh_aero, wh_roll = p.total(weight * f_aero), p.total(weight * f_roll)
        wh_rest = p.total(weight * f_rest)
        # Full stops on legs without a trace: the kinetic energy that braking does not give back.
        mean_speed = p.total(p.length_m) / p.total(p.length_m / speed)
        regained = p.stops * disturbance.regained_wh(mass, mean_speed, 0.0, eta, k.regen_efficiency)
        wh_rest = wh_rest + regained
        moving_h = p.total(p.length_m / speed) / 3600.0
        hours = moving_h + legs.stopped_s / 3600.0
        climate = auxiliaries.CLIMATE_W_PER_K + local[:, Slot.CLIMATE_W_PER_K]
        watts = auxiliaries.power_w(k.auxiliary_w + local[:, Slot.AUXILIARY_W], climate, legs.climate_k)
        cold = driveline.temperature_factor(
            legs.temperature_c, driveline.TEMPERATURE_PER_K + local[:, Slot.DRIVELINE_PER_K]
        )
        factor = np.exp(local[:, Slot.TOTAL]) * cold.value
        wh = (wh_aero + wh_roll + wh_rest + watts * hours) * factor
        if not derivatives:
            return Energies(wh, None)

        by = np.empty((len(wh), len(Slot)))
        drag_weight = weight * drag_s
        by[:, Slot.DRAG] = wh_aero
        by[:, Slot.ROLLING] = wh_roll
        by[:, Slot.MASS] = wh_roll + wh_rest
        by_stops = -p.stops * disturbance.regained_wh(mass, mean_speed, 0.0, eta, 0.0)
        by[:, Slot.EFFICIENCY] = -p.total(np.where(driving, weight * force, 0.0)) + by_stops
        by[:, Slot.AUXILIARY_W] = hours
        by_head, by_cross = drag_weight * air.by_head, drag_weight * air.by_cross
        by[:, Slot.HEIGHT_FACTOR] = p.total(by_head * head_mast + by_cross * cross_mast)
        by[:, Slot.YAW_SLOPE] = p.total(drag_weight * air.by_yaw_slope)
        by[:, Slot.TYRE_PER_K] = wh_roll * warmth.log_by_coefficient
        by[:, Slot.DRIVELINE_PER_K] = wh / factor * cold.log_by_coefficient
        by[:, Slot.WARM_UP] = wh_roll * warm_up.log_by_coefficient
        by[:, Slot.CLIMATE_W_PER_K] = hours * legs.climate_k
        by[:, Slot.WIND_NORTH] = p.total(height_s * (by_head * p.heading_cos - by_cross * p.heading_sin))
        by[:, Slot.WIND_EAST] = p.total(height_s * (by_head * p.heading_sin + by_cross * p.heading_cos))
        by[:, Slot.TOTAL] = wh / factor
        by[:, Slot.SPEED] = p.total(by_head * speed) + 2.0 * regained - watts * moving_h
        by[:, Slot.PRESSURE_EXPONENT] = wh_roll * pressure.log_by_coefficient
        by *= factor[:, None]
        return Energies(wh, by)

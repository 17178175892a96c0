"""One log thinned to a second, without losing distance or energy: everything cumulated from its first sample."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final
from weakref import WeakKeyDictionary

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.study import Trace

Array = NDArray[np.float64]

THIN_S: Final = 1.0
STANDING_M_S: Final = 0.3
GAP_S: Final = 10.0  # a pause in the log longer than this is a gap
STEADY_BAND: Final = 0.10  # within this share of the median speed counts as held
STEADY_SHARE: Final = 0.6  # of the time, for a leg to count as driven at a steady speed
RAMP_SHARE: Final = 0.93  # of the held speed: below it, at either end, is a ramp
RAMP_MOST: Final = 0.2  # of the leg's length that a ramp may take


@dataclass(frozen=True, eq=False, slots=True)
class Thinned:
    """One log at about one second, everything cumulated from its first sample; arrays of shape (n,)."""

    time_s: Array
    travelled_m: Array
    speed_m_s: Array
    energy_wh: Array | None
    gap_s: Array  # cumulated time without samples
    latitude: Array | None
    longitude: Array | None
    elevation_m: Array | None
    steady: bool
    ramps: tuple[int, int]  # indices: first and last point at the held speed
    held_m_s: float

    @property
    def total_m(self) -> float:
        """Distance by the log's own speed. [m]"""
        return float(self.travelled_m[-1])


_thinned: WeakKeyDictionary[Trace, Thinned] = WeakKeyDictionary()


def _filled(values: Array, time: Array) -> Array | None:
    good = np.isfinite(values)
    if good.all():
        return values
    if good.sum() < 2:
        return None
    return np.interp(time, time[good], values[good])


def cumulated(values: Array, time: Array) -> Array:
    """Cumulated trapezoidal integral over time, starting at zero; samples that are NaN are bridged."""
    good = np.isfinite(values)
    t, v = (time, values) if good.all() else (time[good], values[good])
    sums = np.empty(len(t))
    sums[0] = 0.0
    np.cumsum((v[1:] + v[:-1]) * (0.5 * np.diff(t)), out=sums[1:])
    return sums if good.all() else np.interp(time, t, sums)


def thin(trace: Trace) -> Thinned:
    """Thin a log to about a second without losing distance or energy (kept for as long as the trace lives)."""
    known = _thinned.get(trace)
    if known is None:
        known = _thinned[trace] = _thin(trace)
    return known


def _thin(trace: Trace) -> Thinned:
    t = trace.time_s
    speed = trace.speed_kmh / 3.6
    if not np.isfinite(speed).all():
        good = np.isfinite(speed)
        speed = np.interp(t, t[good], speed[good]) if good.any() else np.zeros(len(t))
    travelled = cumulated(speed, t)
    power = trace.power_kw
    known = power is not None and np.isfinite(power).sum() >= 2
    energy = cumulated(power, t) / 3.6 if known and power is not None else None
    gap = _gaps(t, np.isfinite(power) if known and power is not None else np.ones(len(t), dtype=bool))
    lat = None if trace.latitude is None else _filled(trace.latitude, t)
    lon = None if trace.longitude is None else _filled(trace.longitude, t)
    height = None if trace.elevation_m is None else _filled(trace.elevation_m, t)
    if len(t) > 1.3 * (t[-1] - t[0]) / THIN_S:
        edges = np.append(np.arange(t[0], t[-1] - 0.3 * THIN_S, THIN_S), t[-1])
        v = np.diff(np.interp(edges, t, travelled)) / np.diff(edges)
        # Speed at an edge from the distance around it: the log's own noise averages out.
        v_edge = np.concatenate([[speed[0]], 0.5 * (v[1:] + v[:-1]), [speed[-1]]])
        # One search serves every column.
        right = np.clip(np.searchsorted(t, edges, side="left"), 1, len(t) - 1)
        share = (edges - t[right - 1]) / (t[right] - t[right - 1])

        def pick(values: Array) -> Array:
            return np.asarray(values[right - 1] + share * (values[right] - values[right - 1]))

    else:
        edges, v_edge = t, speed

        def pick(values: Array) -> Array:
            return values

    steady, ramps, held = _ramps(edges, v_edge, pick(travelled))
    return Thinned(
        time_s=edges,
        travelled_m=pick(travelled),
        speed_m_s=v_edge,
        energy_wh=None if energy is None else pick(energy),
        gap_s=pick(gap),
        latitude=None if lat is None or lon is None else pick(lat),
        longitude=None if lat is None or lon is None else pick(lon),
        elevation_m=None if height is None else pick(height),
        steady=steady,
        ramps=ramps,
        held_m_s=held,
    )


def _gaps(t: Array, covered: NDArray[np.bool_]) -> Array:
    """Cumulated time without samples; before the first and after the last covered one too."""
    steps = np.diff(t)
    longest = max(GAP_S, 3.0 * float(np.median(steps)))  # a slow logger's own rate is no gap
    if steps.max() <= longest and covered.all():
        return np.zeros(len(t))
    tc = t[covered]
    inner = np.diff(tc)
    lost = np.concatenate([[0.0], np.cumsum(np.where(inner > longest, inner, 0.0))])
    if covered.all():
        return lost
    return np.asarray(np.interp(t, tc, lost) + np.minimum(t, tc[0]) - t[0] + np.maximum(t - tc[-1], 0.0))


def _ramps(time: Array, speed: Array, travelled: Array) -> tuple[bool, tuple[int, int], float]:
    """Whether the speed was held, where its ramps end and begin, and the speed held. [m/s]"""
    dt = np.gradient(time)
    order = np.argsort(speed)
    held = float(speed[order][np.searchsorted(np.cumsum(dt[order]), 0.5 * dt.sum())])
    last = len(time) - 1
    near = np.abs(speed - held) <= STEADY_BAND * held
    steady = held > 2.0 and float(dt[near].sum()) >= STEADY_SHARE * float(dt.sum())
    if not steady:
        return False, (0, last), held
    up = np.flatnonzero(speed >= RAMP_SHARE * held)
    first, final = int(up[0]), int(up[-1])
    whole = travelled[-1]
    if travelled[first] > RAMP_MOST * whole:
        first = 0
    if travelled[final] < (1 - RAMP_MOST) * whole:
        final = last
    return True, (first, final), held

"""Which way round a log counts power: what driving means decides it, not what a header promises."""

from __future__ import annotations

import math
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.study import Trace

Array = NDArray[np.float64]

MOVING_M_S: Final = 3.0
STRONG_M_S2: Final = 0.2  # of speeding up or braking; gentler ones are the road's doing as much as the driver's
FEWEST_S: Final = 12.0  # of each, below which they decide nothing
SURE: Final = 3.0  # deviations between power when speeding up and when slowing down
FEWEST: Final = 20  # samples, below which nothing is decided
LEAST_CHARGE: Final = 2.0  # per cent of the battery, beyond a gauge's lag
LEVEL_M: Final = 15.0  # heights by GPS are off by about that
BACK_SHARE: Final = 0.05  # of the farthest it went: so near its beginning a drive has come back
GRID_S: Final = 1.0
SMOOTH_S: Final = 3.0


def power_sign(trace: Trace) -> int:
    """Whether power is positive when drawn (+1), when given (−1), or nothing tells (0).

    Whatever the road, speeding up briskly takes power, and slowing down does not. A charge that fell, or an end that is no
    lower than the beginning, was paid for by the battery: what the drive gave on the whole is then counted the other way
    round. Where none of these is known, a drive takes power on the whole, unless it rolls downhill: then nothing tells.

    Parameters
    ----------
    trace : Trace
        With power; whatever of charge, height and place it has is used.

    Returns
    -------
    int

    Examples
    --------
    Speeding up and slowing down by half a metre a second squared, 1500 kg:

    >>> t = np.arange(0.0, 120.0)
    >>> v = 15.0 + 5.0 * np.sin(t / 10.0)
    >>> power = (300.0 * v + 1500.0 * v * np.gradient(v, t)) / 1000.0
    >>> [power_sign(Trace(time_s=t, speed_kmh=3.6 * v, power_kw=p)) for p in (power, -power)]
    [1, -1]
    """
    if trace.power_kw is None:
        return 0
    time_s, speed_kmh, power_kw = trace.time_s, trace.speed_kmh, trace.power_kw
    good = np.isfinite(time_s) & np.isfinite(speed_kmh) & np.isfinite(power_kw)
    if good.sum() < FEWEST:
        return 0
    t, v, p = time_s[good], speed_kmh[good] / 3.6, power_kw[good]
    at = np.arange(t[0], t[-1], max(GRID_S, float(t[-1] - t[0]) / 50_000.0))
    if len(at) < FEWEST:
        return 0
    step = float(at[1] - at[0])
    speed, power = (_smooth(np.interp(at, t, x), max(round(SMOOTH_S / step), 1)) for x in (v, p))
    gain = np.gradient(speed, step)
    moving = speed > MOVING_M_S
    if moving.sum() < FEWEST:
        return 0
    on_the_whole = float(np.mean(power[moving]))
    faster, slower = power[moving & (gain > STRONG_M_S2)], power[moving & (gain < -STRONG_M_S2)]
    if min(len(faster), len(slower)) * step >= FEWEST_S:
        # Samples within some seconds say the same.
        sd = math.sqrt((float(np.var(faster)) / len(faster) + float(np.var(slower)) / len(slower)) * SMOOTH_S / step)
        apart = float(np.mean(faster) - np.mean(slower))
        if apart > SURE * sd:
            return 1
        if apart < -SURE * sd and on_the_whole < 0:
            return -1
    if on_the_whole > 0:
        return 1
    return -1 if on_the_whole < 0 and _paid_for(trace) else 0


def _paid_for(trace: Trace) -> bool:
    """Whether the battery must have paid for a drive: its charge fell, or the drive ended no lower than it began."""
    if trace.soc_percent is not None:
        known = trace.soc_percent[np.isfinite(trace.soc_percent)]
        if len(known) > 1 and abs(float(known[0] - known[-1])) >= LEAST_CHARGE:
            return float(known[0] - known[-1]) > 0
    if trace.elevation_m is not None:
        heights = trace.elevation_m[np.isfinite(trace.elevation_m)]
        if len(heights) > 1:
            return float(heights[0] - heights[-1]) < LEVEL_M
    if trace.latitude is not None and trace.longitude is not None:
        there = np.isfinite(trace.latitude) & np.isfinite(trace.longitude)
        if there.sum() > 1:
            lat, lon = trace.latitude[there], trace.longitude[there]
            north = 111_250.0 * (lat - lat[0])
            east = 111_320.0 * math.cos(math.radians(float(lat[0]))) * (lon - lon[0])
            away = np.hypot(north, east)
            return float(away[-1]) < BACK_SHARE * float(away.max())
    return False


def _smooth(values: Array, width: int) -> Array:
    """A running mean."""
    padded = np.concatenate([np.repeat(values[0], width // 2), values, np.repeat(values[-1], width - 1 - width // 2)])
    return np.asarray(np.convolve(padded, np.full(width, 1.0 / width), mode="valid"))

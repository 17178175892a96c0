"""Coasting runs in logs: recognised by a speed that only falls, slowly, while nothing drives and nothing brakes."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Final
from weakref import WeakKeyDictionary

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.evidence.thinning import thin
from fairmargin.core.laws.coasting import BAND_M_S
from fairmargin.core.study import Study, Trace

Array = NDArray[np.float64]

SMOOTH_S: Final = 3.0  # over which a logged speed is smoothed before its slope is looked at
MOST_M_S2: Final = 0.7  # a vehicle that loses speed faster brakes
LEAST_M_S2: Final = 0.02  # and one that loses it slower is driven, or rolls downhill
LEAST_FALL_M_S: Final = 3.0 * BAND_M_S  # of speed, or there is nothing to fit
MOST_W: Final = 2500.0  # mean power, either way, that auxiliaries explain
MOST_OF_IT: Final = 0.6  # of a leg's time, that coasting takes of a leg of coasting
SLACK_M_S: Final = 0.6  # by which noise may lift a falling speed


@dataclass(frozen=True, eq=False, slots=True)
class Coast:
    """One coasting run of a log: samples of speed that fall."""

    time_s: Array
    speed_m_s: Array

    @property
    def fastest_m_s(self) -> float:
        """Speed at its begin."""
        return float(self.speed_m_s[0])

    @property
    def slowest_m_s(self) -> float:
        """Speed at its end."""
        return float(self.speed_m_s[-1])

    @property
    def metres(self) -> float:
        """Distance coasted."""
        return float(np.trapezoid(self.speed_m_s, self.time_s))


def coasts_in(trace: Trace) -> list[tuple[float, float]]:
    """Stretches of a log that were coasted, in seconds of the log, each from its begin to its end."""
    thinned = thin(trace)
    if len(thinned.time_s) < 10:
        return []
    t, v = thinned.time_s, _smoothed(thinned.time_s, thinned.speed_m_s)
    found = []
    for a, b in _falling(v):
        fell, lasted = float(v[a] - v[b]), float(t[b] - t[a])
        if fell < LEAST_FALL_M_S or not LEAST_M_S2 <= fell / lasted <= MOST_M_S2:
            continue
        if _power_w(trace, float(t[a]), float(t[b])) > MOST_W:
            continue
        found.append((float(t[a]), float(t[b])))
    return found


_known: WeakKeyDictionary[Trace, Coast | None] = WeakKeyDictionary()


def coast_of(trace: Trace) -> Coast | None:
    """The coasting run that a leg's log is; None where the leg was driven (kept for as long as the trace lives)."""
    if trace not in _known:
        _known[trace] = _coast_of(trace)
    return _known[trace]


def _coast_of(trace: Trace) -> Coast | None:
    found = coasts_in(trace)
    if not found:
        return None
    a, b = max(found, key=lambda piece: piece[1] - piece[0])
    if b - a < MOST_OF_IT * float(trace.time_s[-1] - trace.time_s[0]):
        return None
    good = np.isfinite(trace.speed_kmh)
    t, v = trace.time_s[good], trace.speed_kmh[good] / 3.6
    inside = (t >= a) & (t <= b)
    return Coast(t[inside] - a, _smoothed(t, v)[inside])


def coasting_legs(study: Study, traces: Mapping[str, Trace]) -> dict[str, Coast]:
    """Legs whose log is a coasting run, by name; a leg with a reading of its energy was driven."""
    if study.method in {"everyday", "climb"} or study.change.is_technique:
        return {}
    found = {}
    for leg in study.legs:
        read = (leg.average_shown, leg.energy_kwh, leg.soc_end_percent, leg.charger_kwh, leg.fuel_l)
        trace = traces.get(leg.leg) if all(x is None for x in read) else None
        coast = None if trace is None else coast_of(trace)
        if coast is not None:
            found[leg.leg] = coast
    return found


def _smoothed(t: Array, v: Array) -> Array:
    """Mean over a few seconds around each sample; the ends over what there is."""
    sums = np.concatenate([[0.0], np.cumsum((v[1:] + v[:-1]) / 2 * np.diff(t))])
    low, high = np.maximum(t - SMOOTH_S / 2, t[0]), np.minimum(t + SMOOTH_S / 2, t[-1])
    return np.asarray((np.interp(high, t, sums) - np.interp(low, t, sums)) / np.maximum(high - low, 1e-9))


def _falling(v: Array) -> Iterator[tuple[int, int]]:
    """Stretches whose speed falls but for noise: from a peak to the least that follows before it rises again."""
    start = lowest = 0
    for i in range(1, len(v)):
        if v[i] > v[lowest] + SLACK_M_S:
            if lowest > start:
                yield start, lowest
            start = lowest = i
        elif v[i] < v[lowest]:
            lowest = i
        elif v[i] >= v[start]:
            start = lowest = i
    if lowest > start:
        yield start, lowest


def _power_w(trace: Trace, a: float, b: float) -> float:
    """Largest of the mean power, either way, over thirds of a stretch; 0 where none was logged. [W]"""
    if trace.power_kw is None:
        return 0.0
    inside = (trace.time_s >= a) & (trace.time_s <= b) & np.isfinite(trace.power_kw)
    power = 1000.0 * trace.power_kw[inside]
    if len(power) < 3:
        return 0.0
    return float(max(abs(np.mean(part)) for part in np.array_split(power, 3)))

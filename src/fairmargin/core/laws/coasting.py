"""Coasting: the road load from how long a vehicle takes to lose its speed.

References
----------
.. [1] UN GTR No. 15 (worldwide harmonized light vehicles test procedure), Annex 4, 4.3.1: times over bands of speed, opposite
   runs averaged harmonically, statistical precision, quadratic in speed (from memory).
.. [2] SAE J1263 and J2263: coast-down in both directions, wind and air taken out (from memory).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import ArrayLike, NDArray

from fairmargin.core.figures import Size

Array = NDArray[np.float64]

ROTATING_MASS: Final = Size(
    0.03, "of the mass", "what wheels and driveline turn, as mass that has to be slowed as well"
)
BAND_M_S: Final = 10.0 / 3.6  # bands of speed
#: Student's t for 95 %, two-sided, by degrees of freedom, from the published tables.
STUDENT_95: Final = (12.706, 4.303, 3.182, 2.776, 2.571, 2.447, 2.365, 2.306, 2.262, 2.228)
PRECISION: Final = 0.03  # of the mean time, that the pairs of a band are to reach [1]


@dataclass(frozen=True, slots=True)
class RoadLoad:
    """Force against speed, f0 + f1 v + f2 v²; SI."""

    f0_n: float
    f1_n_s_m: float
    f2_n_s2_m2: float

    def force_n(self, speed_m_s: ArrayLike) -> Array:
        """Road load at speeds. [N]"""
        v = np.asarray(speed_m_s, dtype=float)
        return np.asarray(self.f0_n + self.f1_n_s_m * v + self.f2_n_s2_m2 * v**2)


def band_edges(fastest_m_s: float, slowest_m_s: float) -> Array:
    """Edges of whole bands between two speeds, falling, at multiples of 10 km/h; empty where none fits. [m/s]

    Examples
    --------
    >>> (band_edges(96 / 3.6, 47 / 3.6) * 3.6).round(1).tolist()
    [90.0, 80.0, 70.0, 60.0, 50.0]
    """
    top, bottom = math.floor(fastest_m_s / BAND_M_S + 1e-9), math.ceil(slowest_m_s / BAND_M_S - 1e-9)
    steps = np.arange(top, bottom - 1, -1) if top > bottom else np.empty(0)
    return np.asarray(steps * BAND_M_S, dtype=float)


def band_times_s(time_s: Array, speed_m_s: Array, edges_m_s: Array) -> Array:
    """How long a coasting vehicle takes through each band; NaN where it did not pass both edges. [s]

    Parameters
    ----------
    time_s, speed_m_s : numpy.ndarray, shape (n,)
        Speed falling but for noise.
    edges_m_s : numpy.ndarray, shape (k,)
        Falling.

    Returns
    -------
    numpy.ndarray, shape (k − 1,)
    """
    falling = np.minimum.accumulate(speed_m_s)
    at = np.interp(-edges_m_s, -falling, time_s, left=np.nan, right=np.nan)
    return np.diff(at)


def force_by_bands_n(mass_kg: float, edges_m_s: Array, times_s: Array) -> Array:
    """Mean road load in each band: mass with what turns, times the loss of speed over its time [1]_. [N]"""
    return np.asarray(mass_kg * (1.0 + ROTATING_MASS) * -np.diff(edges_m_s) / times_s)


def opposite_mean_s(out_s: Array, back_s: Array) -> Array:
    """Mean of a pair of opposite runs: harmonic, for it is forces that are averaged [1]_. [s]"""
    return np.asarray(2.0 / (1.0 / np.asarray(out_s) + 1.0 / np.asarray(back_s)))


def precision(pairs_s: ArrayLike) -> float:
    """Statistical precision of a band's time over its pairs: t σ / (√n · mean) [1]_; infinite for a single one.

    Examples
    --------
    >>> round(precision([10.0, 10.2, 9.8]), 4)
    0.0497
    """
    x = np.asarray(pairs_s, dtype=float)
    n = len(x)
    if n < 2:
        return math.inf
    t = STUDENT_95[min(n - 1, len(STUDENT_95)) - 1]
    return float(t * np.std(x, ddof=1) / math.sqrt(n) / np.mean(x))


def quadratic(speeds_m_s: Sequence[float] | Array, forces_n: Sequence[float] | Array) -> RoadLoad | None:
    """Least squares of f0 + f1 v + f2 v²; None with fewer than three bands."""
    v, force = np.asarray(speeds_m_s, dtype=float), np.asarray(forces_n, dtype=float)
    if len(v) < 3:
        return None
    f2, f1, f0 = np.polyfit(v, force, 2).tolist()
    return RoadLoad(f0, f1, f2)

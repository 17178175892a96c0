"""Auxiliaries: the cabin's climate, the sun on it, and energy drawn over time."""

from __future__ import annotations

import math
from typing import Final

import numpy as np
from numpy.typing import ArrayLike, NDArray

Array = NDArray[np.float64]

CLIMATE_W_PER_K: Final = 55.0  # electrical, per kelvin between cabin setting and outside, ± half; common practice
SUN_W: Final = 120.0  # what full sun adds to the cabin's load, electrical; common practice
SUN_UP_H: Final = 6.0  # sunrise and length of an even day
SUN_HOURS: Final = 12.0


def climate_k(setting_c: float, outside_c: float) -> float:
    """Kelvin that heating or cooling has to hold between cabin and outside. [K]

    Parameters
    ----------
    setting_c : float
        Temperature the cabin is held at. [°C]
    outside_c : float
        Of the outside air. [°C]
    """
    return abs(setting_c - outside_c)


def power_w(base_w: ArrayLike, climate_w_per_k: ArrayLike, climate_difference_k: ArrayLike) -> Array:
    """Electrical power of auxiliaries and climate; its derivative by `climate_w_per_k` is the difference. [W]

    Parameters
    ----------
    base_w : array_like
        Power of everything but climate. [W]
    climate_w_per_k : array_like
        Climate load per kelvin. [W/K]
    climate_difference_k : array_like
        Between cabin and outside; 0 with climate off. [K]
    """
    return np.asarray(base_w + np.asarray(climate_w_per_k) * np.asarray(climate_difference_k), dtype=float)


def energy_wh(watts: float, seconds: float) -> float:
    """Energy of a power over a time. [Wh]

    Parameters
    ----------
    watts : float
        Power. [W]
    seconds : float
        Time. [s]
    """
    return watts * seconds / 3600.0


def sun_height(second_of_day: float) -> float:
    """Sine of the sun's way over an even day from 6 to 18 o'clock, 0 at night, 1 at noon (common practice).

    Parameters
    ----------
    second_of_day : float
        Since midnight, local. [s]
    """
    hour = second_of_day / 3600.0
    return max(0.0, math.sin(math.pi * (hour - SUN_UP_H) / SUN_HOURS))

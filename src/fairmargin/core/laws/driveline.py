"""Battery and driveline: what cold costs on the way from battery to wheel."""

from __future__ import annotations

from typing import Final

import numpy as np
from numpy.typing import ArrayLike

from fairmargin.core.laws.factor import Factor

TEMPERATURE_PER_K: Final = 0.0007  # of total consumption per kelvin of outside air, ± the same; common practice
REFERENCE_C: Final = 15.0
BATTERY_PER_K: Final = -0.001  # of consumption per kelvin of the battery itself; common practice


def temperature_factor(temperature_c: ArrayLike, per_k: ArrayLike = TEMPERATURE_PER_K) -> Factor:
    """Consumption at an air temperature relative to 15 °C, exp(k (15 − T)); derivative by k (common practice).

    Parameters
    ----------
    temperature_c : array_like
        Of the outside air. [°C]
    per_k : array_like, optional
        Change of the logarithm per kelvin. [1/K]

    Examples
    --------
    >>> round(float(temperature_factor(-5.0).value), 4)
    1.0141
    """
    colder = REFERENCE_C - np.asarray(temperature_c, dtype=float)
    return Factor(np.asarray(np.exp(np.asarray(per_k) * colder)), colder)


def battery_share(warmer_k: float) -> float:
    """Share of consumption that a battery warmer by so many kelvin changes; warmer uses less (common practice).

    Parameters
    ----------
    warmer_k : float
        By how much. [K]
    """
    return BATTERY_PER_K * warmer_k

"""Charging: power that falls as the battery fills, and the time that charging takes.

A battery takes its peak power up to a level, from there linearly less, down to a share of the peak when full; the charger
gives no more than its own power. Time from a to b is the integral of capacity over power: straight pieces where the power
is constant, logarithms where it falls.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import ArrayLike, NDArray

Array = NDArray[np.float64]

FULL_SHARE: Final = 0.2  # of its peak power that a nearly full battery takes; common practice
TAPER_FROM: Final = 0.5  # level from which most batteries take less; common practice
PEAK_C_RATE: Final = 1.8  # peak charging power over capacity, where nobody told it; common practice [1/h]


@dataclass(frozen=True, slots=True)
class Taper:
    """What a battery takes: `peak_kw` up to a level (share of full), then linearly less, to a share of the peak when full."""

    peak_kw: float
    from_level: float = TAPER_FROM
    full_share: float = FULL_SHARE

    def power_kw(self, level: ArrayLike) -> Array:
        """Power taken at a level of charge, charger permitting. [kW]

        Parameters
        ----------
        level : array_like
            State of charge. [0 to 1]

        Examples
        --------
        >>> [float(x) for x in Taper(150.0).power_kw([0.1, 0.5, 0.75, 1.0])]
        [150.0, 150.0, 90.0, 30.0]
        """
        over = np.clip(np.asarray(level, dtype=float) - self.from_level, 0.0, None)
        slope = self.peak_kw * (1.0 - self.full_share) / (1.0 - self.from_level)
        return np.asarray(self.peak_kw - slope * over)


def taper_of(capacity_kwh: float, peak_kw: float | None, from_level: float = TAPER_FROM) -> Taper:
    """What a battery takes: as told, else as usual for its size."""
    return Taper(float(peak_kw) if peak_kw else PEAK_C_RATE * capacity_kwh, from_level)


def hours_to_level(level: ArrayLike, capacity_kwh: float, taper: Taper, charger_kw: float) -> Array:
    """Hours of charging from empty to a level (share of full); a difference of two is the time between them.

    Parameters
    ----------
    level : array_like
        0 to 1.
    capacity_kwh : float
    taper : Taper
    charger_kw : float
        What arrives in the battery at the most.

    Raises
    ------
    ValueError
        If the charger or the battery gives or takes no power.

    Examples
    --------
    60 kWh at a steady 50 kW, which the battery takes to 92 %: 10 to 80 % is 42 kWh, 0.84 h.

    >>> t = hours_to_level([0.1, 0.8], 60.0, Taper(150.0), 50.0)
    >>> round(float(t[1] - t[0]), 4)
    0.84
    """
    if charger_kw <= 0 or taper.peak_kw <= 0:
        raise ValueError(f"expected powers above 0; got {charger_kw:g} and {taper.peak_kw:g} kW")
    x = np.asarray(level, dtype=float)
    top = min(charger_kw, taper.peak_kw)
    slope = taper.peak_kw * (1.0 - taper.full_share) / (1.0 - taper.from_level)
    # From here on the battery takes less than the charger gives.
    knee = min(1.0, taper.from_level + (taper.peak_kw - top) / slope) if slope > 0 else 1.0
    steady = np.minimum(x, knee) / top
    falling = np.log(top / np.maximum(top - slope * np.clip(x - knee, 0.0, None), 1e-9)) / slope if slope > 0 else 0.0
    return np.asarray(capacity_kwh * (steady + falling))

"""What disturbs a leg: stops and slow traffic, the wake of a vehicle ahead, water on the road."""

from __future__ import annotations

from typing import Final

import numpy as np
from numpy.typing import ArrayLike, NDArray

from fairmargin.core.laws.rolling import GRAVITY_M_S2

Array = NDArray[np.float64]

ROTATING_MASS_SHARE: Final = 0.04  # of the mass, for wheels and motor; common practice
WAKE_SHARE: Final = (
    0.15  # of the drag that driving close behind another vehicle saves (10 to 20 %); common practice
)
RAIN_SHARE: Final = 0.10  # of consumption that heavy rain costs; common practice
#: Share of consumption that a road costs over a dry one. Common practice.
ROAD_SHARE: Final = {"damp": 0.03, "wet": RAIN_SHARE, "snow": 0.15}


def regained_wh(
    mass_kg: ArrayLike,
    speed_m_s: ArrayLike,
    slowest_m_s: ArrayLike,
    drive_efficiency: ArrayLike,
    regen_efficiency: ArrayLike,
) -> Array:
    """Energy lost by slowing down and regaining the speed: what the motor gives less what braking gave back. [Wh]

    ½ m (1 + 4 %) (v² − v_low²) (1/η − r), with the rotating parts in the mass.

    Examples
    --------
    A van of 2.1 t from 80 km/h to a stand and up again:

    >>> round(float(regained_wh(2100.0, 80 / 3.6, 0.0, 0.9, 0.6)), 1)
    76.6
    """
    v2 = np.asarray(speed_m_s, dtype=float) ** 2 - np.asarray(slowest_m_s, dtype=float) ** 2
    kinetic = 0.5 * np.asarray(mass_kg) * (1 + ROTATING_MASS_SHARE) * v2 / 3600.0
    return np.asarray(
        np.maximum(kinetic, 0.0) * (1.0 / np.asarray(drive_efficiency) - np.asarray(regen_efficiency))
    )


def road_share(road: str) -> float:
    """Share of consumption that the state of a road costs over a dry one; 0 for a dry or unknown one."""
    return ROAD_SHARE.get(road, 0.0)


def climb_n(mass_kg: ArrayLike, slope_sin: ArrayLike) -> Array:
    """Force that a slope asks of a vehicle, m g sin θ. [N]"""
    return np.asarray(np.asarray(mass_kg) * (GRAVITY_M_S2 * np.asarray(slope_sin)))


def inertia_n(mass_kg: ArrayLike, acceleration_m_s2: ArrayLike) -> Array:
    """Force that accelerates a vehicle with its rotating parts. [N]"""
    return np.asarray((1 + ROTATING_MASS_SHARE) * np.asarray(mass_kg) * np.asarray(acceleration_m_s2))

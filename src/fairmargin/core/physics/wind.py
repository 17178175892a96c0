"""Wind: from the mast to the car, and resolved along and across the road."""

from __future__ import annotations

import math
from typing import Final

import numpy as np
from numpy.typing import ArrayLike, NDArray

Array = NDArray[np.float64]

CAR_HEIGHT_M: Final = 1.0
#: Effective roughness lengths. Common practice; "open" gives 0.67 from a 10 m mast, hedges shelter more.
ROUGHNESS_M: Final = {"open": 0.0094, "hedges": 0.05, "forest": 0.16, "built-up": 0.12}
#: How far a single road may stray from its terrain's factor (standard deviation). Common practice.
HEIGHT_FACTOR_SD: Final = 0.08


def height_factor(measured_at_m: float, terrain: str = "open", car_height_m: float = CAR_HEIGHT_M) -> float:
    """Share of the mast's wind speed that blows at the car: logarithmic profile ln(z/z0)/ln(z_mast/z0).

    Raises
    ------
    ValueError
        If the mast is not above the roughness length.
    """
    z0 = ROUGHNESS_M[terrain]
    if measured_at_m <= 2 * z0:
        raise ValueError(
            f"measured_at_m must be above {2 * z0:g} m over {terrain} terrain; got {measured_at_m:g}"
        )
    return math.log(car_height_m / z0) / math.log(measured_at_m / z0)


def from_vector(speed_m_s: ArrayLike, from_deg: ArrayLike) -> tuple[Array, Array]:
    """North and east components of the direction the wind comes *from*, times its speed. [m/s]"""
    speed, angle = np.asarray(speed_m_s, dtype=float), np.radians(np.asarray(from_deg, dtype=float))
    return speed * np.cos(angle), speed * np.sin(angle)


def along_and_across(
    from_north: ArrayLike, from_east: ArrayLike, heading_rad: ArrayLike
) -> tuple[Array, Array]:
    """Head wind (positive against the car) and cross wind (positive from the right). [m/s]"""
    north, east = np.asarray(from_north, dtype=float), np.asarray(from_east, dtype=float)
    cos, sin = np.cos(heading_rad), np.sin(heading_rad)
    return north * cos + east * sin, -north * sin + east * cos

"""Wind: from the mast to the car, and resolved along and across the road.

References
----------
.. [1] J. Wieringa, "Updating the Davenport roughness classification", J. Wind Eng. Ind. Aerodyn. 41 (1992) 357; the table
   stands in WMO-No. 8, ch. 5, annex, too (both from memory).
"""

from __future__ import annotations

import math
from typing import Final

import numpy as np
from numpy.typing import ArrayLike, NDArray

Array = NDArray[np.float64]

CAR_HEIGHT_M: Final = 1.2
#: Roughness lengths by the classes of Davenport [1]_: open grass 0.03; scattered hedges between 0.1 (roughly open) and 0.25
#: (rough); woods and houses with the road's clearing between them: very rough. [m]
ROUGHNESS_M: Final = {"open": 0.03, "hedges": 0.15, "forest": 0.5, "built-up": 0.5}
#: How far a single road may stray from its terrain's factor (standard deviation of the logarithm): its class's own width
#: (0.1), still or turbulent air (0.14), banks and cuttings (0.1); common practice.
HEIGHT_FACTOR_SD: Final = 0.2
#: Standard deviation of the gusts at the mast: a share of the mean wind, at least so much. Common practice.
TURBULENCE_SHARE: Final = 0.18
CALM_TURBULENCE_M_S: Final = 0.3
GUST_DEVIATES: Final = 3.0  # a reported gust is about so many standard deviations above the mean; common practice
CAR_TURBULENCE_SHARE: Final = 0.9  # of the mast's turbulence that is left at the car; common practice


def height_factor(measured_at_m: float, terrain: str = "open", car_height_m: float = CAR_HEIGHT_M) -> float:
    """Share of the mast's wind speed that blows at the car: logarithmic profile ln(z/z0)/ln(z_mast/z0), z0 as in [1]_.

    Parameters
    ----------
    measured_at_m : float
        Height of the mast. [m]
    terrain : str, optional
        A key of `ROUGHNESS_M`.
    car_height_m : float, optional
        Height at which the wind meets the car. [m]

    Raises
    ------
    ValueError
        If the mast is not above the roughness length.
    """
    z0 = ROUGHNESS_M[terrain]
    if measured_at_m <= 2 * z0:
        raise ValueError(f"measured_at_m must be above {2 * z0:g} m over {terrain} terrain; got {measured_at_m:g}")
    return math.log(car_height_m / z0) / math.log(measured_at_m / z0)


def turbulence_m_s(speed_m_s: ArrayLike, gust_m_s: float | None = None) -> Array:
    """Standard deviation of the gusts at the mast, from the mean wind and, where reported, the gusts. [m/s]

    Parameters
    ----------
    speed_m_s : array_like
        Mean wind at the mast. [m/s]
    gust_m_s : float, optional
        Strongest gust at the mast; None where none was reported. [m/s]

    Examples
    --------
    >>> [round(float(x), 6) for x in (turbulence_m_s(5.0), turbulence_m_s(5.0, 11.0), turbulence_m_s(0.0))]
    [0.9, 2.0, 0.3]
    """
    speed = np.asarray(speed_m_s, dtype=float)
    usual = np.maximum(CALM_TURBULENCE_M_S, TURBULENCE_SHARE * speed)
    return np.asarray(usual if gust_m_s is None else np.maximum(usual, (gust_m_s - speed) / GUST_DEVIATES))


def from_vector(speed_m_s: ArrayLike, from_deg: ArrayLike) -> tuple[Array, Array]:
    """North and east components of the direction the wind comes *from*, times its speed. [m/s]

    Parameters
    ----------
    speed_m_s : array_like
        Of the wind. [m/s]
    from_deg : array_like
        Direction it comes from, true. [°]
    """
    speed, angle = np.asarray(speed_m_s, dtype=float), np.radians(np.asarray(from_deg, dtype=float))
    return speed * np.cos(angle), speed * np.sin(angle)


def along_and_across(from_north: ArrayLike, from_east: ArrayLike, heading_rad: ArrayLike) -> tuple[Array, Array]:
    """Head wind (positive against the car) and cross wind (positive from the right). [m/s]

    Parameters
    ----------
    from_north : array_like
        Component of the wind from the north. [m/s]
    from_east : array_like
        Component of the wind from the east. [m/s]
    heading_rad : array_like
        Of the road, from north over east. [rad]

    Examples
    --------
    Driving north-east in a wind of 5 m/s from the east:

    >>> head, cross = along_and_across(0.0, 5.0, np.pi / 4)
    >>> round(float(head), 3), round(float(cross), 3)
    (3.536, 3.536)
    """
    return resolved(from_north, from_east, np.cos(heading_rad), np.sin(heading_rad))


def resolved(
    from_north: ArrayLike, from_east: ArrayLike, heading_cos: ArrayLike, heading_sin: ArrayLike
) -> tuple[Array, Array]:
    """The same as `along_and_across`, where sines and cosines of the headings are at hand. [m/s]

    Parameters
    ----------
    from_north : array_like
        Component of the wind from the north. [m/s]
    from_east : array_like
        Component of the wind from the east. [m/s]
    heading_cos : array_like
        Cosine of the heading.
    heading_sin : array_like
        Sine of the heading.
    """
    north, east = np.asarray(from_north, dtype=float), np.asarray(from_east, dtype=float)
    cos, sin = np.asarray(heading_cos, dtype=float), np.asarray(heading_sin, dtype=float)
    return north * cos + east * sin, east * cos - north * sin

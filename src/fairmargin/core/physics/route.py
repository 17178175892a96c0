"""The shape of a route: equal stretches with heading and slope.

References
----------
.. [1] Radii of curvature of the WGS 84 ellipsoid (meridian M and prime vertical N), standard geodesy, from
   memory; the tests compare headings with geographiclib.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import ArrayLike, NDArray

Array = NDArray[np.float64]

STRETCH_M: Final = 100.0
HEIGHT_SMOOTHING_M: Final = 120.0  # GPS heights are noisy: smooth before differentiating
_A: Final = 6_378_137.0
_E2: Final = 6.694379990141e-3


@dataclass(frozen=True, eq=False, slots=True)
class RouteShape:
    """A route cut into n stretches, in the out direction.

    Arrays have shape (n,): length [m], heading [rad clockwise from north; NaN = not known], slope angle
    [rad], mean elevation [m].
    """

    length_m: Array
    heading_rad: Array
    slope_rad: Array
    elevation_m: Array

    @property
    def total_m(self) -> float:
        """Length of the whole route. [m]"""
        return float(self.length_m.sum())

    def reversed(self) -> RouteShape:
        """Return the same road driven the other way."""
        return RouteShape(
            self.length_m[::-1],
            np.mod(self.heading_rad[::-1] + np.pi, 2 * np.pi),
            -self.slope_rad[::-1],
            self.elevation_m[::-1],
        )


def headings_rad(latitude_deg: ArrayLike, longitude_deg: ArrayLike) -> Array:
    """Heading from each point to the next, shape (n-1,), from local radii of curvature [1]_. [rad]

    Good to better than 0.01° for points up to a kilometre apart away from the poles.
    """
    lat, lon = (
        np.radians(np.asarray(latitude_deg, dtype=float)),
        np.radians(np.asarray(longitude_deg, dtype=float)),
    )
    middle = (lat[1:] + lat[:-1]) / 2
    w = 1 - _E2 * np.sin(middle) ** 2
    north = _A * (1 - _E2) / w**1.5 * np.diff(lat)
    east = _A / np.sqrt(w) * np.cos(middle) * (np.mod(np.diff(lon) + np.pi, 2 * np.pi) - np.pi)
    return np.asarray(np.mod(np.arctan2(east, north), 2 * np.pi))


def smooth_over_distance(values: Array, step_m: float, width_m: float) -> Array:
    """Gaussian smoothing along the distance; ends are mirrored through the end value so slopes survive."""
    sigma = width_m / 2.0 / step_m
    reach = min(int(np.ceil(3 * sigma)), len(values) - 1)
    if reach < 1:
        return values
    kernel = np.exp(-0.5 * (np.arange(-reach, reach + 1) / sigma) ** 2)
    kernel /= kernel.sum()
    left = 2 * values[0] - values[reach:0:-1]
    right = 2 * values[-1] - values[-2 : -reach - 2 : -1]
    return np.convolve(np.concatenate([left, values, right]), kernel, mode="valid")


def route_shape(
    distance_m: ArrayLike,
    latitude_deg: ArrayLike | None,
    longitude_deg: ArrayLike | None,
    elevation_m: ArrayLike | None,
    stretch_m: float = STRETCH_M,
) -> RouteShape:
    """Cut a route of points into equal stretches of about `stretch_m`.

    Parameters
    ----------
    distance_m : array_like, shape (m,)
        Distance along the route, increasing. [m]
    latitude_deg, longitude_deg, elevation_m : array_like of shape (m,), or None
        Missing values (NaN) are bridged; all missing: heading NaN, flat road.
    stretch_m : float
        Wanted length of a stretch. [m]

    Raises
    ------
    ValueError
        If there are fewer than two points or the distance does not increase.
    """
    s = np.asarray(distance_m, dtype=float)
    if s.size < 2 or np.any(np.diff(s) <= 0):
        raise ValueError("distance_m must hold at least 2 increasing distances")
    n = max(1, round((s[-1] - s[0]) / stretch_m))
    edges = np.linspace(s[0], s[-1], n + 1)
    length = np.diff(edges)

    def bridged(values: ArrayLike | None) -> Array | None:
        if values is None:
            return None
        array = np.asarray(values, dtype=float)
        good = np.isfinite(array)
        if not good.any():
            return None
        return np.asarray(np.interp(edges, s[good], array[good]), dtype=np.float64)

    lat, lon = bridged(latitude_deg), bridged(longitude_deg)
    heading = headings_rad(lat, lon) if lat is not None and lon is not None else np.full(n, np.nan)
    height = bridged(elevation_m)
    if height is None:
        return RouteShape(length, heading, np.zeros(n), np.zeros(n))
    height = smooth_over_distance(height, float(length[0]), HEIGHT_SMOOTHING_M)
    slope = np.arcsin(np.clip(np.diff(height) / length, -0.4, 0.4))
    return RouteShape(length, heading, slope, (height[1:] + height[:-1]) / 2)

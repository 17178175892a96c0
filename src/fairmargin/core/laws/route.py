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

STRETCH_M: Final = 50.0
HEADING_BIN_RAD: Final = np.pi / 36  # stretches within 5° and 0.2 % of slope are taken together
SLOPE_BIN: Final = 0.002
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


def grouped_stretches(
    length_m: Array, slope_rad: Array, heading_rad: Array, separate: Array | None = None
) -> tuple[Array, Array, Array, NDArray[np.intp]]:
    """Take stretches of nearly the same heading and slope together; order along the road is lost.

    Lengths add, slopes and headings are length-weighted means within their bin, so height and direction are
    kept and what is lost in the square of the air speed is below 0.01 %.

    Parameters
    ----------
    length_m, slope_rad, heading_rad : numpy.ndarray, shape (n,)
    separate : numpy.ndarray of int, shape (n,), optional
        Stretches of different numbers are never taken together.

    Returns
    -------
    length_m, slope_rad, heading_rad, first : numpy.ndarray
        `first` is the index of one member of each bin.
    """
    turn = np.where(np.isfinite(heading_rad), np.mod(heading_rad, 2 * np.pi), 0.0)
    steps = np.floor(turn / HEADING_BIN_RAD)
    key = steps * 1000 + np.round(slope_rad / SLOPE_BIN)
    if separate is not None:
        key = key + 1e6 * separate
    _, first, which = np.unique(key, return_index=True, return_inverse=True)
    total = np.bincount(which, length_m)
    slope = np.bincount(which, length_m * slope_rad) / total
    heading = np.bincount(which, length_m * turn) / total
    if not np.isfinite(heading_rad).all():
        heading = np.full(len(total), np.nan)
    return np.asarray(total, dtype=float), slope, heading, first


def headings_rad(latitude_deg: ArrayLike, longitude_deg: ArrayLike) -> Array:
    """Heading from each point to the next, shape (n-1,), from local radii of curvature [1]_. [rad]

    Good to better than 0.01° for points up to a kilometre apart away from the poles.

    Parameters
    ----------
    latitude_deg : array_like
        Of the points, shape (n,). [°]
    longitude_deg : array_like
        Of the points, shape (n,). [°]
    """
    lat, lon = (np.radians(np.asarray(latitude_deg, dtype=float)), np.radians(np.asarray(longitude_deg, dtype=float)))
    middle = (lat[1:] + lat[:-1]) / 2
    w = 1 - _E2 * np.sin(middle) ** 2
    north = _A * (1 - _E2) / w**1.5 * np.diff(lat)
    east = _A / np.sqrt(w) * np.cos(middle) * (np.mod(np.diff(lon) + np.pi, 2 * np.pi) - np.pi)
    return np.asarray(np.mod(np.arctan2(east, north), 2 * np.pi))


def smooth_over_distance(values: Array, step_m: float, width_m: float) -> Array:
    """Gaussian smoothing along the distance; ends are mirrored through the end value so slopes survive.

    Parameters
    ----------
    values : numpy.ndarray
        At points of equal distance, shape (n,).
    step_m : float
        Distance between points. [m]
    width_m : float
        Standard deviation of the smoothing. [m]
    """
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


@dataclass(frozen=True, eq=False, slots=True)
class Line:
    """A road as a line of points: distance [m] (from 0), position [degrees], local plane [m]; shape (n,)."""

    distance_m: Array
    latitude: Array
    longitude: Array
    north_m: Array
    east_m: Array

    @property
    def length_m(self) -> float:
        """Length along the road. [m]"""
        return float(self.distance_m[-1])

    def plane(self, latitude: ArrayLike, longitude: ArrayLike) -> tuple[Array, Array]:
        """Positions in the local plane of the line's middle point. [m]

        Parameters
        ----------
        latitude : array_like
            [°]
        longitude : array_like
            [°]
        """
        return _plane(latitude, longitude, float(np.mean(self.latitude)), float(self.longitude[0]))

    def project(self, latitude: ArrayLike, longitude: ArrayLike, guess_m: ArrayLike) -> tuple[Array, Array]:
        """Nearest place along the road and distance from it, for m positions. [m]

        Parameters
        ----------
        latitude, longitude : array_like, shape (m,)
        guess_m : array_like, shape (m,)
            About where along the road each position lies; settles which of two near places is meant (where
            a loop closes, or a road comes back beside itself).
        """
        y, x = self.plane(latitude, longitude)
        ay, ax = self.north_m[:-1], self.east_m[:-1]
        dy, dx = np.diff(self.north_m), np.diff(self.east_m)
        square = np.maximum(dy * dy + dx * dx, 1e-9)
        py, px = y[:, None] - ay, x[:, None] - ax
        share = np.clip((py * dy + px * dx) / square, 0.0, 1.0)
        away = (py - share * dy) ** 2 + (px - share * dx) ** 2
        place = self.distance_m[:-1] + share * np.diff(self.distance_m)
        best = np.argmin(away + (0.02 * (place - np.asarray(guess_m, dtype=float)[:, None])) ** 2, axis=1)
        rows = np.arange(len(best))
        return place[rows, best], np.sqrt(away[rows, best])


def _plane(latitude: ArrayLike, longitude: ArrayLike, lat0: float, lon0: float) -> tuple[Array, Array]:
    lat, lon = np.asarray(latitude, dtype=float), np.asarray(longitude, dtype=float)
    w = 1 - _E2 * np.sin(np.radians(lat0)) ** 2
    north = _A * (1 - _E2) / w**1.5 * np.radians(lat - lat0)
    turn = np.mod(lon - lon0 + 180.0, 360.0) - 180.0
    return north, _A / np.sqrt(w) * np.cos(np.radians(lat0)) * np.radians(turn)


def line_of(distance_m: Array, latitude: Array, longitude: Array, spacing_m: float = 50.0) -> Line:
    """Make a line of points about `spacing_m` apart (local radii of curvature [1]_).

    Parameters
    ----------
    distance_m : numpy.ndarray
        Along the road, rising, shape (n,). [m]
    latitude : numpy.ndarray
        [°]
    longitude : numpy.ndarray
        [°]
    spacing_m : float, optional
        Wanted distance between points. [m]
    """
    at = np.linspace(0.0, distance_m[-1] - distance_m[0], max(2, int((distance_m[-1] - distance_m[0]) / spacing_m) + 1))
    lat = np.interp(at, distance_m - distance_m[0], latitude)
    lon = np.interp(at, distance_m - distance_m[0], longitude)
    north, east = _plane(lat, lon, float(np.mean(lat)), float(lon[0]))
    return Line(at, lat, lon, north, east)

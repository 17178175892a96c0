"""The road of a virtual day: cells of equal length with height, heading and shelter."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.study import RoutePoint

Array = NDArray[np.float64]


@dataclass(frozen=True, eq=False, slots=True)
class TrueRoad:
    """A road as the van feels it: every 10 m."""

    step_m: float
    height_m: Array
    heading: Array  # rad, of each step
    points: tuple[RoutePoint, ...]
    shelter: Array  # share of the wind that gets to the road, per step
    car_share: float | None = None  # of the mast's wind at the car's height; each day's own where absent

    @property
    def length_m(self) -> float:
        """Length. [m]"""
        return self.step_m * len(self.heading)


def straight_road(rng: np.random.Generator, length_m: float, loop: bool = False) -> TrueRoad:
    """Make a gently winding road over fen country (or a closed town round)."""
    step = 10.0
    n = int(length_m / step)
    s = np.arange(n) * step
    if loop:
        heading = 2 * math.pi * s / length_m + 0.35 * np.sin(2 * math.pi * s / length_m * 3)
        heading += rng.uniform(0, 2 * math.pi)
    else:
        heading = np.full(n, rng.uniform(0, 2 * math.pi))
        for _ in range(5):
            wave = rng.uniform(2000, 9000)
            heading = heading + rng.uniform(0.05, 0.22) * np.sin(2 * math.pi * s / wave + rng.uniform(0, 6.28))
    height = np.zeros(n + 1)
    s1 = np.arange(n + 1) * step
    for _ in range(6):
        wave = rng.uniform(900, 8000)
        height += rng.uniform(0.5, 4.0) * np.sin(2 * math.pi * s1 / wave + rng.uniform(0, 6.28))
    if loop:
        height -= (height[-1] - height[0]) * s1 / s1[-1]
    else:
        height += rng.uniform(-12, 12) * s1 / s1[-1]
    height += 8.0 - height.min()
    shelter = np.clip(1 - 0.25 * (np.sin(2 * math.pi * s / 5200 + rng.uniform(0, 6.28)) > 0.75), 0.6, 1.0)
    lat0, lon0 = 52.6, 0.12
    north = np.concatenate([[0], np.cumsum(np.cos(heading)) * step])
    east = np.concatenate([[0], np.cumsum(np.sin(heading)) * step])
    lat = lat0 + north / 111_250.0
    lon = lon0 + east / (111_320.0 * math.cos(math.radians(lat0)))
    every = 10
    noisy = height[::every] + rng.normal(0, 0.8, len(height[::every]))
    points = tuple(
        RoutePoint(
            distance_m=round(float(s1[i * every]), 1),
            latitude=round(float(lat[i * every]), 6),
            longitude=round(float(lon[i * every]), 6),
            elevation_m=round(float(noisy[i]), 1),
        )
        for i in range(len(noisy))
    )
    return TrueRoad(step, height, np.mod(heading, 2 * math.pi), points, shelter)


def parts_of(road: TrueRoad, sectors: Sequence[str]) -> dict[str, TrueRoad]:
    """The road of every sector: as its points mark them, else equal parts.

    Parameters
    ----------
    road : TrueRoad
    sectors : sequence of str
        In the order of the road; one alone is all of it.
    """
    if len(sectors) == 1:
        return {sectors[0]: road}
    n = len(road.heading)
    begins = [next((p.distance_m for p in road.points if p.sector == name), None) for name in sectors]
    at = [round((b if b is not None else 0.0) / road.step_m) for b in begins]
    edges = [0, *at[1:], n]
    if None in begins or any(b - a < 1 for a, b in pairwise(edges)):
        edges = [n * k // len(sectors) for k in range(len(sectors) + 1)]
    found = {}
    for name, (i, j) in zip(sectors, pairwise(edges), strict=True):
        first, last = i * road.step_m, j * road.step_m
        own = tuple(p.with_(distance_m=p.distance_m - first) for p in road.points if first <= p.distance_m <= last)
        found[name] = replace(
            road, height_m=road.height_m[i : j + 1], heading=road.heading[i:j], points=own, shelter=road.shelter[i:j]
        )
    return found


def road_of(points: Sequence[RoutePoint]) -> TrueRoad:
    """Lay a given route out as the van feels it.

    Raises
    ------
    ValueError
        If it has fewer than two points with a position, or is shorter than a kilometre.
    """
    placed = [p for p in points if p.latitude is not None and p.longitude is not None]
    if len(placed) < 2 or placed[-1].distance_m - placed[0].distance_m < 1000.0:
        raise ValueError("the route needs positions over at least a kilometre")
    step = 10.0
    at = np.array([p.distance_m for p in placed])
    at = at - at[0]
    s = np.arange(0.0, at[-1] - step / 2, step)
    lat = np.array([p.latitude for p in placed], dtype=float)
    lon = np.array([p.longitude for p in placed], dtype=float)
    edges = np.append(s, s[-1] + step)
    north = np.diff(np.interp(edges, at, lat)) * 111_250.0
    east = np.diff(np.interp(edges, at, lon)) * 111_320.0 * math.cos(math.radians(float(lat.mean())))
    height = np.interp(edges, at, np.array([p.elevation_m or 0.0 for p in placed]))
    kernel = np.full(31, 1 / 31)  # given heights are noisy
    padded = np.pad(height, 15, mode="edge")
    height = np.convolve(padded, kernel, mode="valid")
    moved = tuple(p.with_(distance_m=p.distance_m - placed[0].distance_m) for p in placed)
    return TrueRoad(step, height, np.mod(np.arctan2(east, north), 2 * math.pi), moved, np.ones(len(s)))

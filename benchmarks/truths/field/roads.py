"""Roads of field days: cells of 20 m with height, heading, shelter, and where a town stops the car."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.study import RoutePoint

Array = NDArray[np.float64]
CELL_M: Final = 20.0


@dataclass(frozen=True, eq=False, slots=True)
class FieldRoad:
    """A road in its *out* direction."""

    height_m: Array  # (n + 1,)
    heading: Array  # (n,)
    shelter: Array  # (n,) share of the open wind
    stops_m: tuple[float, ...]
    limit_m_s: Array  # (n,) speed beyond which nobody drives here

    @property
    def length_m(self) -> float:
        """Length. [m]"""
        return CELL_M * len(self.heading)

    def turned(self) -> FieldRoad:
        """The same road driven back."""
        return FieldRoad(
            self.height_m[::-1],
            np.mod(self.heading[::-1] + math.pi, 2 * math.pi),
            self.shelter[::-1],
            tuple(self.length_m - s for s in self.stops_m[::-1]),
            self.limit_m_s[::-1],
        )


def draw_road(
    rng: np.random.Generator, length_m: float, relief_m: float, loop: bool, town: bool, climb_m: float = 0.0
) -> FieldRoad:
    """Draw a road; `relief_m` from its lowest to its highest point, `climb_m` from its beginning to its end."""
    n = max(int(length_m / CELL_M), 40)
    s = np.arange(n) * CELL_M
    whole = n * CELL_M
    heading = np.full(n, rng.uniform(0, 2 * math.pi))
    if loop:
        heading = heading + 2 * math.pi * s / whole
    for _ in range(4):
        wave = float(whole / rng.integers(1, 6))
        heading = heading + rng.uniform(0.05, 0.3) * np.sin(2 * math.pi * s / wave + rng.uniform(0, 6.28))
    edge = np.arange(n + 1) * CELL_M
    height = np.zeros(n + 1)
    for _ in range(5):
        wave = float(whole / rng.integers(1, 9) if loop else rng.uniform(0.15, 1.6) * whole)
        height += rng.uniform(0.3, 1.0) * wave * np.sin(2 * math.pi * edge / wave + rng.uniform(0, 6.28))
    height *= relief_m / max(float(np.ptp(height)), 1e-9)
    if loop:
        height -= (height[-1] - height[0]) * edge / edge[-1]
    else:
        height += climb_m * edge / edge[-1]
    # Nothing one drives at speed is steeper than nine in a hundred.
    steepest = float(np.max(np.abs(np.diff(height)))) / CELL_M
    if steepest > 0.09:
        height *= 0.09 / steepest
    height += 60.0 - height.min()
    trees = rng.uniform(0.0, 0.45)
    shelter = np.where(
        np.sin(2 * math.pi * s / rng.uniform(2500, 7000) + rng.uniform(0, 6.28)) > 1 - 2 * trees, 0.55, 1.0
    )
    limit = np.full(n, 60.0)
    stops: tuple[float, ...] = ()
    if town:
        limit[:] = rng.choice([50, 50, 50, 70], size=n // 40 + 1).repeat(40)[:n] / 3.6
        stops = tuple(sorted(rng.uniform(150, whole - 150, int(whole / rng.uniform(450, 900)))))
        shelter = 0.5 * shelter
    return FieldRoad(height, heading, np.asarray(shelter, dtype=np.float64), stops, limit)


def as_noted(road: FieldRoad, rng: np.random.Generator) -> tuple[RoutePoint, ...]:
    """The route as a phone writes it down: a point every 100 m, heights off by a metre or so."""
    lat0 = 51.0
    north = np.concatenate([[0.0], np.cumsum(np.cos(road.heading)) * CELL_M]) / 111_230.0
    east = np.concatenate([[0.0], np.cumsum(np.sin(road.heading)) * CELL_M])
    east = east / (111_320.0 * math.cos(math.radians(lat0)))
    at = np.arange(0, len(north), 5)
    drift = np.cumsum(rng.normal(0, 0.12, len(at)))
    return tuple(
        RoutePoint(
            distance_m=float(CELL_M * i),
            latitude=round(lat0 + float(north[i]), 6),
            longitude=round(5.0 + float(east[i]), 6),
            elevation_m=round(float(road.height_m[i]) + float(d) + float(rng.normal(0, 0.7)), 1),
        )
        for i, d in zip(at, drift, strict=True)
    )

"""Instruments held against each other: what the positions say of the speed, and the vehicle of the satellites."""

from __future__ import annotations

import math
from collections import deque
from dataclasses import dataclass, field
from typing import Final

from fairmargin.instruments.samples import Sample, Trouble

WINDOW_S: Final = 60.0
EVERY_S: Final = 1.0  # a minute is not weighed anew at every frame of a bus
FEWEST: Final = 20  # samples in it
FAR_M: Final = 300.0  # driven in it, below which positions' own error is too much of it
APART_SHARE: Final = 0.25
SPEEDS_APART: Final = (0.12, 5.0)  # share, km/h
EARTH_M: Final = 6.371e6


@dataclass(slots=True)
class Together:
    """Takes every sample; says once when two disagree, and again only after they have agreed."""

    _gps: deque[tuple[float, float, float, float]] = field(default_factory=deque)  # at, km/h, latitude, longitude
    _vehicle: deque[tuple[float, float]] = field(default_factory=deque)  # at, km/h
    _told: set[str] = field(default_factory=set)
    _weighed: float = -math.inf

    def take(self, sample: Sample) -> list[Trouble]:
        """Hold a sample against those of the last minute."""
        speed = sample.values.get("speed_kmh")
        if speed is None:
            return []
        if sample.source == "gps":
            place = sample.values.get("latitude", math.nan), sample.values.get("longitude", math.nan)
            self._gps.append((sample.at, speed, *place))
        elif sample.source == "vehicle":
            self._vehicle.append((sample.at, speed))
        else:
            return []
        for kept in (self._gps, self._vehicle):
            while kept and sample.at - kept[0][0] > WINDOW_S:
                kept.popleft()
        if sample.at - self._weighed < EVERY_S:
            return []
        self._weighed = sample.at
        return [*self._places(sample.at), *self._speeds(sample.at)]

    def _once(self, name: str, wrong: bool, trouble: Trouble) -> list[Trouble]:
        if wrong and name not in self._told:
            self._told.add(name)
            return [trouble]
        if not wrong:
            self._told.discard(name)
        return []

    def _places(self, at: float) -> list[Trouble]:
        """Metres by the speed against metres by the positions."""
        known = [g for g in self._gps if math.isfinite(g[2]) and math.isfinite(g[3])]
        if len(known) < FEWEST or known[-1][0] - known[0][0] < WINDOW_S / 2:
            return []
        by_speed = by_place = 0.0
        for a, b in zip(known, known[1:], strict=False):
            by_speed += (a[1] + b[1]) / 7.2 * (b[0] - a[0])
            north = math.radians(b[2] - a[2]) * EARTH_M
            east = math.radians(b[3] - a[3]) * EARTH_M * math.cos(math.radians(b[2]))
            by_place += math.hypot(north, east)
        most = max(by_speed, by_place)
        wrong = most > FAR_M and abs(by_speed - by_place) > APART_SHARE * most
        words = f"GPS: {by_speed / 1000:.2f} km by its speed and {by_place / 1000:.2f} km by its places in a minute; which is right?"
        return self._once("places", wrong, Trouble(at, "gps", "nonsense", words))

    def _speeds(self, at: float) -> list[Trouble]:
        """The vehicle's mean speed against that of the satellites."""
        if min(len(self._gps), len(self._vehicle)) < FEWEST:
            return []
        # Only over the time that both cover: one that arrives late is not slow.
        begin, end = max(self._gps[0][0], self._vehicle[0][0]), min(self._gps[-1][0], self._vehicle[-1][0])
        if end - begin < WINDOW_S / 2:
            return []
        kept = ([(x[0], x[1]) for x in self._gps], list(self._vehicle))
        means = [_mean([x for x in one if begin <= x[0] <= end]) for one in kept]
        if any(math.isnan(mean) for mean in means):
            return []
        share, kmh = SPEEDS_APART
        wrong = abs(means[0] - means[1]) > max(share * max(means), kmh)
        words = f"GPS says {means[0]:.0f} km/h over the last minute and the vehicle {means[1]:.0f}; which is right?"
        return self._once("speeds", wrong, Trouble(at, "vehicle", "nonsense", words))


def _mean(rows: list[tuple[float, float]]) -> float:
    """Mean of times and values over the time; NaN of too few."""
    if len(rows) < FEWEST or rows[-1][0] <= rows[0][0]:
        return math.nan
    area = sum((b[0] - a[0]) * (a[1] + b[1]) / 2.0 for a, b in zip(rows, rows[1:], strict=False))
    return area / (rows[-1][0] - rows[0][0])

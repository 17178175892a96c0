"""Where to charge: a shortest path over (charger, level of charge) [1]_, the level in steps of `GRID`.

Charging goes to a level that is read off the gauge. Every stop is a rest; a drive that gets too long from one stop to the next
has a pause of its own.

References
----------
.. [1] R. Bellman, "Dynamic Programming" (1957): the best way on from a state does not depend on the way there (from memory).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.laws.charging import hours_to_level
from fairmargin.core.outcome.way import Way
from fairmargin.core.study.trip import Charger, Trip
from fairmargin.core.units import SaidError, said

Array = NDArray[np.float64]

GRID: Final = 0.001  # steps of the level of charge that stops are planned in, share of full
LEAST_CHARGED: Final = 0.03  # of full, that a stop is made for; less is no stop, however it would count as a rest
_JUST: Final = 1e-9  # keeps a level on its own step


class CannotArrive(SaidError):
    """No choice of stops brings the vehicle there; says which part of the way is too long."""


def pauses_h(trip: Trip, driving_h: Array | float) -> Array:
    """Pauses within a drive from one stop to the next: one each time it gets too long; every stop is a rest. [h]"""
    over = np.ceil(np.asarray(driving_h) / trip.pause_every_h - 1e-9) - 1.0
    return np.asarray(np.maximum(over, 0.0) * trip.pause_min / 60.0)


def efficiency(trip: Trip) -> float:
    """What of a charger's energy arrives in the battery, as a share."""
    return float(trip.charger_efficiency_percent) / 100.0


def charger_kw(trip: Trip, charger: Charger) -> float:
    """What of a charger's power arrives in the battery. [kW]"""
    return float(charger.kw) * efficiency(trip)


def unhitch_min(trip: Trip, charger: Charger) -> float:
    """Minutes of unhitching and hitching at a charger: none where a trailer may stay on, or nobody tows."""
    return 0.0 if charger.hitched or trip.unhitch_min is None else float(trip.unhitch_min)


def overhead_h(trip: Trip, charger: Charger) -> float:
    """Time of a stop besides charging: parking, unhitching, the queue to be expected. [h]"""
    return (trip.stop_min + unhitch_min(trip, charger) + trip.queue_chance * trip.queue_min) / 60.0


@dataclass(frozen=True, slots=True)
class Chosen:
    """A charger, and the level that it is left with. [share of full]"""

    charger: Charger
    leave: float


class _Path:
    """The best way on from every place at every level, worked out from the end."""

    def __init__(self, way: Way, chargers: Sequence[Charger], must: bool) -> None:
        """Lay out the places; with `must`, all of the chargers are stopped at in their order."""
        trip = way.trip
        self.way, self.chargers, self.must = way, chargers, must
        self.places = np.array([0.0, *(c.at_km for c in chargers), trip.km])
        full_wh = 1000.0 * way.capacity_kwh / way.careful
        self.used = way.energy_wh(self.places) / full_wh  # shares of full, from the start
        # Over a hill the battery is emptier than at its foot.
        self._fine = np.unique(np.concatenate([self.places, way.edges_km]))
        self._along = way.energy_wh(self._fine) / full_wh
        self._driving = way.driving_h(self.places)
        self.levels = np.arange(0.0, 1.0 + GRID / 2, GRID)
        reserves = [trip.reserve_percent / 100.0] * len(chargers)
        self.floors = np.array([0.0, *reserves, trip.arrive_percent / 100.0])
        self.most = max(trip.most_percent / 100.0, float(self.floors[-1]))
        n, m = len(self.places), len(self.levels)
        self.onward = np.full((n, m), math.inf)  # time from leaving a place at a level to the end
        self.onward[-1] = 0.0
        self._best = np.full((n, m), math.inf)  # least of time charging up to a level and on from there
        self._to = np.zeros((n, m), dtype=np.intp)  # that level
        self._next = np.full((n, m), n - 1, dtype=np.intp)
        for j in range(n - 2, -1, -1):
            for k in range(j + 1, j + 2 if must else n):
                self._try(j, k)
            if j > 0:
                self._charge(j)

    def _try(self, j: int, k: int) -> None:
        """Drive from one place to another without a stop, from every level."""
        here = (self._fine >= self.places[j]) & (self._fine <= self.places[k])
        dip = float(self._along[here].max() - self.used[j])  # what the emptiest point on the way takes
        drive = float(self._driving[k] - self._driving[j])
        drive += float(pauses_h(self.way.trip, drive))
        arrive = self.levels - (self.used[k] - self.used[j])
        reached = (arrive >= self.floors[k] - _JUST) & (self.levels >= dip - _JUST)
        time = np.full(len(self.levels), drive)
        if k < len(self.places) - 1:
            level = np.clip(arrive, 0.0, 1.0)
            time += (
                overhead_h(self.way.trip, self.chargers[k - 1])
                + self._best[k][self._step_above(level)]
                - self._hours(k, level)
            )
        better = reached & (time < self.onward[j] - _JUST)
        self.onward[j][better] = time[better]
        self._next[j][better] = k

    def _charge(self, j: int) -> None:
        """The best level to leave a charger with, for every level it may be charged from: further may save a stop."""
        cost = np.where(self.levels <= self.most + _JUST, self._hours(j, self.levels) + self.onward[j], math.inf)
        backwards = cost[::-1]
        least = np.minimum.accumulate(backwards)
        first = np.where(backwards <= least, np.arange(len(cost)), 0)
        best, to = least[::-1], len(cost) - 1 - np.maximum.accumulate(first)[::-1]
        # A stop that was chosen by hand is made whatever is charged there.
        by = 0 if self.must else min(round(LEAST_CHARGED / GRID), len(cost))
        self._best[j, : len(cost) - by], self._to[j, : len(cost) - by] = best[by:], to[by:]

    def _hours(self, k: int, level: Array) -> Array:
        """Hours of charging from empty to a level."""
        kw = charger_kw(self.way.trip, self.chargers[k - 1])
        return hours_to_level(level, self.way.capacity_kwh, self.way.taper, kw)

    def _step_above(self, level: Array) -> NDArray[np.intp]:
        steps = np.ceil(np.asarray(level) / GRID - _JUST).astype(np.intp)
        return np.minimum(steps, len(self.levels) - 1)

    def choice(self, start: float) -> list[Chosen] | None:
        """The stops of the quickest way from a level; None where there is no way."""
        at = math.floor(start / GRID + _JUST)
        if not math.isfinite(self.onward[0][at]):
            return None
        chosen: list[Chosen] = []
        j = 0
        while (k := int(self._next[j][at])) < len(self.places) - 1:
            arrive = float(np.clip(self.levels[at] - (self.used[k] - self.used[j]), 0.0, 1.0))
            at = int(self._to[k][self._step_above(np.array(arrive))])
            chosen.append(Chosen(self.chargers[k - 1], float(self.levels[at])))
            j = k
        return chosen


def quickest(way: Way) -> list[Chosen]:
    """The stops of the quickest way; where stops were chosen by hand, how far to charge at each.

    Raises
    ------
    CannotArrive
        If no choice brings the vehicle there with the reserves wished for.
    """
    trip = way.trip
    by_hand = bool(trip.stop_at_km)
    chargers = [c for c in trip.chargers if (c.at_km in trip.stop_at_km if by_hand else c.working)]
    path = _Path(way, chargers, must=by_hand)
    found = path.choice(trip.start_percent / 100.0)
    if found is None:
        raise CannotArrive(_why(path))
    return found


def _why(path: _Path) -> str:
    """Which gap between chargers is too long, with what it takes and what there is."""
    trip = path.way.trip
    names = ["the start", *(c.label for c in path.chargers), "the end"]
    worst, text = -math.inf, ""
    for i in range(len(path.places) - 1):
        full = trip.start_percent / 100.0 if i == 0 else path.most
        there, takes = full - float(path.floors[i + 1]), float(path.used[i + 1] - path.used[i])
        if takes - there > worst:
            worst = takes - there
            text = (
                f"from {names[i]} to {names[i + 1]} are {said(path.places[i + 1] - path.places[i], 'km')}: they take about "
                f"{100 * takes:.0f} % of the battery, and {100 * there:.0f} % is there above the reserve"
            )
    if worst <= 0:
        text = "the charge left over is more than may be charged to at a stop that was chosen"
    return f"It cannot be done: {text}. Slower, another charger, or a smaller reserve would."

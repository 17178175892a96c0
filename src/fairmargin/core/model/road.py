"""The road as legs feel it: steady stretches both ways, or a log's own speeds cut into segments."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.evidence.logs import GatedLog
from fairmargin.core.evidence.thinning import STANDING_M_S
from fairmargin.core.laws.route import RouteShape, grouped_stretches
from fairmargin.core.model.paths import Stretches
from fairmargin.core.study import Event, Study

Array = NDArray[np.float64]

LOOP_STRETCHES: Final = 36  # a loop of unknown shape is taken as a circle
SLOWEST_M_S: Final = 0.05  # of a moving piece of a log, so that its time stays finite
#: How far the free part of a held-up leg may stray from the leg's average speed.
FREE_SPEED: Final = (0.7, 1.8)


def is_loop(study: Study) -> bool:
    """Whether legs end where they begin.

    Parameters
    ----------
    study : Study
    """
    return study.method in {"loop", "laps"}


def default_shape(study: Study, backwards: bool) -> RouteShape:
    """Shape used without a route: a circle for loops, else one straight flat stretch.

    Parameters
    ----------
    study : Study
    backwards : bool
        Whether the road is driven the other way.
    """
    if is_loop(study):
        angle = np.asarray((np.arange(LOOP_STRETCHES) + 0.5) * (2 * np.pi / LOOP_STRETCHES), dtype=np.float64)
        flat = np.zeros(LOOP_STRETCHES)
        return RouteShape(np.full(LOOP_STRETCHES, 1000.0), angle, flat, flat)
    zero = np.zeros(1)
    return RouteShape(np.full(1, 1000.0), np.full(1, _unknown_heading(backwards)), zero, zero)


def _unknown_heading(backwards: bool) -> float:
    """Heading given to a road whose heading nobody knows: the two ways are opposite, and that is all."""
    return math.pi if backwards else 0.0


@dataclass(frozen=True, eq=False, slots=True)
class LoggedRows:
    """A logged leg cut into segments: per segment its stretches, standing time, energy and share of gaps."""

    stretches: list[Stretches]
    stopped_s: Array
    edges_s: Array  # since the log's first sample, shape (segments + 1,)
    energy_wh: Array | None
    gap_share: Array


class Road:
    """A study's road as legs feel it: both ways, stretches of nearly the same heading together."""

    def __init__(self, shape: RouteShape | None, study: Study, elsewhere: Mapping[str, Road] | None = None) -> None:
        """Lay out the road; without a shape a loop is a circle and anything else one straight flat stretch.

        Legs `elsewhere`, by their name, were driven on another road.
        """
        self.shape = shape
        self._study = study
        self._elsewhere = dict(elsewhere or {})
        self._ways: dict[bool, RouteShape] = {}
        self._grouped: dict[bool, tuple[Array, Array, Array]] = {}
        self._driven: dict[object, Stretches] = {}  # every fit of a study asks for the same legs

    def of(self, leg: str) -> Road:
        """Return the road that a leg was driven on: this one, or another sector's.

        Parameters
        ----------
        leg : str
            Its name.
        """
        return self._elsewhere.get(leg, self)

    def with_elsewhere(self, elsewhere: Mapping[str, Road]) -> Road:
        """Return the same road, where some legs were driven on others.

        Parameters
        ----------
        elsewhere : mapping of leg name to Road
        """
        return Road(self.shape, self._study, elsewhere)

    def way(self, backwards: bool) -> RouteShape:
        """Return the road in one direction.

        Parameters
        ----------
        backwards : bool
            Whether the road is driven the other way.
        """
        if backwards not in self._ways:
            if self.shape is None:
                self._ways[backwards] = default_shape(self._study, backwards)
            else:
                self._ways[backwards] = self.shape.reversed() if backwards else self.shape
        return self._ways[backwards]

    def heading_known(self) -> bool:
        """Whether the road's headings are known (a circle's are)."""
        if self.shape is None:
            return is_loop(self._study)
        return bool(np.isfinite(self.shape.heading_rad).all())

    def heights_known(self) -> bool:
        """Whether anybody gave the road's heights, or a log did."""
        told = any(p.elevation_m is not None for p in self._study.route)
        return told or (self.shape is not None and bool(np.any(self.shape.slope_rad)))

    def steady(
        self, backwards: bool, true_m: float, speed_m_s: float, events: Sequence[Event], timed: bool = True
    ) -> Stretches:
        """Stretches of a leg at its average moving speed, slower where slow traffic was noted.

        Where its time is not known the speed is the one held outside of slow traffic.

        Parameters
        ----------
        backwards : bool
            Whether the road is driven the other way.
        true_m : float
            Length of the leg. [m]
        speed_m_s : float
            True speed of the vehicle. [m/s]
        events : sequence of Event
            What was noted on it.
        timed : bool, optional
            Whether its driving time is known.
        """
        held_up = [
            e for e in events if e.kind == "slow-traffic" and e.speed_kmh and e.duration_s and e.at_km is not None
        ]
        where = tuple((e.at_km, e.duration_s, e.speed_kmh) for e in held_up)
        key = (backwards, true_m, speed_m_s, timed, where)
        if key not in self._driven:
            self._driven[key] = self._laid(backwards, true_m, speed_m_s, held_up, timed)
        return self._driven[key]

    def _laid(
        self, backwards: bool, true_m: float, speed_m_s: float, held_up: Sequence[Event], timed: bool
    ) -> Stretches:
        """Stretches of a leg, slower where it was held up."""
        whole = self.way(backwards)
        scale = true_m / whole.total_m if true_m else 1.0
        if held_up:
            lengths = whole.length_m * scale
            cut, of = _cut_at(lengths, held_up)
            length, speed, slow = _held_up(cut, speed_m_s, held_up, timed)
            length, slope, heading, first = grouped_stretches(length, whole.slope_rad[of], whole.heading_rad[of], slow)
            speed = speed[first]
        else:
            if backwards not in self._grouped:
                self._grouped[backwards] = grouped_stretches(whole.length_m, whole.slope_rad, whole.heading_rad)[:3]
            length, slope, heading = self._grouped[backwards]
            length = length * scale
            speed = np.full(len(length), speed_m_s)
        if not np.isfinite(heading).all():
            heading = np.full(len(heading), _unknown_heading(backwards))
        return Stretches(length, speed, np.zeros(len(length)), slope, heading, self.heading_known())

    def there_and_back(
        self, true_m: float, speed_m_s: float, events: Sequence[Event], timed: bool = True
    ) -> tuple[Stretches, Stretches]:
        """Stretches of a leg that goes out and comes back on the same road, half of it each way; parameters as for `steady`."""
        half_km = true_m / 2000.0
        out = [e for e in events if e.at_km is None or e.at_km < half_km]
        back = [e.with_(at_km=e.at_km - half_km) for e in events if e.at_km is not None and e.at_km >= half_km]
        first, second = (
            self.steady(way, true_m / 2.0, speed_m_s, own, timed) for way, own in ((False, out), (True, back))
        )
        return first, second

    def logged(self, log: GatedLog, backwards: bool, segments: int) -> LoggedRows:
        """Cut a logged leg into `segments` rows between its gates, each through its own speeds.

        Parameters
        ----------
        log : GatedLog
            Between its gates.
        backwards : bool
            Whether the road is driven the other way.
        segments : int
            How many rows.

        Raises
        ------
        ValueError
            If the log holds no driving between its gates.
        """
        thinned = log.thinned
        t_edges = np.interp(log.edges_m(segments), log.place_m, thinned.time_s)
        inner = thinned.time_s[(thinned.time_s > t_edges[0]) & (thinned.time_s < t_edges[-1])]
        t = np.unique(np.concatenate([t_edges, inner]))
        dt = np.diff(t)
        ds = np.diff(np.interp(t, thinned.time_s, thinned.travelled_m) * log.scale)
        if not len(dt) or ds.sum() <= 0:
            raise ValueError("a log holds no driving")
        speed_edge = np.interp(t, thinned.time_s, thinned.speed_m_s) * log.scale
        speed = ds / dt
        standing = speed < STANDING_M_S
        acceleration = np.where(standing, 0.0, np.diff(speed_edge) / dt)
        place = np.interp(t, thinned.time_s, log.place_m)
        slope, heading, known = self._at((place[1:] + place[:-1]) / 2, float(place[-1]), backwards)
        row = np.clip(np.searchsorted(t_edges, (t[1:] + t[:-1]) / 2) - 1, 0, segments - 1)
        starts = np.searchsorted(row, np.arange(segments))
        seconds = np.diff(t_edges)
        stretches: list[Stretches] = []
        stopped = np.empty(segments)
        for k, (i, j) in enumerate(zip(starts, np.append(starts[1:], len(row)), strict=True)):
            moving = ~standing[i:j]
            if not moving.any():
                moving[:] = True  # stood for the whole segment: keep its few metres
            here = np.flatnonzero(moving) + i
            driven = np.maximum(speed[here], SLOWEST_M_S)
            stretches.append(Stretches(ds[here], driven, acceleration[here], slope[here], heading[here], known))
            stopped[k] = max(0.0, seconds[k] - float(dt[i:j][moving].sum()))
        energy = None
        if thinned.energy_wh is not None:
            energy = np.diff(np.interp(t_edges, thinned.time_s, thinned.energy_wh))
        gaps = np.diff(np.interp(t_edges, thinned.time_s, thinned.gap_s)) / np.maximum(seconds, 1e-9)
        return LoggedRows(stretches, stopped, t_edges - thinned.time_s[0], energy, gaps)

    def _at(self, place_m: Array, end_m: float, backwards: bool) -> tuple[Array, Array, bool]:
        """Slope and heading at places along the road in driving direction, and whether the heading is known."""
        slope, heading, known = np.zeros(len(place_m)), np.full(len(place_m), np.nan), False
        if self.shape is not None:
            way = self.way(backwards)
            ends = np.cumsum(way.length_m)
            index = np.minimum(np.searchsorted(ends, place_m), len(ends) - 1)
            slope, heading = way.slope_rad[index], way.heading_rad[index]
            known = bool(np.isfinite(way.heading_rad).all())
        if not known and is_loop(self._study):
            return slope, np.asarray(2 * np.pi * place_m / max(end_m, 1.0)), True  # a circle
        if not known:
            heading = np.full(len(place_m), _unknown_heading(backwards))
        return slope, heading, known


def _slow_stretch(event: Event) -> tuple[float, float]:
    """Where slow traffic began and ended. [m]"""
    begin = 1000.0 * float(event.at_km or 0.0)
    return begin, begin + float(event.speed_kmh or 0.0) / 3.6 * float(event.duration_s or 0.0)


def _cut_at(length: Array, events: Sequence[Event]) -> tuple[Array, NDArray[np.intp]]:
    """Cut stretches where slow traffic begins and ends; lengths, and the stretch that each is a part of."""
    edges = np.concatenate([[0.0], np.cumsum(length)])
    marks = np.clip([m for e in events for m in _slow_stretch(e)], 0.0, edges[-1])
    every = np.unique(np.concatenate([edges, marks]))
    middle = (every[1:] + every[:-1]) / 2
    return np.diff(every), np.clip(np.searchsorted(edges, middle) - 1, 0, len(length) - 1)


def _held_up(length: Array, speed_m_s: float, events: Sequence[Event], timed: bool) -> tuple[Array, Array, Array]:
    """Lengths, speeds, and the number of the event that slows each stretch (0 = none); a leg's time, if known, is kept."""
    speed = np.full(len(length), speed_m_s)
    middle = np.cumsum(length) - length / 2
    slow = np.zeros(len(length))
    for number, event in enumerate(events, start=1):
        begin, end = _slow_stretch(event)
        here = (middle >= begin) & (middle <= end)
        slow[here] = number
        speed[here] = float(event.speed_kmh or 0.0) / 3.6
    held_up = slow > 0
    if timed and held_up.any() and not held_up.all():
        left = length.sum() / speed_m_s - float((length[held_up] / speed[held_up]).sum())
        if left > 0:
            free = length[~held_up].sum() / left
            speed[~held_up] = np.clip(free, FREE_SPEED[0] * speed_m_s, FREE_SPEED[1] * speed_m_s)
    return length, speed, slow

"""Logged legs: laid on the route, cut to the same stretch between two gates.

Ramps, the lift-off before the read-off and different turning points lie outside the gates, so that all legs
of a direction are compared over the very same road. Energy between the gates is the difference of the
cumulated integral, which is taken at the log's own rate.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.evidence.thinning import STANDING_M_S, Thinned, thin
from fairmargin.core.laws.route import Line, RouteShape, line_of, route_shape
from fairmargin.core.study import Leg, Study, Trace

Array = NDArray[np.float64]

GATE_LOSS: Final = 0.12  # a leg whose own gates cost the others more than this share keeps its own
OFF_ROUTE_M: Final = 150.0
SHARED_GATES: Final = 0.75  # of the shorter direction that must be left for both to share their gates
SHORTEST_GATED_M: Final = 50.0
PLACED_SCALE: Final = 0.08  # how far a log's own distance may be off the road's and still be scaled to it
TOLD_SCALE: Final = 0.1  # the same, off the distance that was noted
PLACED: Final = 120  # points of a log that are laid on the route; between them the log's own distance counts


@dataclass(frozen=True, eq=False, slots=True)
class GatedLog:
    """A log between its gates, in driving direction."""

    thinned: Thinned
    place_m: Array  # along the road in driving direction, not decreasing
    start_m: float
    end_m: float
    scale: float  # true distance over the log's own
    skips: tuple[tuple[float, float], ...] = ()  # stretches left out of all legs, in driving direction

    def at(self, place_m: Array) -> tuple[Array, Array, Array, Array | None]:
        """Time, true distance, speed and energy (cumulated) at places along the road."""
        t = np.interp(place_m, self.place_m, self.thinned.time_s)
        time = self.thinned.time_s
        travelled = np.interp(t, time, self.thinned.travelled_m) * self.scale
        speed = np.interp(t, time, self.thinned.speed_m_s)
        energy = None if self.thinned.energy_wh is None else np.interp(t, time, self.thinned.energy_wh)
        return t, travelled, speed, energy

    def whole(self) -> GatedLog:
        """Return the same log from its first sample to its last."""
        return replace(self, start_m=float(self.place_m[0]), end_m=float(self.place_m[-1]))

    def edges_m(self, segments: int) -> Array:
        """Places that cut what counts between the gates into pieces of equal length."""
        ends = [self.start_m, *(x for skip in self.skips for x in skip if self.start_m < x < self.end_m), self.end_m]
        points = np.array(sorted(ends))
        middle = (points[1:] + points[:-1]) / 2
        counts = np.array([not any(a <= m <= b for a, b in self.skips) for m in middle])
        kept = np.concatenate([[0.0], np.cumsum(np.diff(points) * counts)])
        return np.asarray(np.interp(np.linspace(0.0, kept[-1], segments + 1), kept, points))

    @property
    def stopped_s(self) -> float:
        """Time stood between the gates. [s]"""
        t = self.at(np.array([self.start_m, self.end_m]))[0]
        time, speed = self.thinned.time_s, self.thinned.speed_m_s
        inside = (time[1:] > t[0]) & (time[:-1] < t[1]) & (speed[1:] + speed[:-1] < 2 * STANDING_M_S)
        return float(np.diff(time)[inside].sum())

    @property
    def length_m(self) -> float:
        """True distance between the gates, without what is left out. [m]"""
        ends = self.at(np.array([self.start_m, self.end_m]))[1]
        return float(ends[1] - ends[0])

    @property
    def energy_wh(self) -> float | None:
        """Energy between the gates. [Wh]"""
        energy = self.at(np.array([self.start_m, self.end_m]))[3]
        return None if energy is None else float(energy[1] - energy[0])

    @property
    def gap_share(self) -> float:
        """Share of the time between the gates that the log does not cover."""
        t = self.at(np.array([self.start_m, self.end_m]))[0]
        gaps = np.interp(t, self.thinned.time_s, self.thinned.gap_s)
        return float((gaps[1] - gaps[0]) / max(t[1] - t[0], 1e-9))

    @property
    def cut_m(self) -> tuple[float, float]:
        """What lies before the first gate and after the last. [m]"""
        inside = self.at(np.array([self.start_m, self.end_m]))[1]
        return float(inside[0]), float(self.thinned.total_m * self.scale - inside[1])


@dataclass(frozen=True, eq=False, slots=True)
class Logs:
    """Every logged leg of a study between its gates, and the road they share."""

    gated: Mapping[str, GatedLog]
    shape: RouteShape | None  # from the study's route, else from the logs; out direction
    by_position: bool  # gates found by position, not by distance driven

    def of(self, leg: str) -> GatedLog | None:
        """Return the gated log of a leg, or None."""
        return self.gated.get(leg)


def _placed(
    thinned: Thinned, line: Line | None, backwards: bool, road_m: float
) -> tuple[Array, NDArray[np.bool_], bool]:
    """Place along the road in driving direction, which points are on it, and whether by position."""
    n = len(thinned.time_s)
    if line is not None and thinned.latitude is not None and thinned.longitude is not None:
        index = np.unique(np.linspace(0, n - 1, min(n, PLACED)).astype(int))
        travelled = thinned.travelled_m[index]
        guess = line.length_m - travelled if backwards else travelled
        s, off = line.project(thinned.latitude[index], thinned.longitude[index], guess)
        place = line.length_m - s if backwards else s
        good = off < OFF_ROUTE_M
        if good.sum() >= 2 and np.ptp(place[good]) > 0.3 * thinned.total_m:
            # Smooth: the offset between road and log changes slowly.
            offset = np.interp(thinned.travelled_m, travelled[good], place[good] - travelled[good])
            lowest, highest = thinned.travelled_m[index[good][[0, -1]]]
            on = (thinned.travelled_m >= lowest) & (thinned.travelled_m <= highest)
            # At either end of the road the projection sticks to its last point; drive on from there instead.
            inner = good & (s > 1.0) & (s < line.length_m - 1.0)
            if inner.sum() >= 2:
                offset = np.interp(thinned.travelled_m, travelled[inner], place[inner] - travelled[inner])
            placed = thinned.travelled_m + offset
            on &= (placed >= -1.0) & (placed <= line.length_m + 1.0)
            if on.sum() >= 2:
                return np.maximum.accumulate(placed), on, True
    whole = thinned.total_m
    if road_m > 0 and abs(whole / road_m - 1) < 0.03:
        place = thinned.travelled_m * (road_m / whole)
    elif backwards and road_m > 0:
        place = road_m - whole + thinned.travelled_m  # both end where the out legs began
    else:
        place = thinned.travelled_m
    return place, np.ones(n, dtype=bool), False


def _common(starts: Sequence[float], ends: Sequence[float]) -> tuple[float, float]:
    """Latest start and earliest end, leaving out the few legs that would cost the others too much."""
    a, b = np.array(starts), np.array(ends)
    allowed = GATE_LOSS * float(np.median(b - a))
    a, b = a[a <= np.median(a) + allowed], b[b >= np.median(b) - allowed]
    return float(a.max()), float(b.min())


def gate_logs(study: Study, legs: Sequence[Leg], traces: Mapping[str, Trace], true_m: Mapping[str, float]) -> Logs:
    """Lay the logs of `legs` on one road and cut them to the same stretch between two gates.

    Parameters
    ----------
    study : Study
    legs : sequence of Leg
        Legs that share the road; left-out ones get the gates of the others.
    traces : mapping of leg name to Trace
    true_m : mapping of leg name to float
        True length of each leg, 0 when not known; scales logs that cannot be placed. [m]

    Returns
    -------
    Logs
        Empty when no leg is logged.
    """
    logged = [leg for leg in legs if leg.leg in traces]
    distance = np.array([p.distance_m for p in study.route])
    if not logged:
        return Logs({}, _shape(study, distance, None), False)
    thinned = {leg.leg: thin(traces[leg.leg]) for leg in logged}
    back = {leg.leg: leg.direction == "back" for leg in logged}
    line = _line(study, logged, thinned)
    if line is not None:
        road_m = line.length_m
    elif len(study.route) > 1:
        road_m = float(distance[-1] - distance[0])
    else:
        road_m = float(np.median([x.total_m for x in thinned.values()]))

    placed = {name: _placed(x, line, back[name], road_m) for name, x in thinned.items()}
    by_position = all(p[2] for p in placed.values())
    own = {name: _own_gates(thinned[name], place, on) for name, (place, on, _) in placed.items()}
    counted = [leg.leg for leg in logged if leg.included] or [leg.leg for leg in logged]
    gates = _common_gates({name: own[name] for name in counted}, back, by_position, road_m)
    if by_position:
        gates = _with_lines(study, gates, road_m)
    result = {
        name: _gated(
            study, thinned[name], placed[name][0], own[name], gates.get(back[name]), back[name], road_m,
            None if by_position else true_m.get(name, 0.0),
        )
        for name in thinned
    }  # fmt: skip
    measured = any(p.elevation_m is not None for p in study.route)
    heights = None if measured else _heights(result, back, road_m)
    shape = _shape(study, distance, heights) if len(study.route) > 1 else _logged_shape(line, heights, road_m)
    return Logs(result, shape, by_position)


def _line(study: Study, logged: Sequence[Leg], thinned: Mapping[str, Thinned]) -> Line | None:
    """The road as a line: the study's route, else the longest log; None where there are no positions."""
    given = [p for p in study.route if p.latitude is not None and p.longitude is not None]
    if len(given) >= 2:
        return line_of(
            np.array([p.distance_m - study.route[0].distance_m for p in given]),
            np.array([p.latitude for p in given], dtype=float),
            np.array([p.longitude for p in given], dtype=float),
        )
    if len(study.route) >= 2:
        return None
    own = [leg for leg in logged if leg.included and thinned[leg.leg].latitude is not None]
    out = [leg for leg in own if leg.direction != "back"] or own
    if not out:
        return None
    longest = thinned[max(out, key=lambda leg: thinned[leg.leg].total_m).leg]
    assert longest.latitude is not None and longest.longitude is not None
    moved = np.concatenate([[True], np.diff(longest.travelled_m) > 0.5])
    at, lat, lon = (x[moved] for x in (longest.travelled_m, longest.latitude, longest.longitude))
    if out[0].direction == "back":
        at, lat, lon = at[-1] - at[::-1], lat[::-1], lon[::-1]
    return line_of(at, lat, lon) if len(at) >= 2 and np.ptp(lat) + np.ptp(lon) > 1e-3 else None


def _own_gates(thinned: Thinned, place: Array, on: NDArray[np.bool_]) -> tuple[float, float]:
    """Where a leg would begin and end by itself: past its ramps, on the road."""
    first, last = thinned.ramps
    inside = np.flatnonzero(on)
    return float(place[max(first, inside[0])]), float(place[min(last, inside[-1])])


def _common_gates(
    own: Mapping[str, tuple[float, float]], back: Mapping[str, bool], by_position: bool, road_m: float
) -> dict[bool, tuple[float, float]]:
    """Gates of each direction; the same two for both where logs are placed by position, so that hills cancel."""
    gates: dict[bool, tuple[float, float]] = {}
    for way in (False, True):
        ours = [ends for name, ends in own.items() if back[name] is way]
        if ours:
            gates[way] = _common(*zip(*ours, strict=True))
    if by_position and len(gates) == 2:
        low = max(gates[False][0], road_m - gates[True][1])
        high = min(gates[False][1], road_m - gates[True][0])
        if high - low > SHARED_GATES * min(b - a for a, b in gates.values()):
            return {False: (low, high), True: (road_m - high, road_m - low)}
    return gates


def _gated(
    study: Study,
    thinned: Thinned,
    place: Array,
    own: tuple[float, float],
    gates: tuple[float, float] | None,
    back: bool,
    road_m: float,
    true_m: float | None,
) -> GatedLog:
    """Cut one log to its gates; `true_m` scales a log that could not be placed by position (None = it was)."""
    start, end = own if gates is None else (max(own[0], gates[0]), min(own[1], gates[1]))
    if end - start < SHORTEST_GATED_M:
        start, end = float(place[0]), float(place[-1])
    scale = 1.0
    if true_m is None:
        at = np.interp([start, end], place, thinned.time_s)
        between = np.interp(at, thinned.time_s, thinned.travelled_m)
        ratio = (end - start) / max(float(between[1] - between[0]), 1.0)
        scale = ratio if abs(ratio - 1) < PLACED_SCALE else 1.0
    elif true_m and thinned.total_m > 0 and abs(true_m / thinned.total_m - 1) < TOLD_SCALE:
        scale = true_m / thinned.total_m
    skips = tuple(
        (road_m - x.to_m, road_m - x.from_m) if back else (x.from_m, x.to_m) for x in study.left_out_stretches
    )
    kept, place, skips = _without(thinned, place, skips, start, end)
    return GatedLog(kept, place, start, end, scale, skips)


def _without(
    thinned: Thinned, place: Array, skips: Sequence[tuple[float, float]], start: float, end: float
) -> tuple[Thinned, Array, tuple[tuple[float, float], ...]]:
    """Take stretches out of a log as if the drive had jumped over them: no time, distance or energy passes.

    A stretch that would leave less than a tenth of what lies between the gates is not taken out.
    """
    cuts: list[tuple[float, float]] = []
    for a, b in sorted((max(a, start), min(b, end)) for a, b in skips):
        if cuts and a <= cuts[-1][1]:
            cuts[-1] = (cuts[-1][0], max(b, cuts[-1][1]))
        elif b > a:
            cuts.append((a, b))
    if not cuts or sum(b - a for a, b in cuts) > 0.9 * (end - start):
        return thinned, place, ()
    rising = place + 1e-9 * np.arange(len(place))  # a standing log's places do not rise

    def laid(column: Array, counts: bool) -> Array:
        """Column over the new places; a cumulated one loses what passed inside the cuts."""
        values = np.interp(new_place, rising, column)
        for a, b in cuts if counts else ():
            low, high = np.interp([a, b], rising, column)
            values[new_place >= b] -= high - low
            if column is thinned.time_s:
                values[new_place >= b] += 1e-6  # time still rises across the cut
        return np.asarray(values)

    inside = np.zeros(len(rising), dtype=bool)
    for a, b in cuts:
        inside |= (rising > a) & (rising < b)
    new_place = np.unique(np.concatenate([rising[~inside], np.array(cuts).ravel()]))
    old_first, old_last = (float(place[i]) for i in thinned.ramps)

    def maybe(column: Array | None, counts: bool) -> Array | None:
        return None if column is None else laid(column, counts)

    made = Thinned(
        time_s=laid(thinned.time_s, True),
        travelled_m=laid(thinned.travelled_m, True),
        speed_m_s=laid(thinned.speed_m_s, False),
        energy_wh=maybe(thinned.energy_wh, True),
        gap_s=laid(thinned.gap_s, True),
        latitude=maybe(thinned.latitude, False),
        longitude=maybe(thinned.longitude, False),
        elevation_m=maybe(thinned.elevation_m, False),
        steady=thinned.steady,
        ramps=(int(np.searchsorted(new_place, old_first)), int(np.searchsorted(new_place, old_last))),
        held_m_s=thinned.held_m_s,
    )
    return made, new_place, tuple(cuts)


def _with_lines(
    study: Study, gates: Mapping[bool, tuple[float, float]], road_m: float
) -> dict[bool, tuple[float, float]]:
    """Narrow the gates to the start and end lines placed on the route, where they are."""
    low = float(study.plan.gate_start_m or 0.0)
    high = float(study.plan.gate_end_m or road_m)
    if high - low < 0.2 * road_m:
        return dict(gates)
    lines = {False: (low, high), True: (road_m - high, road_m - low)}
    return {way: (max(a, lines[way][0]), min(b, lines[way][1])) for way, (a, b) in gates.items()}


def _heights(gated: Mapping[str, GatedLog], back: Mapping[str, bool], road_m: float) -> tuple[Array, Array] | None:
    """Mean height along the road over all logs, every 50 m in the out direction; None when none was logged."""
    at = np.linspace(0.0, road_m, max(2, int(road_m / 50.0) + 1))
    rows = []
    for name, log in gated.items():
        if log.thinned.elevation_m is None:
            continue
        s = road_m - log.place_m[::-1] if back[name] else log.place_m
        z = log.thinned.elevation_m[::-1] if back[name] else log.thinned.elevation_m
        rows.append(np.where((at >= s[0]) & (at <= s[-1]), np.interp(at, s, z), np.nan))
    if not rows:
        return None
    table = np.array(rows)
    known = np.isfinite(table).any(axis=0)
    if known.sum() < 2:
        return None
    return at[known], np.nanmean(table[:, known], axis=0)


def _shape(study: Study, distance: Array, heights: tuple[Array, Array] | None) -> RouteShape | None:
    if len(study.route) < 2:
        return None

    def column(name: str) -> Array | None:
        values = np.array([np.nan if getattr(p, name) is None else getattr(p, name) for p in study.route])
        return values if np.isfinite(values).any() else None

    height = column("elevation_m")
    if height is None and heights is not None:
        height = np.asarray(np.interp(distance - distance[0], *heights), dtype=float)
    return route_shape(distance, column("latitude"), column("longitude"), height)


def _logged_shape(line: Line | None, heights: tuple[Array, Array] | None, road_m: float) -> RouteShape | None:
    if line is not None:
        z = None if heights is None else np.interp(line.distance_m, *heights)
        return route_shape(line.distance_m, line.latitude, line.longitude, z)
    if heights is not None:
        return route_shape(heights[0], None, None, heights[1])
    return None

"""What a logbook knows of a road: its heights, the way it lies, the speeds held on it, and what traffic did by the hour."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.study import Leg, RoutePoint, Study
from fairmargin.core.words import same_name

Array = NDArray[np.float64]

ALIKE_LENGTH: Final = 0.03  # two routes are one road where their lengths differ by no more than this
SMOOTH_M: Final = 300.0  # heights are smoothed over this before climbs are counted: GPS heights jump; common practice
HELD_UP: Final = frozenset({"slow-traffic", "following-closely", "stop"})


@dataclass(frozen=True, slots=True)
class Held:
    """Speeds held in one direction: mean and standard deviation of the legs' moving speeds. [km/h]"""

    direction: str
    mean_kmh: float
    sd_kmh: float | None
    legs: int


@dataclass(frozen=True, slots=True)
class Hour:
    """Legs begun in one hour of the day, how many were held up, and minutes lost per leg by what was noted."""

    hour: int
    legs: int
    held_up: int
    minutes: float


@dataclass(frozen=True, eq=False, slots=True)
class RoadKnowledge:
    """What studies say of one road."""

    name: str
    studies: tuple[str, ...]  # titles
    route: tuple[RoutePoint, ...] = ()  # with heights averaged over the studies that had any
    heights_from: int = 0
    km: float | None = None
    climb_m: float | None = None  # out
    fall_m: float | None = None
    bearing_deg: float | None = None  # from its beginning to its end; None for a round
    held: tuple[Held, ...] = ()
    hours: tuple[Hour, ...] = ()


def road_knowledge(name: str, studies: Sequence[Study]) -> RoadKnowledge:
    """Join what studies noted of one road.

    Parameters
    ----------
    name : str
    studies : sequence of Study
        Any; those on this road count, the newest last.

    Returns
    -------
    RoadKnowledge
    """
    wanted = same_name(name)
    own = [s for s in studies if s.route_name and same_name(s.route_name) == wanted]
    legs = [(s, leg) for s in own for leg in s.legs if leg.included]
    route, count = _route(own)
    lengths = [float(v) for _, leg in legs if (v := leg.gps_distance_km or leg.distance_km)]
    km = route[-1].distance_m / 1000.0 if len(route) > 1 else float(np.median(lengths)) if lengths else None
    up, down = _climbs(route)
    return RoadKnowledge(
        name=name,
        studies=tuple(s.title for s in own),
        route=route,
        heights_from=count,
        km=km,
        climb_m=up,
        fall_m=down,
        bearing_deg=road_bearing(route),
        held=_held([leg for _, leg in legs]),
        hours=_hours(legs),
    )


def _route(own: Sequence[Study]) -> tuple[tuple[RoutePoint, ...], int]:
    """The newest route, its heights averaged over all that are of the same length."""
    routes = [s.route for s in own if len(s.route) > 1]
    if not routes:
        return (), 0
    newest = routes[-1]
    length = newest[-1].distance_m
    at = np.array([p.distance_m for p in newest])
    heights = []
    for route in routes:
        known = [(p.distance_m, float(p.elevation_m)) for p in route if p.elevation_m is not None]
        if len(known) < 2 or abs(route[-1].distance_m - length) > ALIKE_LENGTH * length:
            continue
        where, value = (np.array(v) for v in zip(*known, strict=True))
        heights.append(np.interp(at * route[-1].distance_m / length, where, value))
    if not heights:
        return newest, 0
    mean = np.mean(heights, axis=0)
    return tuple(p.with_(elevation_m=round(float(h), 1)) for p, h in zip(newest, mean, strict=True)), len(
        {h.tobytes() for h in heights}
    )


def _climbs(route: Sequence[RoutePoint]) -> tuple[float | None, float | None]:
    """Metres up and down, out; None where no heights are known."""
    known = [(p.distance_m, float(p.elevation_m)) for p in route if p.elevation_m is not None]
    if len(known) < 3:
        return None, None
    where, value = (np.array(v) for v in zip(*known, strict=True))
    grid = np.arange(where[0], where[-1], 50.0)
    height = np.interp(grid, where, value)
    kernel = np.ones(max(1, round(SMOOTH_M / 50.0)))
    kernel /= kernel.sum()
    smooth = np.convolve(np.pad(height, len(kernel) // 2, mode="edge"), kernel, mode="valid")
    steps = np.diff(smooth)
    return float(steps[steps > 0].sum()), float(-steps[steps < 0].sum())


def road_bearing(route: Sequence[RoutePoint]) -> float | None:
    """Bearing from beginning to end, degrees; None where they lie together or have no position."""
    placed = [p for p in route if p.latitude is not None and p.longitude is not None]
    if len(placed) < 2:
        return None
    a, b = placed[0], placed[-1]
    assert a.latitude is not None and a.longitude is not None and b.latitude is not None and b.longitude is not None
    north = float(b.latitude) - float(a.latitude)
    east = (float(b.longitude) - float(a.longitude)) * math.cos(math.radians(float(a.latitude)))
    apart_m = math.hypot(north, east) * 111_000.0
    if apart_m < 0.1 * placed[-1].distance_m:
        return None
    return math.degrees(math.atan2(east, north)) % 360.0


def _moving_kmh(leg: Leg) -> float | None:
    km = leg.gps_distance_km or leg.distance_km
    if km is None or leg.duration_s is None:
        return None
    seconds = float(leg.duration_s) - float(leg.stopped_s or 0.0)
    return 3600.0 * float(km) / seconds if seconds > 0 else None


def _held(legs: Sequence[Leg]) -> tuple[Held, ...]:
    out = []
    for direction in dict.fromkeys(leg.direction for leg in legs):
        speeds = [v for leg in legs if leg.direction == direction and (v := _moving_kmh(leg)) is not None]
        if speeds:
            sd = float(np.std(speeds, ddof=1)) if len(speeds) > 1 else None
            out.append(Held(direction, float(np.mean(speeds)), sd, len(speeds)))
    return tuple(out)


def _hours(legs: Sequence[tuple[Study, Leg]]) -> tuple[Hour, ...]:
    """Legs by the hour they began in; what held them up is what was noted, so an hour without a note is not one without traffic."""
    found: dict[int, list[float]] = {}
    for study, leg in legs:
        if leg.clock is None:
            continue
        lost = [e.duration_s or 0.0 for e in study.events if e.leg == leg.leg and e.kind in HELD_UP]
        found.setdefault(leg.clock.hour, []).append(sum(lost) / 60.0 if lost else -1.0)
    return tuple(
        Hour(hour, len(v), sum(x >= 0 for x in v), sum(max(x, 0.0) for x in v) / len(v))
        for hour, v in sorted(found.items())
    )

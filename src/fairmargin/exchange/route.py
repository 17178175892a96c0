"""Routes from GPX tracks and from typed stretches."""

from __future__ import annotations

import math
import re
from pathlib import Path

import numpy as np

from fairmargin.core import units
from fairmargin.core.study import RoutePoint
from fairmargin.core.study.place import MADE_UP
from fairmargin.exchange.files.faults import InvalidInput
from fairmargin.exchange.logs.tracks import parse_gpx, placed

SPACING_M = 50.0
LOWEST_M, HIGHEST_M = -500.0, 6000.0  # of a road
_STRETCH = re.compile(
    r"^\s*(?P<km>\d+(?:[.,]\d+)?\s*(?:km|miles?|mi)?)\s+(?P<heading>[NSEW]{1,3}(?![A-Z])|\d{1,3}(?:[.,]\d+)?°?)"
    r"(?:\s+(?P<rise>[-+\u2212]?\d+(?:[.,]\d+)?\s*(?:m|ft)?)(?![a-z]))?\s*(?P<sector>\D.*)?$",
    re.IGNORECASE,
)


def read_gpx(path: str | Path) -> tuple[tuple[RoutePoint, ...], tuple[str, ...]]:
    """Read the longest track (or route) of a GPX file as a route in the out direction.

    Returns
    -------
    points, notices
        Points about 50 m apart, and what was dropped or joined.

    Raises
    ------
    InvalidInput
        If the file cannot be read or holds no line of two points.
    """
    from geographiclib.geodesic import Geodesic

    path = Path(path)
    gpx = parse_gpx(path)
    lines = [placed([p for s in track.segments for p in s.points]) for track in gpx.tracks]
    lines += [placed(route.points) for route in gpx.routes]
    lines = [line for line in lines if len(line) >= 2]
    if not lines:
        raise InvalidInput(f"{path}: no track or route of two points; expected a GPX track")
    notices = [f"{len(lines)} tracks and routes; the longest was taken"] if len(lines) > 1 else []
    line = max(lines, key=len)
    latitude = np.array([p.latitude for p in line])
    longitude = np.array([p.longitude for p in line])
    height = np.array([np.nan if p.elevation is None else p.elevation for p in line], dtype=float)
    steps = [
        Geodesic.WGS84.Inverse(a, b, c, d)["s12"]
        for a, b, c, d in zip(latitude, longitude, latitude[1:], longitude[1:], strict=False)
    ]
    distance = np.concatenate([[0.0], np.cumsum(steps)])
    moved = np.concatenate([[True], np.diff(distance) > 0.1])
    if (~moved).any():
        notices.append(f"{int((~moved).sum())} repeated points dropped")
    distance, latitude, longitude, height = (x[moved] for x in (distance, latitude, longitude, height))
    if distance[-1] < 100:
        raise InvalidInput(f"{path}: the track is only {distance[-1]:.0f} m long; expected a road of at least 100 m")
    at = np.linspace(0.0, distance[-1], max(2, round(distance[-1] / SPACING_M) + 1))
    known = np.isfinite(height)
    heights = np.interp(at, distance[known], height[known]) if known.sum() >= 2 else None
    if heights is None:
        notices.append("no heights in the track; the road counts as flat")
    if heights is not None and not (heights.min() >= LOWEST_M and heights.max() <= HIGHEST_M):
        raise InvalidInput(
            f"{path}: heights from {heights.min():.0f} to {heights.max():.0f} m; expected {LOWEST_M:.0f} to {HIGHEST_M:.0f} m"
        )
    points = tuple(
        RoutePoint(
            distance_m=round(float(s), 1),
            latitude=round(float(np.interp(s, distance, latitude)), 6),
            longitude=round(float(np.interp(s, distance, longitude)), 6),
            elevation_m=None if heights is None else round(float(heights[i]), 1),
        )
        for i, s in enumerate(at)
    )
    return points, tuple(notices)


def _rise_m(text: str, usual: str) -> float:
    """A rise with its sign, in metres or feet."""
    number = units.read_number(text.strip().removeprefix("+"))
    figure = f"{number.value} {number.rest or usual}"
    return units.read_quantity(figure, "length", usual)


def typed_route(
    text: str, place: tuple[float, float] = MADE_UP, distance_unit: str = "km", height_unit: str = "m"
) -> tuple[RoutePoint, ...]:
    """Make a route of a few typed stretches, one a line: length, heading, rise, sector.

    It is drawn from a `place` on, which is made up where nobody said one. For example ``6.2 km NE +12 m dyke``, ``4 mi E +40 ft`` or ``3 45 -5``, in the units given where none is written.

    Raises
    ------
    ValueError
        Naming the line that could not be read.
    """
    rows: list[tuple[float, float, float, str]] = []
    height = 0.0
    for number, line in enumerate(text.splitlines(), start=1):
        if not line.strip():
            continue
        match = _STRETCH.match(line)
        if match is None:
            raise ValueError(
                f'line {number}: "{line.strip()}" is not a stretch; expected length, heading and rise such as 6.2 km NE +12 m'
            )
        try:
            heading = units.read_direction(match["heading"])
        except ValueError:
            heading = math.nan
        if not 0.0 <= heading <= 360.0:
            raise ValueError(f'line {number}: "{match["heading"]}" is not a heading; expected N to NNW or 0 to 360')
        rise = _rise_m(match["rise"] or "0", height_unit)
        km = units.read_quantity(match["km"], "distance", distance_unit)
        if not 0.05 <= km <= 500:
            raise ValueError(f"line {number}: {km:g} km is not possible; expected 0.05 to 500 km")
        height += rise
        if not LOWEST_M <= height <= HIGHEST_M:
            raise ValueError(
                f"line {number}: {height:g} m is no height of a road; expected {LOWEST_M:g} to {HIGHEST_M:g} m"
            )
        rows.append((1000.0 * km, heading, rise, (match["sector"] or "").strip()))
    if not rows:
        raise ValueError("no stretch typed; expected one a line, such as 6.2 km NE +12 m")
    latitude, longitude = place
    points = [RoutePoint(distance_m=0.0, latitude=latitude, longitude=longitude, elevation_m=0.0, sector=rows[0][3])]
    s = north = east = z = 0.0
    for metres, heading, rise, sector in rows:
        count = max(1, round(metres / SPACING_M))
        for _ in range(count):
            step = metres / count
            s += step
            north += step * math.cos(math.radians(heading))
            east += step * math.sin(math.radians(heading))
            z += rise / count
            points.append(
                RoutePoint(
                    distance_m=round(s, 2),
                    latitude=round(latitude + north / 111_250.0, 7),
                    longitude=round(longitude + east / (111_320.0 * math.cos(math.radians(latitude))), 7),
                    elevation_m=round(z, 2),
                    sector=sector,
                )
            )
    return tuple(points)

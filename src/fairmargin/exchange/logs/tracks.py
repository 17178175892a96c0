"""GPX tracks with times as logs: speed from where and when (package gpxpy)."""

from __future__ import annotations

import math
from collections.abc import Sequence
from datetime import UTC
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.study import Trace
from fairmargin.exchange.files import budget
from fairmargin.exchange.files.faults import InvalidInput
from fairmargin.exchange.logs.loggers import ImportedLog

MOST_POINTS = 200_000  # two days at one a second
SMOOTH_S = 3.0  # positions are good to a few metres; over so long their speed is good to a few km/h


def parse_gpx(path: Path) -> Any:
    """Parse a GPX file.

    Raises
    ------
    InvalidInput
        If it cannot be read or is no GPX.
    """
    import gpxpy

    data = budget.read_bytes(path, budget.TABLE_BYTES * 2)
    text = budget.decoded(data, str(path))
    if "<!ENTITY" in text or "<!DOCTYPE" in text:
        raise InvalidInput(f"{path}: holds definitions of its own (DOCTYPE); expected a plain GPX file")
    if text.count("<trkpt") + text.count("<rtept") > MOST_POINTS:
        raise InvalidInput(f"{path}: more than {MOST_POINTS} points; expected a shorter track")
    budget.check_depth(data, str(path))
    try:
        return gpxpy.parse(text)
    except Exception as error:  # the parser has no common base for what it raises
        first = str(error).splitlines()[0] if str(error) else type(error).__name__
        raise InvalidInput(f"{path}: not a GPX file: {first[:200]}") from error


def placed(points: Sequence[Any]) -> list[Any]:
    """Points that lie anywhere on earth."""
    return [p for p in points if abs(p.latitude) <= 90.0 and abs(p.longitude) <= 180.0]  # not a number is neither


def _lost(every: Sequence[Any], points: Sequence[Any]) -> list[str]:
    """What is to be said of points that lie nowhere."""
    lost = len(every) - len(points)
    return [f"{lost} points without a place on earth dropped"] if lost else []


def _speeds_kmh(
    at: NDArray[np.float64], latitude: NDArray[np.float64], longitude: NDArray[np.float64]
) -> NDArray[np.float64]:
    from geographiclib.geodesic import Geodesic

    steps = np.array(
        [
            Geodesic.WGS84.Inverse(a, b, c, d)["s12"]
            for a, b, c, d in zip(latitude, longitude, latitude[1:], longitude[1:], strict=False)
        ]
    )
    driven = np.concatenate([[0.0], np.cumsum(steps)])
    half = 0.5 * max(SMOOTH_S, 2.0 * float(np.median(np.diff(at))))
    low, up = np.maximum(at - half, at[0]), np.minimum(at + half, at[-1])
    return np.asarray(3.6 * (np.interp(up, at, driven) - np.interp(low, at, driven)) / (up - low))


def read_track(path: str | Path) -> ImportedLog:
    """Read every timed point of a GPX file as one log.

    A speed the file states is taken; else it is the distance between neighbours (WGS 84) over their time,
    smoothed over 3 s.

    Raises
    ------
    InvalidInput
        If the file cannot be read or has fewer than three timed points.
    """
    path = Path(path)
    gpx = parse_gpx(path)
    return log_of_points(path, [p for track in gpx.tracks for s in track.segments for p in s.points])


def log_of_points(path: Path, every: Sequence[Any]) -> ImportedLog:
    """The timed points of a recording (time, latitude, longitude, elevation, speed in m/s) as one log.

    Raises
    ------
    InvalidInput
        If fewer than three have a time and a place.
    """
    points = placed(every)
    timed = [p for p in points if p.time is not None]
    notices = _lost(every, points)
    if len(timed) < len(points):
        notices.append(f"{len(points) - len(timed)} points without a time dropped")
    if len(timed) < 3:
        raise InvalidInput(f"{path}: {len(timed)} points with a time; expected a recorded track of three and more")
    aware = [p for p in timed if p.time.tzinfo is not None]
    if aware and len(aware) < len(timed):
        notices.append(
            f"{len(timed) - len(aware)} of {len(timed)} times state no offset from UTC; all are taken as UTC. "
            "Check them against the clock."
        )
    clock = [p.time if p.time.tzinfo is None else p.time.astimezone(UTC).replace(tzinfo=None) for p in timed]
    first = clock[0]
    at = np.array([(moment - first).total_seconds() for moment in clock])
    high = np.concatenate([[-np.inf], np.maximum.accumulate(at)[:-1]])
    keep = at > high
    if not keep.all():
        notices.append(f"{int((~keep).sum())} points whose time does not advance dropped")
    kept = [p for p, k in zip(timed, keep, strict=True) if k]
    at = at[keep]
    if len(at) < 3:
        raise InvalidInput(f"{path}: times do not advance; expected a recorded track")
    latitude = np.array([p.latitude for p in kept])
    longitude = np.array([p.longitude for p in kept])
    height = np.array([np.nan if p.elevation is None or not math.isfinite(p.elevation) else p.elevation for p in kept])
    stated = [p.speed for p in kept]
    if all(s is not None and math.isfinite(s) for s in stated):
        speed = 3.6 * np.array(stated, dtype=float)
    else:
        speed = _speeds_kmh(at, latitude, longitude)
        notices.append("speeds follow from the positions")
    columns = {"time_s": at, "speed_kmh": np.maximum(speed, 0.0), "latitude": latitude, "longitude": longitude}
    if np.isfinite(height).any():
        columns["elevation_m"] = height
    else:
        notices.append("no heights")
    notices.append("no power: the legs' readings are still to be typed")
    return ImportedLog(Trace(**columns), first, len(points), tuple(notices))

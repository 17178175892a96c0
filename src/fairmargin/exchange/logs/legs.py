"""One long log cut into legs: where to cut, which leg each piece may be, and laying them into the study."""

from __future__ import annotations

import math
from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import datetime, time, timedelta
from typing import Final, Literal

import numpy as np

from fairmargin.core.companion import road_places
from fairmargin.core.evidence.coasts import coasts_in
from fairmargin.core.study import Leg, Study, Trace, WeatherRow
from fairmargin.core.study.layout import sectors_read
from fairmargin.exchange.logs.cuts import cut, split_at_gates, split_at_stops, within
from fairmargin.exchange.logs.loggers import ImportedLog

Cutting = Literal["coasts", "gates", "stops", "whole"]
#: A piece that began so near to a leg's noted start is that leg.
SAME_START: Final = timedelta(minutes=12)
#: Weather farther from every leg than this says nothing of any.
NEAR: Final = timedelta(hours=3)
MOST_REPORTS: Final = 500


@dataclass(frozen=True, slots=True)
class Piece:
    """A stretch of a log in seconds of the log; direction and sector where gates told them."""

    start_s: float
    end_s: float
    backwards: bool | None = None
    sector: str = ""


def pieces_of(study: Study, trace: Trace, how: Cutting) -> list[Piece]:
    """Cut a log by the road's gates, at stops, or not at all."""
    if how == "coasts":
        return split_at_coasts(trace)
    if how == "gates":
        named = [s for s in sectors_read(study) if s and road_places(study, s).gated]
        found = [Piece(*own, s) for s in named or [""] for own in split_at_gates(trace, road_places(study, s))]
        return sorted(found, key=lambda piece: piece.start_s)
    if how == "stops":
        return [Piece(a, b) for a, b in split_at_stops(trace)]
    return [Piece(float(trace.time_s[0]), float(trace.time_s[-1]))]


def split_at_coasts(trace: Trace) -> list[Piece]:
    """Every coasting run of a log; there and back in turn, by the course where places were logged, else as they come."""
    found = coasts_in(trace)
    ways = [_course(trace, a, b) for a, b in found]
    first = next((w for w in ways if w is not None), None)

    def back(i: int) -> bool:
        way = ways[i]
        return i % 2 == 1 if first is None or way is None else math.cos(way - first) < 0

    return [Piece(a, b, back(i)) for i, (a, b) in enumerate(found)]


def _course(trace: Trace, start_s: float, end_s: float) -> float | None:
    """Course from one end of a piece to the other, from north over east; None without places. [rad]"""
    if trace.latitude is None or trace.longitude is None:
        return None
    inside = within(trace, start_s, end_s)
    lat, lon = trace.latitude[inside], trace.longitude[inside]
    good = np.isfinite(lat) & np.isfinite(lon)
    if good.sum() < 2:
        return None
    lat, lon = lat[good], lon[good]
    return math.atan2(float(lon[-1] - lon[0]) * math.cos(math.radians(float(lat[0]))), float(lat[-1] - lat[0]))


def piece_km(trace: Trace, piece: Piece) -> float:
    """Distance driven in a piece. [km]"""
    inside = within(trace, piece.start_s, piece.end_s)
    speed, time = trace.speed_kmh[inside], trace.time_s[inside]
    return float(np.trapezoid(speed, time)) / 3600.0 if len(time) > 1 else 0.0


def suggest(study: Study, logged: Collection[str], started_at: datetime | None, pieces: Sequence[Piece]) -> list[str]:
    """Suggest a leg for each piece; "" where none fits.

    A leg that began when the piece began is it; else the pieces go in order to the legs without a log, by
    direction where that is known. Legs that have a log are never suggested.
    """
    free = [leg for leg in study.legs if leg.leg not in logged and leg.included]
    found: list[str] = []
    for piece in pieces:
        match = None
        if started_at is not None:
            began = (started_at + timedelta(seconds=piece.start_s)).replace(tzinfo=None)
            near = [(abs(leg.clock.replace(tzinfo=None) - began), leg) for leg in free if leg.clock is not None]
            near = [n for n in near if n[0] <= SAME_START and _way(n[1], piece)]
            match = min(near, key=lambda n: n[0])[1] if near else None
        if match is None:
            match = next((leg for leg in free if leg.clock is None and _way(leg, piece)), None)
        if match is None and started_at is None:
            match = next((leg for leg in free if _way(leg, piece)), None)
        found.append(match.leg if match is not None else "")
        if match is not None:
            free.remove(match)
    return found


def _way(leg: Leg, piece: Piece) -> bool:
    """Whether a piece goes the way of a leg, along its sector."""
    if piece.sector and leg.sector != piece.sector:
        return False
    return piece.backwards is None or (leg.direction == "back") == piece.backwards


def take(
    study: Study, log: ImportedLog, pieces: Sequence[Piece], legs: Sequence[str], clock_ahead: timedelta = timedelta()
) -> tuple[Study, dict[str, Trace]]:
    """Lay pieces into their legs: the samples, and start and duration where the leg had none.

    Parameters
    ----------
    study : Study
    log : ImportedLog
    pieces, legs : sequence
        Of the same length; "" leaves a piece out.
    clock_ahead : timedelta
        Added to the log's clock to give the study's.

    Raises
    ------
    ValueError
        If a leg is chosen twice, or a piece is no drive, in words.
    """
    chosen = [leg for leg in legs if leg]
    twice = next((leg for leg in chosen if chosen.count(leg) > 1), None)
    if twice:
        raise ValueError(f"{twice} is chosen for two pieces; expected one each")
    traces: dict[str, Trace] = {}
    for piece, name in zip(pieces, legs, strict=True):
        if not name:
            continue
        inside = within(log.trace, piece.start_s, piece.end_s)
        if inside.stop - inside.start < 2:
            raise ValueError(f"the piece for {name} holds fewer than two samples")
        traces[name] = cut(log.trace, piece.start_s, piece.end_s)
        leg = study.leg(name)
        changes: dict[str, object] = {}
        began = log.started_at and log.started_at + clock_ahead + timedelta(seconds=piece.start_s)
        dated = leg.started_at.date() if leg.started_at is not None else None
        if leg.clock is None and began is not None and dated in {None, began.date()}:
            changes["started_at"] = began.replace(microsecond=0, tzinfo=None)
        if leg.duration_s is None:
            changes["duration_s"] = round(max(1.0, piece.end_s - piece.start_s), 1)
        study = study.with_leg(name, **changes)
    return study, traces


def near_legs(study: Study, rows: Sequence[WeatherRow]) -> tuple[WeatherRow, ...]:
    """Keep reports within three hours of a leg (of the planned day, or the last few, before any was driven)."""
    spans = [
        (leg.started_at.replace(tzinfo=None), 86_400.0 if leg.dated_only else float(leg.duration_s or 0.0))
        for leg in study.legs
        if leg.started_at is not None
    ]
    if spans:
        windows = [(start - NEAR, start + timedelta(seconds=lasting) + NEAR) for start, lasting in spans]
    elif study.plan.day is not None:
        noon = datetime.combine(study.plan.day, time(12))
        windows = [(noon - timedelta(days=1), noon + timedelta(days=1))]
    else:
        return tuple(rows[-MOST_REPORTS:])
    kept = []
    for row in rows:
        moment = row.time.replace(tzinfo=None)
        if any(a <= moment <= b for a, b in windows):
            kept.append(row)
    return tuple(kept)


def with_weather(study: Study, rows: Sequence[WeatherRow]) -> tuple[Study, int]:
    """Add weather reports; one of a station and moment that is there already stays. Returns how many are new."""
    known = {(row.time.replace(tzinfo=None), row.station) for row in study.weather}
    fresh = [row for row in rows if (row.time.replace(tzinfo=None), row.station) not in known]
    merged = sorted((*study.weather, *fresh), key=lambda r: r.time.replace(tzinfo=None))
    return study.with_(weather=tuple(merged)), len(fresh)

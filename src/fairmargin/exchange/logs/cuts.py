"""A long log cut into drives: at stops, at the gates of a road, or by hand."""

from __future__ import annotations

import math
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.companion import RoadPlaces
from fairmargin.core.study import Trace

Array = NDArray[np.float64]

STOP_S: Final = 60.0  # a stand longer than this may end a leg
STOP_KMH: Final = 2.0
#: Share of the way between the gates that was driven at least: a log that was off meanwhile passes both and drove nothing.
LEAST_DRIVEN: Final = 0.7
SILENT_S: Final = 30.0  # between two samples: what was driven meanwhile nobody knows
FASTEST_KMH: Final = 300.0
SHORTEST_M: Final = 500.0  # a stretch shorter than this is no leg
GATE_NEAR_M: Final = 80.0  # a log that comes so near has passed the gate
END_SLACK_M: Final = 40.0
MOST_PLACED: Final = 200_000  # points of a log that are held against the gates


def split_at_stops(trace: Trace) -> list[tuple[float, float]]:
    """Cut a long log into drives: a stand of more than a minute, or a pause in the log, ends one. [s]

    Returns
    -------
    list of (start, end)
        Only drives of half a kilometre and more.
    """
    t, moving = trace.time_s, trace.speed_kmh > STOP_KMH
    driven = t[moving]
    if not len(driven):
        return []
    pauses = np.flatnonzero(np.diff(driven) > STOP_S)
    starts, ends = driven[np.concatenate([[0], pauses + 1])], driven[np.concatenate([pauses, [-1]])]
    pieces = list(zip(starts.tolist(), ends.tolist(), strict=True))
    travelled = np.concatenate([[0.0], np.cumsum((trace.speed_kmh[1:] + trace.speed_kmh[:-1]) / 7.2 * np.diff(t))])
    return [(a, b) for a, b in pieces if float(np.interp(b, t, travelled) - np.interp(a, t, travelled)) >= SHORTEST_M]


def split_at_gates(trace: Trace, places: RoadPlaces) -> list[tuple[float, float, bool]]:
    """Cut a long log into legs where it passes both gates of the road, one after the other. [s]

    Returns
    -------
    list of (start, end, backwards)
        In order of time; passages of one gate alone are left.
    """
    line = places.line
    if line is None or trace.latitude is None or trace.longitude is None:
        return []
    good = np.flatnonzero(np.isfinite(trace.latitude) & np.isfinite(trace.longitude))
    thinned = good[:: max(1, len(good) // MOST_PLACED)]
    if len(thinned) < 2:
        return []
    t = trace.time_s[thinned]
    lat, lon = trace.latitude[thinned], trace.longitude[thinned]
    gates = [1000.0 * places.start_km, 1000.0 * places.end_km]
    # Gates at the very ends of the road are passed a little inside it.
    gates = [max(gates[0], END_SLACK_M), min(gates[1], 1000.0 * places.length_km - END_SLACK_M)]
    passages: list[tuple[float, int]] = []
    for number, metres in enumerate(gates):
        at_lat = float(np.interp(metres, line.distance_m, line.latitude))
        at_lon = float(np.interp(metres, line.distance_m, line.longitude))
        north = (lat - at_lat) * 111_250.0
        east = (lon - at_lon) * 111_320.0 * math.cos(math.radians(at_lat))
        away = np.hypot(north, east)
        near = away < GATE_NEAR_M
        edges = np.flatnonzero(np.diff(near.astype(int), prepend=0, append=0))
        for a, b in zip(edges[::2], edges[1::2], strict=True):
            passages.append((float(t[a + int(np.argmin(away[a:b]))]), number))
    passages.sort()
    between_m = gates[1] - gates[0]
    least_s = between_m / (FASTEST_KMH / 3.6)
    return [
        (a[0], b[0], a[1] == 1)
        for a, b in zip(passages, passages[1:], strict=False)
        if a[1] != b[1] and b[0] - a[0] >= least_s and _driven_m(trace, a[0], b[0]) >= LEAST_DRIVEN * between_m
    ]


def _driven_m(trace: Trace, start_s: float, end_s: float) -> float:
    """Distance between two times by the speeds of a log, as far as they are known; nothing while it was silent. [m]"""
    inside = within(trace, start_s, end_s)
    speed, step = np.nan_to_num(trace.speed_kmh[inside]), np.diff(trace.time_s[inside])
    return float(((speed[1:] + speed[:-1]) / 7.2 * step)[step <= SILENT_S].sum())


def within(trace: Trace, start_s: float, end_s: float) -> slice:
    """Samples between two times, both ends included."""
    low = int(np.searchsorted(trace.time_s, start_s, side="left"))
    return slice(low, int(np.searchsorted(trace.time_s, end_s, side="right")))


def cut(trace: Trace, start_s: float, end_s: float) -> Trace:
    """Return the samples between two times, time starting at zero again."""
    inside = within(trace, start_s, end_s)
    columns = {name: values[inside] for name, values in trace.columns().items()}
    columns["time_s"] = columns["time_s"] - columns["time_s"][0]
    return Trace(**columns)

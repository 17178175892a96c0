"""Doubts about the data themselves, before anything is compared: clocks, dates, and logs that are not the leg's.

A log that cannot be the drive its leg says it is is left out of the analysis, told, and never believed.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from datetime import datetime, timedelta
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.evidence.conditions import common_offset, seconds_of, times_of
from fairmargin.core.evidence.logs import OFF_ROUTE_M
from fairmargin.core.fairness.checks import Concern
from fairmargin.core.laws.route import Line, line_of
from fairmargin.core.study import Leg, Study, Trace

Array = NDArray[np.float64]

#: A log shorter than this holds no drive: the shortest leg a study may have is longer. [m]
NO_DRIVE_M: Final = 50.0
#: Points of a log that are looked at, and the share of them that must lie on the road. Common practice: a phone's
#: position is good to some ten metres, in towns to some fifty; `OFF_ROUTE_M` is several times that.
LOOKED_AT: Final = 60
ON_ROAD_SHARE: Final = 0.3
#: Share of its own length that a log must come forward along the road to have a direction.
FORWARD_SHARE: Final = 0.4
#: Legs of one run follow each other; farther apart than this, one of their dates is wrong.
RUN_SPAN: Final = timedelta(days=2)
#: A single run so far from all the others, which lie within a month, is dated wrongly more often than driven then.
FAR_DAYS: Final = 150.0
NEAR_DAYS: Final = 31.0
#: Legs that overlap by more than a note's own minute were timed by a clock that was set. [s]
OVERLAP_S: Final = 90.0


def sound_logs(study: Study, traces: Mapping[str, Trace]) -> tuple[dict[str, Trace], list[Concern]]:
    """Leave out logs that cannot be their leg's: that stand still, lie off the road, or drive the other way.

    Returns
    -------
    traces, concerns
        The logs that may be used, and one concern a kind for the others.
    """
    sound = dict(traces)
    legs = {leg.leg: leg for leg in study.legs}
    line = _road(study)
    found: dict[str, list[tuple[Leg, str]]] = {}
    for name, trace in traces.items():
        leg = legs.get(name)
        if leg is None:
            continue
        metres = _driven_m(trace)
        if metres < NO_DRIVE_M:
            minutes = (trace.time_s[-1] - trace.time_s[0]) / 60.0
            found.setdefault("still", []).append((leg, f"{metres:.0f} m in {minutes:.0f} min"))
            continue
        if line is None or trace.latitude is None or trace.longitude is None:
            continue
        away, forward = _along(line, trace, metres, leg.direction == "back")
        if away is None:
            continue
        if away > OFF_ROUTE_M:
            words = f"{away / 1000:.0f} km" if away > 2000 else f"{away:.0f} m"
            found.setdefault("off", []).append((leg, f"{words} from it"))
        elif leg.direction in {"out", "back"} and forward < -FORWARD_SHARE:
            found.setdefault("turned", []).append((leg, f"its leg says {leg.direction}"))
    for group in found.values():
        for leg, _ in group:
            del sound[leg.leg]
    return sound, [_log_concern(kind, group) for kind, group in found.items()]


def _log_concern(kind: str, group: Sequence[tuple[Leg, str]]) -> Concern:
    title, cause, step = {
        "still": (
            "A log that stands still",
            "holds no drive",
            "Bring in the right log, or cut it where the drive is; without one the leg counts by what was typed.",
        ),
        "off": (
            "A log from another road",
            "does not lie on the study's road",
            "Look whether it belongs to this leg, or whether the road is the right one.",
        ),
        "turned": (
            "A log that drives the other way",
            "runs against the direction of its leg",
            "Swap the logs of the two directions, or set the leg's direction.",
        ),
    }[kind]
    words = "; ".join(f"{leg.leg}: {what}" for leg, what in group)
    return Concern(
        "log-doubtful",
        "caution",
        None,
        tuple(leg.leg for leg, _ in group),
        title,
        f"The log {cause} ({words}) and is left out of the analysis.",
        step,
        covered=False,
        signed=False,
    )


def _driven_m(trace: Trace) -> float:
    good = np.isfinite(trace.speed_kmh)
    if good.sum() < 2:
        return 0.0
    return float(np.trapezoid(trace.speed_kmh[good], trace.time_s[good]) / 3.6)


def _road(study: Study) -> Line | None:
    given = [p for p in study.route if p.latitude is not None and p.longitude is not None]
    if len(given) < 2:
        return None
    return line_of(
        np.array([p.distance_m - study.route[0].distance_m for p in given]),
        np.array([p.latitude for p in given], dtype=float),
        np.array([p.longitude for p in given], dtype=float),
    )


def _along(line: Line, trace: Trace, metres: float, backwards: bool) -> tuple[float | None, float]:
    """Distance from the road that most points keep [m], and how far the log comes along it, as a share of its length."""
    assert trace.latitude is not None and trace.longitude is not None
    good = np.flatnonzero(np.isfinite(trace.latitude) & np.isfinite(trace.longitude))
    if len(good) < 2:
        return None, 0.0
    index = good[np.unique(np.linspace(0, len(good) - 1, LOOKED_AT).astype(int))]
    speed = np.where(np.isfinite(trace.speed_kmh), trace.speed_kmh, 0.0) / 3.6
    steps = np.concatenate([[0.0], np.cumsum(0.5 * (speed[1:] + speed[:-1]) * np.diff(trace.time_s))])[index]
    best: tuple[float, float] = (math.inf, 0.0)
    # Where on the road a point may be is looked for near a guess: both ways are tried.
    for back in (backwards, not backwards):
        guess = line.length_m - steps if back else steps
        place, off = line.project(trace.latitude[index], trace.longitude[index], guess)
        away = float(np.quantile(off, ON_ROAD_SHARE))
        if away < best[0]:
            share = float(place[-1] - place[0]) / max(metres, 1.0)
            best = (away, -share if backwards else share)
    return best


# ---------------------------------------------------------------- clocks and dates


def clock_doubts(study: Study) -> list[Concern]:
    """Times that cannot all be right: offsets on some only, clocks that were set, dates far from their run."""
    out: list[Concern] = []
    timed = [leg for leg in study.legs if leg.started_at is not None and leg.included]
    every = times_of(study)
    naive = [t for t in every if t.tzinfo is None]
    if naive and len(naive) < len(every):
        legs = tuple(leg.leg for leg in timed if leg.started_at is not None and leg.started_at.tzinfo is None)
        offset = common_offset(study)
        hours = offset.total_seconds() / 3600.0
        out.append(
            _clock(
                legs or tuple(leg.leg for leg in timed),
                "Some times state their offset from UTC, others do not",
                f"{len(naive)} of {len(every)} times (legs and weather) state none; they are taken on the clock of the "
                f"others, UTC {hours:+g} h.",
                "Write all times with an offset, or none.",
            )
        )
    offsets = {
        t.utcoffset() for t in (leg.started_at for leg in timed) if t is not None and t.tzinfo is not None
    }
    if len(offsets) > 1 and _one_day(timed):
        out.append(
            _clock(
                tuple(leg.leg for leg in timed),
                "The clock changed during the day",
                "The offset from UTC differs between legs of one day; times are compared in UTC.",
                "Check that the weather and the logs are on the same clock.",
            )
        )
    out += _overlaps(study, timed)
    out += _far_dates(study, timed)
    return out


def _clock(legs: tuple[str, ...], title: str, message: str, step: str) -> Concern:
    return Concern("clock-doubtful", "caution", None, legs, title, message, step, covered=False, signed=False)


def _one_day(legs: Sequence[Leg]) -> bool:
    times = [leg.started_at for leg in legs if leg.started_at is not None]
    return bool(times) and max(t.timestamp() for t in times) - min(t.timestamp() for t in times) < 86_400.0


def _overlaps(study: Study, timed: Sequence[Leg]) -> list[Concern]:
    """Legs of one vehicle that overlap: it cannot drive two at once, so a clock was set (or a time mistyped)."""
    offset = common_offset(study)
    found: list[str] = []
    minutes: list[float] = []
    for vehicle in {leg.vehicle for leg in timed}:
        own = [leg for leg in timed if leg.vehicle == vehicle and leg.started_at is not None]
        order = sorted(own, key=lambda leg: seconds_of(_moment(leg), offset))
        for before, after in zip(order, order[1:], strict=False):
            ends = seconds_of(_moment(before), offset) + (before.duration_s or 0.0)
            over = ends - seconds_of(_moment(after), offset)
            if before.duration_s is not None and over > OVERLAP_S:
                found += [before.leg, after.leg]
                minutes.append(over / 60.0)
    if not found:
        return []
    return [
        _clock(
            tuple(dict.fromkeys(found)),
            "Two legs at the same time",
            f"Legs overlap by up to {max(minutes):.0f} min: a clock was set during the day, or a time is mistyped. "
            "Weather, warm-up and drift go by these times.",
            "Check start and driving time of these legs.",
        )
    ]


def _moment(leg: Leg) -> datetime:
    assert leg.started_at is not None
    return leg.started_at


def _far_dates(study: Study, timed: Sequence[Leg]) -> list[Concern]:
    offset = common_offset(study)
    out: list[Concern] = []
    runs: dict[str, list[Leg]] = {}
    for leg in timed:
        runs.setdefault(leg.run or leg.leg, []).append(leg)
    split = []
    for legs in runs.values():
        at = [seconds_of(_moment(leg), offset) for leg in legs]
        if max(at) - min(at) > RUN_SPAN.total_seconds():
            split.append((legs, (max(at) - min(at)) / 86_400.0))
    if split and study.method != "everyday":
        names = tuple(leg.leg for group, _ in split for leg in group)
        out.append(
            Concern(
                "date-doubtful",
                "blocks",
                None,
                names,
                "Legs of one run on far dates",
                f"The legs of one run lie {max(d for _, d in split):.0f} days apart: a date is mistyped, or they are no run. "
                "Season, day and weather go by these dates.",
                "Correct the date, or give the legs runs of their own.",
                covered=False,
                signed=False,
            )
        )
    elif len(runs) >= 4 and study.method != "everyday":
        days = {run: seconds_of(_moment(legs[0]), offset) / 86_400.0 for run, legs in runs.items()}
        middle = float(np.median(list(days.values())))
        far = [run for run, day in days.items() if abs(day - middle) > FAR_DAYS]
        others = [day for run, day in days.items() if run not in far]
        if len(far) == 1 and max(others) - min(others) <= NEAR_DAYS:
            out.append(
                Concern(
                    "date-doubtful",
                    "caution",
                    None,
                    tuple(leg.leg for leg in runs[far[0]]),
                    "One run dated far from all others",
                    f"{far[0]} is dated {abs(days[far[0]] - middle):.0f} days from the other runs, which lie close together.",
                    "Check the date, year included.",
                    covered=False,
                    signed=False,
                )
            )
    return out

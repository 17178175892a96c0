"""Concerns of the records themselves, before anything is compared: clocks, dates, and logs that are not the leg's.

A log that cannot be the drive its leg says it is is left out of the analysis, told, and never believed.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from statistics import median
from typing import Final, Literal

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.conditions.concern import Concern
from fairmargin.core.conditions.rules import Finding, Registry
from fairmargin.core.evidence.clock import common_offset, seconds_of, times_of
from fairmargin.core.evidence.distances import distance_ratios, leg_distances
from fairmargin.core.evidence.logs import OFF_ROUTE_M
from fairmargin.core.evidence.power_sign import power_sign
from fairmargin.core.evidence.readings import every_reading, trusted
from fairmargin.core.fairness import thresholds as limit
from fairmargin.core.laws.disturbance import level_wh_per_km
from fairmargin.core.laws.route import Line, line_of
from fairmargin.core.study import Leg, Study, Trace
from fairmargin.core.study.slips import is_confirmed
from fairmargin.core.units import said

Array = NDArray[np.float64]

Doubt = Literal["still", "off", "turned", "reversed"]
FALLING: Final = 0.75  # of what a level road takes, below which a way that is driven several times may fall
USUAL_KMH: Final = 80.0  # of a road whose speed nobody told


@dataclass(frozen=True, slots=True)
class RecordsContext:
    """A study's records, as the rules see them."""

    study: Study
    doubtful_logs: Mapping[Doubt, Sequence[tuple[Leg, str]]]  # with what was seen of each

    @property
    def timed(self) -> list[Leg]:
        """Legs used that have a clock time."""
        return [leg for leg in self.dated if not leg.dated_only]

    @property
    def dated(self) -> list[Leg]:
        """Legs used whose day is known."""
        return [leg for leg in self.study.legs if leg.started_at is not None and leg.included]


#: Rules of the records of any study.
RECORDS: Registry[RecordsContext] = Registry()


def check_records(study: Study, traces: Mapping[str, Trace]) -> tuple[dict[str, Trace], list[Concern]]:
    """Leave out logs that cannot be their leg's, and say what is doubtful of logs, clocks and dates.

    Returns
    -------
    traces, concerns
        The logs that may be used, and the concerns.
    """
    doubtful = doubtful_logs(study, traces)
    out = {leg.leg for group in doubtful.values() for leg, _ in group}
    sound = {name: trace for name, trace in traces.items() if name not in out}
    return sound, RECORDS.check(RecordsContext(study, doubtful))


# ---------------------------------------------------------------- readings that no drive gives


@RECORDS.rule("reading-doubtful", stage="drive", needs="readings", covered=False)
def nothing_used(records: RecordsContext) -> Iterator[Finding]:
    """A leg that took next to nothing, or gave energy back, where no hill explains it: no ratio can be made of it."""
    study = records.study
    if study.method in {"climb", "everyday"}:
        return
    ratios = distance_ratios(study)
    per_km: dict[str, list[tuple[str, float, str]]] = {}  # by direction: leg, Wh/km, what was shown
    for leg in study.legs:
        distance = leg_distances(study, leg, ratios[leg.configuration], None) if leg.included else None
        if distance is None:
            continue
        way = f"{leg.vehicle}/{leg.sector}/{leg.direction}"
        for r in every_reading(study, leg, distance[0], None):
            if trusted(study, r.instrument):
                per_km.setdefault(way, []).append((leg.leg, r.energy_wh / distance[0], r.shown))
    level = _level_wh_per_km(study)
    for way, members in per_km.items():
        usual = median([x for _, x, _ in members])
        for name, wh_per_km, shown in members:
            leg = study.leg(name)
            if wh_per_km > limit.LEAST_TAKEN * level or is_confirmed(leg):
                continue
            falls = leg.direction == "back" and usual < FALLING * level and _climbs_out(level, way, per_km)
            if falls or _falls(study, leg):
                continue
            yield Finding(
                "blocks",
                None,
                (name,),
                f"The reading of {name} cannot be right",
                f"{name} shows {shown}: next to nothing for its distance, or energy that came back, and no hill explains it.",
                f"Look at the reading of {name}: a sign, a digit, before and after. If it showed that, confirm it; else leave it "
                "out with its reason.",
            )


def _falls(study: Study, leg: Leg) -> bool:
    """Whether the road's heights let a vehicle roll: a mean fall of more than rolling takes."""
    known = [(p.distance_m, p.elevation_m) for p in study.route if p.elevation_m is not None]
    if len(known) < 2 or known[-1][0] <= known[0][0]:
        return False
    slope = (known[-1][1] - known[0][1]) / (known[-1][0] - known[0][0])
    return bool((slope if leg.direction == "back" else -slope) > limit.ROLLING_SLOPE)


def _level_wh_per_km(study: Study) -> float:
    """What the vehicle takes on a level road at a usual speed. [Wh/km]"""
    k = study.vehicle.constants()
    return level_wh_per_km(
        k.mass_kg, k.rolling_coefficient, k.drag_area_m2, k.drive_efficiency, k.auxiliary_w, USUAL_KMH / 3.6
    )


def _climbs_out(level: float, way: str, per_km: Mapping[str, Sequence[tuple[str, float, str]]]) -> bool:
    """Whether the way out took so much more than level roads do that the way back may take nothing."""
    out = [x for _, x, _ in per_km.get(f"{way.rsplit('/', 1)[0]}/out", ()) if x > 0]
    return bool(out) and float(np.median(out)) > limit.CLIMB_TIMES * level


# ---------------------------------------------------------------- logs


def doubtful_logs(study: Study, traces: Mapping[str, Trace]) -> dict[Doubt, list[tuple[Leg, str]]]:
    """Logs that stand still, lie off the road, or drive the other way, with what was seen of each."""
    legs = {leg.leg: leg for leg in study.legs}
    line = _road(study)
    found: dict[Doubt, list[tuple[Leg, str]]] = {}
    for name, trace in traces.items():
        leg = legs.get(name)
        doubt = None if leg is None else _doubt(study, leg, trace, line)
        if leg is not None and doubt is not None:
            found.setdefault(doubt[0], []).append((leg, doubt[1]))
    return found


def _doubt(study: Study, leg: Leg, trace: Trace, line: Line | None) -> tuple[Doubt, str] | None:
    metres = _driven_m(trace)
    if metres < limit.NO_DRIVE_M:
        minutes = (trace.time_s[-1] - trace.time_s[0]) / 60.0
        return "still", f"{said(metres, 'm')} in {minutes:.0f} min"
    if trace.power_kw is not None:
        sign, kwh = power_sign(trace), _energy_kwh(trace)
        rolls = study.method == "climb" or _falls(study, leg)
        if sign < 0 or (sign == 0 and kwh < 0 and not rolls):
            return "reversed", f"{kwh:.1f} kWh"
    if line is None or trace.latitude is None or trace.longitude is None:
        return None
    away, forward = _along(line, trace, metres, leg.direction == "back")
    if away is None:
        return None
    if away > OFF_ROUTE_M:
        return "off", f"{said(away / 1000, 'km')} from it" if away > 2000 else f"{said(away, 'm')} from it"
    if leg.direction in {"out", "back"} and forward < -limit.FORWARD_SHARE:
        return "turned", f"its leg says {leg.direction}"
    return None


#: Title, what the log does, and the next step, for each doubt.
_LOG_WORDS: Final[Mapping[Doubt, tuple[str, str, str]]] = {
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
    "reversed": (
        "A log whose power is counted the other way round",
        "gives energy on the whole where a drive takes some",
        "Bring the log in again: its sign is turned then, or asked.",
    ),
    "turned": (
        "A log that drives the other way",
        "runs against the direction of its leg",
        "Swap the logs of the two directions, or set the leg's direction.",
    ),
}


@RECORDS.rule("log-doubtful", stage="examine", needs="logs", covered=False)
def log_doubtful(records: RecordsContext) -> Iterator[Finding]:
    """Logs left out because they cannot be their leg's."""
    for doubt, group in records.doubtful_logs.items():
        title, cause, step = _LOG_WORDS[doubt]
        words = "; ".join(f"{leg.leg}: {what}" for leg, what in group)
        yield Finding(
            "caution",
            None,
            tuple(leg.leg for leg, _ in group),
            title,
            f"The log {cause} ({words}) and is left out of the analysis.",
            step,
        )


def _energy_kwh(trace: Trace) -> float:
    """Integral of a log's power. [kWh]"""
    assert trace.power_kw is not None
    good = np.isfinite(trace.power_kw)
    return float(np.trapezoid(trace.power_kw[good], trace.time_s[good]) / 3600.0)


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
    index = good[np.unique(np.linspace(0, len(good) - 1, int(limit.LOOKED_AT)).astype(int))]
    speed = np.where(np.isfinite(trace.speed_kmh), trace.speed_kmh, 0.0) / 3.6
    steps = np.concatenate([[0.0], np.cumsum(0.5 * (speed[1:] + speed[:-1]) * np.diff(trace.time_s))])[index]
    best: tuple[float, float] = (math.inf, 0.0)
    # Where on the road a point may be is looked for near a guess: both ways are tried.
    for back in (backwards, not backwards):
        guess = line.length_m - steps if back else steps
        place, off = line.project(trace.latitude[index], trace.longitude[index], guess)
        away = float(np.quantile(off, limit.ON_ROAD_SHARE))
        if away < best[0]:
            share = float(place[-1] - place[0]) / max(metres, 1.0)
            best = (away, -share if backwards else share)
    return best


# ---------------------------------------------------------------- clocks and dates


@RECORDS.rule("clock-doubtful", stage="drive", needs="times", covered=False)
def offsets_on_some(records: RecordsContext) -> Iterator[Finding]:
    """Offsets from UTC on some times only."""
    every = times_of(records.study)
    naive = [t for t in every if t.tzinfo is None]
    if not naive or len(naive) == len(every):
        return
    legs = tuple(leg.leg for leg in records.timed if _moment(leg).tzinfo is None)
    hours = common_offset(records.study).total_seconds() / 3600.0
    yield _clock(
        legs or tuple(leg.leg for leg in records.timed),
        "Some times state their offset from UTC, others do not",
        f"{len(naive)} of {len(every)} times (legs and weather) state none; they are taken on the clock of the "
        f"others, UTC {hours:+g} h.",
        "Write all times with an offset, or none.",
    )


@RECORDS.rule("clock-doubtful", stage="drive", needs="times with offsets", covered=False)
def clock_changed(records: RecordsContext) -> Iterator[Finding]:
    """Another offset from UTC within one day."""
    offsets = {t.utcoffset() for leg in records.timed if (t := _moment(leg)).tzinfo is not None}
    if len(offsets) < 2 or not _one_day(records.timed):
        return
    yield _clock(
        tuple(leg.leg for leg in records.timed),
        "The clock changed during the day",
        "The offset from UTC differs between legs of one day; times are compared in UTC.",
        "Check that the weather and the logs are on the same clock.",
    )


@RECORDS.rule("clock-doubtful", stage="drive", needs="start and driving times", covered=False)
def legs_overlap(records: RecordsContext) -> Iterator[Finding]:
    """Legs of one vehicle that overlap: it cannot drive two at once, so a clock was set (or a time mistyped)."""
    offset = common_offset(records.study)
    found: list[str] = []
    minutes: list[float] = []
    for vehicle in {leg.vehicle for leg in records.timed}:
        own = [leg for leg in records.timed if leg.vehicle == vehicle]
        order = sorted(own, key=lambda leg: seconds_of(_moment(leg), offset))
        for before, after in zip(order, order[1:], strict=False):
            ends = seconds_of(_moment(before), offset) + (before.duration_s or 0.0)
            over = ends - seconds_of(_moment(after), offset)
            if before.duration_s is not None and over > limit.OVERLAP_S:
                found += [before.leg, after.leg]
                minutes.append(over / 60.0)
    if not found:
        return
    yield _clock(
        tuple(dict.fromkeys(found)),
        "Two legs at the same time",
        f"Legs overlap by up to {max(minutes):.0f} min: a clock was set during the day, or a time is mistyped. "
        "Weather, warm-up and drift go by these times.",
        "Check start and driving time of these legs.",
    )


def _clock(legs: tuple[str, ...], title: str, message: str, step: str) -> Finding:
    return Finding("caution", None, legs, title, message, step)


def _one_day(legs: Sequence[Leg]) -> bool:
    times = [_moment(leg).timestamp() for leg in legs]
    return bool(times) and max(times) - min(times) < 86_400.0


def _moment(leg: Leg) -> datetime:
    assert leg.started_at is not None
    return leg.started_at


def _days_by_run(records: RecordsContext) -> dict[str, list[tuple[Leg, float]]]:
    """Legs of each run whose day is known, with the day (and part of it) since 1970 on which they started."""
    offset = common_offset(records.study)
    runs: dict[str, list[tuple[Leg, float]]] = {}
    for leg in records.dated:
        runs.setdefault(leg.run or leg.leg, []).append((leg, seconds_of(_moment(leg), offset) / 86_400.0))
    return runs


def _spread_runs(records: RecordsContext) -> list[tuple[list[tuple[Leg, float]], float]]:
    """Runs whose legs lie too far apart to be one run, with the days between."""
    found = []
    for legs in _days_by_run(records).values():
        days = [day for _, day in legs]
        if max(days) - min(days) > limit.RUN_SPAN_DAYS:
            found.append((legs, max(days) - min(days)))
    return found


@RECORDS.rule("date-doubtful", stage="drive", needs="start times", covered=False)
def run_on_far_dates(records: RecordsContext) -> Iterator[Finding]:
    """Legs of one run on far dates."""
    spread = _spread_runs(records)
    if not spread or records.study.method == "everyday":
        return
    yield Finding(
        "blocks",
        None,
        tuple(leg.leg for legs, _ in spread for leg, _ in legs),
        "Legs of one run on far dates",
        f"The legs of one run lie {max(d for _, d in spread):.0f} days apart: a date is mistyped, or they are no run. "
        "Season, day and weather go by these dates.",
        "Correct the date, or give the legs runs of their own.",
    )


@RECORDS.rule("date-doubtful", stage="drive", needs="start times of four runs", covered=False)
def run_far_from_others(records: RecordsContext) -> Iterator[Finding]:
    """One run dated far from all others, which lie close together."""
    runs = _days_by_run(records)
    if len(runs) < limit.DATED_RUNS or records.study.method == "everyday" or _spread_runs(records):
        return
    days = {run: legs[0][1] for run, legs in runs.items()}
    middle = median(days.values())
    far = [run for run, day in days.items() if abs(day - middle) > limit.FAR_DAYS]
    others = [day for run, day in days.items() if run not in far]
    if len(far) != 1 or max(others) - min(others) > limit.NEAR_DAYS:
        return
    yield Finding(
        "caution",
        None,
        tuple(leg.leg for leg, _ in runs[far[0]]),
        "One run dated far from all others",
        f"{far[0]} is dated {abs(days[far[0]] - middle):.0f} days from the other runs, which lie close together.",
        "Check the date, year included.",
    )

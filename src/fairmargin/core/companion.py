"""What a companion on the road works out: what is next, what a spoilt stretch is worth, whether instruments agree.

Pure functions of the study, of readings and of seconds handed in; the clock and the screen are elsewhere.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from typing import Final, Literal

import numpy as np

from fairmargin.core.evidence.distances import distance_ratios, leg_distances
from fairmargin.core.evidence.reading import Reading
from fairmargin.core.evidence.readings import every_reading
from fairmargin.core.laws import auxiliaries, disturbance
from fairmargin.core.laws.route import Line, line_of
from fairmargin.core.planning import leg_km, plan_day, split
from fairmargin.core.planning.checklists import kit
from fairmargin.core.planning.timetable import Timetable
from fairmargin.core.study import Event, Leg, Study, Trace
from fairmargin.core.study.cells import held_kmh
from fairmargin.core.study.layout import as_planned
from fairmargin.core.study.sectors import route_of
from fairmargin.core.study.vocabulary import EventKind

#: A speed this much below the aim is slow traffic once it has lasted. Common practice.
SLOW_SHARE: Final = 0.92
SLOW_S: Final = 15.0
STOPPED_KMH: Final = 3.0
STOPPED_S: Final = 5.0
#: What the shown distance may be ahead of the driven one after a reset: its step, and a late press. [km]
RESET_SLACK_KM: Final = 0.25
AGREE_SD: Final = 2.5


@dataclass(frozen=True, eq=False, slots=True)
class RoadPlaces:
    """Where along the road a position is, and where the gates are. Lengths in km."""

    line: Line | None
    length_km: float
    start_km: float  # gates, in the out direction
    end_km: float
    sectors: tuple[tuple[float, str], ...] = ()  # where each named sector begins, out direction
    gated: bool = True  # whether it is known where a leg begins and ends

    def gates(self, backwards: bool) -> tuple[float, float]:
        """Start and end gate in driving direction. [km]"""
        if backwards:
            return self.length_km - self.end_km, self.length_km - self.start_km
        return self.start_km, self.end_km

    @property
    def between_km(self) -> float:
        """Distance from reset to read-off. [km]"""
        return self.end_km - self.start_km

    def landmark_ahead(self, place_km: float, backwards: bool) -> tuple[str, float] | None:
        """Name of the next sector in driving direction and how far it is; None on the last one. [km]"""
        out = self.length_km - place_km if backwards else place_km
        if backwards:
            behind = [s for s in self.sectors if s[0] < out]
            if len(behind) < 2:
                return None  # in the first sector, or none is named
            return behind[-2][1], out - behind[-1][0]
        ahead = next((s for s in self.sectors if s[0] > out), None)
        return None if ahead is None else (ahead[1], ahead[0] - out)

    def along_km(self, latitude: float, longitude: float, backwards: bool, guess_km: float) -> float | None:
        """Place in driving direction; None off the road (more than 200 m) or without a road. [km]"""
        if self.line is None:
            return None
        guess = self.length_km - guess_km if backwards else guess_km
        place, off = self.line.project(np.array([latitude]), np.array([longitude]), np.array([1000.0 * guess]))
        if off[0] > 200.0:
            return None
        km = float(place[0]) / 1000.0
        return self.length_km - km if backwards else km


def road_places(study: Study, sector: str = "") -> RoadPlaces:
    """Lay out the study's road for finding one's place on it; the gates are those of a sector, where one is named."""
    given = [p for p in study.route if p.latitude is not None and p.longitude is not None]
    line = None
    length = leg_km(study)
    if len(given) >= 2:
        first = given[0].distance_m
        line = line_of(
            np.array([p.distance_m - first for p in given]),
            np.array([p.latitude for p in given], dtype=float),
            np.array([p.longitude for p in given], dtype=float),
        )
        length = line.length_m / 1000.0
    start = (study.plan.gate_start_m or 0.0) / 1000.0
    end = min(length, (study.plan.gate_end_m or 1000.0 * length) / 1000.0)
    if end <= start:
        start, end = 0.0, length
    gated = True
    if sector:
        own = route_of(study, sector)
        gated = 1 < len(own) < len(study.route)
        if gated:
            whole = study.route[0].distance_m
            first_km, last_km = ((p.distance_m - whole) / 1000.0 for p in (own[0], own[-1]))
            start, end = (max(start, first_km), min(end, last_km)) if last_km > start and first_km < end else (0.0, 0.0)
    sectors: list[tuple[float, str]] = []
    for p in study.route:
        if p.sector and (not sectors or sectors[-1][1] != p.sector):
            sectors.append(((p.distance_m - study.route[0].distance_m) / 1000.0, p.sector))
    return RoadPlaces(line, length, start, end, tuple(sectors), gated and end > start)


def leg_checklist(study: Study, leg: Leg) -> tuple[str, ...]:
    """What to look at before this leg: the arrival's on the first, a swap's after one, a run's on its first leg."""
    run = leg.run or leg.leg
    same = [x for x in study.legs if (x.run or x.leg) == run]
    first = same[0].leg == leg.leg
    before = [x for x in study.legs[: study.legs.index(leg)] if (x.run or x.leg) != run]
    swapped = bool(before) and before[-1].configuration != leg.configuration
    wanted = {"each leg"} | ({"each run"} if first else set()) | ({"swap"} if first and swapped else set())
    if not before and first:
        wanted |= {"arrival"}
    items = kit(study)
    return tuple(i.text for i in items if i.when in wanted and not i.done)


def aimed_kmh(study: Study, leg: Leg) -> tuple[float, float] | None:
    """Speed to hold, true and as the speedometer must show it; None without a target. [km/h]"""
    speed = held_kmh(study, leg)
    if not speed:
        return None
    return speed, speed * _speedometer(study)


def true_kmh(study: Study, shown_kmh: float) -> float:
    """Speed over the ground where the vehicle says so much, by the error its owner stated. [km/h]"""
    return shown_kmh / _speedometer(study)


def _speedometer(study: Study) -> float:
    """What the vehicle says over what is true."""
    return 1.0 + (study.vehicle.speed_error_percent or 0.0) / 100.0


def reset_took(shown_km: float, driven_km: float) -> bool:
    """Whether a trip meter that shows so much was reset where we think: it must have begun again."""
    return shown_km <= 1.05 * driven_km + RESET_SLACK_KM


# ---------------------------------------------------------------- what a spoilt stretch is worth


@dataclass(frozen=True, slots=True)
class Disturbance:
    """Something that spoilt a leg, and what it may be worth in per cent of the leg's consumption (signed)."""

    kind: EventKind
    seconds: float
    speed_kmh: float | None
    percent: float | None  # None = cannot be priced


def price(study: Study, leg: Leg, kind: EventKind, seconds: float, speed_kmh: float | None = None) -> Disturbance:
    """Price a thing that happened on a leg through the study's own vehicle.

    Slow traffic and stops: steady consumption at the two speeds over the stretch, auxiliaries over the time
    lost, and the energy to regain the speed less what braking gave back. Following closely and rain by what
    they usually are worth (common practice), over their share of the leg.

    Parameters
    ----------
    study : Study
    leg : Leg
    kind : EventKind
    seconds : float
        How long it lasted.
    speed_kmh : float, optional
        How fast the vehicle went meanwhile.

    Returns
    -------
    Disturbance
    """
    aim = aimed_kmh(study, leg)
    if aim is None or seconds <= 0:
        return Disturbance(kind, seconds, speed_kmh, None)
    v = aim[0]
    km = leg_km(study)
    free = split(study, v)
    whole = free.total * km
    k = study.vehicle.constants()

    def regained(low_kmh: float) -> float:
        """Energy lost by slowing to a speed and regaining the aim. [Wh]"""
        return float(disturbance.regained_wh(k.mass_kg, v / 3.6, low_kmh / 3.6, k.drive_efficiency, k.regen_efficiency))

    if kind == "slow-traffic" and speed_kmh is not None and speed_kmh > STOPPED_KMH:
        slow_km = min(seconds / 3600.0 * speed_kmh, km)
        wh = (split(study, speed_kmh).total - free.total) * slow_km + regained(speed_kmh)
    elif kind == "stop" or (kind == "slow-traffic" and speed_kmh is not None):
        wh = auxiliaries.energy_wh(k.auxiliary_w, seconds) + regained(0.0)
    elif kind == "following-closely":
        share = min(1.0, seconds / 3600.0 * v / km)
        wh = -disturbance.WAKE_SHARE * free.air / k.drive_efficiency * km * share
    elif kind == "rain":
        wh = disturbance.road_share("wet") * whole * min(1.0, seconds / 3600.0 * v / km)
    else:
        return Disturbance(kind, seconds, speed_kmh, None)
    return Disturbance(kind, seconds, speed_kmh, 100.0 * wh / whole)


def worth_repeating(study: Study, spoilt: Sequence[Disturbance]) -> bool:
    """Whether what happened on a leg is worth more than half of the smallest effect that matters."""
    total = sum(s.percent or 0.0 for s in spoilt)
    return abs(total) > 0.5 * study.smallest_effect_percent


@dataclass(slots=True)
class SpeedWatch:
    """Notices slow traffic and stops in the speeds as they come.

    Parameters
    ----------
    aim_kmh : float or None
        Without one only stops are noticed.
    """

    aim_kmh: float | None
    _slow: list[tuple[float, float]] = field(default_factory=list)  # at, speed

    def feed(self, at: float, speed_kmh: float) -> tuple[EventKind, float, float, float] | None:
        """Take one speed.

        Returns
        -------
        kind, start, seconds, mean speed
            When a slow stretch has just ended; None otherwise.
        """
        limit = STOPPED_KMH if self.aim_kmh is None else SLOW_SHARE * self.aim_kmh
        if speed_kmh < limit:
            self._slow.append((at, speed_kmh))
            return None
        return self.end(at)

    def end(self, at: float) -> tuple[EventKind, float, float, float] | None:
        """End what is under way (the leg is over), as `feed`."""
        stretch, self._slow = self._slow, []
        if not stretch:
            return None
        start = stretch[0][0]
        lasting = at - start
        standing = [s for s in stretch if s[1] < STOPPED_KMH]
        if standing and standing[-1][0] - standing[0][0] >= STOPPED_S:
            return "stop", start, lasting, 0.0
        if lasting < SLOW_S or self.aim_kmh is None:
            return None
        return "slow-traffic", start, lasting, float(np.mean([v for _, v in stretch]))

    def under_way(self, at: float) -> tuple[float, float] | None:
        """Seconds and mean speed of a slow stretch that has lasted long enough to be told; else None."""
        if not self._slow or at - self._slow[0][0] < SLOW_S:
            return None
        return at - self._slow[0][0], float(np.mean([v for _, v in self._slow]))


def again(study: Study, name: str, reason: str) -> Study:
    """Leave a leg out with its reason and plan the same drive once more, right after it.

    Raises
    ------
    KeyError
        If there is no such leg.
    """
    leg = study.leg(name)
    names = {x.leg for x in study.legs}
    fresh = next(n for i in range(2, 1000) if (n := f"{name[:55]}.{i}") not in names)
    repeat = as_planned(leg, fresh)
    legs = []
    for x in study.legs:
        legs.append(x.with_(included=False, reason=reason) if x.leg == name else x)
        if x.leg == name:
            legs.append(repeat)
    return study.with_legs(legs)


def events_of_leg(study: Study, name: str) -> tuple[Event, ...]:
    """Events noted on a leg."""
    return tuple(e for e in study.events if e.leg == name)


def disturbances_of_leg(study: Study, name: str) -> tuple[Disturbance, ...]:
    """What spoilt a leg, priced, from its events."""
    leg = study.leg(name)
    found = []
    for e in events_of_leg(study, name):
        if e.kind in {"slow-traffic", "stop", "following-closely", "rain"}:
            found.append(price(study, leg, e.kind, float(e.duration_s or 0.0), e.speed_kmh))
        elif e.kind in {"wrong-turn", "lift-off", "reset-doubtful"}:
            found.append(Disturbance(e.kind, float(e.duration_s or 0.0), None, None))
    return tuple(found)


# ---------------------------------------------------------------- the timetable


@dataclass(frozen=True, slots=True)
class Lateness:
    """How the day stands against its plan."""

    late_min: float
    next_run: datetime | None
    end: datetime
    warnings: tuple[str, ...]


def lateness(study: Study, now: datetime, done_runs: int, pause: timedelta = timedelta()) -> Lateness | None:
    """Lay out what is left from now, and compare its end with the plan's; None when no day is planned.

    Parameters
    ----------
    study : Study
    now : datetime
    done_runs : int
        Runs wholly driven.
    pause : timedelta
        Still to wait before the next run.
    """
    if study.plan.day is None or now.date() != study.plan.day:
        return None
    order = study.order
    if done_runs >= len(order):
        return None
    planned = plan_day(study, order)
    left = plan_day(study, order, done_runs=done_runs, now=now + pause) if done_runs else _from_start(study, order, now + pause, planned)  # fmt: skip
    nxt = next((s.start for s in left.steps if s.kind == "run"), None)
    late = (left.end - planned.end).total_seconds() / 60.0
    return Lateness(late, nxt, left.end, left.warnings)


def _from_start(study: Study, order: str, now: datetime, planned: Timetable) -> Timetable:
    """Before the first run is driven the plan holds until its start has passed."""
    first = next(s.start for s in planned.steps if s.kind == "run")
    late = (now - first).total_seconds() / 60.0
    return plan_day(study, order, late_min=late) if late > 0 else planned


# ---------------------------------------------------------------- instruments side by side


@dataclass(frozen=True, slots=True)
class ReadingBand:
    """One instrument's consumption with the band its step leaves open. [Wh/km]"""

    instrument: str
    shown: str
    wh_per_km: float
    low: float
    high: float
    agrees: bool  # with the most direct one, within what both can say


Agreement = Literal["one", "agree", "differ"]


def compare_readings(study: Study, leg: Leg, trace: Trace | None) -> tuple[ReadingBand, ...]:
    """Every instrument's answer for one leg, most direct first, with the band of its step (95 %).

    A uniform step of width s has standard deviation s/√12 (JCGM 100:2008, 4.3.7); the band is ± √3 of it, the
    whole step, and more where lag and repeatability add to it.
    """
    ratio = distance_ratios(study)[leg.configuration]
    distance = leg_distances(study, leg, ratio, trace)
    if distance is None:
        return ()
    readings: list[Reading] = every_reading(study, leg, distance[0], trace)
    bands: list[ReadingBand] = []
    for r in readings:
        value = r.energy_wh / distance[1]
        half = math.sqrt(3.0) * r.relative_sd * value
        agrees = True
        if bands:
            first = readings[0]
            apart = abs(r.energy_wh - first.energy_wh)
            sd = math.hypot(r.relative_sd * r.energy_wh, first.relative_sd * first.energy_wh)
            # What is common to all legs (capacity, charging losses, odometer) cancels in the effect: allow it.
            common = {"state of charge": 0.06, "charge back": 0.05}.get(r.instrument, 0.01) * first.energy_wh
            agrees = apart <= AGREE_SD * sd + common
        bands.append(ReadingBand(r.instrument, r.shown, value, value - half, value + half, agrees))
    return tuple(bands)


def agreement(bands: Sequence[ReadingBand]) -> Agreement:
    """Whether the instruments of a leg agree."""
    if len(bands) < 2:
        return "one"
    return "agree" if all(b.agrees for b in bands) else "differ"

"""The legs as the fit sees them: a row for each leg or segment of a logged one, an entry for each thing measured."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.evidence.conditions import JAM_M_S, Conditions
from fairmargin.core.evidence.hold_ups import full_stops
from fairmargin.core.evidence.logs import GatedLog, Logs
from fairmargin.core.evidence.reading import Observation
from fairmargin.core.inference import priors
from fairmargin.core.laws import disturbance, rolling
from fairmargin.core.model.paths import Stretches
from fairmargin.core.model.road import LoggedRows, Road
from fairmargin.core.study import Event, Study

Array = NDArray[np.float64]
Integers = NDArray[np.intp]

SEGMENT_M: Final = 1500.0  # shortest segment of a logged leg
MOST_SEGMENTS: Final = 8
MOST_ENTRIES: Final = 256  # of a whole fit
MOST_GAP: Final = 0.2  # share of a segment without samples beyond which it is left out
FAIR_PART: Final = 0.35  # of the mean energy that every segment must take for its logarithm to mean something
WHOLE_LEG: Final = -1


@dataclass(frozen=True, slots=True)
class Row:
    """One leg, or one segment of a logged leg."""

    stretches: Stretches
    leg: int
    entry: int
    stops: float = 0.0
    stopped_s: float = 0.0
    cold_share: float = 0.0
    part: int = WHOLE_LEG  # number of the segment in driving direction
    middle: float = 0.0  # of the segment in the leg's time, −1 to 1


@dataclass(frozen=True, slots=True)
class Entry:
    """One thing measured: the energy of a leg, of a run charged back as a whole, or of a segment."""

    owner: int  # index of the observation
    log_energy: float
    reading_var: float
    unit: float = 0.0  # segment noise over its nominal share; 0 for whole legs
    even: float = 0.0  # mean energy of the leg's segments over this one's; 0 for whole legs


@dataclass(frozen=True, eq=False)
class Rows:
    """All rows and entries as arrays; rows of an entry lie side by side, in the order of the entries."""

    stretches: list[Stretches]
    stops: Array
    stopped_s: Array
    cold_share: Array
    leg: Integers
    entry: Integers
    part: Integers
    middle: Array
    # per entry:
    owner: Integers
    measured: Array  # log energy
    reading_var: Array
    unit: Array
    even: Array

    @cached_property
    def first(self) -> Integers:
        """First row of every entry."""
        return np.flatnonzero(np.diff(self.entry, prepend=-1))

    @cached_property
    def segmented(self) -> bool:
        """Whether any leg is cut."""
        return bool((self.part >= 0).any())

    def noise(self, segment_share: float) -> Array:
        """Variance of each entry by itself: its reading, and for segments their own noise."""
        return self.reading_var + (segment_share * self.unit) ** 2


def as_arrays(rows: Sequence[Row], entries: Sequence[Entry]) -> Rows:
    """Turn rows and entries into columns."""

    def column(name: str) -> Array:
        return np.array([getattr(r, name) for r in rows], dtype=float)

    def whole(name: str) -> Integers:
        return np.array([getattr(r, name) for r in rows], dtype=np.intp)

    def measured(name: str) -> Array:
        return np.array([getattr(e, name) for e in entries], dtype=float)

    return Rows(
        stretches=[r.stretches for r in rows],
        stops=column("stops"),
        stopped_s=column("stopped_s"),
        cold_share=column("cold_share"),
        leg=whole("leg"),
        entry=whole("entry"),
        part=whole("part"),
        middle=column("middle"),
        owner=np.array([e.owner for e in entries], dtype=np.intp),
        measured=measured("log_energy"),
        reading_var=measured("reading_var"),
        unit=measured("unit"),
        even=measured("even"),
    )


def lay_rows(
    study: Study,
    road: Road,
    conditions: Sequence[Conditions],
    observations: Sequence[Observation],
    logs: Logs,
    with_events: bool,
) -> Rows:
    """Lay every observation's legs on the road; logged ones between their gates, cut where that is worth it."""
    events: dict[str, list[Event]] = {}
    for event in study.events if with_events else ():
        events.setdefault(event.leg, []).append(event)
    index = {c.leg: i for i, c in enumerate(conditions)}
    integrated = {name for o in observations if o.gated_wh is not None for name in o.legs}
    # Laps of a town are not alike at one place: lights and queues stand where they will. Where nobody noted the wind,
    # a place's slope and its wind would explain each other.
    whole = study.method == "laps" or not any(c.wind_known for c in conditions)
    on_this = [c for c in conditions if road.of(c.leg) is road]  # another road's places are others
    segments = {False: 1, True: 1} if whole else _segments(logs, on_this, integrated)
    if not with_events:
        conditions = [replace(c, jam_s=0.0) if c.jam_s else c for c in conditions]
    told = study if with_events or not study.events else study.with_(events=())
    rows: list[Row] = []
    entries: list[Entry] = []
    for j, o in enumerate(observations):
        cut = False
        for name in o.legs:
            i, log = index[name], logs.of(name)
            if log is None:
                own = road.of(name)
                rows += _steady(own, told, conditions[i], i, len(entries), events.get(name, []))
                continue
            count = segments[conditions[i].backwards] if name in integrated and road.of(name) is road else 1
            if log.gap_share > MOST_GAP or len(o.legs) > 1:
                count = 1  # mostly gap: the whole is worth more than its pieces
            used = log if name in integrated else log.whole()
            for row, entry in _logged(road.of(name), used, log, conditions[i], i, j, count, len(entries)):
                rows.append(row)
                if entry is not None:
                    entries.append(entry)
                    cut = True
        if not cut:
            entries.append(Entry(j, math.log(o.fit_wh), o.own_variance))
    return as_arrays(rows, entries)


def _steady(road: Road, study: Study, c: Conditions, leg: int, entry: int, events: Sequence[Event]) -> list[Row]:
    """A leg without a log, at the speed that it held; its stops take their own time and energy.

    One row; two where it went there and back, for the wind of its second half is another's.
    """
    stops = full_stops(study, c.leg, c.stopped_s)
    if c.jam_s > 0:
        crawl = Event(
            leg=c.leg, kind="slow-traffic", at_km=c.true_m / 2000.0, duration_s=c.jam_s, speed_kmh=3.6 * JAM_M_S
        )
        events = [*(e for e in events if e.kind != "slow-traffic" or (e.speed_kmh and e.duration_s)), crawl]
    ways: tuple[Stretches, ...] = (
        road.there_and_back(c.true_m, c.speed_m_s, events, c.timed)
        if c.there_and_back
        else (road.steady(c.backwards, c.true_m, c.speed_m_s, events, c.timed),)
    )
    share = 1.0 / len(ways)
    stood = c.stopped_s + c.idle_s + stops * c.speed_m_s * disturbance.ramp_s_per_m_s()
    return [
        Row(
            way,
            leg,
            entry,
            stops=share * (stops + _slowed(study, c, events)),
            stopped_s=share * stood,
            cold_share=c.cold_share,
            middle=0.0 if len(ways) == 1 else (-0.5, 0.5)[i],
        )
        for i, way in enumerate(ways)
    ]


def _slowed(study: Study, c: Conditions, events: Sequence[Event]) -> float:
    """Kinetic energy lost to slow traffic and built up again, as so many full stops; on laps speed comes and goes anyway."""
    if study.method == "laps":
        return 0.0
    slow = [e.speed_kmh / 3.6 for e in events if e.kind == "slow-traffic" and e.speed_kmh]
    return float(sum(max(0.0, 1.0 - (v / c.speed_m_s) ** 2) for v in slow))


def _logged(
    road: Road, used: GatedLog, log: GatedLog, c: Conditions, leg: int, owner: int, count: int, entry: int
) -> Iterator[tuple[Row, Entry | None]]:
    """Rows of a logged leg, each with its entry when the leg is cut into more than one."""
    cut = road.logged(used, c.backwards, count)
    start = rolling.cold_share_at_start(c.cold_share, c.duration_s)
    t = cut.edges_s
    for k, stretches in enumerate(cut.stretches):
        if count > 1 and cut.gap_share[k] > MOST_GAP:
            continue
        row = Row(
            stretches,
            leg,
            entry,
            stopped_s=float(cut.stopped_s[k]),
            cold_share=rolling.cold_share_between(start, float(t[k]), float(t[k + 1])),
            part=k if count > 1 else WHOLE_LEG,
            middle=float((t[k] + t[k + 1] - t[0] - t[-1]) / (t[-1] - t[0])),
        )
        if count == 1:
            yield row, None
            continue
        yield row, _segment_entry(cut, log, c, owner, count, k)
        entry += 1


def _segment_entry(cut: LoggedRows, log: GatedLog, c: Conditions, owner: int, count: int, k: int) -> Entry:
    assert cut.energy_wh is not None
    energy, mean = float(cut.energy_wh[k]), float(cut.energy_wh.mean())
    km = (log.end_m - log.start_m) / 1000.0 / count
    # Gusts are most of what one kilometre differs from the next.
    gusty = math.sqrt(1.0 - priors.GUST_PART + priors.GUST_PART * (c.turbulence_m_s / priors.GUST_TURBULENCE_M_S) ** 2)
    return Entry(
        owner,
        math.log(energy),
        (priors.GAP_SHARE * float(cut.gap_share[k])) ** 2 + priors.LOGGER_NOISE**2,
        unit=gusty * mean / energy / math.sqrt(km),
        even=mean / energy,
    )


def _segments(logs: Logs, conditions: Sequence[Conditions], used: set[str]) -> Mapping[bool, int]:
    """Into how many segments the logged legs of each direction are cut."""
    chosen: dict[bool, int] = {}
    for way in (False, True):
        ours = [log for c in conditions if c.backwards is way and c.leg in used and (log := logs.of(c.leg))]
        chosen[way] = 1
        if not ours or not logs.by_position:
            continue
        most = min(MOST_SEGMENTS, MOST_ENTRIES // max(len(used), 1))
        shortest = min(log.end_m - log.start_m for log in ours)
        for count in range(min(most, int(shortest / SEGMENT_M)), 1, -1):
            if all(_even(log, count) for log in ours):
                chosen[way] = count
                break
    return chosen


def _even(log: GatedLog, count: int) -> bool:
    """Whether every segment took a fair part of the energy."""
    energy = log.at(np.linspace(log.start_m, log.end_m, count + 1))[3]
    if energy is None:
        return False
    parts = np.diff(energy)
    return bool(parts.min() > FAIR_PART * parts.mean())

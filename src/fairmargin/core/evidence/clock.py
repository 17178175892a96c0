"""The common clock of a study: seconds in UTC, offsets that some times leave out, and where a test day ends."""

from __future__ import annotations

from collections.abc import Collection, Container, Mapping, Sequence
from datetime import datetime, timedelta
from typing import Final

from fairmargin.core.study import Leg, Study

#: A pause with a night in it ends a test day; so does a longer one by itself. [s]
NIGHT_S: Final = 5 * 3600.0
LONG_PAUSE_S: Final = 12 * 3600.0


def times_of(study: Study) -> list[datetime]:
    """Every time that the study states: starts of legs, weather reports."""
    return [leg.clock for leg in study.legs if leg.clock] + [row.time for row in study.weather]


def common_offset(study: Study) -> timedelta:
    """Offset from UTC of times that state none: that of the others (the middle one); zero when none states any."""
    known = sorted(o for t in times_of(study) if (o := t.utcoffset()) is not None)
    return known[len(known) // 2] if known else timedelta()


def seconds_of(moment: datetime, offset: timedelta) -> float:
    """Return seconds on a common clock, UTC; a time without an offset of its own has `offset`."""
    if moment.tzinfo is not None:
        return moment.timestamp()
    return (moment - datetime(1970, 1, 1) - offset) / timedelta(seconds=1)


def driven_days(legs: Sequence[Leg], offset: timedelta, one_outing: bool = False) -> dict[str, int]:
    """Number the test days: what was driven without a night in between, whatever the date; by leg name.

    A pause of five hours across midnight, or of twelve at any time, begins another day (common practice: nobody
    sleeps less between two test days). A leg without a time belongs to the day of its run's other leg, of its block
    (runs driven close together), or of the legs driven just before and after it if those are one day. Between legs of
    different days a change of configuration is taken for a change of day. Where no time is known at all, all of it was
    most likely one outing. Where one of two legs has a date alone, the date decides. `one_outing`: somebody said that all of it
    was, which legs without a time are then of the day of the others.
    """
    timed = sorted(
        (seconds_of(leg.started_at, offset), i, leg) for i, leg in enumerate(legs) if leg.started_at is not None
    )
    days: dict[str, int] = {}
    day, ended, last, whole = 0, None, None, False
    for start, _, leg in timed:
        assert leg.started_at is not None
        date = leg.started_at.date()
        if ended is not None:
            pause = start - ended
            night = pause >= LONG_PAUSE_S or (pause >= NIGHT_S and date != last)
            if (date != last) if whole or leg.dated_only else night:
                day += 1
        ended = max(ended if ended is not None else start, start + (leg.duration_s or 0.0))
        last, whole = date, leg.dated_only
        days[leg.leg] = day
    if one_outing and len(set(days.values())) <= 1:
        return {leg.leg: 0 for leg in legs}
    return _with_untimed(legs, days)


def days_told(
    legs: Sequence[Leg], days: Mapping[str, int], one_outing: bool = False, outings: Collection[str] = ()
) -> set[str]:
    """Names of the legs whose day is known: timed, of a run or block with a timed leg, or between two legs of one day.

    A block is meant to be driven close together; one whose timed legs lie on two days says nothing. `one_outing`: somebody said
    that all was one outing, which a time on another day contradicts; `outings`: blocks of which somebody said so.
    """
    if one_outing and len(set(days.values())) <= 1:
        return {leg.leg for leg in legs}
    timed = {leg.leg for leg in legs if leg.started_at is not None}
    of_block: dict[str, set[int]] = {}
    for leg in legs:
        if leg.block:
            of_block.setdefault(leg.block, set()).add(days[leg.leg])
    runs = {leg.run for leg in legs if leg.leg in timed and leg.run}
    # A block is how the runs were meant to be driven; that they were is said by a time, or by whoever drove them.
    said = [leg for leg in legs if leg.leg in timed or leg.block in outings]
    blocks = {leg.block for leg in said if leg.block and len(of_block[leg.block]) == 1}
    told = set(timed)
    for i, leg in enumerate(legs):
        around = [x for side in (legs[:i][::-1], legs[i + 1 :]) if (x := _first_in(side, timed))]
        between = len(around) == 2 and len({days[x.leg] for x in (*around, leg)}) == 1
        if leg.run in runs or between or leg.block in blocks:
            told.add(leg.leg)
    return told


def _with_untimed(legs: Sequence[Leg], timed: Mapping[str, int]) -> dict[str, int]:
    """Days of legs without a time, by what they are declared to belong to."""
    days = dict(timed)
    for names in ({leg.leg: leg.run for leg in legs}, {leg.leg: leg.block for leg in legs}):
        known: dict[str, set[int]] = {}
        for who, name in names.items():
            if who in timed and name:
                known.setdefault(name, set()).add(timed[who])
        for who, name in names.items():
            if who not in days and len(found := known.get(name, set())) == 1:
                days[who] = next(iter(found))
    new = max(days.values(), default=-1) + 1
    of_group: dict[tuple[str, str], int] = {}
    group, before = 0, ""
    for i, leg in enumerate(legs):
        if leg.leg in days:
            before = ""
            continue
        around = [days[x.leg] for side in (legs[:i][::-1], legs[i + 1 :]) if (x := _first_in(side, timed))]
        if len(around) == 2 and around[0] == around[1]:
            days[leg.leg] = around[0]
            continue
        if leg.configuration != before:
            group, before = group + 1, leg.configuration
        # Where no time is known at all it was most likely one outing; `days_told` says that nobody knows.
        key = ("block", leg.block) if leg.block else ("group", str(group) if timed else "")
        days[leg.leg] = of_group.setdefault(key, new + len(of_group))
    return {leg.leg: days[leg.leg] for leg in legs}


def _first_in(legs: Sequence[Leg], timed: Container[str]) -> Leg | None:
    return next((leg for leg in legs if leg.leg in timed), None)

"""The common clock of a study: seconds in UTC, offsets that some times leave out, and where a test day ends."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime, timedelta
from typing import Final

from fairmargin.core.study import Leg, Study

#: A pause with a night in it ends a test day; so does a longer one by itself. [s]
NIGHT_S: Final = 5 * 3600.0
LONG_PAUSE_S: Final = 12 * 3600.0


def times_of(study: Study) -> list[datetime]:
    """Every time that the study states: starts of legs, weather reports."""
    return [leg.started_at for leg in study.legs if leg.started_at] + [row.time for row in study.weather]


def common_offset(study: Study) -> timedelta:
    """Offset from UTC of times that state none: that of the others (the middle one); zero when none states any."""
    known = sorted(o for t in times_of(study) if (o := t.utcoffset()) is not None)
    return known[len(known) // 2] if known else timedelta()


def seconds_of(moment: datetime, offset: timedelta) -> float:
    """Return seconds on a common clock, UTC; a time without an offset of its own has `offset`."""
    if moment.tzinfo is not None:
        return moment.timestamp()
    return (moment - datetime(1970, 1, 1) - offset) / timedelta(seconds=1)


def driven_days(legs: Sequence[Leg], offset: timedelta) -> dict[str, int]:
    """Number the test days: what was driven without a night in between, whatever the date; by leg name.

    A pause of five hours across midnight, or of twelve at any time, begins another day (common practice: nobody
    sleeps less between two test days). Legs without a time are one day of their own.
    """
    timed = sorted(
        (seconds_of(leg.started_at, offset), i, leg)
        for i, leg in enumerate(legs)
        if leg.started_at is not None
    )
    days: dict[str, int] = {}
    day, ended, last = 0, None, None
    for start, _, leg in timed:
        assert leg.started_at is not None
        date = leg.started_at.date()
        if ended is not None:
            pause = start - ended
            if pause >= LONG_PAUSE_S or (pause >= NIGHT_S and date != last):
                day += 1
        ended = max(ended if ended is not None else start, start + (leg.duration_s or 0.0))
        last = date
        days[leg.leg] = day
    unknown = day + 1 if timed else 0
    return {leg.leg: days.get(leg.leg, unknown) for leg in legs}

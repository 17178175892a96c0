"""Times of a log: seconds from 1970 in any unit, clock times across midnight, clocks that were set."""

from __future__ import annotations

import re
from collections.abc import Sequence
from datetime import UTC, date, datetime
from pathlib import Path
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.units.dates import Order
from fairmargin.exchange.files import budget
from fairmargin.exchange.files.faults import InvalidInput
from fairmargin.exchange.tables.moments import offsets_words, one_rule

Array = NDArray[np.float64]

#: Times of a log beyond this count from 1970; the latest that a drive may have (year 2100). [s]
EPOCH_S: Final = 1e8
LATEST_S: Final = 4.1e9


def since_1970(seconds: Array, header: str, path: Path) -> tuple[Array, datetime, list[str]]:
    """Times that count from 1970, whichever unit they were taken for: the one that gives a year of cars is right.

    Raises
    ------
    InvalidInput
        If none does.
    """
    first = float(np.nanmin(seconds))
    for unit, factor in (("", 1.0), ("milliseconds", 1e-3), ("microseconds", 1e-6), ("nanoseconds", 1e-9)):
        if EPOCH_S < first * factor < LATEST_S:
            began = datetime.fromtimestamp(first * factor, UTC)
            said = [f"{header}: counted in {unit} since 1970"] if unit else []
            return (seconds - first) * factor, began, said
    raise InvalidInput(
        f"{path}, {header}: {first:g} s is no time of a drive; expected seconds or milliseconds, or since 1970"
    )


def clock_times(
    series: Any, path: Path, header: str, order: Order = "", near: Sequence[date] = ()
) -> tuple[Array, datetime | None, list[str]]:
    """Seconds of clock times: ISO 8601, or hours, minutes and seconds of one day (midnight may pass)."""
    import pandas as pd

    text = series.astype(str).str.strip()
    empty = series.isna() | text.isin(["", "nan", "None", "NaT"])
    filled = text[~empty]
    first = filled.iloc[0] if len(filled) else ""
    if re.fullmatch(r"\d{1,2}:\d{2}(:\d{2}([.,]\d+)?)?", first):
        whole = text.where(~empty).str.replace(",", ".", regex=False)
        short = whole.str.count(":") == 1
        seconds = (
            pd.to_timedelta(whole.mask(short, whole + ":00"), errors="coerce").dt.total_seconds().to_numpy(dtype=float)
        )
        seconds = np.where((seconds >= 0) & (seconds < 2 * 86400.0), seconds, np.nan)
        known = np.flatnonzero(np.isfinite(seconds))
        days = np.zeros(len(seconds))
        if len(known):
            steps = np.diff(seconds[known], prepend=seconds[known][:1])
            days[known] = np.cumsum(steps < -43200.0)
        return seconds + 86400.0 * days, None, []
    moments = one_rule(text.where(~empty), order, near)
    if not moments.notna().any():
        raise InvalidInput(
            f'{path}, row 2, {header}: "{first[: budget.NAME]}" is not a time; expected ISO 8601 or hh:mm:ss'
        )
    notices = []
    lost = int((moments.isna() & ~empty).sum())
    if lost:
        notices.append(f"{header}: {lost} cells are not times, left empty")
    if filled.str.len().nunique() > 1:  # of one length all state an offset, or none
        notices += [f"{header}: {words}" for words in offsets_words(filled.tolist())]
    known_moments = moments[moments.notna()]
    started = known_moments.iloc[0]
    seconds = (moments - started).dt.total_seconds().to_numpy(dtype=float)
    jump = _clock_change(seconds)
    if jump:
        notices.append(f"{header}: the clock jumps by {jump:+.0f} min on the way; expected a clock that runs on")
    return seconds, started.to_pydatetime().replace(tzinfo=None), notices


def _clock_change(seconds: Array) -> float:
    """Jump of a clock that was set on the way, such as to summer time; 0 when it runs on. [min]"""
    steps = np.diff(seconds[np.isfinite(seconds)])
    if len(steps) < 3:
        return 0.0
    usual = float(np.median(steps))
    jump = float(steps[np.argmax(np.abs(steps - usual))]) - usual
    near = round(jump / 1800.0) * 1800.0
    return jump / 60.0 if near != 0 and abs(near) <= 7200 and abs(jump - near) <= max(2.0, 2 * usual) else 0.0

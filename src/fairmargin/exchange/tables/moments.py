"""Columns of moments, read by one rule for the whole column."""

from __future__ import annotations

import re
import warnings
from collections.abc import Sequence
from datetime import UTC, date, datetime
from typing import Any, Final

from fairmargin.core.units.dates import NUMERIC, Order, iso_dates, long_date, numeric, order_of

#: Cells with an offset from UTC at their end.
AWARE: Final = re.compile(r"\d(?:Z|[+-]\d{2}:?\d{2})$")
LONGEST: Final = 80


#: A date in figures with the year last, wherever it stands; which it is, `core.units.dates` says.
_IN_FIGURES: Final = r"\d{1,2}[./-]\d{1,2}[./-]\d{2,4}"
#: A clock time that follows a date in figures, and its format.
_TIMES: Final = (
    (re.compile(r"^\d{1,2}:\d{2}$"), "%H:%M"),
    (re.compile(r"^\d{1,2}:\d{2}:\d{2}$"), "%H:%M:%S"),
    (re.compile(r"^\d{1,2}:\d{2}:\d{2}[.]\d+$"), "%H:%M:%S.%f"),
    (re.compile(r"^\d{1,2}:\d{2} ?[AaPp][Mm]$"), "%I:%M %p"),
    (re.compile(r"^\d{1,2}:\d{2}:\d{2} ?[AaPp][Mm]$"), "%I:%M:%S %p"),
)


def _in_figures(cells: Any, order: Order, near: Sequence[date]) -> Any:
    """A pandas series of texts whose dates are in figures, as moments in UTC; None where the first is no such date."""
    import pandas as pd

    first = next((c for c in cells if isinstance(c, str) and c.strip()), "")
    match = NUMERIC.match(first)
    if match is None:
        return None
    dates = cells.str.extract(rf"^\s*({_IN_FIGURES})", expand=False)
    known = order_of(dates.dropna().unique().tolist(), order, near)
    day, month = ("%d", "%m") if known == "day-first" else ("%m", "%d")
    year = "%Y" if len(match[4]) == 4 else "%y"
    rest = first[match.end() :]
    lead = re.match(r"[T,;\s]*", rest)
    between = lead[0] if lead else ""
    clock = next((f for p, f in _TIMES if p.match(rest[len(between) :].strip())), "") if rest.strip() else ""
    if rest.strip() and not clock:
        return None
    form = match[2].join((day, month, year)) + (between + clock if clock else "")
    return pd.to_datetime(cells.str.strip(), errors="coerce", utc=True, format=form)


def one_rule(cells: Any, order: Order = "", near: Sequence[date] = ()) -> Any:
    """Read a pandas series of texts as moments in UTC: ISO 8601, dates in figures by one order, else by the first's format.

    Guessing every cell's own format takes minutes for a long table, and would read 3/4 and 14/3 by two rules.
    Returns a series with NaT for what does not follow the rule.

    Raises
    ------
    UndecidedDates
        If nothing tells whether the day or the month comes first.
    """
    import pandas as pd
    from pandas.tseries.api import guess_datetime_format

    moments = pd.to_datetime(cells, errors="coerce", utc=True, format="ISO8601")
    if moments.notna().any():
        return moments
    figures = _in_figures(cells, order, near)
    if figures is not None and figures.notna().any():
        return figures
    filled = [c for c in cells if isinstance(c, str) and c.strip()][:1000]
    best = moments
    for dayfirst in (False, True):
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            guessed = next(
                (g for c in filled[:1] if (g := guess_datetime_format(c[:LONGEST], dayfirst=dayfirst))), None
            )
        if guessed is not None:
            read = pd.to_datetime(cells, errors="coerce", utc=True, format=guessed)
            if int(read.notna().sum()) > int(best.notna().sum()):
                best = read
    return best


def offsets_words(cells: Sequence[str]) -> list[str]:
    """What is to be asked when some times state an offset from UTC and others do not."""
    aware = sum(bool(AWARE.search(c)) for c in cells)
    if 0 < aware < len(cells):
        return [
            f"{len(cells) - aware} of {len(cells)} times state no offset from UTC, the others do; all are taken on one "
            "clock, UTC. Check them against the others."
        ]
    return []


def _iso(text: str, order: Order) -> str:
    try:
        return iso_dates(text, order)
    except ValueError:
        return text  # no date by this order: no moment


_CLOCK: Final = re.compile(
    r"^(\d{4}-\d{2}-\d{2})[ T,]+(\d{1,2}):(\d{2}(?::\d{2}(?:[.]\d+)?)?) ?([AP]M)?(?=$|Z|[+-])", re.IGNORECASE
)


def _padded(text: str) -> str:
    """A clock time as ISO 8601 has it: two digits of an hour out of twenty-four."""
    match = _CLOCK.match(text)
    if match is None:
        return text
    hour = int(match[2])
    if match[4]:
        hour = hour % 12 + (12 if match[4].upper() == "PM" else 0)
    return f"{match[1]} {hour:02d}:{match[3]}{text[match.end() :]}"


def _order_words(cells: Sequence[str], order: Order) -> list[str]:
    """How a date that could have been two was read."""
    for cell in cells:
        found = numeric(cell)
        if (
            found is not None
            and found.first != found.second
            and found.may_be("day-first")
            and found.may_be("month-first")
        ):
            return [
                f"dates are read with the {order.partition('-')[0]} first: {cell.split()[0][:12]} is {long_date(found.read(order))}"
            ]
    return []


_DATE_ONLY: Final = re.compile(rf"\d{{4}}-\d{{1,2}}-\d{{1,2}}|{_IN_FIGURES}")
_CLOCK_ONLY: Final = re.compile(r"\d{1,2}:\d{2}(:\d{2}([.]\d+)?)?( ?[AP]M)?", re.IGNORECASE)
#: Words of a header that mean a moment.
MOMENT_WORDS: Final = r"time|date|zeit|datum|utc|clock|stamp|uhr"


def moment_columns(header: Sequence[str], rows: Sequence[Sequence[str]], words: str = MOMENT_WORDS) -> tuple[int, ...]:
    """Columns that say when, a date and its clock time where they stand apart; empty where none does."""
    named = [i for i, h in enumerate(header) if re.search(words, h.lower())]
    if not named:
        return ()

    def all_are(column: int, what: re.Pattern[str]) -> bool:
        cells = [c for row in rows[:50] if column < len(row) and (c := row[column].strip())]
        return bool(cells) and all(what.fullmatch(c) for c in cells)

    dates = [i for i in named if all_are(i, _DATE_ONLY)]
    clocks = [i for i in named if all_are(i, _CLOCK_ONLY)]
    if dates and clocks and named[0] in {dates[0], clocks[0]}:
        return dates[0], clocks[0]
    return (named[0],)


def joined(row: Sequence[str], columns: Sequence[int]) -> str:
    """The cells that say when, in one text; empty where any is."""
    cells = [row[i].strip() if i < len(row) else "" for i in columns]
    return " ".join(cells) if all(cells) else ""


def moments_of(
    cells: Sequence[str], order: Order = "", near: Sequence[date] = ()
) -> tuple[list[datetime | None], list[str]]:
    """Read a column of moments; without an offset they stay local, with one they keep it.

    Parameters
    ----------
    cells : sequence of str
    order, near
        See `core.units.dates.order_of`.

    Returns
    -------
    moments, notices
        None for what is no moment.

    Raises
    ------
    UndecidedDates
        If nothing tells whether the day or the month comes first.
    """
    import pandas as pd

    known = order_of(cells, order, near)
    texts = [_padded(_iso(c.strip(), known)) for c in cells]
    exact: list[datetime | None] = []
    for text in texts:
        try:
            exact.append(datetime.fromisoformat(text) if len(text) >= 10 else None)
        except ValueError:
            exact.append(None)
    filled = [t for t in texts if t]
    if not any(exact) and filled:
        read = one_rule(pd.Series([t[:LONGEST] if t else None for t in texts], dtype="object"))
        kept = any(AWARE.search(t) for t in filled)
        exact = [
            None if pd.isna(m) else m.to_pydatetime() if kept else m.to_pydatetime().replace(tzinfo=None) for m in read
        ]
    told = _order_words(cells, known)
    said = told + offsets_words([t for t, m in zip(texts, exact, strict=True) if m is not None])
    if len(said) > len(told):
        exact = [None if m is None else m if m.tzinfo else m.replace(tzinfo=UTC) for m in exact]
    return exact, said

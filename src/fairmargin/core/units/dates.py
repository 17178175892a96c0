"""Dates written in figures: 02.05.2026 and 05/02/2026, which is the day and which the month."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date
from typing import Final, Literal

from fairmargin.core.units.consumption import UnitError

Order = Literal["", "day-first", "month-first"]
#: A date in figures with the year last, at the front of a text.
NUMERIC: Final = re.compile(r"^\s*(\d{1,2})([./-])(\d{1,2})\2(\d{4}|\d{2})(?=\D|$)")
#: Two dates of one table lie closer than this by the right order, and at least a month apart by the wrong one. [days]
_CLOSE: Final = 10
_FAR: Final = 25


@dataclass(frozen=True, slots=True)
class NumericDate:
    """The two figures of a date, the sign between them, and the year."""

    first: int
    sign: str
    second: int
    year: int

    def read(self, order: Order) -> date:
        """The date, by one order (ValueError if there is none)."""
        day, month = (self.first, self.second) if order == "day-first" else (self.second, self.first)
        return date(self.year, month, day)

    def may_be(self, order: Order) -> bool:
        """Whether there is such a date."""
        try:
            self.read(order)
        except ValueError:
            return False
        return True


class UndecidedDates(UnitError):
    """A date that may be two, and nothing tells which."""

    def __init__(self, text: str, day_first: date, month_first: date) -> None:
        super().__init__(
            f'"{text}" may be {long_date(day_first)} or {long_date(month_first)}: say which, '
            f"or write {day_first.isoformat()} or {month_first.isoformat()}"
        )
        self.text, self.day_first, self.month_first = text, day_first, month_first


def long_date(day: date) -> str:
    """A date with its month as a word: 2 May 2026."""
    return f"{day.day} {day:%B} {day.year}"


def numeric(text: str) -> NumericDate | None:
    """A date in figures at the front of a text; None where there is none."""
    match = NUMERIC.match(text)
    if match is None:
        return None
    year = int(match[4])
    return NumericDate(int(match[1]), match[2], int(match[3]), year + 2000 if year < 100 else year)


def order_of(texts: Iterable[str], told: Order = "", near: Sequence[date] = ()) -> Order:
    """Whether the dates of one table have the day or the month first.

    Decided by a figure above twelve, by dots (day first: common practice), by what was told, by dates known to be near
    (the study's own days), or by rows that follow each other within days by one order and months apart by the other.

    Parameters
    ----------
    texts : iterable of str
        Those that are no date in figures do not count.
    told : {'', 'day-first', 'month-first'}
    near : sequence of date

    Returns
    -------
    {'', 'day-first', 'month-first'}
        Empty where no text is a date in figures.

    Raises
    ------
    UndecidedDates
        If nothing tells.
    """
    dates = {d: text for text in texts if (d := numeric(text)) is not None}
    if not dates:
        return ""
    possible: list[Order] = [o for o in ("day-first", "month-first") if all(d.may_be(o) for d in dates)]
    if len(possible) == 1:
        return possible[0]
    if told:
        return told
    if not possible or any(d.sign == "." for d in dates) or all(d.first == d.second for d in dates):
        return "day-first"
    by: dict[Order, list[date]] = {o: sorted(d.read(o) for d in dates) for o in possible}
    spans = {o: (days[-1] - days[0]).days for o, days in by.items()}
    small = [o for o in possible if spans[o] <= _CLOSE]
    if len(dates) > 1 and len(small) == 1 and max(spans.values()) >= _FAR:
        return small[0]
    close = [o for o in possible if near and all(min(abs((d - n).days) for n in near) <= 1 for d in by[o])]
    if len(close) == 1:
        return close[0]
    text = next(text for d, text in dates.items() if d.first != d.second)
    first = numeric(text)
    assert first is not None
    raise UndecidedDates(text.strip().split()[0][:20], first.read("day-first"), first.read("month-first"))


def iso_dates(text: str, order: Order) -> str:
    """A text with the date in figures at its front written as ISO 8601; as it is where there is none."""
    found = numeric(text)
    match = NUMERIC.match(text)
    if found is None or match is None:
        return text
    return f"{found.read(order or 'day-first').isoformat()}{text[match.end() :]}"

"""Dates in the window: in English words, in the order of day and month that the desktop's locale writes."""

from __future__ import annotations

from datetime import date

from PySide6.QtCore import QLocale


def month_first(locale: QLocale | None = None) -> bool:
    """Whether a locale writes the month before the day.

    Parameters
    ----------
    locale : QLocale, optional
        The desktop's when absent.
    """
    short = (locale or QLocale()).dateFormat(QLocale.FormatType.ShortFormat).lower()
    return 0 <= short.find("m") < short.find("d") < short.find("y")


def day_words(day: date, *, weekday: bool = False, year: bool = True, long: bool = False) -> str:
    """A date in words: "18 Apr 2026", or "Apr 18, 2026" where the month comes first.

    Parameters
    ----------
    day : date
    weekday : bool
        Whether its name stands before it.
    year : bool
        Whether its year stands behind it.
    long : bool
        Whether names are written out.
    """
    name, month = (day.strftime(x) for x in (("%A", "%B") if long else ("%a", "%b")))
    if month_first():
        words = f"{month} {day.day}" + (f", {day.year}" if year else "")
        return f"{name}, {words}" if weekday else words
    words = f"{day:%d} {month}" + (f" {day.year}" if year else "")
    return f"{name} {words}" if weekday else words

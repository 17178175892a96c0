"""Forecasts hour by hour: a typed table or CSV, or the groups of a TAF."""

from __future__ import annotations

import re
from datetime import datetime, timedelta
from typing import Final

from fairmargin.core.study.entry import words_of
from fairmargin.core.study.plan import HourForecast
from fairmargin.core.units import read_direction, read_number, unit_of
from fairmargin.exchange.meteorology.reports import read_report
from fairmargin.exchange.tables.headers import Role
from fairmargin.exchange.tables.reader import Table, read_rows

#: What a column of a forecast may be.
_COLUMNS: Final = (
    Role("time", "", r"time|hour|date|zeit|stunde|when"),
    Role("wind_gust_ms", "wind", r"gust|b\u00f6e", usual="m/s"),
    Role("wind_from_deg", "direction", r"\bfrom\b|dir|richt", usual="\u00b0"),
    Role("wind_speed_ms", "wind", r"wind(?!.?chill)", usual="m/s"),
    Role("temperature_c", "temperature", r"temp|air|\u00b0", never=r"chill|feels|dew|apparent|road", usual="\u00b0C"),
    Role("pressure_hpa", "pressure", r"press|hpa|qnh", usual="hPa"),
    Role("rain", "", r"rain|precip|regen|shower"),
)  # fmt: skip
_VALID: Final = re.compile(r"^(\d{2})(\d{2})/(\d{2})(\d{2})$")
_FROM: Final = re.compile(r"^FM(\d{2})(\d{2})(\d{2})$")
MOST_HOURS: Final = 400


def read_hours(text: str, day: datetime) -> tuple[HourForecast, ...]:
    """Read a forecast hour by hour.

    Parameters
    ----------
    text : str
        Rows with a header such as ``time, wind (m/s), gust, from, temperature, rain``, or a TAF.
    day : datetime
        Day of times that state none; month and year of a TAF.

    Returns
    -------
    tuple of HourForecast
        In the order of time.

    Raises
    ------
    ValueError
        If it is neither, in words.
    """
    plain = text.strip()
    if plain.upper().startswith("TAF"):
        return _taf(plain, day)
    table = read_rows(plain, _COLUMNS, moments=None)
    if table is None or not table.rows:
        raise ValueError(
            "one line only; expected a header such as time, wind, gust, from, temperature, rain and a line an hour"
        )
    if table.refused:
        raise ValueError("; ".join(table.refused))
    if not {"time", "wind_speed_ms"} <= table.by_role.keys():
        raise ValueError(
            "no column for time and wind; expected a header such as time, wind (m/s), gust, temperature, rain"
        )
    found: dict[datetime, HourForecast] = {}
    last = day.replace(hour=0, minute=0, second=0, microsecond=0)
    for number, row in enumerate(table.rows[:MOST_HOURS], start=2):
        cells = table.cells(row)
        if "time" not in cells:
            continue
        try:
            moment = last = _moment(cells["time"], last)
            found[moment] = HourForecast(time=moment, **_values(cells, table))
        except ValueError as error:
            raise ValueError(f"row {number}: {words_of(error)}") from error
    return tuple(found[t] for t in sorted(found))


def _values(cells: dict[str, str], table: Table) -> dict[str, object]:
    """Figures of one hour, in the units that its cells or header state."""
    values: dict[str, object] = {}
    for role, text in cells.items():
        if role == "rain":
            plain = text.lower()
            number = re.match(r"[\d.,]+", plain)
            wet = bool(number) and read_number(plain).value > (20.0 if "%" in plain else 0.0)
            values["rain"] = wet or plain in {"yes", "y", "ja", "true", "x", "rain", "showers"}
        elif role == "wind_from_deg":
            values[role] = read_direction(text)
        elif table.head(role).quantity:
            typed, head = read_number(text), table.head(role)
            own = unit_of(head.quantity, typed.rest).to_base(typed.value) if typed.rest else None
            values[role] = head.to_base(typed.value) if own is None else own
    return values


def _moment(text: str, last: datetime) -> datetime:
    """A whole date and time, or an hour of the day; an hour before the last one is the next day's."""
    short = re.fullmatch(r"(\d{1,2})(?:[:.h](\d{2}))?(?:\s*h)?", text)
    if short and int(short[1]) < 24:
        moment = last.replace(hour=int(short[1]), minute=int(short[2] or 0))
        return moment if moment >= last else moment + timedelta(days=1)
    try:
        return datetime.fromisoformat(text).replace(tzinfo=None)
    except ValueError:
        raise ValueError(f'"{text}" is no time; expected 9, 9:00 or 2026-05-02 09:00') from None


def _taf(text: str, day: datetime) -> tuple[HourForecast, ...]:
    """A TAF's hours: the prevailing group, then each FM group from its time on; of the others, rain and the stronger wind."""
    words = text.replace("=", " ").split()
    span = next((m for w in words if (m := _VALID.match(w))), None)
    if span is None:
        raise ValueError("not a TAF: no time of validity such as 1206/1312")
    begin = _day_hour(int(span[1]), int(span[2]), day)
    end = _day_hour(int(span[3]), int(span[4]), begin)
    groups: list[tuple[datetime, datetime, list[str]]] = [(begin, end, ["TAF"])]
    for word in words[1:]:
        at = _FROM.match(word)
        if at:
            start = _day_hour(int(at[1]), int(at[2]), begin)
            groups[-1] = (groups[-1][0], start, groups[-1][2])
            groups.append((start, end, ["TAF"]))
        else:
            groups[-1][2].append(word)
    hours: list[HourForecast] = []
    for start, stop, own in groups:
        seen = read_report(" ".join(own))
        moment = start
        while moment < stop and len(hours) < MOST_HOURS:
            hours.append(
                HourForecast(
                    time=moment, wind_speed_ms=seen.wind_speed_ms, wind_gust_ms=seen.wind_gust_ms,
                    wind_from_deg=seen.wind_from_deg, temperature_c=seen.temperature_c, rain=seen.rain,
                )
            )  # fmt: skip
            moment += timedelta(hours=1)
    return tuple(hours)


def _day_hour(day: int, hour: int, near: datetime) -> datetime:
    """A day of the month and an hour, in the month that lies nearest."""
    base = near.replace(hour=0, minute=0, second=0, microsecond=0)
    for ahead in range(-5, 40):
        moment = base + timedelta(days=ahead)
        if moment.day == day:
            return moment + timedelta(hours=hour)
    raise ValueError(f"{day:02d} is no day of the month")

"""Forecasts hour by hour: a typed table or CSV, or the groups of a TAF."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Final

import numpy as np

from fairmargin.core.study.entry import words_of
from fairmargin.core.study.plan import HourForecast
from fairmargin.core.units import read_direction, read_number, unit_of
from fairmargin.exchange.meteorology.reports import RAIN, wind_of
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
_PROBABLE: Final = re.compile(r"^PROB\d{2}$")
_WARMEST: Final = re.compile(r"^T[XN](M?)(\d{2})/(\d{2})(\d{2})Z?$")
MOST_HOURS: Final = 400


def read_hours(text: str, day: datetime, utc_offset: timedelta = timedelta(0)) -> tuple[HourForecast, ...]:
    """Read a forecast hour by hour.

    Parameters
    ----------
    text : str
        Rows with a header such as ``time, wind (m/s), gust, from, temperature, rain``, or a TAF.
    day : datetime
        Day of times that state none; month and year of a TAF.
    utc_offset : timedelta, optional
        What the clock of the place is ahead of UTC, in which a TAF is written.

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
        return _taf(plain, day, utc_offset)
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


@dataclass(slots=True)
class _Group:
    """One group of a TAF: what kind, when, and what it says; what it does not say goes on."""

    kind: str  # TAF, FM, BECMG, TEMPO
    start: datetime
    end: datetime
    words: list[str]

    @property
    def wind(self) -> tuple[float, float | None, float | None] | None:
        """Speed, gust [m/s] and direction; None where it says none."""
        return next((found for word in self.words if (found := wind_of(word)) is not None), None)

    @property
    def rain(self) -> bool | None:
        """Whether it rains; None where it says nothing of the weather."""
        if any(RAIN.match(word) for word in self.words):
            return True
        return False if self.kind in {"TAF", "FM"} or {"NSW", "CAVOK"} & set(self.words) else None


def _taf(text: str, day: datetime, utc_offset: timedelta) -> tuple[HourForecast, ...]:
    """A TAF's hours on the clock of the place, by its change groups (WMO Manual on Codes, FM 51; from memory).

    FM begins anew; BECMG changes what it says, gradually: from its beginning the stronger wind counts, from its end its own. TEMPO
    and PROB are of their time only: the stronger wind counts, and rain in any.
    """
    words = text.replace("=", " ").split()
    span = next((m for w in words if (m := _VALID.match(w))), None)
    if span is None:
        raise ValueError("not a TAF: no time of validity such as 1206/1312")
    begin = _day_hour(int(span[1]), int(span[2]), day)
    end = _day_hour(int(span[3]), int(span[4]), begin)
    groups = _groups(words[words.index(span[0]) + 1 :], begin, end)
    if groups[0].wind is None:
        raise ValueError("not a TAF: no wind group such as 24008KT before its first change group")
    warm = _temperatures(words, begin)
    hours: list[HourForecast] = []
    moment = begin
    while moment < end and len(hours) < MOST_HOURS:
        wind, rain = _at(groups, moment)
        speed, gust, direction = wind
        hours.append(
            HourForecast(
                time=moment + utc_offset, wind_speed_ms=speed, wind_gust_ms=gust, wind_from_deg=direction,
                temperature_c=_warmth(warm, moment), rain=rain,
            )
        )  # fmt: skip
        moment += timedelta(hours=1)
    return tuple(hours)


def _groups(words: Sequence[str], begin: datetime, end: datetime) -> list[_Group]:
    """A TAF's groups in their order; probability is no weaker weather."""
    found = [_Group("TAF", begin, end, [])]
    for word in words:
        at, span = _FROM.match(word), _VALID.match(word)
        if word == "RMK":
            break
        if at:
            start = _day_hour(int(at[1]), int(at[2]), begin) + timedelta(minutes=int(at[3]))
            found.append(_Group("FM", start, end, []))
        elif word in {"BECMG", "TEMPO"} and not (word == "TEMPO" and found[-1].kind == "TEMPO" and not found[-1].words):
            found.append(_Group(word, begin, end, []))
        elif _PROBABLE.match(word):
            found.append(_Group("TEMPO", begin, end, []))
        elif span:
            found[-1].start = _day_hour(int(span[1]), int(span[2]), begin)
            found[-1].end = _day_hour(int(span[3]), int(span[4]), begin)
        elif word != "TEMPO":
            found[-1].words.append(word)
    return found


Wind = tuple[float | None, float | None, float | None]


def _at(groups: Sequence[_Group], moment: datetime) -> tuple[Wind, bool]:
    """Wind and rain of one hour: what prevails, and what is added to it for a while."""
    wind: Wind = (None, None, None)
    rain = False
    added: list[_Group] = []
    for g in groups:
        if g.kind in {"TAF", "FM"} and g.start - timedelta(minutes=59) <= moment:
            wind, rain, added = g.wind or (None, None, None), bool(g.rain), []
        elif g.kind == "BECMG" and moment >= g.end:
            wind = g.wind or wind
            rain = rain if g.rain is None else g.rain
        elif g.start <= moment < g.end:
            added.append(g)
    for g in added:
        rain = rain or bool(g.rain)
        other = g.wind
        if other is not None:
            gusts = [x for x in (wind[1], other[1]) if x is not None]
            stronger = other if (other[0] or 0.0) > (wind[0] or 0.0) else wind
            wind = (stronger[0], max(gusts) if gusts else None, stronger[2])
    return wind, rain


def _temperatures(words: Sequence[str], near: datetime) -> list[tuple[datetime, float]]:
    """What TX and TN groups foretell, and when. [°C]"""
    found = []
    for word in words:
        m = _WARMEST.match(word)
        if m:
            found.append((_day_hour(int(m[3]), int(m[4]), near), (-1 if m[1] else 1) * float(m[2])))
    return sorted(found)


def _warmth(told: Sequence[tuple[datetime, float]], moment: datetime) -> float | None:
    """Temperature of an hour between what is foretold, in a line; None where nothing is."""
    if not told:
        return None
    hours = [(t - told[0][0]).total_seconds() / 3600.0 for t, _ in told]
    return round(float(np.interp((moment - told[0][0]).total_seconds() / 3600.0, hours, [c for _, c in told])), 1)


def _day_hour(day: int, hour: int, near: datetime) -> datetime:
    """A day of the month and an hour, in the month that lies nearest."""
    base = near.replace(hour=0, minute=0, second=0, microsecond=0)
    for ahead in range(-5, 40):
        moment = base + timedelta(days=ahead)
        if moment.day == day:
            return moment + timedelta(hours=hour)
    raise ValueError(f"{day:02d} is no day of the month")

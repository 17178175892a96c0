"""Weather of a station: a list of METAR texts, or the station's own CSV, to rows on the study's clock."""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from datetime import UTC, date, datetime, timedelta
from typing import Final

from fairmargin.core.laws.air import standard_pressure_pa
from fairmargin.core.study import WeatherRow
from fairmargin.core.units import read_direction
from fairmargin.core.units.dates import Order
from fairmargin.exchange.files import budget
from fairmargin.exchange.meteorology.reports import read_report
from fairmargin.exchange.tables.headers import Head, Role, as_percent
from fairmargin.exchange.tables.reader import Table, read_rows
from fairmargin.exchange.tables.rows import delimiter_of

_REPORT: Final = re.compile(r"^(?:METAR\s+|SPECI\s+)?(?:COR\s+)?[A-Z][A-Z0-9]{3}\s+(\d{2})(\d{2})(\d{2})Z\b")
_DEW: Final = re.compile(r"\b(M?\d{2})/(M?\d{2})\b")

AHEAD: Final = timedelta(days=3)
#: What weather can be at all.
POSSIBLE: Final = {
    "wind_gust_ms": (0.0, 90.0),
    "wind_from_deg": (0.0, 360.0),
    "wind_speed_ms": (0.0, 60.0),
    "temperature_c": (-50.0, 60.0),
    "pressure_hpa": (500.0, 1100.0),
    "humidity_percent": (0.0, 100.0),
}
_INDOORS: Final = r"in(side|door)|cabin"
#: What a station's columns may be. Pressures reduced to sea level are put back to the road's height.
_COLUMNS: Final = (
    Role("wind_gust_ms", "wind", r"gust|b\u00f6e|peak", usual="m/s"),
    Role("wind_from_deg", "direction", r"dir|from|bearing|richtung", usual="\u00b0"),
    Role("wind_speed_ms", "wind", r"(?<![a-z])wind(?!.?chill)", never=r"chill|run|cool", usual="m/s"),
    Role(
        "temperature_c", "temperature", r"temp|(?<![a-z])air(?![a-z])",
        never=rf"dew|{_INDOORS}|road|soil|surface|ground|chill|feels|apparent|heat.?index|wet.?bulb|water|sea|pavement|asphalt", usual="\u00b0C",
    ),
    Role("sea_pressure_hpa", "pressure", r"\bm?slp\b|qnh|qff|altimeter|(\bsea|msl|reduced|\brel).*(pres|baro)|(pres|baro).*(\bsea|msl|reduced|\brel)", usual="hPa"),
    Role("pressure_hpa", "pressure", r"pres|baro|qfe|hpa|luftdruck", usual="hPa"),
    Role("humidity_percent", "percent", r"hum|(?<![a-z])rh(?![a-z])|feucht", never=_INDOORS, usual="%"),
)  # fmt: skip


def read_weather(
    text: str,
    now: datetime,
    *,
    height_m: float = 0.0,
    offset: timedelta | None = None,
    order: Order = "",
    near: Sequence[date] = (),
) -> tuple[tuple[WeatherRow, ...], tuple[str, ...]]:
    """Read METAR texts (one a line, or ended by =) or a station's CSV.

    Parameters
    ----------
    text : str
    now : datetime
        A moment near the reports, local: a METAR states only the day of the month.
    height_m : float
        Height of the road: a METAR's pressure is reduced to sea level and is put back (ISO 2533). [m]
    offset : timedelta, optional
        Of the local clock from UTC, for METAR; this machine's at `now` when absent.
    order : {'', 'day-first', 'month-first'}
        Of dates in figures, where it is told.
    near : sequence of date
        Days that the table is likely to be of: the study's own.

    Returns
    -------
    rows, notices
        Rows in order of time, and what was dropped or assumed.

    Raises
    ------
    ValueError
        If nothing in it is weather, in words.
    """
    if len(text) > budget.TABLE_BYTES:
        raise ValueError(f"{len(text)} characters are too many; expected at most {budget.TABLE_BYTES}")
    lines = [line.strip() for line in text.splitlines() if line.strip()]
    if len(lines) > budget.TABLE_ROWS:
        raise ValueError(f"{len(lines)} lines are too many; expected at most {budget.TABLE_ROWS}")
    if not lines:
        raise ValueError("empty; expected METAR texts or a table of a station")
    marked = [part for part in " ".join(lines).split("=") if part.strip()] if "=" in text else lines
    if any(_REPORT.search(_start(part)) for part in marked):
        return _reports(marked, now, height_m, offset)
    return _table(text, height_m, order, near)


def looks_like_reports(text: str) -> bool:
    """Whether a text is a list of METAR rather than a table."""
    return any(_REPORT.search(_start(line)) for line in text.replace("=", "\n").splitlines()[:40])


def _start(part: str) -> str:
    """Return a report without what archives put before it (a stamp such as 202605020950)."""
    return re.sub(r"^(?:\d{10,14}|\d{4}[-/]\d{2}[-/]\d{2}[ T]\d{2}:\d{2}(?::\d{2})?Z?)[\s,;]+", "", part.strip())


def _reports(
    parts: list[str], now: datetime, height_m: float, offset: timedelta | None
) -> tuple[tuple[WeatherRow, ...], tuple[str, ...]]:
    local = now.replace(tzinfo=None)
    away = offset if offset is not None else (local.astimezone().utcoffset() or timedelta())
    ratio = float(standard_pressure_pa(max(-900.0, min(8000.0, height_m)))) / 101_325.0
    rows: dict[datetime, WeatherRow] = {}
    bad: list[str] = []
    offsets: set[timedelta] = set()
    twice = 0
    for part in parts:
        report = _start(part)
        stamp = _REPORT.search(report)
        if stamp is None:
            bad.append(part)
            continue
        try:
            said = read_report(report)
            day, hour, minute = (int(g) for g in stamp.groups())
            utc = _nearest(day, hour, minute, local - away)
            # This machine's clock may have been set between two reports.
            own = offset if offset is not None else (utc.replace(tzinfo=UTC).astimezone().utcoffset() or away)
            moment = utc + own
            offsets.add(own)
        except ValueError:
            bad.append(part)
            continue
        twice += moment in rows
        rows[moment] = WeatherRow(
            time=moment,
            station=report.removeprefix("METAR ").removeprefix("SPECI ").split()[0],
            temperature_c=said.temperature_c,
            pressure_hpa=None if said.pressure_hpa is None else round(said.pressure_hpa * ratio, 1),
            humidity_percent=_humidity(report),
            wind_speed_ms=said.wind_speed_ms,
            wind_gust_ms=said.wind_gust_ms,
            wind_from_deg=said.wind_from_deg,
        )
    if not rows:
        raise ValueError(f'"{parts[0][:60]}" is no METAR that can be read')
    hours = " and ".join(f"{own.total_seconds() / 3600.0:+g}" for own in sorted(offsets))
    notices = [f"times put from UTC to the local clock ({hours} h)"] if any(offsets) else []
    if abs(height_m) > 5:
        notices.append(f"pressures put from sea level to {height_m:.0f} m")
    if bad:
        notices.append(f"{len(bad)} lines are no METAR, dropped; the first: {bad[0][:40]}")
    if twice:
        notices.append(f"{twice} reports of the same moment, the later kept")
    return tuple(rows[m] for m in sorted(rows)), tuple(notices)


def _nearest(day: int, hour: int, minute: int, utc: datetime) -> datetime:
    """The latest moment with that day of the month that is no more than some days after another.

    Reports are of what was, or of a test that went on for days; one of weeks ahead is an old one.
    """
    found: list[datetime] = []
    for months in range(-3, 2):
        year, month = divmod(utc.year * 12 + utc.month - 1 + months, 12)
        try:
            found.append(datetime(year, month + 1, day, hour, minute))
        except ValueError:
            continue  # a month without that day
    if not found:
        raise ValueError(f"day {day}, {hour:02d}:{minute:02d} is no time")
    past = [m for m in found if m - utc <= AHEAD]
    return max(past) if past else min(found)


def _humidity(report: str) -> float | None:
    """Relative humidity from temperature and dew point (Magnus formula, from memory). [%]"""
    found = _DEW.search(report)
    if found is None:
        return None
    t, dew = (-float(g[1:]) if g.startswith("M") else float(g) for g in found.groups())
    share = math.exp(17.62 * dew / (243.12 + dew) - 17.62 * t / (243.12 + t))
    return round(100.0 * min(share, 1.0))


def _table(
    text: str, height_m: float, order: Order, near: Sequence[date]
) -> tuple[tuple[WeatherRow, ...], tuple[str, ...]]:
    first = next(line for line in text.splitlines() if line.strip())
    delimiter = delimiter_of(text)
    if delimiter is None or delimiter not in first:
        raise ValueError(f'"{first[:60]}" is neither METAR nor the header of a table with a time')
    table = read_rows(text, _COLUMNS)
    if table is None:
        raise ValueError("no cell is filled; expected METAR texts or a table of a station")
    if not table.when or not table.by_role:
        raise ValueError(
            "; ".join(table.refused)
            or f"columns {', '.join(table.header)[:80]}: expected a time and any of temperature, pressure, humidity, wind"
        )
    moments, said = table.moments(order, near)
    every = [_values(table, row) for row in table.rows]
    said += _as_percent([values for values, _ in every])
    said += _at_the_place([values for values, _ in every], height_m)
    rows: list[WeatherRow] = []
    empty = 0
    for (values, bad), moment in zip(every, moments, strict=True):
        if moment is None:
            continue
        possible = {
            name: round(value, 3) for name, value in values.items() if POSSIBLE[name][0] <= value <= POSSIBLE[name][1]
        }
        empty += bad + len(values) - len(possible)
        if possible:
            rows.append(WeatherRow(time=moment, **possible))
    if not rows:
        raise ValueError("no row has a time and a value; expected ISO 8601 times and numbers")
    notices = [*said, *table.refused, f"columns taken: {', '.join(_taken(table.head(r)) for r in table.by_role)}"]
    if table.unused:
        notices.append(f"not used: {', '.join(table.unused)[:80]}")
    if (lost := len(table.rows) - len(rows)) > 0:
        notices.append(f"{lost} rows without time or value dropped")
    if empty:
        notices.append(f"{empty} cells are impossible or no numbers, left empty")
    return tuple(sorted(rows, key=lambda r: r.time.replace(tzinfo=r.time.tzinfo or UTC))), tuple(notices)


def _taken(head: Head) -> str:
    """A column's header, and the unit it was taken to have where it states none."""
    return head.title if head.stated or not head.unit else f"{head.title} as {head.unit}"


def _values(table: Table, row: list[str]) -> tuple[dict[str, float], int]:
    """Figures of a row in the units of the file format, and how many cells hold none."""
    values: dict[str, float] = {}
    bad = 0
    for role, cell in table.cells(row).items():
        try:
            value = read_direction(cell) if role == "wind_from_deg" and cell.isalpha() else table.figure(role, cell)
        except ValueError:
            value = math.nan
        if math.isnan(value):
            bad += 1
        else:
            values[role] = value
    return values, bad


def _as_percent(every: Sequence[dict[str, float]]) -> list[str]:
    """Humidities written as fractions of one become per cent."""
    shares = [v["humidity_percent"] for v in every if "humidity_percent" in v]
    if not as_percent(shares):
        return []
    for values in every:
        if "humidity_percent" in values:
            values["humidity_percent"] *= 100.0
    return ["humidities are fractions of one, taken as per cent"]


def _at_the_place(every: Sequence[dict[str, float]], height_m: float) -> list[str]:
    """Pressures reduced to sea level, put back to the road's height where the place's own is not there (ISO 2533)."""
    ratio = float(standard_pressure_pa(max(-900.0, min(8000.0, height_m)))) / 101_325.0
    used = False
    for values in every:
        reduced = values.pop("sea_pressure_hpa", None)
        if reduced is not None and "pressure_hpa" not in values:
            values["pressure_hpa"] = reduced * ratio
            used = True
    return [f"pressures put from sea level to {height_m:.0f} m"] if used else []

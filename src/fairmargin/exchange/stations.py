"""Weather of a station: a list of METAR texts, or the station's own CSV, to rows on the study's clock."""

from __future__ import annotations

import math
import re
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from typing import Any, Final

from fairmargin.core.laws.air import standard_pressure_pa
from fairmargin.core.study import WeatherRow
from fairmargin.exchange import budget
from fairmargin.exchange.clocks import moments_of
from fairmargin.exchange.faults import InvalidInput
from fairmargin.exchange.tabular import delimiter_of, filled_rows, in_brackets
from fairmargin.exchange.weather import read_report

_REPORT: Final = re.compile(r"^(?:METAR\s+|SPECI\s+)?(?:COR\s+)?[A-Z][A-Z0-9]{3}\s+(\d{2})(\d{2})(\d{2})Z\b")
_DEW: Final = re.compile(r"\b(M?\d{2})/(M?\d{2})\b")
_KNOT: Final = 1852.0 / 3600.0

#: What weather can be at all.
POSSIBLE: Final = {
    "wind_gust_ms": (0.0, 90.0),
    "wind_from_deg": (0.0, 360.0),
    "wind_speed_ms": (0.0, 60.0),
    "temperature_c": (-50.0, 60.0),
    "pressure_hpa": (500.0, 1100.0),
    "humidity_percent": (0.0, 100.0),
}
#: Column, pattern of its header, and units with their factor (first = when none is stated).
_COLUMNS: Final[tuple[tuple[str, str, tuple[tuple[str, float], ...]], ...]] = (
    ("wind_gust_ms", r"gust|b\u00f6e", (("m/s", 1.0), ("km/h", 1 / 3.6), ("mph", 0.44704), ("kn", _KNOT), ("kt", _KNOT))),
    ("wind_from_deg", r"dir|from|bearing|richtung", (("deg", 1.0),)),
    ("wind_speed_ms", r"(?<![a-z])wind", (("m/s", 1.0), ("km/h", 1 / 3.6), ("mph", 0.44704), ("kn", _KNOT), ("kt", _KNOT))),
    ("temperature_c", r"^(?!.*(dew|in(side|door))).*temp", (("c", 1.0), ("f", 5 / 9))),
    ("pressure_hpa", r"pres|baro|qfe|hpa", (("hpa", 1.0), ("mbar", 1.0), ("inhg", 33.8639), ("kpa", 10.0))),
    ("humidity_percent", r"hum|rh", (("%", 1.0),)),
)  # fmt: skip


def read_weather(
    text: str,
    now: datetime,
    *,
    height_m: float = 0.0,
    offset: timedelta | None = None,
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
    return _table(text)


def looks_like_reports(text: str) -> bool:
    """Whether a text is a list of METAR rather than a table."""
    return any(_REPORT.search(_start(line)) for line in text.replace("=", "\n").splitlines()[:40])


def _start(part: str) -> str:
    """Return a report without what archives put before it (a stamp such as 202605020950)."""
    return re.sub(
        r"^(?:\d{10,14}|\d{4}[-/]\d{2}[-/]\d{2}[ T]\d{2}:\d{2}(?::\d{2})?Z?)[\s,;]+", "", part.strip()
    )


def _reports(
    parts: list[str], now: datetime, height_m: float, offset: timedelta | None
) -> tuple[tuple[WeatherRow, ...], tuple[str, ...]]:
    local = now.replace(tzinfo=None)
    away = offset if offset is not None else (local.astimezone().utcoffset() or timedelta())
    ratio = float(standard_pressure_pa(max(-900.0, min(8000.0, height_m)))) / 101_325.0
    rows: dict[datetime, WeatherRow] = {}
    bad: list[str] = []
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
            moment = _nearest(day, hour, minute, local - away) + away
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
    hours = away.total_seconds() / 3600.0
    notices = [f"times put from UTC to the local clock ({hours:+g} h)"] if hours else []
    if abs(height_m) > 5:
        notices.append(f"pressures put from sea level to {height_m:.0f} m")
    if bad:
        notices.append(f"{len(bad)} lines are no METAR, dropped; the first: {bad[0][:40]}")
    if twice:
        notices.append(f"{twice} reports of the same moment, the later kept")
    return tuple(rows[m] for m in sorted(rows)), tuple(notices)


def _nearest(day: int, hour: int, minute: int, utc: datetime) -> datetime:
    """Moment with that day of the month nearest to another."""
    found: list[datetime] = []
    for shift in (-31, 0, 31):
        about = utc + timedelta(days=shift)
        for month in {(about.year, about.month), (utc.year, utc.month)}:
            try:
                found.append(datetime(*month, day, hour, minute))
            except ValueError:
                continue
    if not found:
        raise ValueError(f"day {day}, {hour:02d}:{minute:02d} is no time")
    return min(found, key=lambda m: abs(m - utc))


def _humidity(report: str) -> float | None:
    """Relative humidity from temperature and dew point (Magnus formula, from memory). [%]"""
    found = _DEW.search(report)
    if found is None:
        return None
    t, dew = (-float(g[1:]) if g.startswith("M") else float(g) for g in found.groups())
    share = math.exp(17.62 * dew / (243.12 + dew) - 17.62 * t / (243.12 + t))
    return round(100.0 * min(share, 1.0))


def _table(text: str) -> tuple[tuple[WeatherRow, ...], tuple[str, ...]]:
    first = next(line for line in text.splitlines() if line.strip())
    delimiter = delimiter_of(text)
    if delimiter is None or delimiter not in first:
        raise ValueError(f'"{first[:60]}" is neither METAR nor the header of a table with a time')
    try:
        table = filled_rows(text, delimiter)
    except InvalidInput as error:
        raise ValueError(error.faults[0]) from error
    if not table:
        raise ValueError("no cell is filled; expected METAR texts or a table of a station")
    header = [h.strip() for h in table[0]]
    when = next((i for i, h in enumerate(header) if re.search(r"time|date|zeit|utc", h.lower())), None)
    roles = _roles(header, when)
    if when is None or not roles:
        raise ValueError(
            f"columns {', '.join(header)[:80]}: expected a time and any of temperature, pressure, humidity, wind"
        )
    moments, said = moments_of([row[when] if when < len(row) else "" for row in table[1:]])
    rows: list[WeatherRow] = []
    empty = 0
    for row, moment in zip(table[1:], moments, strict=True):
        values, bad = _values(row, roles, delimiter != ",") if moment is not None else ({}, 0)
        empty += bad
        if moment is not None and values:
            rows.append(WeatherRow(time=moment, **values))
    if not rows:
        raise ValueError("no row has a time and a value; expected ISO 8601 times and numbers")
    notices = [*said, f"columns taken: {', '.join(header[i] for i in roles)}"]
    unused = [h for i, h in enumerate(header) if i != when and i not in roles]
    if unused:
        notices.append(f"not used: {', '.join(unused)[:80]}")
    if (lost := len(table) - 1 - len(rows)) > 0:
        notices.append(f"{lost} rows without time or value dropped")
    if empty:
        notices.append(f"{empty} cells are impossible or no numbers, left empty")
    return tuple(sorted(rows, key=lambda r: r.time.replace(tzinfo=r.time.tzinfo or UTC))), tuple(notices)


#: What a column is, and how its figures become those of the file format.
Roles = dict[int, tuple[str, Callable[[float], float]]]


def _roles(header: list[str], when: int | None) -> Roles:
    """What the columns but the time are taken for."""
    roles: Roles = {}
    for i, head in enumerate(header):
        for name, pattern, units in _COLUMNS:
            if i != when and name not in {r for r, _ in roles.values()} and re.search(pattern, head.lower()):
                roles[i] = (name, _conversion(name, head.lower(), units))
                break
    return roles


def _values(row: list[str], roles: Roles, decimal_comma: bool) -> tuple[dict[str, Any], int]:
    """Figures of a row that can be, and how many cannot."""
    values: dict[str, Any] = {}
    bad = 0
    for i, (name, convert) in roles.items():
        cell = row[i].strip() if i < len(row) else ""
        if not cell:
            continue
        low, high = POSSIBLE[name]
        try:
            value = round(convert(float(cell.replace(",", ".") if decimal_comma else cell)), 3)
        except (ValueError, OverflowError):
            value = math.nan
        if low <= value <= high:
            values[name] = value
        else:
            bad += 1
    return values, bad


def _conversion(name: str, head: str, units: tuple[tuple[str, float], ...]) -> Callable[[float], float]:
    plain = head.replace("\u00b0", "").replace("_", " ").replace("kmh", "km/h").replace(" ms", " m/s")
    said = in_brackets(plain) or plain
    if name == "temperature_c":
        fahrenheit = bool(re.search(r"\bf\b|fahren", said))
        return (lambda v: (v - 32.0) * 5 / 9) if fahrenheit else (lambda v: v)
    factor = next((f for word, f in units if word in said), units[0][1])
    return lambda v: v * factor

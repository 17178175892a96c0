"""Chargers along a way and stretches of it, typed or from a table: ``140 km Mill Quay 150 kW 0.45``, a CSV, or "every 90 to 140 km"."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Final

import numpy as np

from fairmargin.core.study import RoutePoint
from fairmargin.core.study.entry import words_of
from fairmargin.core.study.trip import Charger, TripStretch, chargers_every
from fairmargin.core.units import read_in, read_number, read_quantity
from fairmargin.exchange.tables.headers import Role
from fairmargin.exchange.tables.reader import Table, read_rows

#: What a column of a table of chargers may be.
_COLUMNS: Final = (
    Role("at_km", "distance", r"^at\b|dist|\bkm\b|\bmi(les)?\b|where|along"),
    Role("kw", "power", r"kw|power|rating", never=r"per kwh|/kwh|price|cost", usual="kW"),
    Role("price_per_kwh", "price", r"price|cost|per kwh|tariff"),
    Role("working", "", r"work|open|state|order"),
    Role("hitched", "", r"hitch|trailer|drive.?through"),
    Role("name", "", r"name|place|site|charger|station"),
)
_NOT: Final = frozenset({"no", "out of order", "closed", "0", "false", "broken"})
#: A comma between digits is a decimal one.
_EVERY: Final = re.compile(
    r"^\s*every\s+(.+?)(?:\s*(?:to|-|\u2013)\s*(.+?))?(?:\s*(?:(?<!\d),|,(?!\d))\s*(\S.*))?\s*$", re.IGNORECASE
)
USUAL_KW: Final = 150.0


def read_chargers(text: str, whole_km: float, distance_unit: str = "km") -> tuple[Charger, ...]:
    """Read chargers.

    Parameters
    ----------
    text : str
        ``every 90 to 140 km, 150 kW``; or a table with a header such as ``at, name, kW, price``; or lines of which each
        begins with a distance: ``140 Mill Quay 150 kW 0.45``.
    whole_km : float
        Length of the way.
    distance_unit : {'km', 'mi'}
        Of distances with no unit.

    Returns
    -------
    tuple of Charger
        In the order they are passed.

    Raises
    ------
    ValueError
        Which line cannot be read, and what was expected.
    """
    plain = text.strip()
    if not plain:
        return ()
    every = _EVERY.match(" ".join(plain.split())) if len(plain) <= LONGEST_LINE else None
    if every:
        unit = _unit_of(every[2] or every[1]) or distance_unit
        low, high = (read_quantity(every[i] or every[1], "distance", unit) for i in (1, 2))
        price, rest = _every_price(every[3] or "")
        return chargers_every(low, high, whole_km, read_in(rest, "kW") if rest else USUAL_KW, price)
    table = read_rows(plain, _COLUMNS, moments=None)
    if table is None:
        raise ValueError("no cell is filled; expected such as 140 km Mill Quay 150 kW 0.45")
    at = table.by_role.get("at_km")
    if table.rows and table.refused and not any(c.isdigit() for c in "".join(table.header)):
        raise ValueError("; ".join(table.refused))
    if table.rows and at is not None and not any(c.isdigit() for c in table.header[at]):
        found = _of_table(table, distance_unit)
    else:
        found = [_of_line(line, distance_unit) for line in plain.splitlines() if line.strip()]
    return tuple(sorted(found, key=lambda c: c.at_km))


def _every_price(text: str) -> tuple[float | None, str]:
    """A price behind a power, and the power: "150 kW 0.45", "150 kW, 0.45"."""
    match = re.match(r"^(\S+\s*kW)[\s,]+(\S.*)$", text, re.IGNORECASE)
    return (read_in(match[2], "/kWh"), match[1]) if match else (None, text)


def _unit_of(text: str) -> str:
    rest = read_number(text).rest.strip().lower()
    return "mi" if rest.startswith("mi") else "km" if rest.startswith("km") else ""


def _of_table(table: Table, distance_unit: str) -> list[Charger]:
    found = []
    for number, row in enumerate(table.rows, start=2):
        cells = table.cells(row)
        if "at_km" not in cells:
            continue
        try:
            found.append(
                Charger(
                    at_km=read_quantity(cells["at_km"], "distance", table.head("at_km").unit or distance_unit),
                    name=cells.get("name", ""),
                    kw=read_quantity(cells["kw"], "power", table.head("kw").unit) / 1000.0
                    if "kw" in cells
                    else USUAL_KW,
                    price_per_kwh=read_in(cells["price_per_kwh"], "/kWh") if "price_per_kwh" in cells else None,
                    working=cells.get("working", "yes").lower() not in _NOT,
                    hitched=cells["hitched"].lower() not in _NOT if "hitched" in cells else None,
                )
            )
        except ValueError as error:
            raise ValueError(f"chargers, line {number}: {words_of(error)}") from error
    return found


_AT: Final = re.compile(r"(\d+(?:[.,]\d+)?\s?(?:km|mi)?)(?![\w.])", re.IGNORECASE)
_KW: Final = re.compile(r"(?<![\w.,])\d+(?:[.,]\d+)?\s?kW$", re.IGNORECASE)
_PRICE: Final = re.compile(r"(?<![\w.,])\d+(?:[.,]\d+)?(?:\s?/\s?kWh)?$", re.IGNORECASE)
_OUT: Final = re.compile(r"\b(?:out of order|closed)$", re.IGNORECASE)
_HITCHED: Final = re.compile(r"\b(?:stay hitched|hitched|drive.?through)$", re.IGNORECASE)
_BETWEEN: Final = " ,:"
LONGEST_LINE: Final = 200


def _taken(text: str, what: re.Pattern[str]) -> tuple[str, str]:
    """What stands at the end of a line, and the line without it; empty where nothing of it does."""
    match = what.search(text)
    return (match[0], text[: match.start()].rstrip(_BETWEEN)) if match else ("", text)


def _of_line(line: str, distance_unit: str) -> Charger:
    plain = " ".join(line.split())
    match = _AT.match(plain)
    if match is None or len(plain) > LONGEST_LINE:
        raise ValueError(f'"{plain[:60]}": expected a distance first, such as 140 km Mill Quay 150 kW 0.45')
    rest = plain[match.end() :].strip(_BETWEEN)
    if re.match(r"(m|kg|ft|yd|lb|h|min|s|%)\b", rest, re.IGNORECASE):
        raise ValueError(f'"{plain}": "{rest.split()[0]}" is no unit of a distance; expected km or mi')
    out, rest = _taken(rest, _OUT)
    on, rest = _taken(rest, _HITCHED)
    price, rest = ("", rest) if _KW.search(rest) else _taken(rest, _PRICE)
    kw, rest = _taken(rest, _KW)
    try:
        return Charger(
            at_km=read_quantity(match[1], "distance", distance_unit),
            name=rest.strip(_BETWEEN),
            kw=read_in(kw, "kW") if kw else USUAL_KW,
            price_per_kwh=read_number(price).value if price else None,
            working=not out,
            hitched=True if on else None,
        )
    except ValueError as error:
        raise ValueError(f'"{plain}": {words_of(error)}') from error


_STRETCH: Final = re.compile(
    r"^\s*(?P<km>\d+(?:[.,]\d+)?\s*(?:km|mi)?)\s*(?:at|@|,)?\s*(?P<speed>\d+(?:[.,]\d+)?\s*(?:km/h|mph)?)?\s*,?\s*(?P<climb>[+\-\u2212]\d+(?:[.,]\d+)?\s*(?:m|ft))?"
    r"(?:\s*,\s*(?P<name>[^\d\s].*))?\s*$",
    re.IGNORECASE,
)


def read_stretches(text: str, distance_unit: str = "km", speed_unit: str = "km/h") -> tuple[TripStretch, ...]:
    """Read the way: ``420 km`` as driven, or stretches such as ``60 km at 90; 300 km at 85 +400 m; 60 at 50, town``.

    Raises
    ------
    ValueError
        Which stretch cannot be read, and what was expected.
    """
    found = []
    for part in filter(None, (" ".join(p.split()) for p in re.split(r"[;\n]", text))):
        match = _STRETCH.match(part) if len(part) <= LONGEST_LINE else None
        if match is None:
            raise ValueError(f'"{part}": expected a distance and a speed, such as 60 km at 90 +400 m, name')
        try:
            climb = match["climb"]
            found.append(
                TripStretch(
                    km=read_quantity(match["km"], "distance", distance_unit),
                    speed_kmh=read_quantity(match["speed"], "speed", speed_unit) if match["speed"] else None,
                    climb_m=read_in(climb.replace("\u2212", "-"), "m") if climb else 0.0,
                    name=(match["name"] or "").strip(),
                )
            )
        except ValueError as error:
            raise ValueError(f'"{part}": {words_of(error)}') from error
    return tuple(found)


PIECE_KM: Final = 10.0
ALIKE_M_PER_KM: Final = 2.0  # pieces that climb alike become one stretch


def stretches_of(points: Sequence[RoutePoint], speed_kmh: float | None) -> tuple[TripStretch, ...]:
    """A track as stretches at one speed (None: as driven): cut every 10 km, pieces that climb alike together.

    Raises
    ------
    ValueError
        If there are fewer than two points.
    """
    if len(points) < 2:
        raise ValueError("the track has fewer than two points")
    at = np.array([p.distance_m for p in points]) / 1000.0
    heights = np.array([np.nan if p.elevation_m is None else p.elevation_m for p in points], dtype=float)
    known = np.isfinite(heights)
    count = max(1, round(float(at[-1] - at[0]) / PIECE_KM))
    edges = np.linspace(at[0], at[-1], count + 1)
    level = np.interp(edges, at[known], heights[known]) if known.sum() > 1 else np.zeros(count + 1)
    made: list[TripStretch] = []
    for km, climb in zip(np.diff(edges).tolist(), np.diff(level).tolist(), strict=True):
        last = made[-1] if made else None
        if last is not None and abs(last.climb_m / last.km - climb / km) < ALIKE_M_PER_KM:
            made[-1] = last.with_(km=round(last.km + km, 3), climb_m=round(last.climb_m + climb, 1))
        else:
            made.append(TripStretch(km=round(km, 3), speed_kmh=speed_kmh, climb_m=round(climb, 1)))
    return tuple(made)


def show_stretches(stretches: tuple[TripStretch, ...], km_shown: float = 1.0, kmh_shown: float = 1.0) -> str:
    """Write stretches as they are typed; factors from km and km/h to the units shown."""
    parts = []
    for s in stretches:
        text = f"{s.km * km_shown:.4g}" + ("" if s.speed_kmh is None else f" at {s.speed_kmh * kmh_shown:.3g}")
        if s.climb_m:
            text += f" {s.climb_m:+.0f} m".replace("-", "\u2212")
        parts.append(f"{text}, {s.name}" if s.name else text)
    return "; ".join(parts)


def show_chargers(chargers: tuple[Charger, ...], km_shown: float = 1.0) -> str:
    """Write chargers as they are typed, a line each."""
    lines = []
    for c in chargers:
        price = "" if c.price_per_kwh is None else f" {c.price_per_kwh:g}"
        name = f" {c.name}" if c.name else ""
        out = " hitched" if c.hitched else ""
        out += "" if c.working else " out of order"
        lines.append(f"{c.at_km * km_shown:.5g}{name} {c.kw:g} kW{price}{out}")
    return "\n".join(lines)

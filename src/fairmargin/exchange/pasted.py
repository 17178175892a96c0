"""Rows pasted from a spreadsheet: cells, the roles of their columns, and what they make of the legs."""

from __future__ import annotations

import re
from dataclasses import dataclass
from datetime import datetime
from typing import Any, Final

from fairmargin.core.study import Leg, Study
from fairmargin.core.study.entry import read_leg_field, words_of
from fairmargin.core.units import UnitChoice
from fairmargin.exchange.tabular import delimiter_of, filled_rows, in_brackets

#: Roles a column can have, and header words that mean them.
ROLES: Final[dict[str, tuple[str, tuple[str, ...]]]] = {
    "": ("(not used)", ()),
    "leg": ("Leg name", ("leg", "name")),
    "reading": ("Reading", ("reading", "average", "consumption", "average_shown", "energy", "kwh", "use")),
    "distance_km": ("Distance", ("distance", "distance_km", "km", "miles", "mi", "odo", "trip")),
    "duration_s": ("Time", ("time", "duration", "duration_s", "minutes", "min")),
    "started_at": ("Start", ("start", "started", "started_at", "departure", "clock")),
    "temperature_c": ("Air", ("temperature", "temp", "air", "temperature_c", "outside")),
    "wind_speed_ms": ("Wind", ("wind", "wind speed", "wind_speed_ms")),
    "wind_from_deg": ("Wind from", ("from", "wind from", "direction", "wind direction", "wind_from_deg")),
    "pressure_hpa": ("Pressure", ("pressure", "pressure_hpa", "hpa", "inhg")),
    "note": ("Note", ("note", "notes", "remark", "comment")),
}


#: Units that a header word says by itself.
_IMPLIED: Final = {
    "km": "km", "distance_km": "km", "miles": "mi", "mi": "mi", "duration_s": "s", "minutes": "min", "min": "min",
    "temperature_c": "\u00b0C", "wind_speed_ms": "m/s", "pressure_hpa": "hPa", "hpa": "hPa", "inhg": "inHg",
    "kwh": "kWh",
}  # fmt: skip
#: What stands in brackets after a header word and is no unit to convert.
_NO_UNIT: Final = {"min:s", "h:mm", "hh:mm", "m:s", "mm:ss", "h:mm:ss", "hh:mm:ss", "local", "clock", "true", "deg", "\u00b0", "\u00b0 true"}  # fmt: skip
_BARE: Final = re.compile(r"^[+\-\u2212]?\d+(?:[.,]\d+)?$")


@dataclass(frozen=True, slots=True)
class Pasted:
    """Rows of cells, the roles guessed for their columns, and the units their headers state ("" = none)."""

    header: list[str] | None
    rows: list[list[str]]
    roles: list[str]
    units: tuple[str, ...] = ()

    def cell(self, row: list[str], column: int) -> str:
        """A cell as if its header's unit stood in it; one that states a unit of its own keeps that."""
        text = row[column].strip()
        unit = self.units[column] if column < len(self.units) else ""
        return f"{text} {unit}" if unit and _BARE.match(text) else text


def read_cells(text: str, start_key: str | None = None) -> Pasted:
    """Split pasted text into cells and guess what the columns are."""
    rows = filled_rows(text.strip("\r\n"), delimiter_of(text) or "\t")
    width = max((len(r) for r in rows), default=0)
    rows = [r + [""] * (width - len(r)) for r in rows]
    first_row = [c.strip() for c in rows[0]] if rows else []
    first = [c.lower() for c in first_row]
    guessed = [_role_of(cell) for cell in first]
    if sum(bool(g) for g in guessed) >= max(1, (width + 1) // 2) and not any(c[:1].isdigit() for c in first):
        return Pasted(rows[0], rows[1:], _unique(guessed), tuple(_unit_of(cell) for cell in first_row))
    order = list(ROLES)[1:]
    begin = order.index(start_key) if start_key in order else 1
    roles = (order[begin:] + [""] * width)[:width]
    return Pasted(None, rows, roles)


def _role_of(head: str) -> str:
    plain = head.split("(")[0].split("[")[0].strip()
    for role, (_, words) in ROLES.items():
        if plain in words:
            return role
    return ""


def _unit_of(head: str) -> str:
    """Unit that a header states in brackets, or by its own word."""
    inside = in_brackets(head)
    if inside:
        return "" if inside.lower() in _NO_UNIT else inside
    return _IMPLIED.get(head.split("(")[0].split("[")[0].strip().lower(), "")


def _unique(roles: list[str]) -> list[str]:
    seen: set[str] = set()
    result = []
    for role in roles:
        result.append("" if role in seen else role)
        seen.add(role)
    return result


def apply_cells(
    study: Study, pasted: Pasted, roles: list[str], choice: UnitChoice, start_leg: str | None, today: datetime
) -> tuple[Study, int, list[tuple[int, int, str]]]:
    """Lay the rows over the legs from `start_leg` on (or by leg name); `today` is for times where no leg has a date.

    Returns
    -------
    tuple
        The new study, how many legs changed, and faults as (row, column, words); faulty cells are skipped.
    """
    names = [leg.leg for leg in study.legs]
    position = names.index(start_leg) if start_leg in names else 0
    legs: dict[str, Leg] = {leg.leg: leg for leg in study.legs}
    faults: list[tuple[int, int, str]] = []
    changed = 0
    day = next((x.started_at for x in study.legs if x.started_at), today)
    for i, row in enumerate(pasted.rows):
        if "leg" in roles:
            name = row[roles.index("leg")].strip()
            if name not in legs:
                faults.append((i, roles.index("leg"), f'no leg "{name}" in this study'))
                continue
        elif position + i < len(names):
            name = names[position + i]
        else:
            faults.append((i, 0, "more rows than legs; add runs first"))
            continue
        leg = legs[name]
        for j, (role, cell) in enumerate(zip(roles, row, strict=True)):
            if role in {"", "leg"} or not cell.strip():
                continue
            try:
                changes: dict[str, Any] = read_leg_field(role, pasted.cell(row, j), choice, leg, day)
                leg = leg.with_(**changes)
            except ValueError as error:
                faults.append((i, j, words_of(error)))
        if leg != legs[name]:
            changed += 1
            legs[name] = leg
    return study.with_legs(legs.values()), changed, faults

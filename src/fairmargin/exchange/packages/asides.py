"""Readings that tell a leg's energy by way of another stand in ``readings.csv``, not in ``legs.csv``.

Whoever reads only ``legs.csv`` takes none of them for the leg's own.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Final

from pydantic import ValidationError

from fairmargin.core import units
from fairmargin.core.evidence.indirect import RANGE_LEFT, RATED, RUNNING
from fairmargin.core.study import Leg, WayReading
from fairmargin.core.study.indirect import INDIRECT_FIELDS
from fairmargin.exchange.files.faults import InvalidInput
from fairmargin.exchange.packages.table import sentence

#: Fields of a leg that are not written into ``legs.csv``.
ASIDE: Final = frozenset(name for names in INDIRECT_FIELDS.values() for name in names)
BACK: Final = "charge back"
TIME: Final = "charge time"


def rows_of(leg: Leg) -> list[WayReading]:
    """What ``readings.csv`` holds of one leg's readings of this kind."""

    def row(instrument: str, value: float, unit: str, **more: float | str | None) -> WayReading:
        return WayReading(leg=leg.leg, instrument=instrument, value=value, unit=unit, **more)

    rows = []
    if leg.running_shown is not None:
        how = {"since": leg.running_since, "step": leg.running_step}
        rows.append(row(RUNNING, leg.running_shown, leg.running_unit or "", **how))
    if leg.rated_range_used is not None:
        rows.append(row(RATED, leg.rated_range_used, leg.rated_range_unit or "km"))
    if leg.range_before is not None:
        rows.append(row(RANGE_LEFT, leg.range_before, leg.range_unit or "km", at_km=0.0))
    if leg.range_after is not None:
        rows.append(row(RANGE_LEFT, leg.range_after, leg.range_unit or "km"))
    if leg.charged_percent is not None:
        rows.append(row(BACK, leg.charged_percent, "%"))
    if leg.charged_s is not None:
        rows.append(row(TIME, leg.charged_s, "s"))
    return rows


def laid_on(legs: Sequence[Leg], rows: Sequence[WayReading]) -> tuple[tuple[Leg, ...], tuple[WayReading, ...]]:
    """Lay such rows on the legs again; what a leg has no room for, or cannot be, stays a reading on the way.

    Raises
    ------
    InvalidInput
        If legs refuse what rows say, a line for each.
    """
    changes: dict[str, dict[str, Any]] = {}
    rest: list[WayReading] = []
    ends = [{row.leg for row in rows if row.instrument == RANGE_LEFT and row.at_km == at} for at in (0.0, None)]
    for row in rows:
        own = changes.setdefault(row.leg, {})
        alone = row.instrument == RANGE_LEFT and not all(
            row.leg in legs_of for legs_of in ends
        )  # tells of nothing used
        found = None if alone else _changes(row, own)
        if found is None or any(own.get(name) is not None for name in found):
            rest.append(row)
        else:
            own |= found
    made, faults = [], []
    for leg in legs:
        try:
            made.append(leg.with_(**found) if (found := changes.get(leg.leg)) else leg)
        except ValidationError as error:
            faults += [f"readings.csv, leg {leg.leg}: {sentence(item)}" for item in error.errors(include_url=False)]
    if faults:
        raise InvalidInput(faults)
    return tuple(made), tuple(rest)


def _changes(row: WayReading, own: dict[str, Any]) -> dict[str, Any] | None:
    """Fields of the leg that a row fills; None where it is a reading on the way."""
    if row.instrument == RUNNING and row.since and row.at_km is None:
        try:
            unit = units.consumption_unit(row.unit)
        except ValueError:
            return None
        step = row.step if row.step is not None else 10.0 ** -len(f"{row.value:g}".partition(".")[2])
        return {"running_shown": row.value, "running_unit": unit, "running_step": step, "running_since": row.since}
    if row.instrument == RATED and row.unit in {"km", "mi"} and row.at_km is None:
        return {"rated_range_used": row.value, "rated_range_unit": row.unit}
    if row.instrument == RANGE_LEFT and row.unit in {"km", "mi"} and own.get("range_unit") in {None, row.unit}:
        if row.at_km == 0.0:
            return {"range_before": row.value} | ({} if own.get("range_unit") else {"range_unit": row.unit})
        if row.at_km is None:
            return {"range_after": row.value} | ({} if own.get("range_unit") else {"range_unit": row.unit})
    if row.instrument == BACK and row.unit == "%" and row.at_km is None:
        return {"charged_percent": row.value}
    if row.instrument == TIME and row.unit == "s":
        return {"charged_s": row.value}
    return None

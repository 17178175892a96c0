"""Charging receipts, from a table or typed, and the legs they belong to."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from typing import Final

from fairmargin.core.study import Leg, Study
from fairmargin.core.units import unit_of
from fairmargin.core.units.dates import Order, iso_dates, order_of
from fairmargin.exchange.files import budget
from fairmargin.exchange.tables.headers import Role
from fairmargin.exchange.tables.reader import Table, read_rows
from fairmargin.exchange.tables.rows import delimiter_of

_TYPED: Final = re.compile(
    r"^\s*(?:(?P<day>\d{4}-\d{2}-\d{2}|\d{1,2}[./-]\d{1,2}[./-]\d{2,4})[ T]+)?(?P<hour>\d{1,2})[:.](?P<minute>\d{2})(?::\d{2})?(?P<sign>[\s,;]+)"
    r"(?P<kwh>\d+(?:[.,]\d+)?)(?:\s*(?P<unit>kWh|Wh)\b)?(?:(?:[\s;]|,(?!\d))(?P<note>.*))?$",
    re.IGNORECASE,
)
_OTHER_UNIT: Final = re.compile(r"(?:[MGT]?Wh|MJ|kW|L|litres?|gal\S*|km|mi|%)\b", re.IGNORECASE)
_AMOUNT: Final = re.compile(r"(\d+(?:[.,]\d+)?)\s*([^\d\s].*)?")
_WHEN: Final = r"start|begin|time|date|zeit|datum"
#: What a column may be; a price, a power or a fee is no amount.
_COLUMNS: Final = (
    Role("kwh", "energy", r"kwh|energy|energie|dispensed|delivered|amount", never=r"cost|price|fee|betrag|per kwh|/kwh|power|total cost", usual="kWh"),
)  # fmt: skip
LONGEST_HEADER: Final = 4000  # characters
#: A charge that begins longer after a run than this is not its own.
LATEST: Final = timedelta(hours=6)


@dataclass(frozen=True, slots=True)
class Receipt:
    """One charge: when it began (or ended) and what was dispensed. [kWh]"""

    moment: datetime
    kwh: float
    note: str = ""


@dataclass(frozen=True, slots=True)
class Assigned:
    """A receipt with the leg it belongs to ("" = none) and why."""

    receipt: Receipt
    leg: str
    words: str


def read_receipts(
    text: str, day: datetime, order: Order = "", near: Sequence[date] = ()
) -> tuple[tuple[Receipt, ...], tuple[str, ...]]:
    """Read receipts: a CSV with a time and a kWh column, or typed lines such as ``12:40 4.1 kWh``.

    A text whose first line is the header of a table is read as a table.

    Parameters
    ----------
    text : str
    day : datetime
        Day of times that state none.
    order : {'', 'day-first', 'month-first'}
        Of dates in figures, where it is told.
    near : sequence of date
        Days that the receipts are likely to be of: the study's own.

    Returns
    -------
    receipts, notices
        In order of time, and what was dropped.

    Raises
    ------
    ValueError
        If there is no receipt in it, in words.
    """
    if len(text) > budget.TABLE_BYTES:
        raise ValueError(f"{len(text)} characters are too many; expected at most {budget.TABLE_BYTES}")
    lines = [line for line in text.splitlines() if line.strip()]
    if not lines:
        raise ValueError("empty; expected lines such as 12:40 4.1 kWh, or a table with time and kWh")
    table = _read(text)
    if table is not None:
        return _table(table, day, order, near)
    typed = [_TYPED.match(line) if len(line) < 400 else None for line in lines[:10_000]]
    known = order_of([m["day"] for m in typed if m and m["day"]], order, near)
    found, bad = [], 0
    for match in typed:
        try:
            found.append(_typed(match, day, known))
        except ValueError:
            bad += 1
    if not found:
        raise ValueError(f'"{lines[0][:60]}": expected columns with a time and kWh, or lines such as 12:40 4.1 kWh')
    notices = [f"{bad} lines are no receipts, dropped"] if bad else []
    return tuple(sorted(found, key=lambda r: r.moment)), tuple(notices)


def _read(text: str) -> Table | None:
    """The table; None where the first line is no header of one: it has a figure, or one column."""
    sign = delimiter_of(text)
    first = next(line for line in text.splitlines() if line.strip())[:LONGEST_HEADER]
    if sign is None or sign not in first or re.search(r"(?<![A-Za-z])\d", re.sub(r"[(\[].*?[)\]]", "", first)):
        return None
    return read_rows(text, _COLUMNS, _WHEN, sign)


def _typed(match: re.Match[str] | None, day: datetime, order: Order) -> Receipt:
    if match is None:
        raise ValueError("no receipt")
    base = datetime.fromisoformat(iso_dates(match["day"], order)) if match["day"] else day
    moment = datetime(base.year, base.month, base.day, int(match["hour"]), int(match["minute"]))
    note = (match["note"] or "").strip()
    if match["sign"] == "," and "," in match["kwh"]:
        raise ValueError(f"{match['kwh']} may be one figure or two cells")
    if match["unit"] is None and _OTHER_UNIT.match(note):
        raise ValueError(f'"{note}" is no kWh')
    scale = 0.001 if (match["unit"] or "").lower() == "wh" else 1.0
    return _checked(moment, float(match["kwh"].replace(",", ".")) * scale, note)


def _checked(moment: datetime, kwh: float, note: str) -> Receipt:
    if not 0 < kwh <= 500:
        raise ValueError(f"{kwh:g} kWh is no charge; expected up to 500")
    return Receipt(moment, kwh, note)


def _table(
    table: Table, day: datetime, order: Order, near: Sequence[date]
) -> tuple[tuple[Receipt, ...], tuple[str, ...]]:
    if table.refused and not table.by_role:
        raise ValueError("; ".join(table.refused))
    if not table.when or not table.by_role:
        head = ", ".join(table.header)[:60]
        raise ValueError(f'"{head}": expected columns with a time and kWh, or lines such as 12:40 4.1 kWh')
    energy = table.by_role["kwh"]
    moments, said = table.moments(order, near, day)
    found: list[Receipt] = []
    bad = 0
    for row, moment in zip(table.rows, moments, strict=True):
        number = _AMOUNT.fullmatch(table.cells(row).get("kwh", ""))  # all of it: 1e400 is not 1, 1,234.5 not 1.234
        try:
            if number is None or moment is None:
                raise ValueError("no receipt")
            value = float(number[1].replace(",", "."))
            kwh = unit_of("energy", number[2]).to_base(value) if number[2] else table.head("kwh").to_base(value)
            note = ", ".join(c.strip() for i, c in enumerate(row) if i not in {*table.when, energy} and c.strip())
            found.append(_checked(moment.replace(tzinfo=None), kwh, note[:120]))
        except ValueError:
            bad += 1
    if not found:
        raise ValueError("no row has a time and an amount in kWh")
    notices = said + ([f"{bad} rows without time or amount dropped"] if bad else [])
    return tuple(sorted(found, key=lambda r: r.moment)), tuple(notices)


def assign(study: Study, receipts: Sequence[Receipt]) -> tuple[Assigned, ...]:
    """Find the leg each receipt belongs to: the last one driven before it, one receipt a leg.

    Charged back after each leg, or once after a run, the charge stands on the leg it followed. A leg that
    has a charge already keeps it.
    """
    ends: list[tuple[datetime, Leg]] = []
    for leg in study.legs:
        if leg.started_at is not None and leg.vehicle != "control":
            end = leg.started_at.replace(tzinfo=None) + timedelta(seconds=float(leg.duration_s or 0.0))
            ends.append((end, leg))
    ends.sort(key=lambda pair: pair[0])
    taken: set[str] = set()
    made = []
    for receipt in receipts:
        before = [(end, leg) for end, leg in ends if end - timedelta(minutes=2) <= receipt.moment]
        if not before or receipt.moment - before[-1][0] > LATEST:
            made.append(Assigned(receipt, "", "no leg ended in the six hours before it"))
            continue
        leg = before[-1][1]
        if leg.charger_kwh is not None:
            made.append(Assigned(receipt, "", f"{leg.leg} has {leg.charger_kwh:g} kWh already, which stays"))
        elif leg.leg in taken:
            made.append(Assigned(receipt, "", f"a receipt before it went to {leg.leg}; add the two up by hand"))
        else:
            taken.add(leg.leg)
            made.append(Assigned(receipt, leg.leg, f"{leg.leg} ended at {before[-1][0]:%H:%M}"))
    return tuple(made)


def apply(study: Study, assigned: Sequence[Assigned]) -> Study:
    """Put the assigned charges on their legs."""
    for one in assigned:
        if one.leg:
            study = study.with_leg(one.leg, charger_kwh=one.receipt.kwh)
    return study

"""The one reader of a stranger's table: separator, header, roles with units, moments and decimals decided once."""

from __future__ import annotations

import math
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime
from typing import Final

from fairmargin.core.units.dates import Order
from fairmargin.exchange.tables.headers import Head, Role, heads, refusals
from fairmargin.exchange.tables.moments import MOMENT_WORDS, joined, moment_columns, moments_of
from fairmargin.exchange.tables.rows import delimiter_of, filled_rows

_CLOCK: Final = re.compile(r"\d{1,2}:\d{2}(:\d{2})?")


@dataclass(frozen=True, eq=False, slots=True)
class Table:
    """A table whose columns are known.

    Attributes
    ----------
    header : list of str
    rows : list of list of str
        Without the header.
    heads : list of Head
        What each column is; those that say when are none.
    when : tuple of int
        Columns that say when: a moment, or a date and its clock time.
    decimal_comma : bool
        Whether a comma may be the sign of its decimals.
    """

    header: list[str]
    rows: list[list[str]]
    heads: list[Head]
    when: tuple[int, ...] = ()
    decimal_comma: bool = False
    by_role: Mapping[str, int] = field(default_factory=dict)

    @property
    def refused(self) -> list[str]:
        """Columns that are not used because their unit is not known, by name."""
        return refusals(self.heads)

    @property
    def unused(self) -> list[str]:
        """Headers of the columns that are nothing."""
        return [h.title for i, h in enumerate(self.heads) if i not in self.when and not h.role and not h.refused]

    def head(self, role: str) -> Head:
        """The column of a role that is there."""
        return self.heads[self.by_role[role]]

    def cells(self, row: Sequence[str]) -> dict[str, str]:
        """Filled cells of a row by role."""
        return {r: c for r, i in self.by_role.items() if i < len(row) and (c := row[i].strip())}

    def figure(self, role: str, cell: str) -> float:
        """A cell in the base unit of its column; not a number where it is none."""
        try:
            value = self.head(role).to_base(float(cell.replace(",", ".") if self.decimal_comma else cell))
        except (ValueError, OverflowError):
            return math.nan
        return value if math.isfinite(value) else math.nan

    def moments(
        self, order: Order = "", near: Sequence[date] = (), day: datetime | None = None
    ) -> tuple[list[datetime | None], list[str]]:
        """When each row was, and what is to be said of it; clock times alone are of `day`.

        Raises
        ------
        UndecidedDates
            If nothing tells whether the day or the month comes first.
        """
        cells = [joined(row, self.when) for row in self.rows]
        if day is not None and all(_CLOCK.fullmatch(c) for c in cells if c):
            cells = [f"{day:%Y-%m-%d} {c}" if c else "" for c in cells]
        return moments_of(cells, order, near)


def read_rows(
    text: str, roles: Sequence[Role], moments: str | None = MOMENT_WORDS, delimiter: str = ""
) -> Table | None:
    """Read a table with a header; None where no cell is filled.

    Parameters
    ----------
    text : str
    roles : sequence of Role
        What its columns may be.
    moments : str, optional
        Words of a header that say when; None where no column does, or one is among the roles.
    delimiter : str
        Sign between the columns; found where empty.

    Raises
    ------
    ValueError
        If the table is larger than the budget allows.
    """
    sign = delimiter or delimiter_of(text) or "\t"
    rows = filled_rows(text, sign)
    if not rows:
        return None
    header = [h.strip() for h in rows[0]]
    when = () if moments is None else moment_columns(header, rows[1:], moments)
    found = heads([h if i not in when else "" for i, h in enumerate(header)], roles)
    return Table(header, rows[1:], found, when, sign != ",", {h.role: i for i, h in enumerate(found) if h.role})

"""What all tables of strangers share: the sign between columns, rows that hold something, units in header brackets."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Final

from fairmargin.exchange.files import budget
from fairmargin.exchange.files.faults import InvalidInput

#: Signs that part columns, the surest first: a decimal comma stands in most of the world's figures.
DELIMITERS: Final = ("\t", ";", "|", ",")
LOOKED_AT: Final = 5  # lines
LONGEST_HEAD: Final = 300  # characters of one column's header that are looked at
_DECIMAL: Final = re.compile(r"^\s*[+\-\u2212]?\d+,\d+\s*$")
_BRACKETS: Final = re.compile(r"[(\[]\s*([^)\]]+?)\s*[)\]]")


def delimiter_of(text: str | Sequence[str]) -> str | None:
    """Sign that parts the columns: the surest one that stands in each of the first lines; None for one column.

    A comma that only ever stands in a number (``15,4``) parts nothing.
    """
    lines = text.splitlines() if isinstance(text, str) else text
    seen = [line for line in lines if line.strip()][:LOOKED_AT]
    if not seen:
        return None
    for sign in DELIMITERS:
        if all(sign in line for line in seen):
            if sign == "," and all(_DECIMAL.match(line) for line in seen):
                return None
            return sign
    return next((sign for sign in DELIMITERS if sign in seen[0] and not _DECIMAL.match(seen[0])), None)


def filled_rows(text: str, delimiter: str, name: str = "the table") -> list[list[str]]:
    """Rows with at least one filled cell.

    Raises
    ------
    ValueError
        If the table is larger than the budget allows.
    """
    try:
        rows = [row for _, row in budget.rows_of(text, name, delimiter, strict=False)]
    except InvalidInput as fault:
        raise ValueError(fault.faults[0]) from fault
    return [row for row in rows if any(cell.strip() for cell in row)]


def in_brackets(head: str) -> str:
    """What a header says in brackets, its unit most often; empty when it has none."""
    inside = _BRACKETS.search(head[:LONGEST_HEAD])
    return inside[1] if inside else ""

"""Texts from outside as what they are: nothing a terminal obeys, nothing a spreadsheet computes."""

from __future__ import annotations

import re
from typing import Final

#: Control characters (C0 without tab and new line, DEL, C1) and those that turn the direction of writing.
CONTROL: Final = re.compile("[\x00-\x08\x0b-\x1f\x7f-\x9f\u202a-\u202e\u2066-\u2069]")
#: A spreadsheet takes a text that begins so for a formula.
_FORMULA: Final = re.compile(r"'*[=+\-@\t\r]")


def printable(text: str) -> str:
    """Take out what a terminal would obey instead of show."""
    return CONTROL.sub("\ufffd", text)


def armed(text: str) -> str:
    """Write a text cell so that no spreadsheet takes it for a formula: ``=1`` as ``'=1``. Undone by `unarmed`."""
    return f"'{text}" if _FORMULA.match(text) else text


def unarmed(cell: str) -> str:
    """Undo `armed`."""
    return cell[1:] if cell[:1] == "'" and _FORMULA.match(cell) else cell

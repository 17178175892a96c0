"""What a column of a stranger's table is, and in which unit: one rule for every table there is.

A reader says which roles its columns may have (`Role`); `heads` finds them by the words of the header and reads the unit
that stands with them: in brackets, behind a comma or an underscore, or as the last word. A unit is converted or refused by
name; none is passed over.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

from fairmargin.core.units import QUANTITIES, UnitError, unit_of
from fairmargin.exchange.tables.rows import LONGEST_HEAD, in_brackets

#: Middle of each Beaufort number at 10 m, 0 to 12, and half the width of the band about it: WMO code table 1100. [m/s]
BEAUFORT_M_S: Final = (0.1, 0.9, 2.5, 4.4, 6.7, 9.4, 12.3, 15.5, 19.0, 22.6, 26.5, 30.6, 34.8)
_BEAUFORT: Final = frozenset({"bft", "bf", "beaufort"})
#: What may stand in brackets and is no unit.
_NO_UNIT: Final = frozenset(
    {"min:s", "m:s", "mm:ss", "h:mm", "hh:mm", "h:mm:ss", "hh:mm:ss", "local", "local time", "utc", "clock", "true", "deg true", "\u00b0 true",
     "iso", "iso 8601", "gps", "raw", "avg", "mean", "average", "10 m", "2 m", "at 10 m", "at 2 m"}
)  # fmt: skip
#: Units of one letter are believed where they fit the role; else they are part of the name.
_SHORT: Final = 1


@dataclass(frozen=True, slots=True)
class Role:
    """What a column may be: words of its header, words that make it another thing, its quantity and usual unit."""

    key: str
    quantity: str  # of `core.units`; "" for text, times and whatever has no unit
    words: str  # a pattern, looked for in the name without its unit
    never: str = ""
    usual: str = ""


@dataclass(frozen=True, slots=True)
class Head:
    """One column: its header, its role ("" = none), its unit, and whether the header stated it."""

    title: str
    role: str = ""
    quantity: str = ""
    unit: str = ""
    stated: bool = False
    refused: str = ""  # why it is not used, where its unit is not one of its quantity

    def to_base(self, value: float) -> float:
        """A figure of the column in the base unit of its quantity.

        Raises
        ------
        ValueError
            If it is no Beaufort number where one is expected.
        """
        if self.unit == "Bft":
            if not 0 <= value <= 12 or value != int(value):
                raise ValueError(f"{value:g} is no Beaufort number; expected 0 to 12")
            return BEAUFORT_M_S[int(value)]
        return unit_of(self.quantity, self.unit).to_base(value) if self.quantity else value


def split_head(title: str) -> tuple[str, str]:
    """Name and unit text of a header: ``v GPS [km/h]``, ``wind_speed_ms``, ``Pressure, mmHg``, ``Temp F``.

    Examples
    --------
    >>> split_head("v GPS [km/h]"), split_head("wind_speed_ms"), split_head("Speed kmph"), split_head("Humidity")
    (('v gps', 'km/h'), ('wind speed', 'm/s'), ('speed', 'kmph'), ('humidity', ''))
    """
    title = title[:LONGEST_HEAD]
    inside = in_brackets(title).strip()
    if inside:
        name = re.sub(r"[\[(].*?[\])]", " ", title)
        unit = "" if inside.lower() in _NO_UNIT else inside
        return " ".join(name.replace("_", " ").lower().split()), unit
    words = title.replace("_", " ").replace(",", " ").split()
    if len(words) > 1 and (unit := _unit_word(words[-1])):
        if len(words) > 2 and words[-2] in {"mi", "km", "m", "ft"} and unit in {"h", "s"}:
            return " ".join(words[:-2]).lower(), f"{words[-2]}/{unit}"
        return " ".join(words[:-1]).lower(), unit
    return " ".join(words).lower(), ""


#: Units as they stand at the end of names in files, where no slash can.
_IN_NAMES: Final = {"ms": "m/s", "kmh": "km/h", "pct": "%", "percent": "%"}


def _unit_word(word: str) -> str:
    """A last word that is a unit of anything; "" where it is only a word."""
    if word.lower() in _BEAUFORT:
        return word
    if word in _IN_NAMES:
        return _IN_NAMES[word]
    for quantity in QUANTITIES:
        if quantity not in {"ratio", "price"}:
            try:
                unit_of(quantity, word)
            except UnitError:
                continue
            return word
    return ""


def heads(titles: Sequence[str], roles: Sequence[Role], once: bool = True) -> list[Head]:
    """What each column is.

    Parameters
    ----------
    titles : sequence of str
        The header as it stands.
    roles : sequence of Role
        In the order in which they are looked for.
    once : bool
        Whether a role is given to the first column only that fits it.

    Returns
    -------
    list of Head
        One a column. A column whose unit is not one of its role's quantity has `refused` and no role.
    """
    found: list[Head] = []
    taken: set[str] = set()
    for title in titles:
        head = _head(title.strip(), [r for r in roles if not once or r.key not in taken])
        if head.role:
            taken.add(head.role)
        found.append(head)
    return found


def _head(title: str, roles: Sequence[Role]) -> Head:
    name, unit = split_head(title)
    whole = " ".join(title[:LONGEST_HEAD].lower().replace("_", " ").split())
    refused = ""
    for role in roles:
        if not re.search(role.words, name) and not re.search(role.words, whole):
            continue
        if role.never and re.search(role.never, whole):
            continue
        if not role.quantity:
            return Head(title, role.key)
        if not unit:
            return Head(title, role.key, role.quantity, role.usual)
        if role.quantity == "wind" and unit.lower() in _BEAUFORT:
            return Head(title, role.key, role.quantity, "Bft", True)
        try:
            named = unit_of(role.quantity, _as_rate(unit, role.quantity))
        except UnitError as error:
            if len(unit) <= _SHORT and not in_brackets(title):
                return Head(title, role.key, role.quantity, role.usual)
            refused = refused or str(error)
            continue
        return Head(title, role.key, role.quantity, named.name, True)
    return Head(title, refused=refused)


def _as_rate(unit: str, quantity: str) -> str:
    """``ms`` of a speed is m/s."""
    return "m/s" if unit in {"ms", "m s"} and quantity in {"speed", "wind"} else unit


def by_unit(title: str, quantities: Sequence[str]) -> tuple[str, str]:
    """Quantity and unit that a header's unit alone tells, whatever its name: ``HV [V]`` is a voltage."""
    _, unit = split_head(title)
    for quantity in quantities if unit else ():
        try:
            return quantity, unit_of(quantity, unit).name
        except UnitError:
            continue
    return "", ""


def refusals(found: Sequence[Head]) -> list[str]:
    """Columns that are not used because their unit is not known, by name."""
    return [f'column "{h.title}" is not used: {h.refused}' for h in found if h.refused]


def as_percent(values: Sequence[float]) -> bool:
    """Whether shares of a whole were written as fractions of one: none above 1, and one strictly between 0 and 1."""
    return bool(values) and max(values) <= 1.0 and any(0.0 < v < 1.0 for v in values)

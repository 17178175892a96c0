"""Sentences that carry values: a figure of the core stands in a sentence with its unit, and is written out where it is shown.

A sentence is text with marks in it; a mark holds the value, its unit and decimals. What nobody marked, such as a title, a
note or a reading as somebody typed it, is never converted. `in_units` writes a sentence out in a person's units, `plain` in those
that the sentence was made with (the file format's).
"""

from __future__ import annotations

import re
from typing import Final

from fairmargin.core.units.consumption import KM_PER_MILE, label
from fairmargin.core.units.quantities import UnitChoice, unit_of

#: Units that sentences of the core use, and the quantity that each is of.
_QUANTITY: Final = {
    "km/h": "speed", "m/s": "wind", "km": "distance", "\u00b0C": "temperature", "hPa": "pressure", "kPa": "tyre", "kg": "mass",
    "m": "length", "L": "volume",
}  # fmt: skip
SENTENCE_UNITS: Final = frozenset({*_QUANTITY, "K", "Wh/km"})
_OPEN, _CLOSE = "\ue000", "\ue001"  # of the private use area: in no text that anybody types
_MARK: Final = re.compile(f"{_OPEN}([^|{_CLOSE}]*)\\|([^|{_CLOSE}]*)\\|(\\d)([+b]*){_CLOSE}")


def said(value: float, unit: str, decimals: int = 0, *, plus: bool = False, bare: bool = False) -> str:
    """A figure with its unit, for a sentence.

    Parameters
    ----------
    value : float
        In `unit`.
    unit : {'km/h', 'm/s', 'km', 'm', '°C', 'K', 'hPa', 'kPa', 'kg', 'L', 'Wh/km'}
    decimals : int, optional
        As many as are shown; a bar has two more and an inch of mercury one.
    plus : bool, optional
        Whether a value above zero has its sign.
    bare : bool, optional
        Without the unit's name, where it follows: "3 to 6 m/s".

    Raises
    ------
    KeyError
        If sentences do not know the unit.

    Examples
    --------
    >>> words = f"Trial legs {said(5.04, 'km/h', 1)} faster, {said(5.0, 'K')} warmer"
    >>> plain(words)
    'Trial legs 5.0 km/h faster, 5 K warmer'
    """
    if unit not in SENTENCE_UNITS:
        raise KeyError(unit)
    return f"{_OPEN}{float(value):.7g}|{unit}|{decimals}{'+' * plus}{'b' * bare}{_CLOSE}"


class SaidError(ValueError):
    """A fault whose sentence carries values; as text it has the units that it was made with, `args[0]` has the marks."""

    def __str__(self) -> str:
        return plain(str(self.args[0])) if self.args else ""


def said_range(low: float, high: float, unit: str, decimals: int = 0, word: str = "to") -> str:
    """Two figures with one unit: "3.0 to 6.0 m/s"."""
    return f"{said(low, unit, decimals, bare=True)} {word} {said(high, unit, decimals)}"


def in_units(text: str, choice: UnitChoice) -> str:
    """Write a sentence out in a person's units.

    Differences of temperature (K) become degrees Fahrenheit where those are chosen. Consumptions become Wh/mi where
    miles are, so that they still add up.

    Examples
    --------
    >>> from fairmargin.core.units import UNIT_CHOICES
    >>> words = f"Trial legs {said(5.0, 'km/h', 1)} faster than on \u201cVans at 80 km/h\u201d, wind {said_range(3, 6, 'm/s', 1)}."
    >>> in_units(words, UNIT_CHOICES["us"])
    'Trial legs 3.1 mph faster than on “Vans at 80 km/h”, wind 6.7 to 13.4 mph.'
    """

    def write(match: re.Match[str]) -> str:
        value, unit, decimals, flags = float(match[1]), match[2], int(match[3]), match[4]
        name, other, more = _other(value, unit, choice)
        return _written(other, name, decimals + more, flags)

    return _MARK.sub(write, text)


def plain(text: str) -> str:
    """Write a sentence out in the units that it was made with."""

    def write(match: re.Match[str]) -> str:
        return _written(float(match[1]), match[2], int(match[3]), match[4])

    return _MARK.sub(write, text)


def _other(value: float, unit: str, choice: UnitChoice) -> tuple[str, float, int]:
    """A value in the chosen unit: the unit's name, the value, and how many decimals more it has."""
    if unit == "K":
        return ("\u00b0F", value * 1.8, 0) if choice.temperature == "\u00b0F" else ("K", value, 0)
    if unit == "Wh/km":
        return ("Wh/mi", value * KM_PER_MILE, 0) if choice.distance == "mi" else ("Wh/km", value, 0)
    quantity = _QUANTITY[unit]
    name = getattr(choice, quantity)
    other = unit_of(quantity, name).from_base(unit_of(quantity, unit).to_base(value))
    return name, other, {"bar": 2, "inHg": 1}.get(name, 0)


def _written(value: float, name: str, decimals: int, flags: str) -> str:
    text = f"{abs(value):.{decimals}f}"
    sign = "\u2212" if value < 0 and float(text) else "+" if "+" in flags else ""
    return f"{sign}{text}" if "b" in flags else f"{sign}{text} {label(name)}"

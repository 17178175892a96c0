"""Sentences in the person's units: figures of a sentence with a unit of the core are converted where it is shown."""

from __future__ import annotations

import re
from typing import Final

from fairmargin.core.units.consumption import KM_PER_MILE, label
from fairmargin.core.units.quantities import UnitChoice, unit_of

#: Units that sentences of the core use, and the quantity that each is of.
_QUANTITY: Final = {
    "km/h": "speed", "m/s": "wind", "km": "distance", "\u00b0C": "temperature", "hPa": "pressure", "kPa": "tyre", "kg": "mass",
}  # fmt: skip
_UNITS: Final = "Wh/km|km/h|m/s|km(?![/\u00b2])|\u00b0C|hPa|kPa|kg(?!/)|K(?![a-z/])"
_FIGURE: Final = r"[+\-\u2212]?\d+(?:\.\d+)?"
_SENTENCE: Final = re.compile(rf"({_FIGURE})((?: (?:to|and|against|or|\u00b1) {_FIGURE})?) ({_UNITS})(?![\w/])")


def in_units(text: str, choice: UnitChoice) -> str:
    """Write a sentence of the core in the person's units; other figures stay.

    Differences of temperature (K) become degrees Fahrenheit where those are chosen. Consumptions become Wh/mi where
    miles are, so that they still add up.

    Examples
    --------
    >>> from fairmargin.core.units import UNIT_CHOICES
    >>> in_units("Trial legs 5.0 km/h faster, 5 K warmer, wind 3.0 to 6.0 m/s.", UNIT_CHOICES["us"])
    'Trial legs 3.1 mph faster, 9 \u00b0F warmer, wind 6.7 to 13.4 mph.'
    >>> in_units("for a true 113 km/h", UNIT_CHOICES["metric"])
    'for a true 113 km/h'
    """

    def swap(match: re.Match[str]) -> str:
        first, second, unit = match.groups()
        name, figures = _other(unit, choice)
        if name == unit:
            return match[0]
        text = _converted(first, unit, choice)
        if second:
            word, figure = second.split(" ")[1:]
            text += f" {word} {_converted(figure, unit, choice)}"
        return f"{text} {figures}"

    return _SENTENCE.sub(swap, text)


def _other(unit: str, choice: UnitChoice) -> tuple[str, str]:
    """The unit that stands for one of the core: its name, and how it is written."""
    if unit == "K":
        name = "\u00b0F" if choice.temperature == "\u00b0F" else "K"
    elif unit == "Wh/km":
        name = "Wh/mi" if choice.distance == "mi" else "Wh/km"
    else:
        name = getattr(choice, _QUANTITY[unit])
    return name, label(name)


def _converted(figure: str, unit: str, choice: UnitChoice) -> str:
    """One figure in the chosen unit, with as many decimals as it had."""
    value = float(figure.replace("\u2212", "-"))
    decimals = len(figure.partition(".")[2])
    if unit == "K":
        other = value * 1.8
    elif unit == "Wh/km":
        other = value * KM_PER_MILE
    else:
        quantity = _QUANTITY[unit]
        base = unit_of(quantity, unit).to_base(value)
        name = getattr(choice, quantity)
        other = unit_of(quantity, name).from_base(base)
        decimals = max(decimals, 1 if name in {"bar", "inHg"} else 0) + (name == "bar")
    text = f"{abs(other):.{decimals}f}"
    sign = "+" if figure.startswith("+") else "\u2212" if other < 0 and float(text) else ""
    return sign + text

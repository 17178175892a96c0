"""How figures and sentences are written: a true minus sign, a capital at the front."""

from __future__ import annotations

import re


def signed(value: float, decimals: int = 1) -> str:
    """Write a signed number with a true minus sign; what rounds to zero has none.

    Examples
    --------
    >>> signed(-3.56), signed(0.04), signed(2, 0)
    ('−3.6', '0.0', '+2')
    """
    text = f"{abs(value):.{decimals}f}"
    if float(text) == 0:
        return text
    mark = "\u2212" if value < 0 else "+"
    return mark + text


def minus(text: str) -> str:
    """A figure as it is written, with a true minus sign; what rounds to zero has none.

    Examples
    --------
    >>> minus("-4"), minus("-0.0 kWh"), minus("12-16"), minus("4.5")
    ('−4', '0.0 kWh', '12-16', '4.5')
    """
    if not text.startswith("-"):
        return text
    zero = re.match(r"-0*\.?0*(?![\d.])", text)
    return text[1:] if zero else "\u2212" + text[1:]


def sentence(words: str) -> str:
    """With a capital first letter; everything else (units, names of legs) stays as it is."""
    return words[:1].upper() + words[1:]


def same_name(text: str) -> str:
    """How names are held against each other: without case, and spaces as one."""
    return " ".join(text.casefold().split())

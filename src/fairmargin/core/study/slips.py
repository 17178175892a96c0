"""What a reading was most likely meant to be, where it cannot be what was typed: one slip of a pen or a key."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from typing import Final

from fairmargin.core import units
from fairmargin.core.study.entry import instruments_read, show_readings
from fairmargin.core.study.leg import Leg

#: A slip is offered where what it gives lies so near to what was expected; a moved decimal leaves no other choice. [log]
NEAR: Final = 0.15
NEAR_MOVED: Final = 0.3


def is_confirmed(leg: Leg) -> bool:
    """Whether somebody said that the instrument showed what stands there now."""
    return leg.confirmed != "" and leg.confirmed == show_readings(leg)


def slips_of(text: str) -> Iterator[str]:
    """Figures that one slip turns into this one, the likeliest first: its decimal moved, a digit doubled or two swapped.

    A digit that was dropped cannot be told.

    Examples
    --------
    >>> list(dict.fromkeys(slips_of("174")))
    ['17.4', '1740', '1.74', '17400', '74', '14', '17', '714', '147']
    """
    plain, decimals = text.replace(".", ""), len(text.partition(".")[2])
    for moved in (1, 2):
        if decimals + moved < len(plain):
            yield _pointed(plain, decimals + moved)
        yield _pointed(plain, decimals - moved)
    places = [i for i, sign in enumerate(text) if sign.isdigit()]
    for i in places:
        yield (text[:i] + text[i + 1 :]).removesuffix(".")
    for i, j in zip(places, places[1:], strict=False):
        yield text[:i] + text[j] + text[i + 1 : j] + text[i] + text[j + 1 :]


def _pointed(digits: str, decimals: int) -> str:
    """Digits with so many behind the decimal point; noughts are added where there are fewer than none."""
    if decimals <= 0:
        return (digits + "0" * -decimals).lstrip("0")
    whole = digits[:-decimals].lstrip("0") or "0"
    return f"{whole}.{digits[-decimals:]}"


def likely(leg: Leg, over_expected: float, decimals: int | None = None) -> str:
    """What the leg's most direct reading was most likely meant to be, as it would be typed; empty where nothing is likely.

    Parameters
    ----------
    leg : Leg
    over_expected : float
        Energy as read over what was expected.
    decimals : int, optional
        That this display showed on other legs: what has as many comes first.
    """
    kinds = instruments_read(leg)
    if not kinds or over_expected <= 0:
        return ""
    if kinds[0] == "energy" and leg.energy_kwh:
        texts = slips_of(units.to_step(leg.energy_kwh, leg.energy_step_kwh))
        offers = [(f"{t} kWh", float(t) / leg.energy_kwh * over_expected) for t in texts if _is_number(t)]
    elif kinds[0] == "average" and leg.average_shown and leg.average_unit:
        offers = list(_averages(leg.average_shown, leg.average_unit, leg.average_step, over_expected))
    elif kinds[0] == "soc" and leg.soc_start_percent is not None and leg.soc_end_percent is not None:
        offers = list(_charges(leg.soc_start_percent, leg.soc_end_percent, over_expected))
    else:
        offers = []
    typed = show_readings(leg).split(";")[0]
    shown = _digits(typed)
    near = [
        text
        for text, over in offers
        if text != typed and over > 0 and abs(math.log(over)) < (NEAR_MOVED if _digits(text) == shown else NEAR)
    ]
    alike = [t for t in near if decimals is not None and _decimals(t) == decimals]
    return next(iter((*alike, *near)), "")


def _digits(text: str) -> str:
    """Digits of the figure at the front of a text, and its unit: what a moved decimal leaves as it was."""
    figure, _, unit = text.partition(" ")
    return f"{figure.replace('.', '').strip('0')} {unit}"


def _decimals(text: str) -> int:
    """Digits behind the decimal point of the figure at the front of a text."""
    return len(text.split()[0].partition(".")[2])


def usual_decimals(legs: Sequence[Leg], leg: Leg) -> int | None:
    """Digits behind the decimal point that most other legs' displays showed; None where none was read."""
    field = "energy_step_kwh" if leg.energy_kwh is not None else "average_step"
    steps = [s for x in legs if x.leg != leg.leg and (s := getattr(x, field))]
    if not steps:
        return None
    return max(0, round(-math.log10(max(set(steps), key=steps.count))))


def _averages(
    value: float, unit: units.ConsumptionUnit, step: float | None, over: float
) -> Iterator[tuple[str, float]]:
    """What an average may have been meant to be: its digits, then its unit; and over what was expected."""
    shown = units.to_step(value, step)
    for text in slips_of(shown):
        if _is_number(text):
            ratio = float(text) / value
            yield f"{text} {units.label(unit)}", over / ratio if units.more_is_better(unit) else over * ratio
    own = units.to_wh_per_km(value, unit)
    for other in units.CONSUMPTION_UNITS:
        if units.is_fuel_unit(other) == units.is_fuel_unit(unit) and other != unit:
            yield f"{shown} {units.label(other)}", units.to_wh_per_km(value, other) / own * over


def _charges(before: float, after: float, over: float) -> Iterator[tuple[str, float]]:
    """What the charge may have been meant to be, before or after."""
    expected = (before - after) / over
    for text in slips_of(f"{after:g}"):
        if _is_number(text) and float(text) < before:
            yield f"{before:g}-{text} %", (before - float(text)) / expected
    for text in slips_of(f"{before:g}"):
        if _is_number(text) and after < float(text) <= 100:
            yield f"{text}-{after:g} %", (float(text) - after) / expected


def _is_number(text: str) -> bool:
    try:
        return math.isfinite(float(text)) and float(text) > 0
    except ValueError:
        return False

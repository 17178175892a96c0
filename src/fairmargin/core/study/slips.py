"""What a reading was most likely meant to be, where it cannot be what was typed: one slip of a pen or a key."""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import Final

from fairmargin.core import units
from fairmargin.core.study.entry import instruments_read, show_readings
from fairmargin.core.study.leg import Leg

#: A slip is offered where what it gives lies so near to what was expected. [log]
NEAR: Final = 0.15


def is_confirmed(leg: Leg) -> bool:
    """Whether somebody said that the instrument showed what stands there now."""
    return leg.confirmed != "" and leg.confirmed == show_readings(leg)


def slips_of(text: str) -> Iterator[str]:
    """Figures that one slip turns into this one: a digit doubled or swapped, the decimal moved, its sign left out.

    A digit that was dropped cannot be told.

    Examples
    --------
    >>> sorted(set(slips_of("174")))
    ['1.74', '14', '147', '17', '17.4', '1740', '714', '74']
    """
    places = [i for i, sign in enumerate(text) if sign.isdigit()]
    for i in places:
        yield text[:i] + text[i + 1 :]
    for i, j in zip(places, places[1:], strict=False):
        yield text[:i] + text[j] + text[i + 1 : j] + text[i] + text[j + 1 :]
    plain, decimals = text.replace(".", ""), len(text.partition(".")[2])
    for moved in (1, 2):
        if decimals + moved < len(plain):
            at = len(plain) - decimals - moved
            yield f"{plain[:at]}.{plain[at:]}"
        less = decimals - moved
        yield (
            f"{plain[: len(plain) - less]}.{plain[len(plain) - less :]}" if less > 0 else plain + "0" * -less
        )


def likely(leg: Leg, over_expected: float) -> str:
    """What the leg's most direct reading was most likely meant to be, as it would be typed; empty where nothing is likely.

    Parameters
    ----------
    leg : Leg
    over_expected : float
        Energy as read over what was expected.
    """
    kinds = instruments_read(leg)
    if not kinds or over_expected <= 0:
        return ""
    found: list[tuple[float, str]] = []
    if kinds[0] == "energy" and leg.energy_kwh:
        for text in slips_of(units.to_step(leg.energy_kwh, leg.energy_step_kwh)):
            _offer(found, text, leg.energy_kwh, over_expected, "kWh")
    elif kinds[0] == "average" and leg.average_shown and leg.average_unit:
        ratio = 1.0 / over_expected if units.more_is_better(leg.average_unit) else over_expected
        shown = units.to_step(leg.average_shown, leg.average_step)
        for text in slips_of(shown):
            _offer(found, text, leg.average_shown, ratio, units.label(leg.average_unit))
        for other in units.CONSUMPTION_UNITS:
            if (
                units.is_fuel_unit(other) == units.is_fuel_unit(leg.average_unit)
                and other != leg.average_unit
            ):
                meant = units.to_wh_per_km(leg.average_shown, other)
                own = units.to_wh_per_km(leg.average_shown, leg.average_unit)
                _weigh(found, f"{shown} {units.label(other)}", meant / own * over_expected)
    elif kinds[0] == "soc" and leg.soc_start_percent is not None and leg.soc_end_percent is not None:
        drop = leg.soc_start_percent - leg.soc_end_percent
        expected = drop / over_expected
        for which, value in (("start", leg.soc_start_percent), ("end", leg.soc_end_percent)):
            for text in slips_of(f"{value:g}"):
                if _is_number(text) and float(text) <= 100:
                    start, end = (text, f"{leg.soc_end_percent:g}") if which == "start" else (f"{leg.soc_start_percent:g}", text)  # fmt: skip
                    if float(start) > float(end):
                        _weigh(found, f"{start}-{end} %", (float(start) - float(end)) / expected)
    return min(found, default=(0.0, ""))[1]


def _offer(found: list[tuple[float, str]], text: str, value: float, over: float, unit: str) -> None:
    if _is_number(text) and float(text) > 0:
        _weigh(found, f"{text} {unit}", float(text) / value * over)


def _weigh(found: list[tuple[float, str]], text: str, over: float) -> None:
    """Keep what comes near to what was expected."""
    if over > 0 and abs(math.log(over)) < NEAR:
        found.append((abs(math.log(over)), text))


def _is_number(text: str) -> bool:
    try:
        return math.isfinite(float(text))
    except ValueError:
        return False

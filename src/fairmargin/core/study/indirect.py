"""Readings that tell a leg's energy by way of another: an average since a reset further back, range left, charge put back.

``9.9 since L01``, ``range 250-210 km``, ``rated 40 km``, ``64 % put back in 67 min``: each is kept as it was shown.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Any, Final

from fairmargin.core import units
from fairmargin.core.study.leg import Leg
from fairmargin.core.units.typed import LONGEST

#: Fields of a leg that hold them, by what they are called among the instruments.
INDIRECT_FIELDS: Final = {
    "running": ("running_shown", "running_unit", "running_step", "running_since"),
    "rated": ("rated_range_used", "rated_range_unit"),
    "range": ("range_before", "range_after", "range_unit"),
    "put back": ("charged_percent", "charged_s"),
}
_FIGURE: Final = r"\d+(?:[.,]\d+)?"
_WAY: Final = r"(km|kilometres|kilometers|mi|miles)"
_SINCE: Final = re.compile(
    r"^(?P<shown>.+?)[\s,]+(?:on\s+)?(?:(?:average|avg\.?|running)\s+)*(?:since|after|over)\s+(?:the\s+)?(?P<since>\S.*)$",
    re.IGNORECASE,
)
_RANGE: Final = re.compile(
    rf"^range(?:\s+left)?\s*:?\s*({_FIGURE})\s*{_WAY}?\s*(?:-|\u2013|\u2212|to|\u2192|>)\s*({_FIGURE})\s*{_WAY}?$",
    re.IGNORECASE,
)
_RATED: Final = re.compile(
    rf"^(?:rated(?:\s+range)?(?:\s+used)?\s*:?\s*(?P<a>{_FIGURE})\s*{_WAY}?|"
    rf"(?P<b>{_FIGURE})\s*{_WAY}?\s+(?:of\s+)?rated(?:\s+range)?(?:\s+used)?)$",
    re.IGNORECASE,
)
_BACK: Final = re.compile(
    rf"^({_FIGURE})\s*%\s*(?:(?:was|were)\s+)?(?:put\s+back|put\s+in|charged\s+back|charged|back)(?:\s+in\s+(.+))?$",
    re.IGNORECASE,
)
_COUNT: Final = re.compile(
    r"^(\d+|one|two|three|four|five|six|seven|eight|nine|ten)\s+(?:laps?|legs?|drives?|rounds?)$"
)
_COUNTS: Final = ("one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten")
#: Words for the reset before the first leg.
_START: Final = frozenset({"start", "reset", "beginning", "first leg", "first lap", "the start"})


def read_indirect(text: str, default_unit: units.ConsumptionUnit, may_rise: bool = False) -> dict[str, Any] | None:
    """Read one of them; None where the text is none.

    Parameters
    ----------
    text : str
    default_unit : str
        Of a figure without one; ranges without a unit are in its distance.
    may_rise : bool
        Whether the range left may come out higher than before, as after a descent.

    Returns
    -------
    dict
        Changes to a leg; `running_since` is what was said, see `since_leg`.

    Raises
    ------
    ValueError
        If it is one that cannot be.
    """
    plain = " ".join(text.split())
    if len(plain) > LONGEST:
        return None
    back = _BACK.match(plain)
    if back is not None:
        took = None if back[2] is None else units.read_duration_s(_minutes(back[2]))
        return {"charged_percent": _figure(back[1]), "charged_s": took}
    own = "mi" if "mi" in default_unit or "mpg" in default_unit else "km"
    left = _RANGE.match(plain)
    if left is not None:
        before, after = _figure(left[1]), _figure(left[3])
        if after >= before and not may_rise:
            raise ValueError(
                f"a range of {before:g} before and {after:g} after tells of nothing used; expected before and after, such as "
                "range 250 to 210 km"
            )
        return {"range_before": before, "range_after": after, "range_unit": _unit(left[4] or left[2], own)}
    rated = _RATED.match(plain)
    if rated is not None:
        used = _figure(rated["a"] or rated["b"])
        return {"rated_range_used": used, "rated_range_unit": _unit(rated[2] or rated[4], own)}
    since = _SINCE.match(plain)
    if since is not None:
        typed = units.read_consumption(since["shown"], default_unit)
        return {
            "running_shown": typed.value, "running_unit": typed.unit, "running_step": typed.step,
            "running_since": since["since"].strip().rstrip("."),
        }  # fmt: skip
    return None


def show_indirect(kind: str, leg: Leg) -> str:
    """Write one of them as it was typed."""
    if kind == "running" and leg.running_shown is not None and leg.running_unit is not None:
        shown = units.to_step(leg.running_shown, leg.running_step)
        return f"{shown} {units.label(leg.running_unit)} since {leg.running_since or '?'}"
    if kind == "rated":
        return f"rated {leg.rated_range_used:g} {leg.rated_range_unit or 'km'}"
    if kind == "range":
        return f"range {leg.range_before:g}-{leg.range_after:g} {leg.range_unit or 'km'}"
    took = ""
    if leg.charged_s is not None:
        minutes = leg.charged_s / 60.0
        took = f" in {minutes:.0f} min" if minutes.is_integer() else f" in {units.show_duration(leg.charged_s, True)}"
    return f"{leg.charged_percent:g} % put back{took}"


def since_leg(legs: Sequence[Leg], leg: Leg, said: str) -> str:
    """Name of the leg before which a running average was reset.

    Parameters
    ----------
    legs : sequence of Leg
        Of the study, in their order.
    leg : Leg
        At whose end the average was read.
    said : str
        A leg's name (``L1`` is L01), ``start`` or ``reset`` for the vehicle's first leg, or how many legs it covers
        (``2 laps``).

    Raises
    ------
    ValueError
        If no such leg is there, or it comes after `leg`.
    """
    own = [x.leg for x in legs if x.vehicle == leg.vehicle]
    until = own[: own.index(leg.leg) + 1] if leg.leg in own else [*own, leg.leg]
    word = said.strip().lower()
    if word in _START:
        return until[0]
    count = _COUNT.match(word)
    if count is not None:
        number = int(count[1]) if count[1].isdigit() else _COUNTS.index(count[1]) + 1
        if not 1 <= number <= len(until):
            raise ValueError(f"{said}: there are {len(until)} legs up to {leg.leg}; expected no more")
        return until[-number]
    for name in until:
        if name.lower() == word or _bare(name) == _bare(word):
            return name
    raise ValueError(
        f'since "{said}": no such leg up to {leg.leg}; expected the leg before which the average was reset, such as {until[0]}, '
        "or how many legs it covers, such as 2 legs"
    )


def _bare(name: str) -> str:
    """A leg's name without the zeros before its number."""
    return re.sub(r"(?<!\d)0+(?=\d)", "", name.lower())


def _figure(text: str) -> float:
    return units.read_number(text).value


def _unit(text: str | None, own: str) -> str:
    return own if text is None else "mi" if text.lower().startswith("mi") else "km"


def _minutes(text: str) -> str:
    return re.sub(r"\s*(minutes|minute|mins)\b", " min", text.strip(), flags=re.IGNORECASE)

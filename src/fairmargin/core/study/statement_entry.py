"""What is typed of a prediction, a claim and a known difference."""

from __future__ import annotations

import math
import re
from typing import Any, Final

from fairmargin.core import units
from fairmargin.core.study.entry import show_number
from fairmargin.core.study.statements import Claim, KnownDifference, Prediction
from fairmargin.core.study.values import Change

_SPAN: Final = re.compile(r"^\s*([\d.,]+)\s*(?:to|-|\u2013|\u2026|\.\.)\s*([\d.,]+)\s*(\D.*)$")
_PLUS_MINUS: Final = re.compile(r"\s*(?:\u00b1|\+/-|\+-|give or take)\s*")
#: Words that say which way a figure is meant, and the sign they give it.
_LESS: Final = ("better", "less", "saves", "saving", "lower")
_MORE: Final = ("worse", "more", "costs", "higher")
_NONE: Final = ("no difference", "nothing", "none", "the same")
#: Every word that a per cent may be said in; any other would change what is meant.
_UNDERSTOOD: Final = frozenset(
    (*_LESS, *_MORE, *(w for words in _NONE for w in words.split()), "percent", "per", "cent", "it", "uses", "takes", "about", "around",
     "of", "consumption", "energy", "than", "without", "with", "is", "it", "makes", "by")
)  # fmt: skip


def read_prediction(text: str, choice: units.UnitChoice) -> dict[str, Any]:
    """Read a prediction: per cent of baseline (``-4``, ``5 % less``), or a consumption (``3.0 to 3.2 km/kWh``, ``160 Wh/km``).

    Returns
    -------
    dict
        Changes of a `Change`; empty text clears both kinds.

    Raises
    ------
    ValueError
        If it is neither.
    """
    if not text.strip():
        return {"prediction_percent": None, "prediction": None}
    span = _SPAN.match(text)
    if span:
        low, high = (units.read_number(span[i]).value for i in (1, 2))
        if span[3].strip() == "%":
            raise ValueError("A range is predicted as a consumption, such as 3.0 to 3.2 km/kWh; per cent as one figure")
        unit = units.consumption_unit(span[3])
        for value in (low, high):
            units.refuse_impossible(value, unit)
        return {"prediction_percent": None, "prediction": Prediction(low=low, high=high, unit=unit)}
    number = units.read_number(_plain(text))
    rest = number.rest.strip()
    if rest.partition(" ")[0] in {"", "%"} or any(w in text.lower() for w in (*_LESS, *_MORE, *_NONE)):
        return {"prediction_percent": _signed(text), "prediction": None}
    typed = units.read_consumption(text, choice.consumption)
    return {"prediction_percent": None, "prediction": Prediction(low=typed.value, high=typed.value, unit=typed.unit)}


def show_prediction(change: Change) -> str:
    """Write a prediction as it was typed."""
    p = change.prediction
    if p is not None:
        span = show_number(p.low, 3) if p.low == p.high else f"{show_number(p.low, 3)} to {show_number(p.high, 3)}"
        return f"{span} {units.label(p.unit)}"
    return show_number(change.prediction_percent, 1)


def read_claim(text: str, by: str) -> Claim | None:
    """Read a claim: ``no difference``, ``5 % better``, ``-5 ± 1``, ``up to 5 % less``; None when empty.

    Its tolerance is 1 % where none is said; "up to" means anything from nothing to the figure.

    Raises
    ------
    ValueError
        If it cannot be read.
    """
    if not text.strip():
        return None
    most = re.fullmatch(r"\s*up\s+to\s+(.+)", text, re.IGNORECASE)
    if most:
        end = _signed(most[1])  # anything from nothing to that
        return Claim(percent=end / 2.0, tolerance_percent=abs(end) / 2.0, by=by)
    parts = _PLUS_MINUS.split(text.strip(), maxsplit=1)
    tolerance = units.read_in(parts[1].replace("percent", "%"), "%") if len(parts) > 1 else 1.0
    return Claim(percent=_signed(parts[0]), tolerance_percent=tolerance, by=by)


def show_claim(claim: Claim | None) -> str:
    """Write a claim as it would be typed."""
    if claim is None:
        return ""
    if claim.percent and math.isclose(abs(claim.percent), claim.tolerance_percent):
        size, way = show_number(2.0 * abs(claim.percent), 2), "less" if claim.percent < 0 else "more"
        return f"up to {size} % {way}"
    return f"{show_number(claim.percent, 2)} ± {show_number(claim.tolerance_percent, 2)}"


def _plain(text: str) -> str:
    """Without words in front of the figure.

    Raises
    ------
    ValueError
        If there is no figure and no word for nothing: a direction alone is not a size.
    """
    found = re.search(r"[+\-\u2212]?[.,]?\d", text)
    if found is None and not any(word in text.lower() for word in _NONE):
        raise ValueError(f'"{text}" has no figure; expected such as \u22124, 5 % less, or no difference')
    return text[found.start() :] if found else "0"


def _signed(text: str) -> float:
    """A per cent with the sign that its words give it; a word that says something else is refused. [%]"""
    lowered = text.lower()
    if any(word in lowered for word in _NONE):
        return 0.0
    number = units.read_number(_plain(text))
    rest = number.rest.replace("per cent", "%").replace("percent", "%").strip()
    if rest and not rest.startswith("%") and not any(w in lowered for w in (*_LESS, *_MORE)):
        raise ValueError(f'"{text}" is no per cent; expected such as \u22124, 5 % less, or no difference')
    odd = next((w for w in re.findall(r"[^\W\d_]+", lowered) if w not in _UNDERSTOOD), None)
    if odd is not None:
        raise ValueError(f'"{text}": "{odd}" is not understood; expected such as \u22124, 5 % less, or no difference')
    if any(word in lowered for word in _LESS):
        return -abs(number.value)
    return abs(number.value) if any(word in lowered for word in _MORE) else number.value


#: Figures, then what for; a comma before a digit is a decimal one.
_KNOWN: Final = re.compile(r"^(.*?)(?:,(?!\d)|;)\s*(.*)$")


def read_known(
    text: str, choice: units.UnitChoice, *, configuration: str = "", vehicle: str = ""
) -> KnownDifference | None:
    """Read a known other difference: ``7 ± 3 Wh/km, wheel caps``; None when empty.

    Raises
    ------
    ValueError
        If it cannot be read.
    """
    if not text.strip():
        return None
    match = _KNOWN.match(text)
    figures, reason = (match[1], match[2].strip()) if match else (text, "")
    parts = _PLUS_MINUS.split(figures.strip(), maxsplit=1)
    first = units.read_number(parts[0])
    second = units.read_number(parts[1]) if len(parts) > 1 else None
    unit = (second.rest if second is not None and second.rest else first.rest).strip() or choice.consumption
    named = units.consumption_unit(unit)
    if units.more_is_better(named) or units.is_fuel_unit(named):
        raise ValueError(f"{units.label(named)} do not add up; expected energy per distance, such as 7 ± 3 Wh/km")
    one = units.to_wh_per_km(1.0, named)
    return KnownDifference(
        configuration=configuration,
        vehicle=vehicle,
        wh_per_km=first.value * one,
        sd_wh_per_km=abs(second.value) * one if second is not None else 0.0,
        reason=reason,
    )


def show_known(known: KnownDifference, choice: units.UnitChoice) -> str:
    """Write a known other difference as it would be typed, in energy per distance."""
    unit: units.ConsumptionUnit = "Wh/mi" if choice.distance == "mi" else "Wh/km"
    one = units.to_wh_per_km(1.0, unit)
    words = f"{show_number(known.wh_per_km / one, 1)} ± {show_number(known.sd_wh_per_km / one, 1)} {unit}"
    return f"{words}, {known.reason}" if known.reason else words

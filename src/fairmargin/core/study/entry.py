"""What a person types into a leg, in words and figures: readings, clock times, cells of a run sheet, instrument cards.

Nothing here knows a screen: the run sheet, pasted tables and the companion on the road read alike.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Mapping
from datetime import date, datetime
from typing import Any, Final

from pydantic import ValidationError

from fairmargin.core import units
from fairmargin.core.study.indirect import INDIRECT_FIELDS, read_indirect, show_indirect
from fairmargin.core.study.leg import Leg
from fairmargin.core.units.dates import iso_dates, numeric, order_of
from fairmargin.core.words import minus

_SOC = re.compile(r"^\s*(\d+(?:[.,]\d+)?)\s*%?\s*(?:-|\u2013|\u2212|to|\u2192|>)\s*(\d+(?:[.,]\d+)?)\s*%\s*$")
#: Charge at the start alone: the next leg's tells the end.
_SOC_START = re.compile(r"^\s*(\d+(?:[.,]\d+)?)\s*%\s*(?:(?:at\s+)?(?:the\s+)?start|before)?\s*$", re.IGNORECASE)
#: Fields of a leg that hold what each instrument showed, the most direct first.
INSTRUMENT_FIELDS: Final[Mapping[str, tuple[str, ...]]] = {
    "energy": ("energy_kwh", "energy_step_kwh"),
    "average": ("average_shown", "average_unit", "average_step"),
    "fuel": ("fuel_l",),
    "charger": ("charger_kwh",),
    "soc": ("soc_start_percent", "soc_end_percent", "soc_step_percent"),
    **INDIRECT_FIELDS,
}
#: What each is called where two readings of one kind are asked apart.
_INSTRUMENT_WORDS: Final = {
    "energy": "trip energy", "average": "trip average", "fuel": "fuel", "charger": "charge back", "soc": "charge",
    "running": "running average", "rated": "rated range used", "range": "range left", "put back": "charge put back",
}  # fmt: skip
#: Every field that holds a reading.
READING_FIELDS: Final = tuple(name for names in INSTRUMENT_FIELDS.values() for name in names)


def words_of(error: Exception, choice: units.UnitChoice | None = None) -> str:
    """Word a validation error for a field, in a person's units where they are given."""
    if isinstance(error, ValidationError):
        first = error.errors()[0]
        cause = first.get("ctx", {}).get("error")
        if isinstance(cause, units.SaidError):
            return words_of(cause, choice)
        return str(first["msg"]).removeprefix("Value error, ")
    if isinstance(error, units.SaidError) and choice is not None:
        return units.in_units(str(error.args[0]), choice)
    return str(error)


def show_number(value: float | None, decimals: int = 2) -> str:
    """Write a number without trailing zeros; empty when not known."""
    if value is None:
        return ""
    text = f"{value:.{decimals}f}"
    return minus(text.rstrip("0").rstrip(".") if "." in text else text)


def read_reading(text: str, default_unit: units.ConsumptionUnit, charge_may_rise: bool = False) -> dict[str, Any]:
    """Read what an instrument showed: ``15.4``, ``212 Wh/mi``, ``2.86 kWh``, ``82-71 %``, ``4.1 kWh charged``, ``1.9 L``.

    Also what tells it by way of another, see `indirect`, and ``82 %``: the charge at the start.

    Returns
    -------
    dict
        Changes to a leg; fields of the other instruments are left alone, so that several can be typed one
        after another. Empty text clears every reading.

    Raises
    ------
    ValueError
        If it cannot be read, in words.
    """
    if not text.strip():
        return dict.fromkeys(READING_FIELDS, None)
    at_start = _SOC_START.match(text)
    if at_start:
        figure = at_start[1].replace(",", ".")
        step = 10.0 ** -len(figure.partition(".")[2])
        return {"soc_start_percent": float(figure), "soc_end_percent": None, "soc_step_percent": step}
    indirect = read_indirect(text, default_unit, charge_may_rise)
    if indirect is not None:
        return indirect
    soc = _SOC.match(text)
    if soc:
        before, after = (float(g.replace(",", ".")) for g in soc.groups())
        if after >= before and not charge_may_rise:
            raise ValueError(
                f"{before:g} to {after:g} % is no discharge; expected before and after, such as 82-71 %. "
                "Charge rises only on the way back, or where the method is a climb"
            )
        decimals = max(len(g.replace(",", ".").partition(".")[2]) for g in soc.groups())
        return {"soc_start_percent": before, "soc_end_percent": after, "soc_step_percent": 10.0**-decimals}
    number = units.read_number(text)
    rest = number.rest.lower().strip()
    if rest in {"kwh", "wh"}:
        scale = 1.0 if rest == "kwh" else 0.001
        return {"energy_kwh": number.value * scale, "energy_step_kwh": number.step * scale}
    if rest in {"kwh charged", "kwh charge", "kwh back", "kwh charged back"}:
        return {"charger_kwh": number.value}
    if rest in {"l", "litre", "litres", "liter", "liters"} or rest.startswith("gal"):
        return {"fuel_l": units.read_in(text, "L")}
    typed = units.read_consumption(text, default_unit)
    return {"average_shown": typed.value, "average_unit": typed.unit, "average_step": typed.step}


def read_readings(text: str, default_unit: units.ConsumptionUnit, charge_may_rise: bool = False) -> dict[str, Any]:
    """Read several instruments with ``;`` between: ``15.4; 2.86 kWh; 82-71 %``.

    Returns
    -------
    dict
        Changes to a leg; instruments that are not named are left alone. Empty text clears every reading.

    Raises
    ------
    ValueError
        If a reading cannot be read, or two are of one kind: a leg keeps one of each, and none is dropped in silence.
    """
    changes: dict[str, Any] = {}
    said: dict[str, str] = {}
    for part in (p.strip() for p in text.split(";")) if text.strip() else ("",):
        if text.strip() and not part:
            continue
        found = read_reading(part, default_unit, charge_may_rise)
        kind = next(k for k, names in INSTRUMENT_FIELDS.items() if names[0] in found)
        if kind in said:
            raise ValueError(
                f'"{said[kind]}" and "{part}" are both a {_INSTRUMENT_WORDS[kind]}: which instrument is each? '
                "Type here the one that counts, and the other in the note"
            )
        if part:
            said[kind] = part
        changes |= found
    return changes


def instruments_read(leg: Leg) -> tuple[str, ...]:
    """Keys of the instruments that were read on a leg, the most direct first."""
    return tuple(
        kind
        for kind, names in INSTRUMENT_FIELDS.items()
        if getattr(leg, names[0]) is not None and (kind != "soc" or leg.soc_end_percent is not None)
    )


def _shown(leg: Leg) -> list[str]:
    """Everything that was read on a leg as it was typed, the most direct first; a charge at the start alone too."""
    lines = [_show_one(kind, leg) for kind in instruments_read(leg)]
    if leg.soc_start_percent is not None and leg.soc_end_percent is None:
        lines.append(f"{leg.soc_start_percent:g} % at the start")
    return lines


def show_readings(leg: Leg) -> str:
    """Write everything that was read on a leg as it was typed, the most direct first, with ``;`` between."""
    return "; ".join(_shown(leg))


def show_reading(leg: Leg) -> str:
    """Write a leg's most direct reading as it was typed."""
    return next(iter(_shown(leg)), "")


def _show_one(kind: str, leg: Leg) -> str:
    if kind == "energy":
        return minus(f"{units.to_step(leg.energy_kwh or 0.0, leg.energy_step_kwh)} kWh")
    if kind == "average" and leg.average_unit is not None:
        return minus(f"{units.to_step(leg.average_shown or 0.0, leg.average_step)} {units.label(leg.average_unit)}")
    if kind == "fuel":
        return f"{leg.fuel_l:g} L"
    if kind == "charger":
        return f"{leg.charger_kwh:g} kWh charged"
    if kind in INDIRECT_FIELDS:
        return show_indirect(kind, leg)
    return f"{leg.soc_start_percent:g}-{leg.soc_end_percent:g} %"


def read_clock(text: str, like: datetime) -> datetime | date | None:
    """Read ``9:35`` (on the day of `like`), a whole date and time, or a date alone; None when empty.

    Raises
    ------
    ValueError
        If it is neither, or a date that may be two.
    """
    if not text:
        return None
    short = re.fullmatch(r"(\d{1,2})[:.](\d{2})", text)
    if short and int(short[1]) < 24 and int(short[2]) < 60:
        return like.replace(hour=int(short[1]), minute=int(short[2]), second=0, microsecond=0)
    if numeric(text) is not None:
        text = iso_dates(text, order_of([text]))
    try:
        if re.fullmatch(r"\d{4}-\d{2}-\d{2}", text):
            return date.fromisoformat(text)
        return datetime.fromisoformat(re.sub(r"^(\d{4}-\d{2}-\d{2}) (\d)[:.](\d{2})$", r"\1 0\2:\3", text))
    except ValueError:
        raise ValueError(f'"{text}" is not a time; expected 9:35, or 2026-05-02 09:35 for another day') from None


def replaced_readings(typed: Mapping[str, Any], kept: Collection[str]) -> dict[str, Any]:
    """Changes that make a leg hold what was typed over all its readings, but for `kept`: instruments with a field of their own."""
    gone = [name for kind, names in INSTRUMENT_FIELDS.items() if kind not in kept for name in names]
    return dict.fromkeys(gone) | dict(typed)


def read_card(key: str, text: str, choice: units.UnitChoice, charge_may_rise: bool = False) -> dict[str, Any]:
    """Turn what was typed into one instrument's card into changes of a leg; empty clears that instrument only.

    Raises
    ------
    ValueError
        If it cannot be read, in words.
    """
    if key == "distance":
        return {"distance_km": units.read_quantity(text, "distance", choice.distance) if text else None}
    if not text:
        return dict.fromkeys(INSTRUMENT_FIELDS[key])
    ending = {"energy": " kWh", "soc": " %", "charger": " kWh charged", "fuel": " L"}.get(key, "")
    plain = text.strip()
    if ending and not plain.lower().endswith(ending.strip().lower()):
        plain = plain.removesuffix("kWh").strip() + ending
    found = read_reading(plain, choice.consumption, charge_may_rise)
    if set(found) - set(INSTRUMENT_FIELDS[key]):
        raise ValueError(f'"{text}" is another instrument\'s reading; type it in its own card')
    return found

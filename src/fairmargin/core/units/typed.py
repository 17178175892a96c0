"""What a person types: numbers, consumptions, quantities and times, with or without a unit; a unit is never dropped."""

from __future__ import annotations

import re
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass
from typing import Final

from fairmargin.core.units.consumption import (
    CONSUMPTION_UNITS,
    ConsumptionUnit,
    UnitError,
    from_wh_per_km,
    is_fuel_unit,
    label,
    to_wh_per_km,
)
from fairmargin.core.units.quantities import GALLONS, unit_of

_SPELLINGS: Final[dict[str, ConsumptionUnit]] = {
    "wh/km": "Wh/km",
    "whperkm": "Wh/km",
    "wh/mi": "Wh/mi",
    "wh/mile": "Wh/mi",
    "kwh/100km": "kWh/100km",
    "kwh/100mi": "kWh/100mi",
    "mi/kwh": "mi/kWh",
    "miles/kwh": "mi/kWh",
    "m/kwh": "mi/kWh",
    "km/kwh": "km/kWh",
    "l/100km": "L/100km",
    "mpg-us": "mpg-us",
    "mpg(us)": "mpg-us",
    "mpgus": "mpg-us",
    "usmpg": "mpg-us",
    "mpg-imp": "mpg-imp",
    "mpg(imp)": "mpg-imp",
    "mpg(uk)": "mpg-imp",
    "mpgimp": "mpg-imp",
    "mpguk": "mpg-imp",
    "km/l": "km/L",
}
#: Figures may be grouped by threes; any other space ends the number.
_NUMBER = re.compile(
    r"([+\-−]?(?:\d{1,3}(?:[\s'\u00a0\u2009\u202f]\d{3})+(?!\d)|\d+)(?:[.,]\d+)?|[+\-−]?[.,]\d+)(.*)", re.DOTALL
)
LONGEST: Final = 200  # characters of anything typed that holds one figure
_THOUSAND: Final = re.compile(r"^([+\-\u2212]?[1-9]\d{0,2})([.,])(\d{3}(?![\d.,]).*)$", re.DOTALL)
#: The sign that whoever types groups thousands with; none where nobody told.
_GROUPS: ContextVar[str] = ContextVar("groups", default="")


@contextmanager
def typed_with_groups(sign: str) -> Iterator[None]:
    """Ask about what may be a thousand or thousandths, while what is typed in somebody's own way is read.

    Parameters
    ----------
    sign : str
        That groups thousands there: with ``,`` the figure 1,350 is refused, since it may be 1350 or 1.35; with ``.`` it is
        1.350. None where it is empty.
    """
    told = _GROUPS.set(sign)
    try:
        yield
    finally:
        _GROUPS.reset(told)


def refuse_thousands(text: str, sign: str = "") -> None:
    """Refuse a figure that may be a thousand or thousandths, which differ by a thousand times.

    Parameters
    ----------
    text : str
        The figure, and whatever follows it.
    sign : str
        What groups thousands where nobody told.

    Raises
    ------
    UnitError
        If such a sign stands before its last three digits, and nothing else tells which it is.
    """
    groups = _GROUPS.get() or sign
    match = _THOUSAND.match(text.strip())
    if match is not None and match[2] == groups:
        one, rest = match[1], match[3]
        raise UnitError(f'"{text.strip()}" may be {one}{rest} or {one}.{rest}: write which')


@dataclass(frozen=True, slots=True)
class TypedNumber:
    """A number as a person typed it: value, decimals shown, and what followed it."""

    value: float
    decimals: int
    rest: str

    @property
    def step(self) -> float:
        """The last shown digit's worth: 3.4 → 0.1, 212 → 1."""
        return float(10.0**-self.decimals)


def read_number(text: str) -> TypedNumber:
    """Read a number typed with a decimal point or comma, followed by anything (a unit).

    Raises
    ------
    UnitError
        If no number stands at the front, or the separators are ambiguous (``1,234.5``, and ``1,350`` for whom `typed_with_groups`
        tells that a comma groups thousands).
    """
    if len(text) > LONGEST:
        raise UnitError(f'"{text.strip()[:40]}\u2026" is too long; expected a number and its unit')
    match = _NUMBER.match(text.strip())
    if match is None:
        raise UnitError(f'"{text.strip()}" is not a number')
    digits, rest = match[1], match[2].strip()
    plain = re.sub(r"[\s'\u00a0\u2009\u202f]", "", digits).replace("−", "-").replace(",", ".")
    if rest[:1] in {".", ","} or plain.count(".") > 1:
        raise UnitError(f'"{text.strip()}" has more than one decimal sign; expected a figure such as 1234.5')
    refuse_thousands(text)
    decimals = len(plain.split(".")[1]) if "." in plain else 0
    return TypedNumber(float(plain), decimals, rest)


@dataclass(frozen=True, slots=True)
class TypedConsumption:
    """A consumption as typed: kept in its own unit, with the step its digits show."""

    value: float
    unit: ConsumptionUnit
    step: float


def consumption_unit(text: str) -> ConsumptionUnit:
    """Find the unit a person meant by `text` (spaces and case do not matter).

    Raises
    ------
    UnitError
        If it is none, or a bare "mpg" (US and imperial gallons differ by a fifth).
    """
    key = re.sub(r"[\s\u00a0\u2009\u202f]", "", text).lower().replace("miles", "mi").replace("per", "/")
    if key == "mpg":
        raise UnitError('say "mpg-us" or "mpg-imp": the gallons differ by a fifth')
    if key not in _SPELLINGS:
        raise UnitError(f'"{text}" is not a consumption unit; expected one of {", ".join(CONSUMPTION_UNITS)}')
    return _SPELLINGS[key]


def read_consumption(text: str, default_unit: ConsumptionUnit) -> TypedConsumption:
    """Read ``3.4 mi/kWh``, ``212 Wh/mi`` or a bare figure in the person's own unit.

    Raises
    ------
    UnitError
        If the number or unit cannot be read, or the value is outside 20 to 3000 Wh/km: no road vehicle
        between a small car on a good day and a heavy tow stands outside it (common practice).
    """
    number = read_number(text)
    unit = consumption_unit(number.rest) if number.rest else default_unit
    refuse_impossible(number.value, unit)
    return TypedConsumption(number.value, unit, number.step)


def refuse_impossible(value: float, unit: ConsumptionUnit) -> None:
    """Refuse a consumption that no road vehicle has; bounds and error as for `read_consumption`."""
    low, high = (100.0, 9000.0) if is_fuel_unit(unit) else (20.0, 3000.0)
    if not low <= to_wh_per_km(value, unit) <= high:
        ends = sorted(from_wh_per_km(end, unit) for end in (low, high))
        raise UnitError(
            f"{value:g} {label(unit)} is not possible; expected {ends[0]:.3g} to {ends[1]:.3g} "
            f"{label(unit)}. Is the unit right?"
        )


def read_wh_per_km(text: str, default_unit: ConsumptionUnit, heating_value_wh_per_l: float) -> float:
    """Read a consumption as energy over distance; errors as for `read_consumption`. [Wh/km]"""
    typed = read_consumption(text, default_unit)
    return to_wh_per_km(typed.value, typed.unit, heating_value_wh_per_l)


def read_quantity(text: str, quantity: str, default_unit: str) -> float:
    """Read a typed quantity such as ``14 °C``, ``57 F`` or ``1,5`` into its base unit.

    Raises
    ------
    UnitError
        If the number or the unit cannot be read.
    """
    number = read_number(text)
    rest = number.rest
    if rest.lower() in GALLONS and default_unit.startswith("gal"):
        rest = default_unit  # whoever counts in gallons has one kind of them
    return unit_of(quantity, rest or default_unit).to_base(number.value)


#: Points of the compass, clockwise from north, 22.5° apart.
COMPASS: Final = ("N", "NNE", "NE", "ENE", "E", "ESE", "SE", "SSE", "S", "SSW", "SW", "WSW", "W", "WNW", "NW", "NNW")


def read_direction(text: str) -> float:
    """Read a direction: a point of the compass such as ``WSW``, or degrees clockwise from north. [degrees]

    Raises
    ------
    UnitError
        If it is neither.
    """
    name = text.strip().upper()
    if name in COMPASS:
        return 22.5 * COMPASS.index(name)
    return read_quantity(text.rstrip("\u00b0"), "direction", "\u00b0")


#: Quantity of the unit that stands beside a field.
_QUANTITY_OF: Final = {
    "": "ratio",
    "W": "power",
    "kW": "power",
    "m": "length",
    "m\u00b2": "area",
    "kWh": "energy",
    "%": "percent",
    "L": "volume",
    "min": "time",
    "s": "time",
    "h": "time",
    "km": "distance",
    "km/h": "speed",
    "m/s": "wind",
    "\u00b0": "direction",
    "\u00b0C": "temperature",
    "hPa": "pressure",
    "K": "temperature difference",
    "kg": "mass",
    "/kWh": "price",
    "Wh/L": "heating value",
}


def read_in(text: str, unit: str) -> float:
    """Read a typed value into the unit that stands beside its field; another unit typed is converted.

    Parameters
    ----------
    text : str
        ``1.2 kW``, ``133 gal-us``, ``90 %`` or a bare figure in `unit`.
    unit : str
        One of W, kW, m, m\u00b2, kWh, %, L, min, s, h, km, km/h, m/s, \u00b0, \u00b0C, hPa, K, kg, /kWh, Wh/L, or "" for a plain ratio.

    Returns
    -------
    float
        The value in `unit`.

    Raises
    ------
    UnitError
        If the number cannot be read or the unit is not one of that quantity; it is never dropped.
    """
    number = read_number(text)
    quantity = _QUANTITY_OF[unit]
    if not number.rest or number.rest == unit:
        return number.value
    base = unit_of(quantity, number.rest).to_base(number.value)
    return unit_of(quantity, unit).from_base(base)


def read_duration_s(text: str) -> float:
    """Read a driving time: ``16:30`` (min:s), ``1:02:10`` (h:min:s), ``17 min`` or plain minutes. [s]

    Raises
    ------
    UnitError
        If it cannot be read or is negative.
    """
    clean = text.strip()
    if re.fullmatch(r"\d+(:[0-5]?\d){1,2}([.,]\d+)?", clean):
        seconds = 0.0
        for part in clean.replace(",", ".").split(":"):
            seconds = seconds * 60 + float(part)
        return seconds
    if ":" in clean:
        raise UnitError(f'"{clean}" is not a time; expected min:s such as 16:30, or h:min:s')
    seconds = read_quantity(clean, "time", "min")
    if seconds < 0:
        raise UnitError(f'"{clean}" is negative; expected a driving time such as 16:30')
    return seconds


def show_duration(seconds: float | None, exactly: bool = False) -> str:
    """Write a driving time as min:s, to the tenth of a second where there is one if `exactly`; empty when not known."""
    if seconds is None:
        return ""
    tenths = round(10.0 * seconds) if exactly else 10 * round(seconds)
    minutes, rest = divmod(tenths, 600)
    whole, tenth = divmod(rest, 10)
    return f"{minutes}:{whole:02d}" + (f".{tenth}" if tenth else "")

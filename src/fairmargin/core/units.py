"""Consumption and its many spellings, and the other quantities a tester reads.

Conversion happens here, at the edge; everything inside works in Wh/km and SI. Consumption units come in
two families: energy per distance (more is worse) and distance per energy (more is better). Fuel units pass
through the lower heating value of the fuel.

References
----------
.. [1] NIST SP 811 (2008), Guide for the Use of the SI, Appendix B: mile, gallon, knot, psi, inHg factors.
"""

from __future__ import annotations

import math
import re
from dataclasses import dataclass
from typing import Final, Literal

KM_PER_MILE: Final = 1.609344  # exact, international mile [1]
L_PER_US_GALLON: Final = 3.785411784  # exact [1]
L_PER_IMPERIAL_GALLON: Final = 4.54609  # exact [1]
M_S_PER_KNOT: Final = 1852.0 / 3600.0  # exact [1]
KPA_PER_PSI: Final = 6.894757293  # [1]
HPA_PER_INHG: Final = 33.86389  # mercury at 0 °C [1]
M_PER_FOOT: Final = 0.3048  # exact [1]
KG_PER_LB: Final = 0.45359237  # exact [1]

#: Lower heating values, Wh per litre. Common practice: petrol about 8.9, diesel about 10.0 kWh/L.
HEATING_VALUE_WH_PER_L: Final = {"petrol": 8900.0, "diesel": 9970.0}

ConsumptionUnit = Literal[
    "Wh/km", "Wh/mi", "kWh/100km", "kWh/100mi", "mi/kWh", "km/kWh", "L/100km", "mpg-us", "mpg-imp", "km/L"
]
CONSUMPTION_UNITS: Final[tuple[ConsumptionUnit, ...]] = (
    "Wh/km",
    "Wh/mi",
    "kWh/100km",
    "kWh/100mi",
    "mi/kWh",
    "km/kWh",
    "L/100km",
    "mpg-us",
    "mpg-imp",
    "km/L",
)
#: How a unit is written on a screen.
UNIT_LABEL: Final[dict[str, str]] = {
    "kWh/100km": "kWh/100 km",
    "kWh/100mi": "kWh/100 mi",
    "L/100km": "L/100 km",
    "mpg-us": "mpg (US)",
    "mpg-imp": "mpg (imp)",
}

# Energy per distance units: Wh/km = value × factor.
_DIRECT: Final = {
    "Wh/km": 1.0,
    "Wh/mi": 1.0 / KM_PER_MILE,
    "kWh/100km": 10.0,
    "kWh/100mi": 10.0 / KM_PER_MILE,
}
# Distance per energy units: Wh/km = factor / value.
_INVERSE: Final = {"mi/kWh": 1000.0 / KM_PER_MILE, "km/kWh": 1000.0}
# The same two families for fuel, in L/km.
_FUEL_DIRECT: Final = {"L/100km": 0.01}
_FUEL_INVERSE: Final = {
    "mpg-us": L_PER_US_GALLON / KM_PER_MILE,
    "mpg-imp": L_PER_IMPERIAL_GALLON / KM_PER_MILE,
    "km/L": 1.0,
}


class UnitError(ValueError):
    """A value or unit that cannot be read; the message says what was expected."""


def label(unit: str) -> str:
    """Return `unit` as it is written on a screen."""
    return UNIT_LABEL.get(unit, unit)


def is_fuel_unit(unit: str) -> bool:
    """Tell whether `unit` counts fuel volume instead of electrical energy."""
    return unit in _FUEL_DIRECT or unit in _FUEL_INVERSE


def more_is_better(unit: str) -> bool:
    """Tell whether a larger figure in `unit` means a lower consumption."""
    return unit in _INVERSE or unit in _FUEL_INVERSE


def to_wh_per_km(value: float, unit: str, heating_value_wh_per_l: float = 8900.0) -> float:
    """Convert a consumption figure to Wh/km.

    Parameters
    ----------
    value : float
        Consumption in `unit`; must be finite and > 0.
    unit : str
        One of `CONSUMPTION_UNITS`.
    heating_value_wh_per_l : float
        Lower heating value used for fuel units. [Wh/L]

    Returns
    -------
    float
        Consumption. [Wh/km]

    Raises
    ------
    UnitError
        If the unit is unknown or the value not a positive number.
    """
    if not (math.isfinite(value) and value > 0):
        raise UnitError(f"a consumption must be a number above 0; got {value:g} {label(unit)}")
    if unit in _DIRECT:
        return value * _DIRECT[unit]
    if unit in _INVERSE:
        return _INVERSE[unit] / value
    if unit in _FUEL_DIRECT:
        return value * _FUEL_DIRECT[unit] * heating_value_wh_per_l
    if unit in _FUEL_INVERSE:
        return _FUEL_INVERSE[unit] / value * heating_value_wh_per_l
    raise UnitError(f'"{unit}" is not a consumption unit; expected one of {", ".join(CONSUMPTION_UNITS)}')


def from_wh_per_km(wh_per_km: float, unit: str, heating_value_wh_per_l: float = 8900.0) -> float:
    """Convert Wh/km to `unit`; the inverse of `to_wh_per_km`, with the same errors."""
    if not (math.isfinite(wh_per_km) and wh_per_km > 0):
        raise UnitError(f"a consumption must be a number above 0; got {wh_per_km:g} Wh/km")
    one = to_wh_per_km(1.0, unit, heating_value_wh_per_l)
    return one / wh_per_km if more_is_better(unit) else wh_per_km / one


def convert(value: float, source: str, target: str, heating_value_wh_per_l: float = 8900.0) -> float:
    """Convert a consumption figure from one unit to another (errors as `to_wh_per_km`)."""
    wh_per_km = to_wh_per_km(value, source, heating_value_wh_per_l)
    return from_wh_per_km(wh_per_km, target, heating_value_wh_per_l)


def per_distance_mean(consumptions_wh_per_km: list[float], distances_km: list[float]) -> float:
    """Mean consumption over legs: total energy over total distance, never the mean of mi/kWh. [Wh/km]

    Raises
    ------
    UnitError
        If the lists are empty, differ in length, or no distance is positive.
    """
    if len(consumptions_wh_per_km) != len(distances_km) or sum(distances_km) <= 0:
        raise UnitError("a mean needs as many distances as consumptions, and a total distance above 0 km")
    energy = sum(c * d for c, d in zip(consumptions_wh_per_km, distances_km, strict=True))
    return energy / sum(distances_km)


def range_change_percent(effect_percent: float) -> float:
    """Range change that goes with a consumption change: +25 % consumption is −20 % range."""
    return (1.0 / (1.0 + effect_percent / 100.0) - 1.0) * 100.0


def to_step(value: float, step: float | None) -> str:
    """Write a value with the digits its display showed: 15.0 with a step of 0.1; plainly without a step."""
    if not step:
        return f"{value:g}"
    decimals = 0
    while decimals < 4 and abs(step - round(step, decimals)) > 1e-9:
        decimals += 1
    return f"{value:.{decimals}f}"


# ---------------------------------------------------------------- typed text

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
_NUMBER = re.compile(r"^\s*([+\-−]?\d[\d\s'\u00a0\u2009\u202f]*(?:[.,]\d+)?|[+\-−]?[.,]\d+)\s*(.*?)\s*$")


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
        If no number stands at the front, or the separators are ambiguous (``1,234.5``).
    """
    match = _NUMBER.match(text)
    if match is None:
        raise UnitError(f'"{text.strip()}" is not a number')
    digits, rest = match.groups()
    plain = re.sub(r"[\s'\u00a0\u2009\u202f]", "", digits).replace("−", "-").replace(",", ".")
    if rest[:1] in {".", ","} or plain.count(".") > 1:
        raise UnitError(f'"{text.strip()}" has more than one decimal sign; write 1234.5 or 1234,5')
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
    wh_per_km = to_wh_per_km(number.value, unit)
    low, high = (100.0, 9000.0) if is_fuel_unit(unit) else (20.0, 3000.0)
    if not low <= wh_per_km <= high:
        ends = sorted(from_wh_per_km(end, unit) for end in (low, high))
        raise UnitError(
            f"{number.value:g} {label(unit)} is not possible; expected {ends[0]:.3g} to {ends[1]:.3g} "
            f"{label(unit)}. Is the unit right?"
        )
    return TypedConsumption(number.value, unit, number.step)


# ---------------------------------------------------------------- other quantities


@dataclass(frozen=True, slots=True)
class Unit:
    """A linear unit: base value = value × factor + offset."""

    name: str
    factor: float
    offset: float = 0.0

    def to_base(self, value: float) -> float:
        """Convert into the quantity's base unit."""
        return value * self.factor + self.offset

    def from_base(self, value: float) -> float:
        """Convert out of the quantity's base unit."""
        return (value - self.offset) / self.factor


#: Quantity → the units it may be typed in; the first is the base unit of the file format.
QUANTITIES: Final[dict[str, tuple[Unit, ...]]] = {
    "distance": (Unit("km", 1.0), Unit("mi", KM_PER_MILE), Unit("m", 0.001)),
    "speed": (
        Unit("km/h", 1.0),
        Unit("mph", KM_PER_MILE),
        Unit("m/s", 3.6),
        Unit("kn", 3.6 * M_S_PER_KNOT),
    ),
    "wind": (
        Unit("m/s", 1.0),
        Unit("km/h", 1 / 3.6),
        Unit("mph", KM_PER_MILE / 3.6),
        Unit("kn", M_S_PER_KNOT),
    ),
    "temperature": (Unit("°C", 1.0), Unit("°F", 5.0 / 9.0, -160.0 / 9.0), Unit("K", 1.0, -273.15)),
    "pressure": (Unit("hPa", 1.0), Unit("inHg", HPA_PER_INHG), Unit("mbar", 1.0)),
    "tyre": (Unit("kPa", 1.0), Unit("bar", 100.0), Unit("psi", KPA_PER_PSI)),
    "mass": (Unit("kg", 1.0), Unit("lb", KG_PER_LB)),
    "energy": (Unit("kWh", 1.0), Unit("Wh", 0.001), Unit("MJ", 1 / 3.6)),
    "power": (Unit("W", 1.0), Unit("kW", 1000.0)),
    "length": (
        Unit("m", 1.0),
        Unit("cm", 0.01),
        Unit("mm", 0.001),
        Unit("ft", M_PER_FOOT),
        Unit("in", M_PER_FOOT / 12),
    ),
    "area": (Unit("m\u00b2", 1.0), Unit("ft\u00b2", M_PER_FOOT**2)),
    "ratio": (Unit("", 1.0), Unit("%", 0.01), Unit("kg/t", 0.001)),
    "temperature difference": (Unit("K", 1.0), Unit("\u00b0C", 1.0), Unit("\u00b0F", 5.0 / 9.0)),
    "price": (Unit("", 1.0), Unit("/kWh", 1.0), Unit("per kWh", 1.0)),
    "time": (Unit("s", 1.0), Unit("min", 60.0), Unit("h", 3600.0)),
    "percent": (Unit("%", 1.0),),
    "direction": (Unit("°", 1.0),),
    "volume": (Unit("L", 1.0), Unit("gal-us", L_PER_US_GALLON), Unit("gal-imp", L_PER_IMPERIAL_GALLON)),
}


def unit_of(quantity: str, name: str) -> Unit:
    """Return the unit `name` of `quantity`.

    Raises
    ------
    UnitError
        If the quantity has no such unit; the message lists those it has.
    """
    key = name.strip().lower().replace(" ", "")
    aliases = {
        "kph": "km/h",
        "kmh": "km/h",
        "knots": "kn",
        "kt": "kn",
        "c": "°c",
        "f": "°f",
        "degc": "°c",
        "degf": "°f",
        "deg": "\u00b0",
        "m2": "m\u00b2",
        "sqm": "m\u00b2",
        "ft2": "ft\u00b2",
        "sqft": "ft\u00b2",
        "feet": "ft",
        "inch": "in",
        "litre": "l",
        "litres": "l",
        "liter": "l",
        "liters": "l",
        "usgal": "gal-us",
        "galus": "gal-us",
        "gal(us)": "gal-us",
        "impgal": "gal-imp",
        "galimp": "gal-imp",
        "gal(imp)": "gal-imp",
        "mins": "min",
        "minutes": "min",
        "sec": "s",
        "hours": "h",
        "percent": "%",
    }
    key = aliases.get(key, key)
    if key in {"gal", "gallon", "gallons"} and quantity == "volume":
        raise UnitError('say "gal-us" or "gal-imp": the gallons differ by a fifth')
    for unit in QUANTITIES[quantity]:
        if unit.name.lower().replace(" ", "") == key:
            return unit
    known = ", ".join(u.name for u in QUANTITIES[quantity] if u.name)
    raise UnitError(f'"{name}" is not a unit of {quantity}; expected one of {known}')


def read_quantity(text: str, quantity: str, default_unit: str) -> float:
    """Read a typed quantity such as ``14 °C``, ``57 F`` or ``1,5`` into its base unit.

    Raises
    ------
    UnitError
        If the number or the unit cannot be read.
    """
    number = read_number(text)
    return unit_of(quantity, number.rest or default_unit).to_base(number.value)


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
}


def read_in(text: str, unit: str) -> float:
    """Read a typed value into the unit that stands beside its field; another unit typed is converted.

    Parameters
    ----------
    text : str
        ``1.2 kW``, ``133 gal-us``, ``90 %`` or a bare figure in `unit`.
    unit : str
        One of W, kW, m, m\u00b2, kWh, %, L, min, s, h, km, km/h, m/s, \u00b0, \u00b0C, hPa, K, kg, /kWh, or "" for a plain ratio.

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


def show_duration(seconds: float | None) -> str:
    """Write a driving time as min:s; empty when not known."""
    if seconds is None:
        return ""
    minutes, rest = divmod(round(seconds), 60)
    return f"{minutes}:{rest:02d}"


@dataclass(frozen=True, slots=True)
class UnitChoice:
    """The units a person chose once; screens and reports show these."""

    name: str
    consumption: ConsumptionUnit
    distance: str
    speed: str
    wind: str
    temperature: str
    pressure: str
    tyre: str
    mass: str

    def show_consumption(self, wh_per_km: float, heating_value_wh_per_l: float = 8900.0) -> float:
        """Wh/km in the chosen unit."""
        return from_wh_per_km(wh_per_km, self.consumption, heating_value_wh_per_l)

    def show(self, quantity: str, value: float) -> float:
        """Convert a base-unit value to the chosen unit of `quantity`."""
        return unit_of(quantity, getattr(self, quantity)).from_base(value)


UNIT_CHOICES: Final = {
    "metric": UnitChoice("Metric EV", "kWh/100km", "km", "km/h", "m/s", "°C", "hPa", "bar", "kg"),
    "metric-wh": UnitChoice("Metric EV, Wh/km", "Wh/km", "km", "km/h", "km/h", "°C", "hPa", "kPa", "kg"),
    "us": UnitChoice("US EV", "Wh/mi", "mi", "mph", "mph", "°F", "inHg", "psi", "lb"),
    "uk": UnitChoice("UK EV", "mi/kWh", "mi", "mph", "mph", "°C", "hPa", "psi", "kg"),
}

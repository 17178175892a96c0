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
from typing import Final, Literal

KM_PER_MILE: Final = 1.609344  # exact, international mile [1]
L_PER_US_GALLON: Final = 3.785411784  # exact [1]
L_PER_IMPERIAL_GALLON: Final = 4.54609  # exact [1]
M_S_PER_KNOT: Final = 1852.0 / 3600.0  # exact [1]
KPA_PER_PSI: Final = 6.894757293  # [1]
HPA_PER_INHG: Final = 33.86389  # mercury at 0 °C [1]
HPA_PER_MMHG: Final = 1.333224  # conventional millimetre of mercury [1]
HPA_PER_TORR: Final = 1.333224  # [1]
W_PER_HORSEPOWER: Final = 745.6999  # 550 ft·lbf/s [1]
W_PER_METRIC_HORSEPOWER: Final = 735.4988  # [1]
M_PER_FOOT: Final = 0.3048  # exact [1]
KG_PER_LB: Final = 0.45359237  # exact [1]

#: Lower heating values, Wh per litre. Common practice: petrol about 8.9, diesel about 10.0 kWh/L.
HEATING_VALUE_WH_PER_L: Final = {"petrol": 8900.0, "diesel": 9970.0}
#: Ethanol has about two thirds of petrol's (21.2 MJ/L, from memory); what pumps sell has up to so much of it by volume.
ETHANOL_WH_PER_L: Final = 5890.0


def blend_wh_per_l(name: str) -> float | None:
    """Lower heating value of petrol with ethanol, by the name at the pump; None where it is no such name. [Wh/L]

    Examples
    --------
    >>> [blend_wh_per_l(name) for name in ("E5", "e 10", "E85", "E500", "petrol")]
    [8749.5, 8599.0, 6341.5, None, None]
    """
    letter, share = name.strip()[:1].lower(), name.strip()[1:].strip()
    if letter != "e" or not share.isdecimal() or int(share) > 100:
        return None
    ethanol = int(share) / 100.0
    return round((1.0 - ethanol) * HEATING_VALUE_WH_PER_L["petrol"] + ethanol * ETHANOL_WH_PER_L, 1)


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
    "gal-us": "gal (US)",
    "gal-imp": "gal (imp)",
}

# Energy per distance units: Wh/km = value × factor.
_DIRECT: Final = {"Wh/km": 1.0, "Wh/mi": 1.0 / KM_PER_MILE, "kWh/100km": 10.0, "kWh/100mi": 10.0 / KM_PER_MILE}
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

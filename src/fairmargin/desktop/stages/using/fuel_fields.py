"""Fuel as it is typed and shown: consumption, and prices as the pump counts, in a person's units."""

from __future__ import annotations

from typing import Final

from fairmargin.core.study.entry import show_number
from fairmargin.core.units import UnitChoice, read_consumption, read_number
from fairmargin.core.units import label as unit_label
from fairmargin.core.units.consumption import is_fuel_unit, to_wh_per_km
from fairmargin.core.units.quantities import unit_of

ANY_HEATING_VALUE: Final = 8900.0  # Wh/L; volume over distance is the same with any


def burning(units: UnitChoice) -> UnitChoice:
    """Somebody's units for a vehicle that burns fuel."""
    return units.for_vehicle(True, ANY_HEATING_VALUE)


def read_litres_a_hundred(text: str, units: UnitChoice) -> float:
    """A typed fuel consumption; a bare figure is in the person's unit. [L/100 km]

    Raises
    ------
    ValueError
        If it cannot be read, or is of electricity.
    """
    own = burning(units).consumption
    read = read_consumption(text, own)
    if not is_fuel_unit(read.unit):
        raise ValueError(f"{unit_label(read.unit)} is not of fuel; expected {unit_label(own)}")
    return to_wh_per_km(read.value, read.unit, ANY_HEATING_VALUE) * 100.0 / ANY_HEATING_VALUE


def shown_litres_a_hundred(value: float | None, units: UnitChoice) -> tuple[str, str]:
    """Figure and unit of a fuel consumption given in L/100 km."""
    own = burning(units)
    text = "" if value is None else show_number(own.show_consumption(value * ANY_HEATING_VALUE / 100.0), 2)
    return text, unit_label(own.consumption)


def read_price_a_litre(text: str, units: UnitChoice) -> float:
    """A typed price of fuel: bare as the person's pump counts, or with ``/L``, ``/gal-us``. [a litre]

    Raises
    ------
    ValueError
        If it cannot be read, or the unit is not one of volume.
    """
    number = read_number(text)
    rest = number.rest.removeprefix("/").removeprefix("a ").removeprefix("per ").strip()
    rest = {"litre": "L", "liter": "L", "l": "L", "gallon": "gal"}.get(rest, rest)
    return number.value / unit_of("volume", rest or units.volume).to_base(1.0)


def shown_price_a_litre(value: float | None, units: UnitChoice) -> tuple[str, str]:
    """Figure and unit of a price given a litre."""
    shown = None if value is None else value / units.show("volume", 1.0)
    return show_number(shown, 3), f"/{unit_label(units.volume)}"

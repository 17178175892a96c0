"""Single figures in a person's units, with sensible digits."""

from __future__ import annotations

from fairmargin.core.units import KM_PER_MILE, UnitChoice, is_fuel_unit, label


def speed_words(kmh: float, units: UnitChoice) -> str:
    """Write a speed in the person's unit."""
    return f"{units.show('speed', kmh):.0f} {units.speed}"


def wind_words(metres_a_second: float, units: UnitChoice) -> str:
    """Write a wind speed in the person's unit."""
    return f"{units.show('wind', metres_a_second):.1f} {units.wind}"


def temperature_words(celsius: float, units: UnitChoice) -> str:
    """Write a temperature in the person's unit."""
    return f"{units.show('temperature', celsius):.0f} {units.temperature}".replace("-", "\u2212")


def consumption_words(wh_per_km: float, units: UnitChoice) -> str:
    """Write a consumption in the person's unit with sensible digits."""
    value = units.show_consumption(wh_per_km)
    decimals = 0 if value >= 100 else 1 if value >= 10 else 2
    return f"{value:.{decimals}f} {label(units.consumption)}"


def span_words(interval: tuple[float, float], units: UnitChoice) -> str:
    """An interval of consumption, the smaller figure first, in the person's unit, with its decimals; half of it where those tell nothing."""
    ends = sorted(units.show_consumption(v) for v in interval)
    decimals = 0 if ends[1] >= 100 else 1 if ends[1] >= 10 else 2
    low, high = (f"{x:.{decimals}f}" for x in ends)
    return f"\u00b1{(ends[1] - ends[0]) / 2:.1g}" if low == high else f"{low} to {high}"


def height_words(metres: float, units: UnitChoice) -> str:
    """A height, or a length that a tape measures, in the person's unit."""
    return f"{units.show('length', metres):.0f} {units.length}"


def volume_words(litres: float, units: UnitChoice) -> str:
    """A volume in the person's unit."""
    value = units.show("volume", litres)
    return f"{value:.{0 if value >= 100 else 1}f} {label(units.volume)}"


def distance_words(km: float, units: UnitChoice) -> str:
    """A distance in the person's unit."""
    value = units.show("distance", km)
    return f"{value:.{0 if value >= 100 else 1}f} {units.distance}"


def adding_unit(units: UnitChoice) -> str:
    """Unit of corrections: energy or fuel per distance, so that lines add up."""
    if is_fuel_unit(units.consumption):
        return "L/100 km"
    return "Wh/mi" if units.distance == "mi" else "Wh/km"


def adding_factor(units: UnitChoice) -> float:
    """Factor from Wh/km to `adding_unit`."""
    if is_fuel_unit(units.consumption):
        return 100.0 / units.heating_value_wh_per_l
    return KM_PER_MILE if units.distance == "mi" else 1.0

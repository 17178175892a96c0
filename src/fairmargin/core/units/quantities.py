"""Quantities other than consumption: the units they may be typed in, and those that a person chose."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Final

from fairmargin.core.units.consumption import (
    HEATING_VALUE_WH_PER_L,
    HPA_PER_INHG,
    HPA_PER_MMHG,
    HPA_PER_TORR,
    KG_PER_LB,
    KM_PER_MILE,
    KPA_PER_PSI,
    L_PER_IMPERIAL_GALLON,
    L_PER_US_GALLON,
    M_PER_FOOT,
    M_S_PER_KNOT,
    W_PER_HORSEPOWER,
    W_PER_METRIC_HORSEPOWER,
    ConsumptionUnit,
    UnitError,
    from_wh_per_km,
)


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
        Unit("ft/s", 3.6 * M_PER_FOOT),
    ),
    "wind": (
        Unit("m/s", 1.0),
        Unit("km/h", 1 / 3.6),
        Unit("mph", KM_PER_MILE / 3.6),
        Unit("kn", M_S_PER_KNOT),
        Unit("ft/s", M_PER_FOOT),
    ),
    "temperature": (Unit("°C", 1.0), Unit("°F", 5.0 / 9.0, -160.0 / 9.0), Unit("K", 1.0, -273.15)),
    "pressure": (
        Unit("hPa", 1.0),
        Unit("inHg", HPA_PER_INHG),
        Unit("mbar", 1.0),
        Unit("kPa", 10.0),
        Unit("Pa", 0.01),
        Unit("mmHg", HPA_PER_MMHG),
        Unit("torr", HPA_PER_TORR),
    ),
    "tyre": (Unit("kPa", 1.0), Unit("bar", 100.0), Unit("psi", KPA_PER_PSI)),
    "mass": (Unit("kg", 1.0), Unit("lb", KG_PER_LB)),
    "heating value": (Unit("Wh/L", 1.0), Unit("kWh/L", 1000.0), Unit("MJ/L", 1000.0 / 3.6)),
    "energy": (Unit("kWh", 1.0), Unit("Wh", 0.001), Unit("MJ", 1 / 3.6)),
    "power": (
        Unit("W", 1.0),
        Unit("kW", 1000.0),
        Unit("MW", 1e6),
        Unit("mW", 1e-3),
        Unit("hp", W_PER_HORSEPOWER),
        Unit("PS", W_PER_METRIC_HORSEPOWER),
    ),
    "voltage": (Unit("V", 1.0), Unit("mV", 1e-3), Unit("kV", 1000.0)),
    "current": (Unit("A", 1.0), Unit("mA", 1e-3), Unit("kA", 1000.0)),
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
    "time": (
        Unit("s", 1.0),
        Unit("min", 60.0),
        Unit("h", 3600.0),
        Unit("ms", 1e-3),
        Unit("µs", 1e-6),
        Unit("ns", 1e-9),
    ),
    "percent": (Unit("%", 1.0), Unit("of 1", 100.0)),
    "direction": (Unit("°", 1.0),),
    "volume": (
        Unit("L", 1.0),
        Unit("gal-us", L_PER_US_GALLON),
        Unit("gal-imp", L_PER_IMPERIAL_GALLON),
        Unit("m\u00b3", 1000.0),
        Unit("ft\u00b3", 1000.0 * M_PER_FOOT**3),
    ),
}


#: What says a gallon, but not which.
GALLONS: Final = frozenset({"gal", "gallon", "gallons"})
#: Other spellings of units, in small letters and without spaces.
_ALIASES: Final[dict[str, str]] = {
    "kph": "km/h",
    "kmh": "km/h",
    "kmph": "km/h",
    "km/hr": "km/h",
    "mi/h": "mph",
    "mps": "m/s",
    "ms-1": "m/s",
    "m.s-1": "m/s",
    "fps": "ft/s",
    "kts": "kn",
    "knot": "kn",
    "mile": "mi",
    "miles": "mi",
    "metres": "m",
    "meters": "m",
    "mb": "mbar",
    "millibar": "mbar",
    "celsius": "°c",
    "fahrenheit": "°f",
    "kelvin": "k",
    "bhp": "hp",
    "watt": "w",
    "watts": "w",
    "volt": "v",
    "volts": "v",
    "amp": "a",
    "amps": "a",
    "us": "µs",
    "usec": "µs",
    "msec": "ms",
    "secs": "s",
    "seconds": "s",
    "minute": "min",
    "hr": "h",
    "hrs": "h",
    "hour": "h",
    "pct": "%",
    "fraction": "of1",
    "0-1": "of1",
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
    "ukgal": "gal-imp",
    "galuk": "gal-imp",
    "m3": "m\u00b3",
    "ft3": "ft\u00b3",
    "cuft": "ft\u00b3",
    "impgal": "gal-imp",
    "galimp": "gal-imp",
    "gal(imp)": "gal-imp",
    "mins": "min",
    "minutes": "min",
    "sec": "s",
    "hours": "h",
    "percent": "%",
}


def unit_of(quantity: str, name: str) -> Unit:
    """Return the unit `name` of `quantity`.

    Raises
    ------
    UnitError
        If the quantity has no such unit; the message lists those it has.
    """
    exact = next((unit for unit in QUANTITIES[quantity] if unit.name == name.strip()), None)
    if exact is not None:
        return exact  # mW is no MW
    key = name.strip().lower().replace(" ", "").replace("μ", "µ")
    key = _ALIASES.get(key, key)
    if key in GALLONS and quantity == "volume":
        raise UnitError('say "gal-us" or "gal-imp": the gallons differ by a fifth')
    like = [u for u in QUANTITIES[quantity] if u.name.lower().replace(" ", "") == key]
    if len(like) > 1:
        raise UnitError(f'"{name}" may be {" or ".join(u.name for u in like)}: write which')
    if like:
        return like[0]
    known = ", ".join(u.name for u in QUANTITIES[quantity] if u.name)
    raise UnitError(f'"{name}" is not a unit of {quantity}; expected one of {known}')


#: What a result may be said as beside per cent of consumption.
ALSO: Final = {
    "per distance per energy": "per cent of distance per energy, where that is the unit",
    "difference": "a difference of consumption",
    "range": "range of a full battery or tank",
    "year": "energy or fuel over a year",
}
ALSO_USUAL: Final = ("per distance per energy", "difference", "range")


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
    heating_value_wh_per_l: float = HEATING_VALUE_WH_PER_L["petrol"]
    also: tuple[str, ...] = ALSO_USUAL  # what a difference is said as beside per cent, of `ALSO`
    year_km: float = 15000.0  # distance of "over a year"

    @property
    def difference(self) -> str:
        """Unit of differences of temperature."""
        return "\u00b0F" if self.temperature == "\u00b0F" else "K"

    @property
    def length(self) -> str:
        """Unit of heights and of what a tape measures: feet where miles are driven."""
        return "ft" if self.distance == "mi" else "m"

    @property
    def volume(self) -> str:
        """Unit of volumes: gallons where pounds are weighed; pumps elsewhere count litres, also where miles are driven."""
        return "gal-us" if self.mass == "lb" else "L"

    @property
    def bare(self) -> UnitChoice:
        """The units alone, whatever else results are said as."""
        return replace(self, also=ALSO_USUAL, year_km=15000.0)

    def show_consumption(self, wh_per_km: float) -> float:
        """Wh/km in the chosen unit."""
        return from_wh_per_km(wh_per_km, self.consumption, self.heating_value_wh_per_l)

    def for_vehicle(self, burns_fuel: bool, heating_value_wh_per_l: float) -> UnitChoice:
        """The same for one vehicle: consumption in litres or miles per gallon where it burns fuel, at its heating value.

        Examples
        --------
        >>> UNIT_CHOICES["metric"].for_vehicle(True, 9970.0).show_consumption(947.15)
        9.5
        """
        unit = FUEL_INSTEAD.get(self.consumption, self.consumption) if burns_fuel else self.consumption
        return replace(self, consumption=unit, heating_value_wh_per_l=heating_value_wh_per_l)

    def show(self, quantity: str, value: float) -> float:
        """Convert a base-unit value to the chosen unit of `quantity`."""
        return unit_of(quantity, getattr(self, quantity)).from_base(value)


#: What stands for a unit of electric energy on a vehicle that burns fuel.
FUEL_INSTEAD: Final[dict[str, ConsumptionUnit]] = {
    "kWh/100km": "L/100km", "Wh/km": "L/100km", "km/kWh": "km/L",
    "kWh/100mi": "mpg-us", "Wh/mi": "mpg-us", "mi/kWh": "mpg-imp",
}  # fmt: skip

UNIT_CHOICES: Final = {
    "metric": UnitChoice("Metric EV", "kWh/100km", "km", "km/h", "m/s", "°C", "hPa", "bar", "kg"),
    "metric-wh": UnitChoice("Metric EV, Wh/km", "Wh/km", "km", "km/h", "km/h", "°C", "hPa", "kPa", "kg"),
    "us": UnitChoice("US EV", "Wh/mi", "mi", "mph", "mph", "°F", "inHg", "psi", "lb"),
    "uk": UnitChoice("UK EV", "mi/kWh", "mi", "mph", "mph", "°C", "hPa", "psi", "kg"),
}

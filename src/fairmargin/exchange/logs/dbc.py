"""What a vehicle's bus says, by its owner's DBC (package cantools).

A mapping says which signal is which quantity; it is guessed from names and units and can be changed.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Final

from fairmargin.exchange.files.faults import InvalidInput

#: A bus says some things a hundred times a second; ten are taken of each message. [s]
SPACING_S: Final = 0.09
#: Quantities a signal can stand for, with the units a DBC may state and their factor.
ROLES: Final[dict[str, dict[str, float]]] = {
    "speed_kmh": {"km/h": 1.0, "kph": 1.0, "m/s": 3.6, "mph": 1.609344},
    "voltage_v": {"V": 1.0, "mV": 1e-3},
    "current_a": {"A": 1.0, "mA": 1e-3},
    "power_kw": {"kW": 1.0, "W": 1e-3},
    "soc_percent": {"%": 1.0},
    "battery_temperature_c": {"degC": 1.0, "\u00b0C": 1.0, "C": 1.0},
    "climate_kw": {"kW": 1.0, "W": 1e-3},
    "temperature_c": {"degC": 1.0, "\u00b0C": 1.0, "C": 1.0},
    "trip_km": {"km": 1.0, "m": 1e-3, "mi": 1.609344},
    "trip_average_kwh_per_100km": {"kWh/100km": 1.0, "Wh/km": 0.1},
}
ROLE_NAMES: Final = {
    "speed_kmh": "Speed",
    "voltage_v": "Pack voltage",
    "current_a": "Pack current",
    "power_kw": "Pack power",
    "soc_percent": "State of charge",
    "battery_temperature_c": "Battery temperature",
    "climate_kw": "Climate power",
    "temperature_c": "Outside temperature",
    "trip_km": "Trip distance",
    "trip_average_kwh_per_100km": "Trip average",
}
_GUESSES: Final[tuple[tuple[str, str], ...]] = (
    ("trip_average_kwh_per_100km", r"trip.*(average|avg|cons)|average.*cons"),
    ("trip_km", r"trip.*(dist|km|odo)|tripmeter"),
    ("climate_kw", r"(climate|hvac|heater|aircon|cabin).*(power|pwr|load)"),
    ("battery_temperature_c", r"(batt|pack|cell|hv).*temp"),
    ("temperature_c", r"(out|ambient|ext|air).*temp"),
    ("soc_percent", r"soc|state.?of.?charge|charge.?level"),
    ("voltage_v", r"(pack|batt|hv|dc).*volt|^voltage"),
    ("current_a", r"(pack|batt|hv|dc).*(curr|amp)|^current"),
    ("power_kw", r"(pack|batt|hv|drive).*(power|pwr)|^power"),
    ("speed_kmh", r"veh.*speed|speed|velocity"),
)


@dataclass(frozen=True, slots=True)
class Signal:
    """One signal of a DBC: message, name, stated unit, and its factor to the quantity's own unit."""

    message: str
    name: str
    unit: str
    factor: float = 1.0

    @property
    def label(self) -> str:
        """Message and signal, as the mapping shows and keeps it."""
        return f"{self.message}.{self.name}"


@dataclass(frozen=True, slots=True)
class Mapped:
    """Which signal is which quantity, and whether a positive current charges the battery."""

    signals: Mapping[str, Signal]
    charging_positive: bool = False


def load_dbc(path: str | Path) -> Any:
    """Read a DBC file into a cantools database.

    Raises
    ------
    InvalidInput
        If it cannot be read or holds no message.
    """
    import cantools

    try:
        database = cantools.database.load_file(str(path), database_format="dbc", strict=False)
    except OSError as error:
        raise InvalidInput(f"{path}: cannot be read: {error.strerror or error}") from error
    except Exception as error:  # the parser has no common base for what it raises
        first = str(error).splitlines()[0] if str(error) else type(error).__name__
        raise InvalidInput(f"{path}: not a DBC file: {first}") from error
    if not getattr(database, "messages", None):
        raise InvalidInput(f"{path}: no message in it; expected a DBC with BO_ and SG_ lines")
    return database


def signals_of(database: Any) -> list[Signal]:
    """Every signal of a database, in file order."""
    return [Signal(m.name, s.name, s.unit or "") for m in database.messages for s in m.signals]


def as_role(signal: Signal, role: str) -> Signal:
    """Return the signal with the factor from its stated unit to the role's.

    Raises
    ------
    ValueError
        If its unit is none of the role's.
    """
    units = ROLES[role]
    stated = signal.unit.strip()
    if stated and stated not in units:
        raise ValueError(
            f"{signal.label} is in {stated}; {ROLE_NAMES[role].lower()} is expected in {' or '.join(units)}"
        )
    factor = units.get(stated, 1.0)
    return Signal(signal.message, signal.name, signal.unit, factor)


def guess_mapping(database: Any) -> Mapped:
    """Guess which signal is which quantity, by name and unit."""
    found: dict[str, Signal] = {}
    taken: set[str] = set()
    for role, pattern in _GUESSES:
        for signal in signals_of(database):
            if signal.label in taken or not re.search(pattern, signal.name.lower()):
                continue
            try:
                found[role] = as_role(signal, role)
            except ValueError:
                continue
            taken.add(signal.label)
            break
    return Mapped(found)

"""The vehicle's bus: frames by python-can, decoded with the owner's DBC by cantools.

A mapping says which signal is which quantity; it is guessed from names and units and can be changed.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from importlib import resources
from pathlib import Path
from typing import Any, Final

from fairmargin.exchange.files.faults import InvalidInput
from fairmargin.instruments.samples import Sample, TimeKeeper, Trouble, sensible

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
#: A bus says some things a hundred times a second; ten are taken of each message. [s]
SPACING_S: Final = 0.09
#: Voltage and current are multiplied when both are no older than this. [s]
TOGETHER_S: Final = 1.5


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


def own_dbc() -> Path:
    """Return the DBC of the simulated van, shipped with the application."""
    return Path(str(resources.files("fairmargin.instruments") / "data" / "orrin.dbc"))


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


@dataclass(slots=True)
class BusDecoder:
    """Frames in, samples and troubles out.

    Parameters
    ----------
    database
        A cantools database.
    mapped : Mapped
    keeper : TimeKeeper
    """

    database: Any
    mapped: Mapped
    keeper: TimeKeeper = field(default_factory=TimeKeeper)
    frames: int = 0
    refused: int = 0
    _wanted: dict[str, list[tuple[str, Signal]]] = field(default_factory=dict)
    _latest: dict[str, tuple[float, float]] = field(default_factory=dict)
    _taken: dict[int, tuple[float, float]] = field(default_factory=dict)  # stamp and arrival of a message's last frame
    _bad_run: int = 0
    _stood: bool = False

    def __post_init__(self) -> None:
        for role, signal in self.mapped.signals.items():
            self._wanted.setdefault(signal.message, []).append((role, signal))

    def filters(self) -> list[dict[str, Any]]:
        """Return filters for the interface: of all that is on a bus only the mapped messages are wanted."""
        messages = [self.database.get_message_by_name(name) for name in self._wanted]
        return [
            {
                "can_id": m.frame_id,
                "can_mask": 0x1FFFFFFF if m.is_extended_frame else 0x7FF,
                "extended": m.is_extended_frame,
            }
            for m in messages
        ]

    def feed(self, identifier: int, data: bytes, stamp: float, arrived: float) -> list[Sample | Trouble]:
        """Take one frame.

        Parameters
        ----------
        identifier : int
            Arbitration id.
        data : bytes
        stamp : float
            The interface's own time of the frame. [s]
        arrived : float
            When it came, on the drive's clock. [s]
        """
        try:
            message = self.database.get_message_by_frame_id(identifier)
        except KeyError:
            return []  # a bus carries much that no mapping asks for
        wanted = self._wanted.get(message.name)
        taken = self._taken.get(identifier)
        # A clock that stands stamps all alike: then only what arrives together is one.
        if not wanted or (taken and 0.0 <= stamp - taken[0] < SPACING_S and arrived - taken[1] < SPACING_S):
            return []
        self._taken[identifier] = (stamp, arrived)
        try:
            decoded = message.decode(data, decode_choices=False)
        except Exception:  # cantools and bitstruct raise errors of their own for frames too short
            self.refused += 1
            return self._nonsense(arrived, f"frame {message.name} cannot be decoded")
        self.frames += 1
        at, jump = self.keeper.place(stamp, arrived)
        out: list[Sample | Trouble] = []
        if jump is not None:
            out.append(
                Trouble(
                    arrived, "vehicle", "clock", f"Bus clock jumped by {jump:+.0f} s; samples keep the laptop's time"
                )
            )
        if self.keeper.stands != self._stood:
            self._stood = self.keeper.stands
            words = "Bus clock stands still; samples keep the laptop's time" if self._stood else "Bus clock runs again"
            out.append(Trouble(arrived, "vehicle", "clock", words))
        values = {
            role: float(decoded[signal.name]) * signal.factor for role, signal in wanted if signal.name in decoded
        }
        if self.mapped.charging_positive and "current_a" in values:
            values["current_a"] = -values["current_a"]
        good, bad = sensible(values)
        for name, value in good.items():
            self._latest[name] = (at, value)
        if "power_kw" not in self.mapped.signals and good.keys() & {"voltage_v", "current_a"}:
            pair = [self._latest.get(name) for name in ("voltage_v", "current_a")]
            if pair[0] and pair[1] and abs(pair[0][0] - pair[1][0]) <= TOGETHER_S:
                good["power_kw"] = pair[0][1] * pair[1][1] / 1000.0
        if bad:
            out += self._nonsense(arrived, ", ".join(bad))
        else:
            self._bad_run = 0
        if good:
            out.append(Sample(at, "vehicle", good))
        return out

    def _nonsense(self, arrived: float, what: str) -> list[Sample | Trouble]:
        self._bad_run += 1
        if self._bad_run not in {1, 100}:
            return []
        return [Trouble(arrived, "vehicle", "nonsense", f"The vehicle says what cannot be: {what}; left out")]

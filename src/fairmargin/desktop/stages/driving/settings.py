"""Which instruments are there and how to reach them; kept in the person's settings."""

from __future__ import annotations

import json
import math
from dataclasses import asdict, dataclass, field, fields, replace
from typing import Final

from PySide6.QtCore import QSettings

from fairmargin.exchange.logs.dbc import Mapped, Signal, guess_mapping, load_dbc
from fairmargin.instruments.feed import Feed, GpsFeed, VehicleFeed, WeatherFeed
from fairmargin.instruments.gps import address
from fairmargin.instruments.samples import Clock, Sink, Source
from fairmargin.instruments.station_feed import check_address
from fairmargin.instruments.vehicle import own_dbc

KEY: Final = "instruments"
#: Bus interfaces offered; python-can knows more, and any of its names can be typed.
INTERFACES: Final = ("", "socketcan", "slcan", "serial", "virtual")


@dataclass(frozen=True, slots=True)
class InstrumentSettings:
    """Addresses of the instruments; empty = not there."""

    gps: str = ""
    baud: int = 9600
    interface: str = ""
    channel: str = ""
    dbc: str = ""  # empty = the one of the simulated van
    signals: dict[str, str] = field(default_factory=dict)  # role to message.signal; empty = guessed
    charging_positive: bool = False
    weather: str = ""
    weather_minutes: float = 5.0


def load_settings(settings: QSettings) -> InstrumentSettings:
    """Read the settings; what cannot be read counts as none."""
    try:
        read = json.loads(str(settings.value(KEY, "{}")))
        known = {f.name: f for f in fields(InstrumentSettings)}
        usual = InstrumentSettings()
        fit = {
            name: value
            for name, value in (read.items() if isinstance(read, dict) else ())
            if name in known and _is_like(value, getattr(usual, name))
        }
        return replace(usual, **fit)
    except (ValueError, TypeError):
        return InstrumentSettings()


def _is_like(value: object, usual: object) -> bool:
    """Whether a value that was kept is of the kind it has to be: a number is no address."""
    if isinstance(usual, bool) or isinstance(value, bool):
        return isinstance(usual, bool) and isinstance(value, bool)
    if isinstance(usual, float):
        return isinstance(value, int | float) and math.isfinite(value)
    if isinstance(usual, dict):
        return isinstance(value, dict) and all(isinstance(v, str) for v in value.values())
    return isinstance(value, type(usual))


def save_settings(settings: QSettings, value: InstrumentSettings) -> None:
    """Keep the settings."""
    settings.setValue(KEY, json.dumps(asdict(value)))
    settings.sync()


def mapping_of(value: InstrumentSettings, database: object) -> Mapped:
    """Return the mapping chosen, filled up with what is guessed.

    Raises
    ------
    ValueError
        If a chosen signal is not in the database, or its unit does not fit.
    """
    from fairmargin.exchange.logs.dbc import as_role, signals_of

    guessed = guess_mapping(database)
    if not value.signals:
        return Mapped(guessed.signals, value.charging_positive)
    known = {s.label: s for s in signals_of(database)}
    chosen: dict[str, Signal] = {}
    for role, label in value.signals.items():
        if not label:
            continue
        if label not in known:
            raise ValueError(f"{label} is not in the DBC; choose another signal")
        chosen[role] = as_role(known[label], role)
    return Mapped(chosen, value.charging_positive)


def make_feeds(value: InstrumentSettings, clock: Clock, sink: Sink) -> dict[Source, Feed]:
    """Make the feeds of the settings, not yet started.

    Raises
    ------
    ValueError, InvalidInput
        If an address, the DBC or the mapping cannot be used, in words.
    """
    feeds: dict[Source, Feed] = {}
    if value.gps:
        feeds["gps"] = GpsFeed(clock, sink, address(value.gps), value.baud)
    if value.interface:
        database = load_dbc(value.dbc or own_dbc())
        feeds["vehicle"] = VehicleFeed(
            clock, sink, value.interface, value.channel, database, mapping_of(value, database)
        )
    if value.weather:
        feeds["weather"] = WeatherFeed(clock, sink, check_address(value.weather), 60.0 * value.weather_minutes)
    return feeds

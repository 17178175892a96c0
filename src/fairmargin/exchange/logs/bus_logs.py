"""Logs of a vehicle's bus (packages python-can and asammdf), decoded by the DBC that lies beside them.

What a bus says is frames; only its owner's DBC tells what they mean. The file of the same name is taken, or the only one in
the folder.
"""

from __future__ import annotations

from collections.abc import Iterator
from datetime import datetime, timedelta
from pathlib import Path
from typing import TYPE_CHECKING, Any, Final, cast

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.study import Trace
from fairmargin.exchange.files import budget
from fairmargin.exchange.files.faults import InvalidInput
from fairmargin.exchange.logs.dbc import ROLE_NAMES, SPACING_S, Mapped, guess_mapping, load_dbc
from fairmargin.exchange.logs.loggers import ImportedLog, drawn

if TYPE_CHECKING:
    from can.io.generic import MessageReader
    from cantools.database.can import Database

Array = NDArray[np.float64]

#: What is older than this beside a speed is not known. [s]
OLD_S: Final = 2.0
MOST_FRAMES: Final = 40_000_000  # some three hours of a busy bus
SUFFIX: Final = {b"LOGG": ".blf", b"MDF ": ".mf4"}
_TAKEN: Final = {"power_kw", "soc_percent", "temperature_c"}


def read_bus_log(path: str | Path) -> ImportedLog:
    """Read a log of bus frames as samples at the moments of its speeds.

    Power is what the bus says, else voltage times current; its sign is decided by the driving.

    Raises
    ------
    InvalidInput
        If there is no DBC beside it, nothing in it is decoded, or it says no speed.
    """
    path = Path(path)
    dbc = dbc_beside(path)
    database = load_dbc(dbc)
    mapped = guess_mapping(database)
    if "speed_kmh" not in mapped.signals:
        raise InvalidInput(
            f"{dbc}: no signal that reads as a speed; expected one with speed in its name, in km/h, m/s or mph"
        )
    budget.check_size(path, budget.BUS_BYTES)
    try:
        series, frames = _decoded(_frames(path), database, mapped)
    except InvalidInput:
        raise
    except Exception as error:  # each reader raises errors of its own for damaged files
        first = str(error).splitlines()[0] if str(error) else type(error).__name__
        raise InvalidInput(f"{path}: not a log of bus frames that can be read: {first[:200]}") from error
    if len(series.get("speed_kmh", ())) < 2:
        raise InvalidInput(
            f"{path}: {frames} frames, of which {dbc.name} tells no speed; is it the DBC of this vehicle?"
        )
    return _as_log(path, dbc, mapped, series, frames)


def dbc_beside(path: Path) -> Path:
    """The DBC of a log: of its own name, or the only one in its folder.

    Raises
    ------
    InvalidInput
        If there is none, or there are several.
    """
    own = path.with_suffix(".dbc")
    if own.is_file():
        return own
    every = sorted(path.parent.glob("*.dbc"))
    if len(every) == 1:
        return every[0]
    there = "none" if not every else f"{', '.join(p.name for p in every[:4])}"
    raise InvalidInput(f"{path}: frames of a bus; expected the vehicle's DBC beside it as {own.name} (there: {there})")


def _frames(path: Path) -> Iterator[Any]:
    """Frames of a file, with absolute times."""
    import can

    kind = SUFFIX.get(budget.head_of(path, 4), ".asc")
    if kind == ".asc":
        reader: MessageReader = can.io.ASCReader(str(path), relative_timestamp=False)
    elif kind == ".blf":
        reader = can.io.BLFReader(str(path))
    else:
        reader = can.io.MF4Reader(str(path))
    with reader as every:
        for count, frame in enumerate(every):
            if count >= MOST_FRAMES:
                raise InvalidInput(f"{path}: more than {MOST_FRAMES:,} frames; expected a shorter log")
            if not (frame.is_error_frame or frame.is_remote_frame):
                yield frame


def _decoded(
    frames: Iterator[Any], database: Database, mapped: Mapped
) -> tuple[dict[str, list[tuple[float, float]]], int]:
    """Times and values of every quantity, and how many frames there were."""
    wanted: dict[str, list[tuple[str, Any]]] = {}
    for role, signal in mapped.signals.items():
        wanted.setdefault(signal.message, []).append((role, signal))
    by_id = {database.get_message_by_name(name).frame_id: name for name in wanted}
    messages = {identifier: database.get_message_by_name(name) for identifier, name in by_id.items()}
    last: dict[int, float] = {}
    series: dict[str, list[tuple[float, float]]] = {}
    count = 0
    for frame in frames:
        count += 1
        name = by_id.get(frame.arbitration_id)
        if name is None or 0.0 <= frame.timestamp - last.get(frame.arbitration_id, -1e9) < SPACING_S:
            continue
        try:
            values = messages[frame.arbitration_id].decode(bytes(frame.data), decode_choices=False)
        except Exception:  # cantools and bitstruct raise errors of their own for frames too short
            continue
        last[frame.arbitration_id] = frame.timestamp
        for role, signal in wanted[name]:
            if signal.name in values:
                series.setdefault(role, []).append(
                    (frame.timestamp, cast("float", values[signal.name]) * signal.factor)
                )
    return series, count


def _as_log(
    path: Path, dbc: Path, mapped: Mapped, series: dict[str, list[tuple[float, float]]], frames: int
) -> ImportedLog:
    every = {role: _ordered(values) for role, values in series.items()}
    at, speed = every["speed_kmh"]
    notices = [
        f"decoded by {dbc.name}: " + ", ".join(f"{ROLE_NAMES[r].lower()} is {mapped.signals[r].label}" for r in every)
    ]
    columns = {name: _beside(at, *every[name]) for name in _TAKEN & every.keys()}
    if "power_kw" not in columns and {"voltage_v", "current_a"} <= every.keys():
        columns["power_kw"] = _beside(at, *every["voltage_v"]) * _beside(at, *every["current_a"]) / 1000.0
        notices.append("power is voltage times current")
    if "power_kw" not in columns:
        notices.append("no power: the legs' readings are still to be typed")
    began = float(at[0])
    # Such files state the logger's own wall clock; a file of times since its start states none.
    started = datetime(1970, 1, 1) + timedelta(seconds=began) if began > 3e8 else None
    if started is not None and SUFFIX.get(budget.head_of(path, 4)) is None:
        started = datetime.fromtimestamp(began)
    trace, said = drawn(Trace(time_s=at - at[0], speed_kmh=np.maximum(speed, 0.0), **columns), "")
    return ImportedLog(trace, started, frames, (*notices, *said))


def _ordered(values: list[tuple[float, float]]) -> tuple[Array, Array]:
    """Times that advance, and their values."""
    table = np.array(values)
    high = np.concatenate([[-np.inf], np.maximum.accumulate(table[:, 0])[:-1]])
    kept = table[table[:, 0] > high]
    return kept[:, 0], kept[:, 1]


def _beside(at: Array, own: Array, values: Array) -> Array:
    """A quantity at other moments; not known where none of its own is near."""
    near = np.abs(own[np.clip(np.searchsorted(own, at), 0, len(own) - 1)] - at)
    before = np.abs(own[np.clip(np.searchsorted(own, at) - 1, 0, len(own) - 1)] - at)
    return np.where(np.minimum(near, before) <= OLD_S, np.interp(at, own, values), np.nan)

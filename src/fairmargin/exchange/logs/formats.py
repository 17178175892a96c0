"""Files of samples that are no table: each format is one record; what a file is, and reading it, walk them."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

from fairmargin.exchange.files import budget
from fairmargin.exchange.files.faults import InvalidInput
from fairmargin.exchange.logs.activities import read_fit, read_kml, read_nmea, read_tcx
from fairmargin.exchange.logs.bus_logs import read_bus_log
from fairmargin.exchange.logs.loggers import ImportedLog
from fairmargin.exchange.logs.tracks import read_track


@dataclass(frozen=True, eq=False, slots=True)
class LogFormat:
    """One format.

    Attributes
    ----------
    name : str
        What it is called in a sentence: "a GPX track".
    why : str
        What tells it: "it begins as GPX does".
    begins : callable
        Whether the first 64 KB of a file are those of this format.
    read : callable
        Reads a whole file; raises `InvalidInput` naming what cannot be read.
    in_utc : bool
        Whether its times are UTC, which the study's are not.
    """

    name: str
    why: str
    begins: Callable[[bytes], bool]
    read: Callable[[Path], ImportedLog]
    in_utc: bool = True


def _is_gpx(head: bytes) -> bool:
    return b"<gpx" in head[:4000].lower()


def _is_fit(head: bytes) -> bool:
    return head[8:12] == b".FIT"


def _is_tcx(head: bytes) -> bool:
    return b"<trainingcenterdatabase" in head[:4000].lower()


def _is_kml(head: bytes) -> bool:
    return b"<kml" in head[:4000].lower()


def _is_nmea(head: bytes) -> bool:
    """Lines of it may carry a time of the recorder before the sentence."""
    return any(
        re.match(rb"[^$]{0,40}\$[A-Z]{2}(RMC|GGA|GSA|GSV|VTG|GLL|ZDA),", x) for x in head[:4000].splitlines()[:8]
    )


def _is_bus(head: bytes) -> bool:
    """BLF and MF4 by their first bytes; ASC by its first two lines."""
    lines = head[:400].lower().splitlines()
    asc = len(lines) > 1 and lines[0].startswith(b"date ") and lines[1].startswith(b"base ")
    return head[:4] in {b"LOGG"} or head[:8] == b"MDF     " or asc


GPX = LogFormat("a GPX track", "it begins as GPX does", _is_gpx, read_track)
FIT = LogFormat("a FIT recording", "it begins as FIT does", _is_fit, read_fit)
TCX = LogFormat("a TCX recording", "it begins as TCX does", _is_tcx, read_tcx)
KML = LogFormat("a KML track", "it begins as KML does", _is_kml, read_kml)
NMEA = LogFormat("an NMEA recording", "its lines are sentences of NMEA 0183", _is_nmea, read_nmea)
#: BLF, MF4 and ASC state the logger's own wall clock.
BUS = LogFormat("a log of bus frames", "it begins as logs of a vehicle's bus do", _is_bus, read_bus_log, in_utc=False)
_formats: list[LogFormat] = [GPX, FIT, TCX, KML, NMEA, BUS]


def format_of(head: bytes) -> LogFormat | None:
    """The format that the first bytes of a file are of; None where they are of none."""
    return next((one for one in _formats if one.begins(head)), None)


def format_of_file(path: Path) -> LogFormat:
    """The format of a file.

    Raises
    ------
    InvalidInput
        If it cannot be read, or is of none.
    """
    found = format_of(budget.head_of(path, budget.HEAD))
    if found is None:
        raise InvalidInput(f"{path}: no known kind; expected {' or '.join(one.name for one in _formats)}")
    return found


@contextmanager
def with_format(one: LogFormat) -> Iterator[None]:
    """Add a format for a while: for a trial, or for a tool that brings one of its own."""
    _formats.append(one)
    try:
        yield
    finally:
        _formats.remove(one)

"""Recordings of watches, bicycle computers and maps: FIT (package fitdecode), TCX and KML with times (package defusedxml)."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass, replace
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING, Final, Protocol

from fairmargin.core.units import M_S_PER_KNOT
from fairmargin.exchange.files import budget
from fairmargin.exchange.files.faults import InvalidInput
from fairmargin.exchange.logs.loggers import ImportedLog
from fairmargin.exchange.logs.tracks import MOST_POINTS, log_of_points

if TYPE_CHECKING:
    from xml.etree.ElementTree import Element

#: FIT counts a circle in so many parts.
SEMICIRCLES: Final = 180.0 / 2**31


class _Frame(Protocol):
    def get_value(self, name: str, *, fallback: object) -> object:
        """See the package."""


@dataclass(slots=True)
class Point:
    """One point of a recording; what it does not say is none."""

    time: datetime | None
    latitude: float = math.nan
    longitude: float = math.nan
    elevation: float | None = None
    speed: float | None = None  # m/s


def read_fit(path: str | Path) -> ImportedLog:
    """Read the records of a FIT file.

    Raises
    ------
    InvalidInput
        If it is damaged or holds fewer than three timed records.
    """
    import fitdecode

    path = Path(path)
    budget.check_size(path, budget.LOG_BYTES)
    points: list[Point] = []
    try:
        with fitdecode.FitReader(str(path), check_crc=fitdecode.CrcCheck.WARN) as frames:
            for frame in frames:
                if frame.frame_type == fitdecode.FIT_FRAME_DATA and frame.name == "record":
                    points.append(_of_fit(frame))
                    _limit(path, points)
    except InvalidInput:
        raise
    except Exception as error:  # the reader raises errors of several families for damaged files
        raise InvalidInput(f"{path}: not a FIT file that can be read: {_first(error)}") from error
    return log_of_points(path, points)


def _of_fit(frame: _Frame) -> Point:
    def value(*names: str) -> float | None:
        for name in names:
            found = frame.get_value(name, fallback=None)
            if isinstance(found, int | float) and math.isfinite(found):
                return float(found)
        return None

    when = frame.get_value("timestamp", fallback=None)
    at = [value(name) for name in ("position_lat", "position_long")]
    return Point(
        when if isinstance(when, datetime) else None,
        math.nan if at[0] is None else at[0] * SEMICIRCLES,
        math.nan if at[1] is None else at[1] * SEMICIRCLES,
        value("enhanced_altitude", "altitude"),
        value("enhanced_speed", "speed"),
    )


def read_nmea(path: str | Path) -> ImportedLog:
    """Read the RMC sentences of an NMEA 0183 file (package pynmea2), with the heights of its GGA; raises as `read_fit`.

    A sentence that is damaged or says that it has no fix is left out, and counted.
    """
    import pynmea2

    path = Path(path)
    text = budget.decoded(budget.read_bytes(path, budget.LOG_BYTES), str(path))
    points: list[Point] = []
    height: float | None = None
    lost = 0
    for line in text.splitlines():
        begin = line.find("$")
        if begin < 0 or line[begin + 3 : begin + 6] not in {"RMC", "GGA"}:
            continue
        try:
            said = pynmea2.parse(line[begin:].strip(), check=True)
            if said.sentence_type == "GGA":
                height = float(said.altitude) if said.gps_qual else None
                continue
            if said.status != "A":
                lost += 1
                continue
            speed = float(said.spd_over_grnd) * M_S_PER_KNOT
            points.append(Point(said.datetime, float(said.latitude), float(said.longitude), height, speed))
        except (pynmea2.ParseError, ValueError, TypeError, AttributeError):
            lost += 1
        _limit(path, points)
    log = log_of_points(path, points)
    notices = (*log.notices, *([f"{lost} sentences without a fix, or damaged, left out"] if lost else []))
    return replace(log, notices=notices)


def read_tcx(path: str | Path) -> ImportedLog:
    """Read the track points of a TCX file; raises as `read_fit`."""
    path = Path(path)
    points: list[Point] = []
    for element in _elements(path, "Trackpoint"):
        own = dict(_texts(element))
        speed = own.get("Speed")
        points.append(
            Point(
                _moment(own.get("Time")),
                _number(own.get("LatitudeDegrees")),
                _number(own.get("LongitudeDegrees")),
                _maybe(own.get("AltitudeMeters")),
                _maybe(speed),
            )
        )
        _limit(path, points)
    return log_of_points(path, points)


def read_kml(path: str | Path) -> ImportedLog:
    """Read the tracks of a KML file that says when it was where; raises as `read_fit`."""
    path = Path(path)
    points: list[Point] = []
    for element in _elements(path, "Track"):
        texts = list(_texts(element))
        times = [text for name, text in texts if name == "when"]
        places = [text.split() for name, text in texts if name == "coord"]
        if len(times) != len(places):
            raise InvalidInput(f"{path}: a track with {len(times)} times and {len(places)} places; expected one each")
        for when, place in zip(times, places, strict=True):
            longitude, latitude, *height = place if len(place) >= 2 else ("", "")
            points.append(
                Point(_moment(when), _number(latitude), _number(longitude), _maybe(height[0]) if height else None)
            )
            _limit(path, points)
    if not points:
        raise InvalidInput(f"{path}: no track with times; a line on a map says nothing of speed, expected gx:Track")
    return log_of_points(path, points)


def _elements(path: Path, name: str) -> Iterator[Element]:
    """Elements of one local name, of a file that defines nothing of its own."""
    from defusedxml import ElementTree
    from defusedxml.common import DefusedXmlException

    data = budget.read_bytes(path, budget.TABLE_BYTES * 2)
    budget.check_depth(data, str(path))
    try:
        root = ElementTree.fromstring(data, forbid_dtd=True)
    except DefusedXmlException as error:
        raise InvalidInput(f"{path}: holds definitions of its own (DOCTYPE); expected a plain file") from error
    except (ElementTree.ParseError, ValueError, LookupError) as error:
        raise InvalidInput(f"{path}: damaged XML: {_first(error)}") from error
    return (element for element in root.iter() if _local(element.tag) == name)


def _local(tag: object) -> str:
    return str(tag).rpartition("}")[2]


def _texts(element: Element) -> Iterator[tuple[str, str]]:
    """Local names and texts of everything below an element."""
    for inner in element.iter():
        if inner.text and inner.text.strip():
            yield _local(inner.tag), inner.text.strip()


def _moment(text: str | None) -> datetime | None:
    try:
        return datetime.fromisoformat(text) if text else None
    except ValueError:
        return None


def _maybe(text: str | None) -> float | None:
    value = _number(text)
    return value if math.isfinite(value) else None


def _number(text: str | None) -> float:
    try:
        return float(text) if text else math.nan
    except ValueError:
        return math.nan


def _limit(path: Path, points: list[Point]) -> None:
    if len(points) > MOST_POINTS:
        raise InvalidInput(f"{path}: more than {MOST_POINTS} points; expected a shorter track")


def _first(error: BaseException) -> str:
    return (str(error).splitlines()[0] if str(error) else type(error).__name__)[:200]

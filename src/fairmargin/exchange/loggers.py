"""Logs of any logger: delimiter, decimal comma, units and time formats guessed, shown, kept as a named profile."""

from __future__ import annotations

import csv
import io
import json
import math
import re
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.companion import RoadPlaces
from fairmargin.core.study import Trace
from fairmargin.exchange.faults import InputFault

Array = NDArray[np.float64]

PREVIEW_BYTES: Final = 65_536
PREVIEW_ROWS: Final = 12
MAX_BYTES: Final = 2_000_000_000
STOP_S: Final = 60.0  # a stand longer than this may end a leg
STOP_KMH: Final = 2.0
SHORTEST_M: Final = 500.0  # a stretch shorter than this is no leg
GATE_NEAR_M: Final = 80.0  # a log that comes so near has passed the gate
END_SLACK_M: Final = 40.0
MOST_PLACED: Final = 200_000  # points of a log that are held against the gates
FASTEST_KMH: Final = 300.0

#: What a column may be, with the units it may come in and their factor to the trace's own.
ROLES: Final[dict[str, dict[str, float]]] = {
    "time": {"s": 1.0, "ms": 1e-3, "min": 60.0, "clock": 1.0},
    "speed": {"km/h": 1.0, "m/s": 3.6, "mph": 1.609344, "kn": 1.852},
    "power": {"kW": 1.0, "W": 1e-3},
    "voltage": {"V": 1.0},
    "current": {"A": 1.0},
    "latitude": {"\u00b0": 1.0},
    "longitude": {"\u00b0": 1.0},
    "elevation": {"m": 1.0, "ft": 0.3048},
    "soc": {"%": 1.0},
    "temperature": {"\u00b0C": 1.0, "\u00b0F": 1.0},
}
_TRACE_COLUMN: Final = {
    "speed": "speed_kmh",
    "power": "power_kw",
    "latitude": "latitude",
    "longitude": "longitude",
    "elevation": "elevation_m",
    "soc": "soc_percent",
    "temperature": "temperature_c",
}
_NAMES: Final[tuple[tuple[str, str], ...]] = (
    ("time", r"^(t|time|timestamp|zeit|date.?time|date|seconds?|elapsed.*|utc.*)$|time|zeit"),
    ("speed", r"speed|velocity|geschw|^v$"),
    ("power", r"power|leistung|^p$"),
    ("voltage", r"volt|spannung|^u$"),
    ("current", r"current|amp|strom|^i$"),
    ("latitude", r"lat"),
    ("longitude", r"lon|lng"),
    ("elevation", r"elev|alt|height|h\u00f6he"),
    ("soc", r"soc|state.?of.?charge|battery.?level|ladestand"),
    ("temperature", r"temp"),
)
_UNITS: Final[tuple[tuple[str, str, str], ...]] = (
    # role, pattern in the header, unit
    ("speed", r"km/?h|kmh|kph", "km/h"),
    ("speed", r"mph|mi/h", "mph"),
    ("speed", r"m/s|mps|ms-1", "m/s"),
    ("speed", r"\bkn\b|kt|knots?", "kn"),
    ("power", r"kw", "kW"),
    ("power", r"\bw\b|watt", "W"),
    ("time", r"\bms\b|milli", "ms"),
    ("time", r"\bmin\b", "min"),
    ("elevation", r"\bft\b|feet", "ft"),
    ("temperature", r"\u00b0?f\b|fahren", "\u00b0F"),
)
_USUAL: Final = {
    "time": "s",
    "speed": "km/h",
    "power": "kW",
    "voltage": "V",
    "current": "A",
    "latitude": "\u00b0",
    "longitude": "\u00b0",
    "elevation": "m",
    "soc": "%",
    "temperature": "\u00b0C",
}


@dataclass(frozen=True, slots=True)
class Column:
    """One column of a log: its header, what it is taken for ("" = not used) and its unit."""

    header: str
    role: str
    unit: str


@dataclass(frozen=True, slots=True)
class Profile:
    """How to read the logs of one logger."""

    name: str
    delimiter: str
    decimal: str
    columns: tuple[Column, ...]

    def to_json(self) -> dict[str, Any]:
        """Return a value for a JSON file."""
        return asdict(self)

    @classmethod
    def from_json(cls, value: Mapping[str, Any]) -> Profile:
        """Undo `to_json` (ValueError if it is not one)."""
        try:
            columns = tuple(
                Column(str(c["header"]), str(c["role"]), str(c["unit"])) for c in value["columns"]
            )
            made = cls(str(value["name"]), str(value["delimiter"]), str(value["decimal"]), columns)
        except (KeyError, TypeError) as error:
            raise ValueError(f"not a profile: {error} is missing or of the wrong kind") from error
        for column in made.columns:
            if column.role and column.unit not in ROLES.get(column.role, {}):
                raise ValueError(f'column "{column.header}": {column.role} in {column.unit} is not known')
        return made


@dataclass(frozen=True, slots=True)
class Preview:
    """The first rows, and what each column is taken for."""

    profile: Profile
    rows: tuple[tuple[str, ...], ...]
    notices: tuple[str, ...]


@dataclass(frozen=True, eq=False, slots=True)
class ImportedLog:
    """One log as a trace, when it began, and what was dropped or assumed."""

    trace: Trace
    started_at: datetime | None
    rows: int
    notices: tuple[str, ...]


def preview(path: str | Path, name: str = "") -> Preview:
    """Look at the beginning of a log and guess how to read it; fast however long the file.

    Raises
    ------
    InputFault
        If it cannot be read, is not text, or has no header with two columns.
    """
    path = Path(path)
    try:
        with path.open("rb") as file:
            head = file.read(PREVIEW_BYTES)
    except OSError as error:
        raise InputFault(f"{path}: cannot be read: {error.strerror or error}") from error
    text = _decoded(head, path, whole=len(head) < PREVIEW_BYTES)
    lines = [line for line in text.splitlines() if line.strip()]
    if len(lines) > 1 and len(head) == PREVIEW_BYTES:
        lines = lines[:-1]  # the last may be cut
    if not lines:
        raise InputFault(f"{path}: empty; expected a table with a header row")
    delimiter = max((";", "\t", ",", "|"), key=lambda d: (min(line.count(d) for line in lines[:5]), d == ";"))
    if delimiter not in lines[0]:
        raise InputFault(f"{path}, row 1: one column only; expected a header such as time,speed,power")
    table = list(csv.reader(io.StringIO("\n".join(lines[: PREVIEW_ROWS + 1])), delimiter=delimiter))
    header, rows = [h.strip() for h in table[0]], table[1:]
    decimal = "."
    if delimiter != "," and any(re.fullmatch(r"-?\d+,\d+", cell.strip()) for row in rows for cell in row):
        decimal = ","
    notices = []
    columns, taken = [], set()
    for i, title in enumerate(header):
        role = next((r for r, pattern in _NAMES if r not in taken and re.search(pattern, title.lower())), "")
        cells = [row[i].strip() for row in rows if i < len(row) and row[i].strip()]
        if role and role != "time" and not all(_is_number(c, decimal) for c in cells):
            role = ""
        unit = _USUAL.get(role, "")
        for r, pattern, u in _UNITS:
            if r == role and re.search(pattern, title.lower()):
                unit = u
                break
        if role == "time" and cells and not _is_number(cells[0], decimal):
            unit = "clock"
        if role:
            taken.add(role)
        columns.append(Column(title, role, unit))
    unused = [c.header for c in columns if not c.role]
    if unused:
        notices.append(f"not used: {', '.join(unused[:8])}{'...' if len(unused) > 8 else ''}")
    for needed in ("time", "speed"):
        if needed not in taken:
            notices.append(f"no column looks like {needed}; choose one")
    if "power" not in taken and not {"voltage", "current"} <= taken:
        notices.append("no power, nor voltage and current: speeds only")
    profile = Profile(name or path.stem, delimiter, decimal, tuple(columns))
    return Preview(profile, tuple(tuple(row) for row in rows), tuple(notices))


def _decoded(data: bytes, path: Path, whole: bool) -> str:
    for encoding in ("utf-8-sig", "cp1252"):
        try:
            return data.decode(encoding)
        except UnicodeDecodeError as error:
            if encoding == "utf-8-sig" and not whole and error.start > len(data) - 4:
                return data[: error.start].decode(encoding)
    raise InputFault(f"{path}: not text; expected a table such as time,speed,power")


def _is_number(text: str, decimal: str) -> bool:
    try:
        float(text.replace(decimal, ".") if decimal != "." else text)
    except ValueError:
        return False
    return True


def read_log(path: str | Path, profile: Profile) -> ImportedLog:
    """Read a whole log by its profile.

    Rows without time or speed, and rows whose time does not advance, are dropped and counted.

    Raises
    ------
    InputFault
        Naming file, row and column of what cannot be read.
    """
    import pandas as pd

    path = Path(path)
    used = [c for c in profile.columns if c.role]
    roles = {c.role: c for c in used}
    for needed in ("time", "speed"):
        if needed not in roles:
            raise InputFault(f"{path}: no column is taken for {needed}; it is required")
    where = [i for i, c in enumerate(profile.columns) if c.role]
    frame = None
    for encoding in ("utf-8", "cp1252"):  # the parser itself skips a byte order mark
        try:
            frame = pd.read_csv(
                path,
                sep=profile.delimiter,
                decimal=profile.decimal,
                encoding=encoding,
                usecols=where if 2 * len(where) < len(profile.columns) else None,  # choosing costs more
            )
            break
        except UnicodeDecodeError:
            continue
        except OSError as error:
            raise InputFault(f"{path}: cannot be read: {error.strerror or error}") from error
        except (ValueError, pd.errors.ParserError) as error:
            first = str(error).splitlines()[0] if str(error) else "unreadable"
            raise InputFault(f"{path}: {first}; expected the columns of profile {profile.name}") from error
    if frame is None or not len(frame):
        raise InputFault(f"{path}: no rows; expected a table of samples")
    frame.columns = [str(c).strip() for c in frame.columns]
    missing = [c.header for c in used if c.header not in frame.columns]
    if missing:
        raise InputFault(
            f"{path}, row 1: no column {', '.join(missing)}; expected those of profile {profile.name}"
        )
    total = len(frame)
    notices: list[str] = []
    values: dict[str, Array] = {}
    started: datetime | None = None
    for role, column in roles.items():
        series = frame[column.header]
        if role == "time" and column.unit == "clock":
            values[role], started = _clock(series, path, column.header)
            continue
        if pd.api.types.is_numeric_dtype(series) and not pd.api.types.is_bool_dtype(series):
            array = series.to_numpy(dtype=float)  # the trace makes its own copy
        else:
            numbers = pd.to_numeric(series, errors="coerce")
            bad = int((numbers.isna() & series.notna()).sum())
            if bad:
                notices.append(f"{column.header}: {bad} cells are not numbers, left empty")
            array = numbers.to_numpy(dtype=float)
        factor = ROLES[role][column.unit]
        if factor != 1.0:
            array = array * factor
        if column.unit == "\u00b0F":
            array = (array - 32.0) / 1.8
        infinite = np.isinf(array)
        if infinite.any():
            array = np.where(infinite, np.nan, array)
        if role == "time" and np.isfinite(array).any() and float(np.nanmin(array)) > 1e8:
            started = datetime.fromtimestamp(float(np.nanmin(array)), UTC)  # seconds since 1970
        values[role] = array
    time = values.pop("time")
    speed = values["speed"]
    negative = int(np.sum(speed < 0))
    if negative:
        notices.append(f"{negative} negative speeds taken as 0")
        speed = values["speed"] = np.maximum(speed, 0.0)
    good = np.isfinite(time) & np.isfinite(speed)
    advancing = np.zeros(total, dtype=bool)
    if good.all() and np.all(np.diff(time) > 0):
        advancing[:] = True  # the usual case, at no cost
    elif good.any():
        kept = time[good]
        high = np.concatenate([[-np.inf], np.maximum.accumulate(kept)[:-1]])
        advancing[np.flatnonzero(good)] = kept > high
    dropped = int(total - good.sum())
    if dropped:
        notices.append(f"{dropped} rows without time or speed dropped")
    backwards = int(good.sum() - advancing.sum())
    if backwards:
        notices.append(f"{backwards} rows whose time does not advance dropped")
    if advancing.sum() < 2:
        raise InputFault(f"{path}: fewer than two usable rows of {total}; check which column is the time")
    if "power" not in values and {"voltage", "current"} <= values.keys():
        values["power"] = values["voltage"] * values["current"] / 1000.0
        notices.append("power is voltage times current; positive must be drawn from the battery")
    whole = bool(advancing.all())
    columns = {
        _TRACE_COLUMN[r]: v if whole else v[advancing] for r, v in values.items() if r in _TRACE_COLUMN
    }
    at = time if whole else time[advancing]
    try:
        trace = Trace(time_s=at - at[0], **columns)
    except ValueError as error:
        raise InputFault(f"{path}: {error}") from error
    return ImportedLog(trace, started, total, tuple(notices))


def _clock(series: Any, path: Path, header: str) -> tuple[Array, datetime | None]:
    """Seconds of clock times: ISO 8601, or hours, minutes and seconds of one day (midnight may pass)."""
    import pandas as pd

    text = series.astype(str).str.strip()
    first = next((t for t in text if t and t != "nan"), "")
    if re.fullmatch(r"\d{1,2}:\d{2}(:\d{2}([.,]\d+)?)?", first):
        seconds = (
            pd.to_timedelta(
                text.str.replace(",", ".", regex=False).where(text.str.count(":") == 2, text + ":00"),
                errors="coerce",
            )
            .dt.total_seconds()
            .to_numpy(dtype=float)
        )
        steps = np.diff(seconds, prepend=seconds[:1])
        return seconds + 86400.0 * np.cumsum(np.nan_to_num(steps) < -43200.0), None
    moments = pd.to_datetime(text, errors="coerce", format="mixed", utc=True)
    if not moments.notna().any():
        raise InputFault(f'{path}, row 2, {header}: "{first}" is not a time; expected ISO 8601 or hh:mm:ss')
    started = moments[moments.notna()].iloc[0]
    seconds = (moments - started).dt.total_seconds().to_numpy(dtype=float)
    return seconds, started.to_pydatetime().replace(tzinfo=None)


def split_at_stops(trace: Trace) -> list[tuple[float, float]]:
    """Cut a long log into drives: a stand of more than a minute, or a pause in the log, ends one. [s]

    Returns
    -------
    list of (start, end)
        Only drives of half a kilometre and more.
    """
    t, moving = trace.time_s, trace.speed_kmh > STOP_KMH
    driven = t[moving]
    if not len(driven):
        return []
    pauses = np.flatnonzero(np.diff(driven) > STOP_S)
    starts, ends = driven[np.concatenate([[0], pauses + 1])], driven[np.concatenate([pauses, [-1]])]
    pieces = list(zip(starts.tolist(), ends.tolist(), strict=True))
    travelled = np.concatenate(
        [[0.0], np.cumsum((trace.speed_kmh[1:] + trace.speed_kmh[:-1]) / 7.2 * np.diff(t))]
    )
    return [
        (a, b)
        for a, b in pieces
        if float(np.interp(b, t, travelled) - np.interp(a, t, travelled)) >= SHORTEST_M
    ]


def split_at_gates(trace: Trace, places: RoadPlaces) -> list[tuple[float, float, bool]]:
    """Cut a long log into legs where it passes both gates of the road, one after the other. [s]

    Returns
    -------
    list of (start, end, backwards)
        In order of time; passages of one gate alone are left.
    """
    line = places.line
    if line is None or trace.latitude is None or trace.longitude is None:
        return []
    good = np.flatnonzero(np.isfinite(trace.latitude) & np.isfinite(trace.longitude))
    thinned = good[:: max(1, len(good) // MOST_PLACED)]
    if len(thinned) < 2:
        return []
    t = trace.time_s[thinned]
    lat, lon = trace.latitude[thinned], trace.longitude[thinned]
    gates = [1000.0 * places.start_km, 1000.0 * places.end_km]
    # Gates at the very ends of the road are passed a little inside it.
    gates = [max(gates[0], END_SLACK_M), min(gates[1], 1000.0 * places.length_km - END_SLACK_M)]
    passages: list[tuple[float, int]] = []
    for number, metres in enumerate(gates):
        at_lat = float(np.interp(metres, line.distance_m, line.latitude))
        at_lon = float(np.interp(metres, line.distance_m, line.longitude))
        north = (lat - at_lat) * 111_250.0
        east = (lon - at_lon) * 111_320.0 * math.cos(math.radians(at_lat))
        away = np.hypot(north, east)
        near = away < GATE_NEAR_M
        edges = np.flatnonzero(np.diff(near.astype(int), prepend=0, append=0))
        for a, b in zip(edges[::2], edges[1::2], strict=True):
            passages.append((float(t[a + int(np.argmin(away[a:b]))]), number))
    passages.sort()
    least_s = (gates[1] - gates[0]) / (FASTEST_KMH / 3.6)
    return [
        (a[0], b[0], a[1] == 1)
        for a, b in zip(passages, passages[1:], strict=False)
        if a[1] != b[1] and b[0] - a[0] >= least_s
    ]


def within(trace: Trace, start_s: float, end_s: float) -> slice:
    """Samples between two times, both ends included."""
    low = int(np.searchsorted(trace.time_s, start_s, side="left"))
    return slice(low, int(np.searchsorted(trace.time_s, end_s, side="right")))


def cut(trace: Trace, start_s: float, end_s: float) -> Trace:
    """Return the samples between two times, time starting at zero again."""
    inside = within(trace, start_s, end_s)
    columns = {name: values[inside] for name, values in trace.columns().items()}
    columns["time_s"] = columns["time_s"] - columns["time_s"][0]
    return Trace(**columns)


def profiles_path() -> Path:
    """Where the person's profiles are kept."""
    import platformdirs

    return Path(platformdirs.user_config_dir("fairmargin")) / "profiles.json"


def load_profiles(path: Path) -> dict[str, Profile]:
    """Read saved profiles; a file that is not one is refused in words.

    Raises
    ------
    InputFault
        If the file is there and cannot be read.
    """
    if not path.exists():
        return {}
    try:
        value = json.loads(path.read_text(encoding="utf-8"))
        return {p["name"]: Profile.from_json(p) for p in value}
    except (OSError, ValueError, TypeError, KeyError) as error:
        raise InputFault(f"{path}: not a file of profiles: {error}") from error


def save_profiles(path: Path, profiles: Sequence[Profile]) -> None:
    """Write profiles (OSError if that is not possible)."""
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_text(
        json.dumps([p.to_json() for p in profiles], indent=1, ensure_ascii=False), encoding="utf-8"
    )

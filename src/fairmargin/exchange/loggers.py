"""Logs of any logger: delimiter, decimal comma, units and time formats guessed, shown, kept as a named profile."""

from __future__ import annotations

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
from fairmargin.exchange import budget
from fairmargin.exchange.clocks import offsets_words, one_rule
from fairmargin.exchange.faults import InputFault
from fairmargin.exchange.frames import as_numbers, own_names, read_frame
from fairmargin.exchange.tabular import delimiter_of

Array = NDArray[np.float64]

PREVIEW_BYTES: Final = 65_536
PREVIEW_ROWS: Final = 12
STOP_S: Final = 60.0  # a stand longer than this may end a leg
STOP_KMH: Final = 2.0
SHORTEST_M: Final = 500.0  # a stretch shorter than this is no leg
GATE_NEAR_M: Final = 80.0  # a log that comes so near has passed the gate
END_SLACK_M: Final = 40.0
MOST_PLACED: Final = 200_000  # points of a log that are held against the gates
FASTEST_KMH: Final = 300.0
#: Times of a log beyond this count from 1970; the latest that a drive may have (year 2100). [s]
EPOCH_S: Final = 1e8
LATEST_S: Final = 4.1e9

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
    head = budget.head_of(path, PREVIEW_BYTES)
    text = _decoded(head, path, whole=len(head) < PREVIEW_BYTES)
    lines = [line for line in text.splitlines() if line.strip()]
    if len(lines) > 1 and len(head) == PREVIEW_BYTES:
        lines = lines[:-1]  # the last may be cut
    if not lines:
        raise InputFault(f"{path}: empty; expected a table with a header row")
    delimiter = delimiter_of(lines)
    if delimiter is None or delimiter not in lines[0]:
        raise InputFault(f"{path}, row 1: one column only; expected a header such as time,speed,power")
    start = "\n".join(lines[: PREVIEW_ROWS + 1])
    table = [cells for _, cells in budget.rows_of(start, str(path), delimiter, strict=False)]
    header, rows = table[0], table[1:]
    header = own_names(header + [""] * (max(map(len, table)) - len(header)))
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
    path = Path(path)
    used = [c for c in profile.columns if c.role]
    roles = {c.role: c for c in used}
    for needed in ("time", "speed"):
        if needed not in roles:
            raise InputFault(f"{path}: no column is taken for {needed}; it is required")
    frame = _frame(path, profile, [c.header for c in used])
    notices: list[str] = []
    values: dict[str, Array] = {}
    started: datetime | None = None
    for role, column in roles.items():
        values[role], begun, said = _column(frame[column.header], role, column, path)
        started = started or begun
        notices += said
    time = values.pop("time")
    if (negative := int(np.sum(values["speed"] < 0))) > 0:
        notices.append(f"{negative} negative speeds taken as 0")
        values["speed"] = np.maximum(values["speed"], 0.0)
    advancing, said = _advancing(time, values["speed"])
    notices += said
    if advancing.sum() < 2:
        raise InputFault(
            f"{path}: fewer than two usable rows of {len(frame)}; check which column is the time"
        )
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
    return ImportedLog(trace, started, len(frame), tuple(notices))


def _frame(path: Path, profile: Profile, wanted: Sequence[str]) -> Any:
    """The whole table, in whichever of two encodings it is text."""
    data = budget.read_bytes(path, budget.LOG_BYTES)
    frame = None
    expected = f"the columns of profile {profile.name}"
    for encoding in ("utf-8", "cp1252"):  # the parser itself skips a byte order mark
        try:
            frame = read_frame(data, str(path), profile.delimiter, profile.decimal, encoding, expected)
            break
        except UnicodeDecodeError:
            continue
    if frame is None or not len(frame):
        raise InputFault(f"{path}: no rows; expected a table of samples")
    missing = [header for header in wanted if header not in frame.columns]
    if missing:
        raise InputFault(
            f"{path}, row 1: no column {', '.join(missing)}; expected those of profile {profile.name}"
        )
    return frame


def _column(series: Any, role: str, column: Column, path: Path) -> tuple[Array, datetime | None, list[str]]:
    """One column in its base unit; when the log began, where the time says; and what was noticed."""
    if role == "time" and column.unit == "clock":
        return _clock(series, path, column.header)
    notices: list[str] = []
    array, bad = as_numbers(series)  # the trace makes its own copy
    if bad.any():
        notices.append(f"{column.header}: {int(bad.sum())} cells are not numbers, left empty")
    factor = ROLES[role][column.unit]
    if factor != 1.0:
        array = array * factor
    if column.unit == "\u00b0F":
        array = (array - 32.0) / 1.8
    infinite = np.isinf(array)
    if infinite.any():
        notices.append(f"{column.header}: {int(infinite.sum())} cells are not finite, left empty")
        array = np.where(infinite, np.nan, array)
    if role == "time" and np.isfinite(array).any() and float(np.nanmin(array)) > EPOCH_S:
        array, started, said = _since_1970(array, str(column.header), path)
        return array, started, notices + said
    return array, None, notices


def _advancing(time: Array, speed: Array) -> tuple[NDArray[np.bool_], list[str]]:
    """Rows with a time and a speed whose time advances, and what was dropped."""
    notices: list[str] = []
    good = np.isfinite(time) & np.isfinite(speed)
    advancing = np.zeros(len(time), dtype=bool)
    if good.all() and np.all(np.diff(time) > 0):
        advancing[:] = True  # the usual case, at no cost
    elif good.any():
        kept = time[good]
        high = np.concatenate([[-np.inf], np.maximum.accumulate(kept)[:-1]])
        advancing[np.flatnonzero(good)] = kept > high
    if (dropped := int(len(time) - good.sum())) > 0:
        notices.append(f"{dropped} rows without time or speed dropped")
    if (backwards := int(good.sum() - advancing.sum())) > 0:
        notices.append(f"{backwards} rows whose time does not advance dropped")
    return advancing, notices


def _since_1970(seconds: Array, header: str, path: Path) -> tuple[Array, datetime, list[str]]:
    """Times that count from 1970, whichever unit they were taken for: the one that gives a year of cars is right.

    Raises
    ------
    InputFault
        If none does.
    """
    first = float(np.nanmin(seconds))
    for unit, factor in (("", 1.0), ("milliseconds", 1e-3), ("microseconds", 1e-6), ("nanoseconds", 1e-9)):
        if EPOCH_S < first * factor < LATEST_S:
            began = datetime.fromtimestamp(first * factor, UTC)
            said = [f"{header}: counted in {unit} since 1970"] if unit else []
            return (seconds - first) * factor, began, said
    raise InputFault(
        f"{path}, {header}: {first:g} s is no time of a drive; expected seconds or milliseconds, or since 1970"
    )


def _clock(series: Any, path: Path, header: str) -> tuple[Array, datetime | None, list[str]]:
    """Seconds of clock times: ISO 8601, or hours, minutes and seconds of one day (midnight may pass)."""
    import pandas as pd

    text = series.astype(str).str.strip()
    empty = series.isna() | text.isin(["", "nan", "None", "NaT"])
    filled = text[~empty]
    first = filled.iloc[0] if len(filled) else ""
    if re.fullmatch(r"\d{1,2}:\d{2}(:\d{2}([.,]\d+)?)?", first):
        whole = text.where(~empty).str.replace(",", ".", regex=False)
        short = whole.str.count(":") == 1
        seconds = (
            pd.to_timedelta(whole.mask(short, whole + ":00"), errors="coerce")
            .dt.total_seconds()
            .to_numpy(dtype=float)
        )
        seconds = np.where((seconds >= 0) & (seconds < 2 * 86400.0), seconds, np.nan)
        known = np.flatnonzero(np.isfinite(seconds))
        days = np.zeros(len(seconds))
        if len(known):
            steps = np.diff(seconds[known], prepend=seconds[known][:1])
            days[known] = np.cumsum(steps < -43200.0)
        return seconds + 86400.0 * days, None, []
    moments = one_rule(text.where(~empty))
    if not moments.notna().any():
        raise InputFault(
            f'{path}, row 2, {header}: "{first[: budget.NAME]}" is not a time; expected ISO 8601 or hh:mm:ss'
        )
    notices = []
    lost = int((moments.isna() & ~empty).sum())
    if lost:
        notices.append(f"{header}: {lost} cells are not times, left empty")
    if filled.str.len().nunique() > 1:  # of one length all state an offset, or none
        notices += [f"{header}: {words}" for words in offsets_words(filled.tolist())]
    known_moments = moments[moments.notna()]
    started = known_moments.iloc[0]
    seconds = (moments - started).dt.total_seconds().to_numpy(dtype=float)
    jump = _clock_change(seconds)
    if jump:
        notices.append(
            f"{header}: the clock jumps by {jump:+.0f} min on the way; expected a clock that runs on"
        )
    return seconds, started.to_pydatetime().replace(tzinfo=None), notices


def _clock_change(seconds: Array) -> float:
    """Jump of a clock that was set on the way, such as to summer time; 0 when it runs on. [min]"""
    steps = np.diff(seconds[np.isfinite(seconds)])
    if len(steps) < 3:
        return 0.0
    usual = float(np.median(steps))
    jump = float(steps[np.argmax(np.abs(steps - usual))]) - usual
    near = round(jump / 1800.0) * 1800.0
    return jump / 60.0 if near != 0 and abs(near) <= 7200 and abs(jump - near) <= max(2.0, 2 * usual) else 0.0


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
    value = budget.read_json(
        budget.decoded(budget.read_bytes(path, budget.TABLE_BYTES), str(path)), str(path)
    )
    try:
        return {p["name"]: Profile.from_json(p) for p in value}
    except (ValueError, TypeError, KeyError) as error:
        raise InputFault(f"{path}: not a file of profiles: {error}") from error


def save_profiles(path: Path, profiles: Sequence[Profile]) -> None:
    """Write profiles (OSError if that is not possible)."""
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_text(
        json.dumps([p.to_json() for p in profiles], indent=1, ensure_ascii=False), encoding="utf-8"
    )

"""Logs of any logger: delimiter, decimal comma, units and time formats guessed, shown, kept as a named profile."""

from __future__ import annotations

import json
import re
from collections.abc import Collection, Mapping, Sequence
from dataclasses import asdict, dataclass
from datetime import datetime
from pathlib import Path
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.study import Trace
from fairmargin.exchange import budget
from fairmargin.exchange.faults import InvalidInput
from fairmargin.exchange.frames import as_numbers, own_names, read_frame
from fairmargin.exchange.logger_times import EPOCH_S, clock_times, since_1970
from fairmargin.exchange.tabular import delimiter_of, in_brackets

Array = NDArray[np.float64]

PREVIEW_BYTES: Final = 65_536
PREVIEW_ROWS: Final = 12

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
#: Words of a header that mean a role; looked for in its name, without its unit.
_NAMES: Final[tuple[tuple[str, str], ...]] = (
    ("time", r"\b(t|time|timestamp|zeit|date|datetime|seconds?|elapsed|clock|utc|millis|ticks?)\b|time|zeit"),
    ("speed", r"speed|velocity|geschw|\bv\b|\btempo\b"),
    ("power", r"power|leistung|\bp\b"),
    ("voltage", r"volt|spannung|\bu\b"),
    ("current", r"current|amp|strom|\bi\b"),
    ("latitude", r"\blat"),
    ("longitude", r"\blon|\blng"),
    ("elevation", r"elev|\balt|height|h\u00f6he"),
    ("soc", r"\bsoc\b|state.?of.?charge|battery.?level|ladestand|\bcharge\b"),
    ("temperature", r"temp"),
)
#: What a unit in a header means by itself, whatever the name: "HV [V]" is a voltage.
_BY_UNIT: Final = {
    "km/h": "speed", "kmh": "speed", "kph": "speed", "mph": "speed", "kw": "power", "w": "power", "v": "voltage", "a": "current",
    "ms": "time",
}  # fmt: skip
#: Names that look like a role and are another thing: a wind is no speed, a cabin no outside air.
_NOT: Final = {
    "speed": r"\bwind|gust|motor|rpm|fan|engine|limit|target|set",
    "temperature": r"cabin|inside|interior|innen|cell|batt|pack|motor|coolant|inverter|oil|tyre|tire|set|module",
    "power": r"limit|max|avail|aux|heater|ac\b|charg",
    "voltage": r"12|cell|aux|min|max",
    "current": r"limit|max|motor",
    "soc": r"display|kwh|energy",
}
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
    InvalidInput
        If it cannot be read, is not text, or has no header with two columns.
    """
    path = Path(path)
    head = budget.head_of(path, PREVIEW_BYTES)
    text = _decoded(head, path, whole=len(head) < PREVIEW_BYTES)
    lines = [line for line in text.splitlines() if line.strip()]
    if len(lines) > 1 and len(head) == PREVIEW_BYTES:
        lines = lines[:-1]  # the last may be cut
    if not lines:
        raise InvalidInput(f"{path}: empty; expected a table with a header row")
    delimiter = delimiter_of(lines)
    if delimiter is None or delimiter not in lines[0]:
        raise InvalidInput(f"{path}, row 1: one column only; expected a header such as time,speed,power")
    start = "\n".join(lines[: PREVIEW_ROWS + 1])
    table = [cells for _, cells in budget.rows_of(start, str(path), delimiter, strict=False)]
    header, rows = table[0], table[1:]
    header = own_names(header + [""] * (max(map(len, table)) - len(header)))
    decimal = "."
    if delimiter != "," and any(re.fullmatch(r"-?\d+,\d+", cell.strip()) for row in rows for cell in row):
        decimal = ","
    columns: list[Column] = []
    taken: set[str] = set()
    for i, title in enumerate(header):
        role = role_of(title, taken)
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
    profile = Profile(name or path.stem, delimiter, decimal, tuple(columns))
    return Preview(
        profile, tuple(tuple(row) for row in rows), roles_notices([c.role for c in columns], profile)
    )


def roles_notices(roles: Sequence[str], profile: Profile) -> tuple[str, ...]:
    """What is to be said of columns taken for these roles: which are not used, and what is missing."""
    notices = []
    unused = [c.header for c, role in zip(profile.columns, roles, strict=True) if not role]
    if unused:
        notices.append(f"not used: {', '.join(unused[:8])}{'...' if len(unused) > 8 else ''}")
    for needed in ("time", "speed"):
        if needed not in roles:
            notices.append(f"no column looks like {needed}; choose one")
    if "power" not in roles and not {"voltage", "current"} <= set(roles):
        notices.append("no power, nor voltage and current: speeds only")
    return tuple(notices)


def role_of(title: str, taken: Collection[str] = ()) -> str:
    """What a column is, by the words and the unit of its header; "" where they do not say.

    Examples
    --------
    >>> role_of("v GPS [km/h]"), role_of("P Batt [W]"), role_of("HV (V)"), role_of("Cell temperature"), role_of("Elapsed [ms]")
    ('speed', 'power', 'voltage', '', 'time')
    """
    inside = in_brackets(title).strip().lower()
    name = re.sub(r"[\[(].*?[\])]", " ", title.lower()).replace("_", " ")
    trailing = re.search(r"[\s,]([a-z\u00b0%/]+)\s*$", name)
    unit = inside or (trailing[1] if trailing and trailing[1] in _BY_UNIT else "")
    by_unit = _BY_UNIT.get(unit, "")

    def fits(role: str) -> bool:
        return role not in taken and not (role in _NOT and re.search(_NOT[role], name))

    if by_unit and fits(by_unit) and not (by_unit == "current" and "time" in name):
        return by_unit
    for role, pattern in _NAMES:
        if fits(role) and re.search(pattern, name) and (not by_unit or by_unit == role):
            return role
    return ""


def _decoded(data: bytes, path: Path, whole: bool) -> str:
    for encoding in ("utf-8-sig", "cp1252"):
        try:
            return data.decode(encoding)
        except UnicodeDecodeError as error:
            if encoding == "utf-8-sig" and not whole and error.start > len(data) - 4:
                return data[: error.start].decode(encoding)
    raise InvalidInput(f"{path}: not text; expected a table such as time,speed,power")


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
    InvalidInput
        Naming file, row and column of what cannot be read.
    """
    path = Path(path)
    used = [c for c in profile.columns if c.role]
    roles = {c.role: c for c in used}
    for needed in ("time", "speed"):
        if needed not in roles:
            raise InvalidInput(f"{path}: no column is taken for {needed}; it is required")
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
        raise InvalidInput(
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
        raise InvalidInput(f"{path}: {error}") from error
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
        raise InvalidInput(f"{path}: no rows; expected a table of samples")
    missing = [header for header in wanted if header not in frame.columns]
    if missing:
        raise InvalidInput(
            f"{path}, row 1: no column {', '.join(missing)}; expected those of profile {profile.name}"
        )
    return frame


def _column(series: Any, role: str, column: Column, path: Path) -> tuple[Array, datetime | None, list[str]]:
    """One column in its base unit; when the log began, where the time says; and what was noticed."""
    if role == "time" and column.unit == "clock":
        return clock_times(series, path, column.header)
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
        array, started, said = since_1970(array, str(column.header), path)
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


def profiles_path() -> Path:
    """Where the person's profiles are kept."""
    import platformdirs

    return Path(platformdirs.user_config_dir("fairmargin")) / "profiles.json"


def load_profiles(path: Path) -> dict[str, Profile]:
    """Read saved profiles; a file that is not one is refused in words.

    Raises
    ------
    InvalidInput
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
        raise InvalidInput(f"{path}: not a file of profiles: {error}") from error


def save_profiles(path: Path, profiles: Sequence[Profile]) -> None:
    """Write profiles (OSError if that is not possible)."""
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_text(
        json.dumps([p.to_json() for p in profiles], indent=1, ensure_ascii=False), encoding="utf-8"
    )

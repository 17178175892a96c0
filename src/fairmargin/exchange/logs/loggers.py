"""Logs of any logger: delimiter, decimal comma, units and time formats guessed, shown, kept as a named profile."""

from __future__ import annotations

import json
import re
from collections.abc import Collection, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import asdict, dataclass, replace
from datetime import date, datetime
from pathlib import Path
from typing import Any, Final, Literal

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.evidence.power_sign import power_sign
from fairmargin.core.study import Trace
from fairmargin.core.units import QUANTITIES, unit_of
from fairmargin.core.units.dates import Order
from fairmargin.exchange.files import budget
from fairmargin.exchange.files.atomic import write_whole
from fairmargin.exchange.files.faults import InvalidInput
from fairmargin.exchange.logs.times import EPOCH_S, clock_times, since_1970
from fairmargin.exchange.tables.frames import as_numbers, own_names, read_frame
from fairmargin.exchange.tables.headers import Role, as_percent, by_unit, heads, split_head
from fairmargin.exchange.tables.moments import moment_columns
from fairmargin.exchange.tables.rows import delimiter_of

Array = NDArray[np.float64]

PREVIEW_BYTES: Final = 65_536
PREVIEW_ROWS: Final = 12

#: Quantity of each role, and the unit that a trace has it in.
_QUANTITY: Final[Mapping[str, tuple[str, str]]] = {
    "time": ("time", "s"),
    "speed": ("speed", "km/h"),
    "power": ("power", "kW"),
    "voltage": ("voltage", "V"),
    "current": ("current", "A"),
    "latitude": ("direction", "\u00b0"),
    "longitude": ("direction", "\u00b0"),
    "elevation": ("length", "m"),
    "soc": ("percent", "%"),
    "temperature": ("temperature", "\u00b0C"),
}
#: What a column may be, with the units it may come in.
ROLES: Final[Mapping[str, tuple[str, ...]]] = {
    **{role: tuple(u.name for u in QUANTITIES[q]) for role, (q, _) in _QUANTITY.items()},
    "time": (*(u.name for u in QUANTITIES["time"]), "clock"),
    "date": ("day",),
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
#: Words of a header that mean a role, and those that make it another thing: a wind is no speed, a cabin no outside air.
_WORDS: Final = (
    ("time", r"\b(t|time|timestamp|zeit|date|datetime|seconds?|elapsed|clock|utc|millis|ticks?)\b|time|zeit", ""),
    ("speed", r"speed|velocity|geschw|\bv\b|\btempo\b", r"\bwind|gust|motor|rpm|fan|engine|limit|target|set"),
    ("power", r"power|leistung|\bp\b", r"limit|max|avail|aux|heater|ac\b|charg"),
    ("voltage", r"volt|spannung|\bu\b", r"12|cell|aux|min|max"),
    ("current", r"current|amp|strom|\bi\b", r"limit|max|motor|temp"),
    ("latitude", r"\blat", ""),
    ("longitude", r"\blon|\blng", ""),
    ("elevation", r"elev|\balt|height|h\u00f6he", ""),
    ("soc", r"\bsoc\b|state.?of.?charge|battery.?level|ladestand|\bcharge\b", r"display|kwh|energy"),
    ("temperature", r"temp", r"cabin|inside|interior|innen|cell|batt|pack|motor|coolant|inverter|oil|tyre|tire|set|module|road|soil|chill"),
)  # fmt: skip
_COLUMNS: Final = tuple(
    Role(role, _QUANTITY[role][0], words, never, _QUANTITY[role][1]) for role, words, never in _WORDS
)
#: Quantities that a unit in a header tells by itself, whatever the name: "HV [V]" is a voltage.
_BY_UNIT: Final = ("speed", "power", "voltage", "current", "temperature")
_COUNTS: Final = frozenset({"ms", "\u00b5s", "ns"})  # of time
#: No pack gives more. [kW]
_MOST_KW: Final = 2000.0
_KELVIN: Final = 200.0  # no air is that warm in any other unit


#: What a positive power is; "" where the drive itself tells.
Power = Literal["", "drawn", "given"]


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
    dates: Order = ""  # which comes first in dates in figures, where nothing but the tester tells
    power: Power = ""  # what a positive power is, where the tester says it; else the drive tells

    def to_json(self) -> dict[str, Any]:
        """Return a value for a JSON file."""
        return asdict(self)

    @classmethod
    def from_json(cls, value: Mapping[str, Any]) -> Profile:
        """Undo `to_json` (ValueError if it is not one)."""
        try:
            columns = tuple(Column(str(c["header"]), str(c["role"]), str(c["unit"])) for c in value["columns"])
            dates = value.get("dates", "")
            order: Order = dates if dates in {"day-first", "month-first"} else ""
            told = value.get("power", "")
            power: Power = told if told in {"drawn", "given"} else ""
            made = cls(str(value["name"]), str(value["delimiter"]), str(value["decimal"]), columns, order, power)
        except (KeyError, TypeError) as error:
            raise ValueError(f"not a profile: {error} is missing or of the wrong kind") from error
        for column in made.columns:
            if column.role and column.unit not in ROLES.get(column.role, ()):
                raise ValueError(f'column "{column.header}": {column.role} in {column.unit} is not known')
        return made


#: Tables whose headers do not say what they hold, or say it wrongly: one profile each.
_known: list[Profile] = []


def known_table(header: Sequence[str]) -> Profile | None:
    """The profile of a table that is known by its header, column for column."""
    return next((p for p in _known if [c.header for c in p.columns] == [h.strip() for h in header]), None)


@contextmanager
def with_table(profile: Profile) -> Iterator[None]:
    """Add a known table for a while: for a trial, or for a tool that brings one of its own."""
    _known.append(profile)
    try:
        yield
    finally:
        _known.remove(profile)


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
    header, rows, delimiter = _beginning(path)
    shown = tuple(tuple(row) for row in rows)
    if (known := known_table(header)) is not None:
        return Preview(replace(known, name=name or known.name), shown, _notices(known))
    commas = delimiter != "," and any(re.fullmatch(r"-?\d+,\d+", cell.strip()) for row in rows for cell in row)
    columns, said = _guessed(header, rows, "," if commas else ".")
    profile = Profile(name or path.stem, delimiter, "," if commas else ".", tuple(columns))
    return Preview(profile, shown, (*said, *_notices(profile)))


def _beginning(path: Path) -> tuple[list[str], list[list[str]], str]:
    """Header, first rows and delimiter of a table."""
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
    return own_names(table[0] + [""] * (max(map(len, table)) - len(table[0]))), table[1:], delimiter


def _guessed(header: Sequence[str], rows: Sequence[Sequence[str]], decimal: str) -> tuple[list[Column], list[str]]:
    """What each column is taken for, by its header and its cells; and which units are not known."""
    columns: list[Column] = []
    said: list[str] = []
    when = moment_columns(header, rows)
    for i, title in enumerate(header):
        column, refused = column_of(title, {c.role for c in columns})
        cells = [row[i].strip() for row in rows if i < len(row) and row[i].strip()]
        if len(when) == 2 and i in when:
            column = Column(title, "date", "day") if i == when[0] else Column(title, "time", "clock")
        elif column.role == "time" and cells and not _is_number(cells[0], decimal):
            column = Column(title, "time", "clock")
        elif column.role and column.role != "time" and not all(_is_number(c, decimal) for c in cells):
            column = Column(title, "", "")
        if refused and not column.role:
            said.append(f'column "{title}": {refused}')
        columns.append(column)
    return columns, said


def _notices(profile: Profile) -> tuple[str, ...]:
    return roles_notices([c.role for c in profile.columns], profile)


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


def column_of(title: str, taken: Collection[str] = ()) -> tuple[Column, str]:
    """What a column is, by the words and the unit of its header; role "" where they do not say, and why where a unit is not known.

    Examples
    --------
    >>> [column_of(t)[0].role for t in ("v GPS [km/h]", "P Batt [W]", "HV (V)", "Cell temperature", "Elapsed [ms]")]
    ['speed', 'power', 'voltage', '', 'time']
    >>> column_of("P [hp]")[0].unit, column_of("I mA")[0].unit, column_of("t us")[0].unit
    ('hp', 'mA', '\u00b5s')
    """
    name, _ = split_head(title)
    free = [r for r in _COLUMNS if r.key not in taken]
    role, unit = by_unit(title, _BY_UNIT)
    own = next((r for r in free if r.key == role), None)
    if own is not None and not (own.never and re.search(own.never, name)) and not (unit == "A" and "time" in name):
        return Column(title, role, unit), ""
    if not role:
        count = by_unit(title, ("time",))[1]
        if count in _COUNTS and "time" not in taken:
            return Column(title, "time", count), ""
    # A unit of another quantity makes it another thing.
    (head,) = heads([title], [r for r in free if not role or r.quantity == role])
    return Column(title, head.role, head.unit), head.refused


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


def read_log(path: str | Path, profile: Profile, near: Sequence[date] = ()) -> ImportedLog:
    """Read a whole log by its profile; `near` are days that it is likely to be of: the study's own.

    Rows without time or speed, and rows whose time does not advance, are dropped and counted.

    Raises
    ------
    InvalidInput
        Naming file, row and column of what cannot be read.
    UndecidedDates
        If nothing tells whether its dates have the day or the month first.
    """
    path = Path(path)
    used = [c for c in profile.columns if c.role]
    roles = {c.role: c for c in used}
    for needed in ("time", "speed"):
        if needed not in roles:
            raise InvalidInput(f"{path}: no column is taken for {needed}; it is required")
    frame = _frame(path, profile, used)
    notices: list[str] = []
    values: dict[str, Array] = {}
    started: datetime | None = None
    if "date" in roles:
        clock = roles["time"]
        day = frame[roles.pop("date").header].astype(str).str.strip()
        frame[clock.header] = (day + " " + frame[clock.header].astype(str).str.strip()).where(
            frame[clock.header].notna()
        )
    for role, column in roles.items():
        values[role], begun, said = _column(frame[column.header], role, column, path, profile.dates, near)
        started = started or begun
        notices += said
    time = values.pop("time")
    if (negative := int(np.sum(values["speed"] < 0))) > 0:
        notices.append(f"{negative} negative speeds taken as 0")
        values["speed"] = np.maximum(values["speed"], 0.0)
    advancing, said = _advancing(time, values["speed"])
    notices += said
    if advancing.sum() < 2:
        raise InvalidInput(f"{path}: fewer than two usable rows of {len(frame)}; check which column is the time")
    if "power" not in values and {"voltage", "current"} <= values.keys():
        values["power"] = values["voltage"] * values["current"] / 1000.0
        notices.append("power is voltage times current")
    power = np.abs(values["power"][np.isfinite(values["power"])]) if "power" in values else np.zeros(0)
    if len(power) and float(power.max()) > _MOST_KW:
        raise InvalidInput(
            f"{path}: a power of {float(power.max()):.3g} kW is no vehicle's; check the units of power, voltage and current"
        )
    whole = bool(advancing.all())
    columns = {_TRACE_COLUMN[r]: v if whole else v[advancing] for r, v in values.items() if r in _TRACE_COLUMN}
    at = time if whole else time[advancing]
    try:
        trace = Trace(time_s=at - at[0], **columns)
    except ValueError as error:
        raise InvalidInput(f"{path}: {error}") from error
    trace, said = drawn(trace, profile.power)
    return ImportedLog(trace, started, len(frame), (*notices, *said))


def drawn(trace: Trace, chosen: Power) -> tuple[Trace, list[str]]:
    """The log with power as it is drawn from the battery: as chosen, else as driving tells it; and what is to be said of it."""
    if trace.power_kw is None:
        return trace, []
    told = power_sign(trace)
    if chosen:
        given = chosen == "given"
        against = told == (1 if given else -1)
        said = ["power turned round, as chosen: positive is drawn now"] if given else []
        return _turned(trace) if given else trace, said + (
            ["the drive itself says the other of its power"] if against else []
        )
    if told < 0:
        return _turned(trace), ["power is negative while it drives: it was counted the other way round, and is turned"]
    known = trace.power_kw[np.isfinite(trace.power_kw)]
    if told == 0 and len(known) and float(known.mean()) < 0:
        return trace, [
            "power is negative on the whole, and nothing tells whether that is drawn or given back: say which it is"
        ]
    return trace, []


def _turned(trace: Trace) -> Trace:
    return trace if trace.power_kw is None else replace(trace, power_kw=-trace.power_kw)


def _frame(path: Path, profile: Profile, used: Sequence[Column]) -> Any:
    """The whole table, in whichever of two encodings it is text."""
    numbers = not any(c.unit in {"clock", "day"} for c in used)
    data = budget.read_bytes(path, budget.LOG_BYTES)
    frame = None
    expected = f"the columns of profile {profile.name}"
    for encoding in ("utf-8", "cp1252"):  # the parser itself skips a byte order mark
        try:
            frame = read_frame(data, str(path), profile.delimiter, profile.decimal, encoding, expected, numbers=numbers)
            break
        except UnicodeDecodeError:
            continue
    if frame is None or not len(frame):
        raise InvalidInput(f"{path}: no rows; expected a table of samples")
    missing = [c.header for c in used if c.header not in frame.columns]
    if missing:
        raise InvalidInput(f"{path}, row 1: no column {', '.join(missing)}; expected those of profile {profile.name}")
    return frame


def _column(
    series: Any, role: str, column: Column, path: Path, dates: Order, near: Sequence[date]
) -> tuple[Array, datetime | None, list[str]]:
    """One column in its base unit; when the log began, where the time says; and what was noticed."""
    if role == "time" and column.unit == "clock":
        return clock_times(series, path, column.header, dates, near)
    notices: list[str] = []
    array, bad = as_numbers(series)  # the trace makes its own copy
    if bad.any():
        notices.append(f"{column.header}: {int(bad.sum())} cells are not numbers, left empty")
    array, said = _in_trace_units(array, role, column)
    notices += said
    infinite = np.isinf(array)
    if infinite.any():
        notices.append(f"{column.header}: {int(infinite.sum())} cells are not finite, left empty")
        array = np.where(infinite, np.nan, array)
    if role == "time" and np.isfinite(array).any() and float(np.nanmin(array)) > EPOCH_S:
        array, started, said = since_1970(array, str(column.header), path)
        return array, started, notices + said
    return array, None, notices


def _in_trace_units(array: Array, role: str, column: Column) -> tuple[Array, list[str]]:
    """A column in the unit of a trace; what its figures alone tell of their unit is said."""
    quantity, wanted = _QUANTITY[role]
    unit, said = column.unit, []
    if role in {"soc", "temperature"}:
        known = array[np.isfinite(array)]
        if unit == "%" and as_percent(known[:100_000].tolist()):
            unit, said = "of 1", [f"{column.header}: fractions of one, taken as per cent"]
        if unit == "\u00b0C" and len(known) and float(np.median(known)) > _KELVIN:
            unit, said = "K", [f"{column.header}: kelvin, taken as such"]
    one, into = unit_of(quantity, unit), unit_of(quantity, wanted)
    if one == into:
        return array, said
    return (array * one.factor + one.offset - into.offset) / into.factor, said


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
    value = budget.read_json(budget.decoded(budget.read_bytes(path, budget.TABLE_BYTES), str(path)), str(path))
    try:
        return {p["name"]: Profile.from_json(p) for p in value}
    except (ValueError, TypeError, KeyError) as error:
        raise InvalidInput(f"{path}: not a file of profiles: {error}") from error


def save_profiles(path: Path, profiles: Sequence[Profile]) -> None:
    """Write profiles, whole or not at all (OSError or InvalidInput if that is not possible)."""
    path.parent.mkdir(parents=True, exist_ok=True)
    text = json.dumps([p.to_json() for p in profiles], indent=1, ensure_ascii=False)
    write_whole(path, text.encode("utf-8"))

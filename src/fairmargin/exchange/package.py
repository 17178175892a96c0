"""Study packages: a folder, or the same as one zip. See docs/file-format.md.

The columns of each table are the fields of its value in `fairmargin.core.study`; one table drives reading
and writing. Unknown columns and keys are kept with the value and reported, never fatal.
"""

from __future__ import annotations

import contextlib
import csv
import io
import json
import math
import os
import shutil
import struct
import tempfile
import zipfile
import zlib
from collections.abc import Iterator, Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from datetime import datetime
from pathlib import Path
from typing import Any, Final, Protocol

import numpy as np
from pydantic import BaseModel, ValidationError

from fairmargin.core.study import Event, Leg, RoutePoint, Study, Trace, WeatherRow
from fairmargin.exchange import budget
from fairmargin.exchange.faults import InputFault
from fairmargin.exchange.frames import as_numbers, read_frame
from fairmargin.exchange.plain import armed, unarmed

STUDY_FILE: Final = "study.json"
LEGS_FILE: Final = "legs.csv"
TABLES: Final[dict[str, tuple[str, type[BaseModel]]]] = {
    "route": ("route.csv", RoutePoint),
    "weather": ("weather.csv", WeatherRow),
    "events": ("events.csv", Event),
}
TRACE_COLUMNS: Final = (
    "time_s",
    "speed_kmh",
    "power_kw",
    "latitude",
    "longitude",
    "elevation_m",
    "soc_percent",
    "temperature_c",
)
MAX_FAULTS: Final = 50


@dataclass(frozen=True, slots=True)
class Package:
    """A study with its traces, and what was noticed while reading it."""

    study: Study
    traces: Mapping[str, Trace] = field(default_factory=dict)
    notices: tuple[str, ...] = ()


class _Source(Protocol):
    def names(self) -> list[str]: ...
    def read(self, name: str, limit: int) -> bytes: ...


class _Folder:
    def __init__(self, path: Path) -> None:
        self._path = path

    def names(self) -> list[str]:
        """Names of a package's own files: other things in the folder, however many, are not looked at."""
        found = [
            n
            for n in (STUDY_FILE, LEGS_FILE, *(file for file, _ in TABLES.values()))
            if (self._path / n).is_file()
        ]
        samples = self._path / "samples"
        if samples.is_dir():
            for count, item in enumerate(samples.iterdir()):
                if count > budget.MEMBERS:
                    raise InputFault(f"samples: more than {budget.MEMBERS} files; expected one a leg")
                if item.is_file():
                    found.append(f"samples/{item.name}")
        return found

    def read(self, name: str, limit: int) -> bytes:
        return budget.read_bytes(self._path / name, limit, name)


class _OneFile:
    def __init__(self, data: bytes) -> None:
        self._data = data

    def names(self) -> list[str]:
        return []

    def read(self, name: str, limit: int) -> bytes:
        return self._data


class _Zip:
    def __init__(self, archive: zipfile.ZipFile) -> None:
        self._unpacking = budget.Unpacking(archive)
        names = [n for n in archive.namelist() if not n.endswith("/")]
        roots = [n[: -len(STUDY_FILE)] for n in names if n == STUDY_FILE or n.endswith("/" + STUDY_FILE)]
        # A zip of a folder holds everything below one name.
        self._root = min(roots, key=len) if roots else ""
        self._names = [n[len(self._root) :] for n in names if n.startswith(self._root)]

    def names(self) -> list[str]:
        return self._names

    def read(self, name: str, limit: int) -> bytes:
        return self._unpacking.read(self._root + name, limit, name)


@contextlib.contextmanager
def _open(path: Path) -> Iterator[_Source]:
    if path.is_dir():
        yield _Folder(path)
        return
    if not path.exists():
        raise InputFault("no such file or folder; expected a study package (folder or .zip)")
    try:
        with zipfile.ZipFile(path) as archive:
            yield _Zip(archive)
    except (
        zipfile.BadZipFile,
        zlib.error,
        NotImplementedError,
        EOFError,
        RuntimeError,
        ValueError,
        struct.error,
    ) as error:
        raise InputFault("not a readable zip; expected a study package (folder or .zip)") from error


def read_package(path: str | Path) -> Package:
    """Read a package.

    Raises
    ------
    InputFault
        With one line per fault (file, row, column, what was expected), at most 50.
    """
    faults: list[str] = []
    notices: list[str] = []
    try:
        with _open(Path(path)) as source:
            return _read(source, faults, notices)
    except (OSError, ValueError) as error:  # ValueError: a name that no file can have
        raise InputFault(f"cannot be read: {getattr(error, 'strerror', None) or error}") from error


def _read(source: _Source, faults: list[str], notices: list[str]) -> Package:
    names = set(source.names())
    for needed in (STUDY_FILE, LEGS_FILE):
        if needed not in names:
            faults.append(f"{needed}: missing; a package needs study.json and legs.csv")
    if faults:
        raise InputFault(faults)
    head = _read_study_json(source.read(STUDY_FILE, budget.TABLE_BYTES), faults, notices)
    values: dict[str, Any] = dict(head)
    ids = _configuration_ids(head)
    values["legs"] = _read_table(source, LEGS_FILE, Leg, faults, notices, ids)
    for name, (file, model) in TABLES.items():
        if file in names:
            values[name] = _read_table(source, file, model, faults, notices, None)
    if not faults:
        _check_between_tables(values, faults)
    study: Study | None = None
    if not faults:
        try:
            study = Study(**values)
        except ValidationError as error:
            faults += _study_faults(error)
    if faults or study is None:
        raise InputFault(_limited(faults))
    leg_names = {leg.leg for leg in study.legs}
    traces: dict[str, Trace] = {}
    wanted: list[tuple[str, str]] = []
    for name in sorted(names):
        if not name.startswith("samples/") or not name.endswith(".csv"):
            continue
        leg = name[len("samples/") : -len(".csv")]
        if leg not in leg_names:
            notices.append(f"{name}: no leg of that name in legs.csv; kept out")
            continue
        wanted.append((leg, name))

    def one(item: tuple[str, str]) -> tuple[str, Trace | None, list[str], list[str]]:
        leg, name = item
        said: list[str] = []
        try:
            return leg, read_trace(source.read(name, budget.LOG_BYTES), name, said), said, []
        except InputFault as fault:
            return leg, None, said, fault.faults

    # The parser lets go of the interpreter: two tables at a time take little more than half the time.
    with ThreadPoolExecutor(max_workers=2) as pool:
        for leg, trace, said, wrong in pool.map(one, wanted):
            notices += said
            faults += wrong
            if trace is not None:
                traces[leg] = trace
    if faults:
        raise InputFault(_limited(faults))
    return Package(study, traces, tuple(notices))


def _limited(faults: list[str]) -> list[str]:
    short = [line if len(line) <= 400 else line[:400] + "\u2026" for line in faults[:MAX_FAULTS]]
    if len(faults) <= MAX_FAULTS:
        return short
    return [*short, f"... and {len(faults) - MAX_FAULTS} more"]


def _read_study_json(data: bytes, faults: list[str], notices: list[str]) -> dict[str, Any]:
    head = budget.read_json(budget.decoded(data, STUDY_FILE), STUDY_FILE)
    if not isinstance(head, dict):
        raise InputFault(f"{STUDY_FILE}: expected a JSON object")
    if head.get("format") != "fairmargin-study":
        raise InputFault(
            f'{STUDY_FILE}, format: expected "fairmargin-study"; got {json.dumps(head.get("format"))[:80]}'
        )
    if head.get("version") != 1:
        raise InputFault(
            f"{STUDY_FILE}, version: this program reads version 1; got {json.dumps(head.get('version'))[:80]}"
        )
    for table in ("legs", *TABLES):
        if table in head:
            faults.append(f"{STUDY_FILE}, {table}: belongs in {'legs' if table == 'legs' else table}.csv")
    # A null means "not known", just like an absent key.
    head = _without_nulls(head)
    try:
        Study(**{k: v for k, v in head.items() if k not in {"legs", *TABLES}})
    except ValidationError as error:
        faults += _study_faults(error)
    except TypeError as error:
        faults.append(f"{STUDY_FILE}: {error}")
    known = set(Study.model_fields)
    for key in head:
        if key not in known:
            notices.append(f'{STUDY_FILE}: unknown key "{key}" kept')
    return head


def _without_nulls(value: Any) -> Any:
    if isinstance(value, dict):
        return {k: _without_nulls(v) for k, v in value.items() if v is not None}
    if isinstance(value, list):
        return [_without_nulls(v) for v in value]
    return value


def _study_faults(error: ValidationError) -> list[str]:
    result = []
    for item in error.errors(include_url=False, include_context=False):
        where = ".".join(str(part) for part in item["loc"] if part not in {"tuple[Literal", "literal"})
        result.append(f"{STUDY_FILE}{', ' + where if where else ''}: {sentence(item)}")
    return list(dict.fromkeys(result))


def sentence(item: Mapping[str, Any]) -> str:
    """Word a pydantic error as "X is not ...; expected ..."."""
    shown = item.get("input")
    kind = item["type"]
    if kind == "value_error":
        return str(item["msg"]).removeprefix("Value error, ")
    if kind == "missing":
        return "missing; it is required"
    short = shown if isinstance(shown, str | int | float | bool) else type(shown).__name__
    if kind in {"float_parsing", "float_type", "int_parsing"}:
        return f'"{short}" is not a number'
    if kind.startswith("datetime"):
        return f'"{short}" is not a time; expected ISO 8601 such as 2026-05-02T09:30'
    if kind.startswith("bool"):
        return f'"{short}" is neither yes nor no'
    if kind == "finite_number":
        return f'"{short}" is not a finite number'
    return f'"{short}": {str(item["msg"])[0].lower()}{str(item["msg"])[1:]}'


def _configuration_ids(head: Mapping[str, Any]) -> set[str]:
    found = head.get("configurations")
    if not isinstance(found, list):
        return set()
    return {str(c["id"]) for c in found if isinstance(c, dict) and "id" in c}


# ---------------------------------------------------------------- tables


def _kinds(model: type[BaseModel]) -> dict[str, str]:
    """Kind of each column: number, time, yes/no or text."""
    result = {}
    for name, info in model.model_fields.items():
        text = str(info.annotation)
        if info.annotation is bool:
            result[name] = "bool"
        elif "datetime" in text:
            result[name] = "time"
        elif info.annotation is float or "float" in text:
            result[name] = "number"
        else:
            result[name] = "text"
    return result


def _read_table(
    source: _Source,
    file: str,
    model: type[BaseModel],
    faults: list[str],
    notices: list[str],
    configuration_ids: set[str] | None,
) -> tuple[Any, ...]:
    try:
        text = budget.decoded(source.read(file, budget.TABLE_BYTES), file)
        limit = budget.LEGS if model is Leg else budget.TABLE_ROWS
        rows = list(budget.rows_of(text, file, limit=limit))
    except InputFault as fault:
        faults += fault.faults
        return ()
    if not rows:
        faults.append(f"{file}: empty; expected a header row")
        return ()
    header = [h.strip() for h in rows[0][1]]
    if len(header) == 1 and (";" in header[0] or "\t" in header[0]):
        faults.append(f"{file}, row 1: no commas in the header; expected comma-separated columns")
        return ()
    duplicates = [h for h in budget.twice(header) if h]
    if duplicates:
        faults.append(
            f"{file}, row 1: column {duplicates[0][: budget.NAME]} stands twice; expected each column once"
        )
        return ()
    kinds = _kinds(model)
    for needed, info in model.model_fields.items():
        if info.is_required() and needed not in header:
            faults.append(f"{file}, row 1: column {needed} is missing; it is required")
            return ()
    unknown = [h for h in header if h and h not in kinds]
    if unknown:
        notices.append(f"{file}: unknown column{'s' if len(unknown) > 1 else ''} {', '.join(unknown)} kept")
    result: list[Any] = []
    first_row: dict[str, int] = {}
    for line, cells in rows[1:]:
        if not any(cell.strip() for cell in cells):
            continue
        if len(cells) > len(header):
            faults.append(
                f"{file}, row {line}: {len(cells)} cells; expected {len(header)}, as many as the header"
            )
            continue
        values: dict[str, Any] = {}
        before = len(faults)
        for name, cell in zip(header, cells, strict=False):
            stripped = cell.strip()
            if stripped == "":
                continue
            kind = kinds.get(name)
            if kind is None:
                if name:
                    values[name] = unarmed(cell)
                continue
            if kind == "text":
                values[name] = unarmed(cell if name == "note" else stripped)
                continue
            try:
                values[name] = _cell(kind, stripped)
            except ValueError as error:
                faults.append(f"{file}, row {line}, {name}: {error}")
        for needed, info in model.model_fields.items():
            if info.is_required() and needed not in values and len(faults) == before:
                faults.append(f"{file}, row {line}, {needed}: empty; it is required")
        if len(faults) > before:
            continue
        if model is Leg:
            _infer_steps(values, dict(zip(header, cells, strict=False)))
        try:
            value = model(**values)
        except ValidationError as error:
            for item in error.errors(include_url=False, include_context=False):
                column = str(item["loc"][0]) if item["loc"] else ""
                faults.append(f"{file}, row {line}{', ' + column if column else ''}: {sentence(item)}")
            continue
        if isinstance(value, Leg):
            if configuration_ids is not None and value.configuration not in configuration_ids:
                faults.append(
                    f'{file}, row {line}, configuration: "{value.configuration}" is not an id of study.json; '
                    f"expected one of {', '.join(sorted(configuration_ids)) or '(none)'}"
                )
            if value.leg in first_row:
                faults.append(
                    f'{file}, row {line}, leg: "{value.leg}" stands in row {first_row[value.leg]} already; '
                    "expected a name of its own"
                )
            first_row[value.leg] = line
        result.append(value)
    return tuple(result)


def _cell(kind: str, text: str) -> Any:
    if kind == "number":
        try:
            number = float(text)
        except ValueError:
            raise ValueError(f'"{text}" is not a number') from None
        if not math.isfinite(number):
            raise ValueError(f'"{text}" is not a finite number')
        return number
    if kind == "bool":
        lowered = text.lower()
        if lowered in {"yes", "true", "1"}:
            return True
        if lowered in {"no", "false", "0"}:
            return False
        raise ValueError(f'"{text}" is neither yes nor no')
    if kind == "time":
        try:
            return datetime.fromisoformat(text)
        except ValueError:
            raise ValueError(f'"{text}" is not a time; expected ISO 8601 such as 2026-05-02T09:30') from None
    return text


def shown_step(text: str) -> float:
    """Worth of the last digit shown: "15.0" → 0.1, "212" → 1, "1e1" → 1."""
    mantissa = text.strip().lower().split("e")[0]
    return float(10.0 ** -len(mantissa.split(".")[1])) if "." in mantissa else 1.0


def _infer_steps(values: dict[str, Any], cells: Mapping[str, str]) -> None:
    """Fill the steps of instruments from the digits they showed, where the file does not say."""
    for shown, step in (("average_shown", "average_step"), ("energy_kwh", "energy_step_kwh")):
        if shown in values and step not in values:
            values[step] = shown_step(cells[shown])
    if "soc_start_percent" in values and "soc_end_percent" in values and "soc_step_percent" not in values:
        values["soc_step_percent"] = min(
            shown_step(cells["soc_start_percent"]), shown_step(cells["soc_end_percent"])
        )


def _check_between_tables(values: Mapping[str, Any], faults: list[str]) -> None:
    names = {leg.leg for leg in values["legs"]}
    for row, event in enumerate(values.get("events", ()), start=2):
        if event.leg not in names:
            faults.append(f'events.csv, row {row}, leg: "{event.leg}" is not in legs.csv')
    route = values.get("route", ())
    for row, (before, after) in enumerate(zip(route, route[1:], strict=False), start=3):
        if after.distance_m <= before.distance_m:
            faults.append(
                f"route.csv, row {row}, distance_m: {after.distance_m:g} does not come after {before.distance_m:g}; "
                "expected increasing distances"
            )


def read_route(path: str | Path) -> tuple[tuple[RoutePoint, ...], tuple[str, ...]]:
    """Read a route.csv by itself: its points, and what was noticed.

    Raises
    ------
    InputFault
        As `read_package`; the file is called route.csv in the words whatever its name.
    """
    faults: list[str] = []
    notices: list[str] = []
    source = Path(path)
    data = budget.read_bytes(source, budget.TABLE_BYTES, source.name)
    points = _read_table(_OneFile(data), "route.csv", RoutePoint, faults, notices, None)
    if not faults:
        _check_between_tables({"legs": (), "route": points}, faults)
    if not faults and len(points) < 2:
        faults.append("route.csv: fewer than 2 points; expected a route")
    if faults:
        raise InputFault(_limited(faults))
    return points, tuple(notices)


# ---------------------------------------------------------------- samples


def read_trace(data: bytes, file: str, notices: list[str] | None = None) -> Trace:
    """Read one samples table.

    Raises
    ------
    InputFault
        If it is not a table of numbers with increasing time_s and speed_kmh.
    """
    expected = "a table with time_s and speed_kmh"
    try:
        frame = read_frame(data.removeprefix(b"\xef\xbb\xbf"), file, ",", ".", "utf-8", expected)
    except UnicodeDecodeError as error:
        raise InputFault(f"{file}: not UTF-8 text; expected {expected}") from error
    for needed in ("time_s", "speed_kmh"):
        if needed not in frame.columns:
            raise InputFault(f"{file}, row 1: column {needed} is missing; it is required")
    unknown = [c for c in frame.columns if c not in TRACE_COLUMNS]
    if unknown and notices is not None:
        notices.append(
            f"{file}: unknown column{'s' if len(unknown) > 1 else ''} {', '.join(unknown)} not used"
        )
    columns: dict[str, np.ndarray] = {}
    for name in TRACE_COLUMNS:
        if name not in frame.columns:
            continue
        series = frame[name]
        values, bad = as_numbers(series)
        if bad.any():
            row = int(np.argmax(bad))
            shown = str(series.iloc[row])[: budget.NAME]
            raise InputFault(f'{file}, row {row + 2}, {name}: "{shown}" is not a number')
        infinite = np.isinf(values)
        if infinite.any():
            raise InputFault(f"{file}, row {int(np.argmax(infinite)) + 2}, {name}: not a finite number")
        if name in {"time_s", "speed_kmh"} and np.isnan(values).any():
            raise InputFault(
                f"{file}, row {int(np.argmax(np.isnan(values))) + 2}, {name}: empty; it is required"
            )
        columns[name] = values
    try:
        return Trace(**columns)
    except ValueError as error:
        raise InputFault(f"{file}: {error}") from error


# ---------------------------------------------------------------- writing


def write_package(path: str | Path, study: Study, traces: Mapping[str, Trace] | None = None) -> None:
    """Write a package: a zip when the name ends in ``.zip``, else a folder.

    It is written beside its place and moved there whole, so that a failure leaves what was there.

    Raises
    ------
    InputFault
        If the target cannot be written, or is a folder that holds something else than a package.
    """
    target = Path(path)
    files = dict(package_files(study, traces or {}))
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
        if target.suffix.lower() == ".zip":
            handle, temporary = tempfile.mkstemp(dir=target.parent, prefix=".fairmargin-", suffix=".zip")
            os.close(handle)
            try:
                with zipfile.ZipFile(temporary, "w", zipfile.ZIP_DEFLATED) as archive:
                    for name, data in files.items():
                        archive.writestr(name, data)
                os.replace(temporary, target)
            finally:
                Path(temporary).unlink(missing_ok=True)
            return
        if target.exists() and not (
            target.is_dir() and ((target / STUDY_FILE).exists() or not any(target.iterdir()))
        ):
            raise InputFault(f"{target}: exists and is not a study package; expected a new name")
        fresh = Path(tempfile.mkdtemp(dir=target.parent, prefix=".fairmargin-"))
        try:
            for name, data in files.items():
                (fresh / name).parent.mkdir(parents=True, exist_ok=True)
                (fresh / name).write_bytes(data)
            fresh.chmod(0o700)  # where someone drove is theirs to hand on
            if target.exists():
                for name in ("samples", *(p.name for p in target.iterdir() if p.name in _OWN_FILES)):
                    old = target / name
                    if old.is_dir():
                        shutil.rmtree(old)
                    else:
                        old.unlink(missing_ok=True)
                for item in fresh.iterdir():
                    os.replace(item, target / item.name)
            else:
                os.replace(fresh, target)
        finally:
            shutil.rmtree(fresh, ignore_errors=True)
    except OSError as error:
        raise InputFault(f"{target}: cannot be written: {error.strerror or error}") from error


def write_truth(path: str | Path, truth: Mapping[str, object]) -> None:
    """Put a simulation's truth into its package as ``truth.json``; an analysis never reads it."""
    data = json.dumps(truth, indent=2) + "\n"
    target = Path(path)
    if target.suffix.lower() == ".zip":
        with zipfile.ZipFile(target, "a", zipfile.ZIP_DEFLATED) as archive:
            archive.writestr("truth.json", data)
    else:
        (target / "truth.json").write_text(data, encoding="utf-8")


_OWN_FILES: Final = {STUDY_FILE, LEGS_FILE, "route.csv", "weather.csv", "events.csv", "truth.json"}


def package_files(study: Study, traces: Mapping[str, Trace]) -> Iterator[tuple[str, bytes]]:
    """Yield every file of a package, name and bytes."""
    head = study.model_dump(mode="json", by_alias=True, exclude={"legs", *TABLES}, exclude_none=True)
    yield STUDY_FILE, (json.dumps(head, indent=2, ensure_ascii=False) + "\n").encode()
    yield LEGS_FILE, _write_table(Leg, study.legs)
    for name, (file, model) in TABLES.items():
        rows = getattr(study, name)
        if rows:
            yield file, _write_table(model, rows)
    for leg, trace in traces.items():
        columns = trace.columns()
        out = io.StringIO(newline="")
        out.write(",".join(columns) + "\r\n")
        for row in zip(*(c.tolist() for c in columns.values()), strict=True):
            out.write(",".join("" if v != v else repr(v) for v in row) + "\r\n")
        yield f"samples/{leg}.csv", out.getvalue().encode()


def _write_table(model: type[BaseModel], rows: tuple[Any, ...]) -> bytes:
    extra = list(dict.fromkeys(key for row in rows for key in (row.model_extra or {})))
    used = [
        name
        for name, info in model.model_fields.items()
        if info.is_required()
        or name in {"included", "reason"}
        or any(getattr(r, name) != info.default for r in rows)
    ]
    out = io.StringIO(newline="")
    writer = csv.writer(out)
    writer.writerow([*used, *extra])
    for row in rows:
        cells = [_show(row, name) for name in used]
        cells += ["" if (v := (row.model_extra or {}).get(k)) is None else armed(str(v)) for k in extra]
        writer.writerow(cells)
    return out.getvalue().encode()


def _show(row: Any, name: str) -> str:
    value = getattr(row, name)
    if value is None:
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, datetime):
        return value.isoformat()
    if isinstance(value, float):
        step = {"average_shown": "average_step", "energy_kwh": "energy_step_kwh"}.get(name)
        width = getattr(row, step) if step else None
        if width and 0 < width < 1:
            decimals = max(0, round(-math.log10(width)))
            text = f"{value:.{decimals}f}"
            if float(text) == value:
                return text  # keeps the zeros the display showed
        text = repr(value)
        return text[:-2] if text.endswith(".0") else text
    return armed(str(value))

"""Study packages: a folder, or the same as one zip. See docs/file-format.md.

The columns of each table are the fields of its value in `fairmargin.core.study`; one table drives reading
and writing. Unknown columns and keys are kept with the value and reported, never fatal.
"""

from __future__ import annotations

import base64
import contextlib
import json
import struct
import zipfile
import zlib
from collections.abc import Iterator, Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Final, Protocol

from pydantic import BaseModel, ValidationError

from fairmargin.core.study import Event, Leg, RoutePoint, Study, Trace, WayReading, WeatherRow
from fairmargin.core.study.attachments import MOST_BYTES
from fairmargin.exchange.files import budget
from fairmargin.exchange.files.faults import InvalidInput
from fairmargin.exchange.packages.asides import laid_on
from fairmargin.exchange.packages.samples import read_trace
from fairmargin.exchange.packages.table import Table, read_table, sentence

STUDY_FILE: Final = "study.json"
LEGS_FILE: Final = "legs.csv"
TABLES: Final[dict[str, tuple[str, type[BaseModel]]]] = {
    "route": ("route.csv", RoutePoint),
    "weather": ("weather.csv", WeatherRow),
    "events": ("events.csv", Event),
    "readings": ("readings.csv", WayReading),
}
ATTACHED: Final = "attachments"  # folder of photographs and small files
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
            n for n in (STUDY_FILE, LEGS_FILE, *(file for file, _ in TABLES.values())) if (self._path / n).is_file()
        ]
        for folder in ("samples", ATTACHED):
            inner = self._path / folder
            if not inner.is_dir():
                continue
            for count, item in enumerate(inner.iterdir()):
                if count > budget.MEMBERS:
                    raise InvalidInput(f"{folder}: more than {budget.MEMBERS} files; expected one a leg")
                if item.is_file():
                    found.append(f"{folder}/{item.name}")
        return found

    def read(self, name: str, limit: int) -> bytes:
        return budget.read_bytes(self._path / name, limit, name)


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
    if not path.is_file():
        what = "no such file or folder" if not path.exists() else "not a file"
        raise InvalidInput(f"{what}; expected a study package (folder or .zip)")
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
        raise InvalidInput("not a readable zip; expected a study package (folder or .zip)") from error


def read_package(path: str | Path) -> Package:
    """Read a package.

    Raises
    ------
    InvalidInput
        With one line per fault (file, row, column, what was expected), at most 50.
    """
    faults: list[str] = []
    notices: list[str] = []
    try:
        with _open(Path(path)) as source:
            return _read(source, faults, notices)
    except (OSError, ValueError) as error:  # ValueError: a name that no file can have
        raise InvalidInput(f"cannot be read: {getattr(error, 'strerror', None) or error}") from error


def _read(source: _Source, faults: list[str], notices: list[str]) -> Package:
    names = set(source.names())
    for needed in (STUDY_FILE, LEGS_FILE):
        if needed not in names:
            faults.append(f"{needed}: missing; a package needs study.json and legs.csv")
    if faults:
        raise InvalidInput(faults)
    head = _read_study_json(source.read(STUDY_FILE, budget.STUDY_BYTES), faults, notices)
    values: dict[str, Any] = dict(head)
    if isinstance(head.get("attachments"), list):
        values["attachments"] = _with_content(source, names, head["attachments"], notices)
    ids = _configuration_ids(head)
    values["legs"] = _table(source, LEGS_FILE, Leg, faults, notices, ids)
    for name, (file, model) in TABLES.items():
        if file in names:
            values[name] = _table(source, file, model, faults, notices)
    if not faults:
        _check_between_tables(values, faults)
    if not faults and values.get("readings"):
        try:
            values["legs"], values["readings"] = laid_on(values["legs"], values["readings"])
        except InvalidInput as fault:
            faults += fault.faults
    if len(values["legs"]) > budget.LEGS_OF_A_DAY and head.get("method") != "everyday":
        faults.append(
            f"{LEGS_FILE}: {len(values['legs'])} legs; expected at most {budget.LEGS_OF_A_DAY}, or {budget.LEGS} of an everyday study"
        )
    study: Study | None = None
    if not faults:
        try:
            study = Study(**values)
        except ValidationError as error:
            faults += _study_faults(error)
    if faults or study is None:
        raise InvalidInput(_limited(faults))
    traces = _read_samples(source, study, faults, notices)
    if faults:
        raise InvalidInput(_limited(faults))
    return Package(study, traces, tuple(notices))


def _with_content(source: _Source, names: set[str], told: list[Any], notices: list[str]) -> list[Any]:
    """Attachments with what their files hold; one whose file is not there, or is too large, is left out and told."""
    found = []
    for item in told:
        if not isinstance(item, dict) or not isinstance(item.get("file"), str):
            found.append(item)  # refused below, with its place
            continue
        name = f"{ATTACHED}/{item['file']}"
        if name not in names:
            notices.append(f"{name}: is not in the package; kept out")
            continue
        try:
            data = source.read(name, MOST_BYTES)
        except InvalidInput as fault:
            notices.append(f"{name}: {fault.faults[0]}; kept out")
            continue
        found.append({**item, "data": base64.b64encode(data).decode()})
    return found


def _table(
    source: _Source,
    file: str,
    model: type[BaseModel],
    faults: list[str],
    notices: list[str],
    ids: set[str] | None = None,
) -> tuple[Any, ...]:
    try:
        data = source.read(file, budget.STUDY_BYTES if model is Leg else budget.TABLE_BYTES)
    except InvalidInput as fault:
        faults += fault.faults
        return ()
    return read_table(data, Table(file, model, faults, notices), ids)


def _read_samples(source: _Source, study: Study, faults: list[str], notices: list[str]) -> dict[str, Trace]:
    """Logs of the legs that have one; what is wrong is noted."""
    leg_names = {leg.leg for leg in study.legs}
    traces: dict[str, Trace] = {}
    wanted: list[tuple[str, str]] = []
    for name in sorted(set(source.names())):
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
            return leg, read_trace(source.read(name, budget.SAMPLES_BYTES), name, said), said, []
        except InvalidInput as fault:
            return leg, None, said, fault.faults

    # The parser lets go of the interpreter: two tables at a time take little more than half the time.
    with ThreadPoolExecutor(max_workers=2) as pool:
        for leg, trace, said, wrong in pool.map(one, wanted):
            notices += said
            faults += wrong
            if trace is not None:
                traces[leg] = trace
            if sum(len(t.time_s) for t in traces.values()) > budget.SAMPLES:
                faults.append(
                    f"samples: more than {budget.SAMPLES} samples in all; expected at most that (thin the logs)"
                )
                break
    return traces


def _limited(faults: list[str]) -> list[str]:
    short = [line if len(line) <= 400 else line[:400] + "\u2026" for line in faults[:MAX_FAULTS]]
    if len(faults) <= MAX_FAULTS:
        return short
    return [*short, f"... and {len(faults) - MAX_FAULTS} more"]


def _read_study_json(data: bytes, faults: list[str], notices: list[str]) -> dict[str, Any]:
    head = budget.read_json(budget.decoded(data, STUDY_FILE), STUDY_FILE)
    if not isinstance(head, dict):
        raise InvalidInput(f"{STUDY_FILE}: expected a JSON object")
    if head.get("format") != "fairmargin-study":
        raise InvalidInput(
            f'{STUDY_FILE}, format: expected "fairmargin-study"; got {json.dumps(head.get("format"))[:80]}'
        )
    if head.get("version") != 1:
        raise InvalidInput(
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
    return dict(head)


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


def _configuration_ids(head: Mapping[str, Any]) -> set[str]:
    found = head.get("configurations")
    if not isinstance(found, list):
        return set()
    return {str(c["id"]) for c in found if isinstance(c, dict) and "id" in c}


# ---------------------------------------------------------------- tables


def _check_between_tables(values: Mapping[str, Any], faults: list[str]) -> None:
    names = {leg.leg for leg in values["legs"]}
    for row, event in enumerate(values.get("events", ()), start=2):
        if event.leg not in names:
            faults.append(f'events.csv, row {row}, leg: "{event.leg}" is not in legs.csv')
    for row, reading in enumerate(values.get("readings", ()), start=2):
        if reading.leg not in names:
            faults.append(f'readings.csv, row {row}, leg: "{reading.leg}" is not in legs.csv')
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
    InvalidInput
        As `read_package`; the file is called route.csv in the words whatever its name.
    """
    faults: list[str] = []
    notices: list[str] = []
    source = Path(path)
    data = budget.read_bytes(source, budget.TABLE_BYTES, source.name)
    points = read_table(data, Table("route.csv", RoutePoint, faults, notices))
    if not faults:
        _check_between_tables({"legs": (), "route": points}, faults)
    if not faults and len(points) < 2:
        faults.append("route.csv: fewer than 2 points; expected a route")
    if faults:
        raise InvalidInput(_limited(faults))
    return points, tuple(notices)


# ---------------------------------------------------------------- samples

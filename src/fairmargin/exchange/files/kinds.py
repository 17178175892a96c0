"""What a file is: by what it holds, not by its name; and sheets of a workbook as rows of text."""

from __future__ import annotations

import re
import struct
import zipfile
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Final, Literal

from fairmargin.exchange.files import budget
from fairmargin.exchange.files.faults import InvalidInput
from fairmargin.exchange.logs.formats import format_of
from fairmargin.exchange.meteorology.stations import looks_like_reports

FileKind = Literal["package", "workbook", "track", "log", "reports", "table", "recording"]
MOST_ROWS: Final = budget.TABLE_ROWS
MOST_CELLS: Final = 4_000_000
MOST_SHEETS: Final = 50
PARQUET: Final = b"PAR1"
EXPECTED: Final = (
    "expected CSV, XLSX, ODS, Parquet, GPX, TCX, KML, FIT, NMEA, a bus log (ASC, BLF, MF4), METAR texts or a package"
)
WIND: Final = re.compile(r"(?<![a-z])wind")  # not the one in a German speed
WORDS: Final[dict[FileKind, str]] = {
    "package": "a study package",
    "workbook": "a spreadsheet",
    "track": "a track or a log in a format of its own",
    "log": "a table of samples (time and speed)",
    "reports": "METAR texts",
    "table": "a table",
    "recording": "a recording of a drive",
}


@dataclass(frozen=True, slots=True)
class Recognised:
    """What a file is taken for, and why."""

    kind: FileKind
    words: str


def recognise(path: str | Path) -> Recognised:
    """Look into a file and say what it is.

    Raises
    ------
    InvalidInput
        If it cannot be read, is empty, or is neither text nor a known kind.
    """
    path = Path(path)
    if _is_dir(path):
        if (path / "study.json").exists():
            return Recognised("package", "a folder with study.json")
        raise InvalidInput(f"{path}: a folder without study.json; expected a package or a file")
    head = budget.head_of(path, budget.HEAD)
    if not head.strip():
        raise InvalidInput(f"{path}: empty; expected a log, a track, a table or METAR texts")
    if head.startswith(b"PK"):
        return _zip(path)
    if head.startswith(PARQUET):
        return Recognised("workbook", "it begins as Parquet does")
    known = format_of(head)
    if known is not None:
        return Recognised("track", known.why)
    if b"\x00" in head:
        raise InvalidInput(f"{path}: not text and no known kind; {EXPECTED}")
    text = head.decode("utf-8-sig", errors="replace")
    if text.lstrip().startswith("<"):
        raise InvalidInput(f"{path}: XML of no known kind; expected a track in GPX, TCX or KML")
    if text.startswith("{") and '"fairmargin-recording"' in text[:200]:
        return Recognised("recording", "it begins as a recording does")
    if path.name == "study.json":
        return Recognised("package", "study.json of a package folder")
    if looks_like_reports(text):
        return Recognised("reports", "its lines begin as METAR do")
    return _text(path)


def _is_dir(path: Path) -> bool:
    try:
        return path.is_dir()
    except (OSError, ValueError) as error:  # a name that no file can have
        raise InvalidInput(
            f"{str(path)[: budget.NAME]}: cannot be read: {getattr(error, 'strerror', None) or error}"
        ) from error


def _zip(path: Path) -> Recognised:
    try:
        with zipfile.ZipFile(path) as archive:
            names = archive.namelist()
    except (zipfile.BadZipFile, NotImplementedError, EOFError, ValueError, struct.error, OSError) as error:
        raise InvalidInput(f"{path}: a damaged zip: {error}") from error
    if any(n.endswith("study.json") for n in names):
        return Recognised("package", "a zip with study.json")
    if "xl/workbook.xml" in names:
        return Recognised("workbook", "it is laid out as an XLSX workbook")
    if {"mimetype", "content.xml"} <= set(names):
        return Recognised("workbook", "it is laid out as an ODS spreadsheet")
    raise InvalidInput(f"{path}: a zip, but neither a package nor a spreadsheet")


def _text(path: Path) -> Recognised:
    from fairmargin.exchange.logs.loggers import preview

    seen = preview(path)
    roles = {c.role for c in seen.profile.columns}
    if {"time", "speed"} <= roles and not any(WIND.search(c.header.lower()) for c in seen.profile.columns):
        return Recognised("log", "its columns hold a time and a speed")
    return Recognised("table", f"columns {', '.join(c.header for c in seen.profile.columns)[:80]}")


def read_workbook(path: str | Path) -> tuple[dict[str, list[list[str]]], tuple[str, ...]]:
    """Read the sheets of a workbook as text, as they are shown.

    XLSX (package openpyxl), ODS (package python-calamine), or Parquet (package pyarrow), which has one.

    Returns
    -------
    sheets, notices
        Sheet name to rows; rows and columns without anything are left out.

    Raises
    ------
    InvalidInput
        If it is no workbook or holds nothing.
    """
    path = Path(path)
    budget.check_size(path, budget.WORKBOOK_BYTES)
    watch = budget.Watch(str(path))
    sheets: dict[str, list[list[str]]] = {}
    notices: list[str] = []
    empty = 0
    try:
        for title, values in _sheets(path):
            rows = _sheet(title, values, watch, notices)
            if rows:
                width = max(len(r) for r in rows)
                sheets[title] = [r + [""] * (width - len(r)) for r in rows]
            else:
                empty += 1
    except InvalidInput:
        raise
    except OSError as error:
        raise InvalidInput(f"{path}: cannot be read: {error.strerror or error}") from error
    except Exception as error:  # the reader raises errors of many families for damaged workbooks
        words = str(error).splitlines()[0] if str(error) else type(error).__name__
        raise InvalidInput(f"{path}: not a spreadsheet that can be read: {words[:200]}") from error
    if not sheets:
        raise InvalidInput(f"{path}: no sheet with anything in it")
    if empty:
        notices.append(f"sheets without anything left out: {empty}")
    return sheets, tuple(notices)


def _sheets(path: Path) -> Iterator[tuple[str, Iterable[Sequence[object]]]]:
    """Titles and rows of values of the first sheets."""
    if budget.head_of(path, len(PARQUET)) == PARQUET:
        yield from _parquet(path)
        return
    with zipfile.ZipFile(path) as archive:
        _check_workbook(archive, str(path))
        is_xlsx = "xl/workbook.xml" in archive.namelist()
    if is_xlsx:
        import openpyxl

        book = openpyxl.load_workbook(path, read_only=True, data_only=True)
        try:
            for sheet in book.worksheets[:MOST_SHEETS]:
                yield sheet.title, sheet.iter_rows(values_only=True, max_col=budget.COLUMNS)
        finally:
            book.close()
        return
    import python_calamine

    with python_calamine.CalamineWorkbook.from_path(str(path)) as opened:
        for name in opened.sheet_names[:MOST_SHEETS]:
            rows = opened.get_sheet_by_name(name).to_python(skip_empty_area=True, nrows=4 * MOST_ROWS)
            yield name, (row[: budget.COLUMNS] for row in rows)


def _parquet(path: Path) -> Iterator[tuple[str, Iterable[Sequence[object]]]]:
    """The one table of a Parquet file, its names above its rows."""
    from pyarrow import parquet

    file = parquet.ParquetFile(path)
    names = file.schema_arrow.names[: budget.COLUMNS]

    def rows() -> Iterator[Sequence[object]]:
        yield names
        for batch in file.iter_batches(columns=names):
            yield from zip(*(column.to_pylist() for column in batch.columns), strict=True)

    yield path.stem, rows()


def _check_workbook(archive: zipfile.ZipFile, name: str) -> None:
    """Unpack every part once, within the budget: what a part says of its size is not believed."""
    unpacking = budget.Unpacking(archive, budget.TABLE_BYTES * 4)
    for info in archive.infolist():
        if info.filename.endswith((".xml", ".rels")):
            budget.check_depth(unpacking.read(info.filename, budget.TABLE_BYTES * 4, name), name)


def _sheet(title: str, every: Iterable[Sequence[object]], watch: budget.Watch, notices: list[str]) -> list[list[str]]:
    """Rows of a sheet as text, without what is empty; of the first columns only, however many a sheet says it has."""
    rows: list[list[str]] = []
    cells = 0
    for number, values in enumerate(every):
        if not number & 255:
            watch.check()
        row = [_cell(v)[: budget.CELL] for v in values]
        while row and not row[-1]:
            row.pop()
        if row:
            rows.append(row)
            cells += len(row)
        if len(rows) >= MOST_ROWS or cells >= MOST_CELLS or number >= 4 * MOST_ROWS:
            notices.append(f"{title}: only the first {len(rows)} rows")
            break
    return rows


def _cell(value: object) -> str:
    import datetime as dt

    if value is None:
        return ""
    if isinstance(value, dt.datetime):
        return value.isoformat(sep=" ", timespec="seconds")
    if isinstance(value, dt.time):
        return value.isoformat(timespec="seconds")
    if isinstance(value, dt.date):
        return value.isoformat()
    if isinstance(value, float):
        return f"{value:.10g}"
    return str(value).strip()


def as_text(rows: list[list[str]]) -> str:
    """Rows as tab-separated text, as if pasted."""
    return "\n".join("\t".join(c.replace("\t", " ").replace("\n", " ") for c in row) for row in rows)

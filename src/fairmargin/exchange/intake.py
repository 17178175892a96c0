"""What a file is: by what it holds, not by its name; and sheets of a workbook as rows of text."""

from __future__ import annotations

import re
import zipfile
from dataclasses import dataclass
from pathlib import Path
from typing import Final, Literal

from fairmargin.exchange.faults import InputFault
from fairmargin.exchange.stations import looks_like_reports

FileKind = Literal["package", "workbook", "track", "log", "reports", "table", "recording"]
HEAD: Final = 65_536
MOST_ROWS: Final = 200_000
WIND: Final = re.compile(r"(?<![a-z])wind")  # not the one in a German speed
WORDS: Final[dict[FileKind, str]] = {
    "package": "a study package",
    "workbook": "a spreadsheet",
    "track": "a GPX track",
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
    InputFault
        If it cannot be read, is empty, or is neither text nor a known kind.
    """
    path = Path(path)
    if path.is_dir():
        if (path / "study.json").exists():
            return Recognised("package", "a folder with study.json")
        raise InputFault(f"{path}: a folder without study.json; expected a package or a file")
    try:
        with path.open("rb") as file:
            head = file.read(HEAD)
    except OSError as error:
        raise InputFault(f"{path}: cannot be read: {error.strerror or error}") from error
    if not head.strip():
        raise InputFault(f"{path}: empty; expected a log, a track, a table or METAR texts")
    if head.startswith(b"PK"):
        return _zip(path)
    if b"\x00" in head:
        raise InputFault(
            f"{path}: not text and no known kind; expected CSV, GPX, XLSX, METAR texts or a package"
        )
    text = head.decode("utf-8-sig", errors="replace")
    if text.lstrip().startswith("<"):
        if "<gpx" in text[:4000].lower():
            return Recognised("track", "it begins as GPX does")
        raise InputFault(f"{path}: XML, but not GPX; expected a GPX track")
    if text.startswith("{") and '"fairmargin-recording"' in text[:200]:
        return Recognised("recording", "it begins as a recording does")
    if path.name == "study.json":
        return Recognised("package", "study.json of a package folder")
    if looks_like_reports(text):
        return Recognised("reports", "its lines begin as METAR do")
    return _text(path)


def _zip(path: Path) -> Recognised:
    try:
        with zipfile.ZipFile(path) as archive:
            names = archive.namelist()
    except (zipfile.BadZipFile, OSError) as error:
        raise InputFault(f"{path}: a damaged zip: {error}") from error
    if any(n.endswith("study.json") for n in names):
        return Recognised("package", "a zip with study.json")
    if "xl/workbook.xml" in names:
        return Recognised("workbook", "it is laid out as an XLSX workbook")
    raise InputFault(f"{path}: a zip, but neither a package nor a spreadsheet")


def _text(path: Path) -> Recognised:
    from fairmargin.exchange.loggers import preview

    seen = preview(path)
    roles = {c.role for c in seen.profile.columns}
    if {"time", "speed"} <= roles and not any(WIND.search(c.header.lower()) for c in seen.profile.columns):
        return Recognised("log", "its columns hold a time and a speed")
    return Recognised("table", f"columns {', '.join(c.header for c in seen.profile.columns)[:80]}")


def read_workbook(path: str | Path) -> tuple[dict[str, list[list[str]]], tuple[str, ...]]:
    """Read the sheets of an XLSX workbook as text, as they are shown (package openpyxl).

    Returns
    -------
    sheets, notices
        Sheet name to rows; rows and columns without anything are left out.

    Raises
    ------
    InputFault
        If it is no workbook or holds nothing.
    """
    import openpyxl

    path = Path(path)
    try:
        book = openpyxl.load_workbook(path, read_only=True, data_only=True)
        sheets: dict[str, list[list[str]]] = {}
        notices = []
        for sheet in book.worksheets:
            rows: list[list[str]] = []
            for cells in sheet.iter_rows(values_only=True):
                row = [_cell(v) for v in cells]
                if any(row):
                    rows.append(row)
                if len(rows) > MOST_ROWS:
                    notices.append(f"{sheet.title}: only the first {MOST_ROWS} rows")
                    break
            if rows:
                width = max(max((i for i, c in enumerate(r) if c), default=0) for r in rows) + 1
                sheets[sheet.title] = [r[:width] + [""] * (width - len(r)) for r in rows]
        book.close()
    except OSError as error:
        raise InputFault(f"{path}: cannot be read: {error.strerror or error}") from error
    except Exception as error:  # the reader raises errors of many families for damaged workbooks
        raise InputFault(
            f"{path}: not a spreadsheet that can be read: {str(error) or type(error).__name__}"
        ) from error
    if not sheets:
        raise InputFault(f"{path}: no sheet with anything in it")
    empty = len(book.worksheets) - len(sheets)
    if empty:
        notices.append(f"sheets without anything left out: {empty}")
    return sheets, tuple(notices)


def _cell(value: object) -> str:
    import datetime as dt

    if value is None:
        return ""
    if isinstance(value, dt.datetime):
        return value.isoformat(sep=" ", timespec="seconds")
    if isinstance(value, dt.time):
        return value.isoformat(timespec="seconds")
    if isinstance(value, float):
        return f"{value:.10g}"
    return str(value).strip()


def as_text(rows: list[list[str]]) -> str:
    """Rows as tab-separated text, as if pasted."""
    return "\n".join("\t".join(c.replace("\t", " ").replace("\n", " ") for c in row) for row in rows)

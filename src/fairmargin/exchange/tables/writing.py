"""A table of cells as a file: CSV or a workbook."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Sequence
from pathlib import Path
from typing import Final

from fairmargin.exchange.files.atomic import write_whole
from fairmargin.exchange.files.faults import InvalidInput

#: A figure alone in its cell, with any minus sign: it goes into a workbook as a number.
_FIGURE: Final = re.compile(r"[+\-\u2212]?\d+(\.\d+)?")
#: What a program that opens the file would take for a formula.
_FORMULA: Final = ("=", "+", "-", "@")


def as_tabs(heads: Sequence[str], rows: Sequence[Sequence[str]]) -> str:
    r"""A table as text between tabs, its heads first, as spreadsheets take it from the clipboard.

    Examples
    --------
    >>> as_tabs(["leg", "note"], [["L01", "dry\nand calm"]])
    'leg\tnote\nL01\tdry and calm'
    """
    return "\n".join("\t".join(" ".join(cell.split()) for cell in row) for row in (heads, *rows))


def write_table(path: Path, heads: Sequence[str], rows: Sequence[Sequence[str]]) -> None:
    """Write a table as CSV (UTF-8, commas) or, by the file's ending, as a workbook (.xlsx).

    Raises
    ------
    InvalidInput
        If the ending is another one, or the file cannot be written.
    """
    ending = path.suffix.lower()
    if ending == ".csv":
        text = io.StringIO()
        csv.writer(text, lineterminator="\r\n").writerows([_plain(cell) for cell in row] for row in (heads, *rows))
        data = text.getvalue().encode("utf-8")
    elif ending == ".xlsx":
        data = _workbook(heads, rows)
    else:
        raise InvalidInput(f"{path.name}: expected a name that ends in .csv or .xlsx")
    write_whole(path, data)


def _plain(cell: str) -> str:
    """A cell with one kind of minus sign, on one line."""
    text = " ".join(cell.split())
    return text.replace("\u2212", "-") if _FIGURE.fullmatch(text) else text


def _workbook(heads: Sequence[str], rows: Sequence[Sequence[str]]) -> bytes:
    from openpyxl import Workbook

    book = Workbook()
    sheet = book.active
    sheet.append(list(heads))
    for row in rows:
        sheet.append([_value(cell) for cell in row])
    for line in sheet.iter_rows():
        for cell in line:
            if isinstance(cell.value, str) and cell.value.startswith(_FORMULA):
                cell.data_type = "s"  # text, whatever it begins with
    data = io.BytesIO()
    book.save(data)
    return data.getvalue()


def _value(cell: str) -> str | float | None:
    text = _plain(cell)
    if not text:
        return None
    return float(text) if _FIGURE.fullmatch(text) else text

"""A table of cells as a file: CSV or a workbook."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Final

from fairmargin.exchange.files.atomic import write_whole
from fairmargin.exchange.files.faults import InvalidInput
from fairmargin.exchange.files.plain import armed

if TYPE_CHECKING:
    import pandas as pd

#: A figure alone in its cell, with any minus sign: it goes into a workbook as a number.
_FIGURE: Final = re.compile(r"[+\-\u2212]?\d+(\.\d+)?")


def as_tabs(rows: Sequence[Sequence[str]], decimal: str = ".") -> str:
    r"""Rows as text between tabs, as spreadsheets take them from the clipboard.

    Figures alone in their cells have a plain minus sign and the decimal sign that the spreadsheet reads: with another it
    takes 15.9 for a day in September.

    Examples
    --------
    >>> as_tabs([["leg", "note"], ["L01", "dry\nand calm"]])
    'leg\tnote\nL01\tdry and calm'
    >>> as_tabs([["15.9", "\u22123.2", "1.5 km", "8.4.2026"]], ",")
    '15,9\t-3,2\t1.5 km\t8.4.2026'
    """
    return "\n".join("\t".join(_copied(_flat(cell), decimal) for cell in row) for row in rows)


def _copied(text: str, decimal: str) -> str:
    figure = _figure(text)
    return text if figure is None else figure.replace(".", decimal)


def _flat(cell: str) -> str:
    """A cell on one line."""
    return " ".join(cell.split())


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
        lines = ([_figure(_flat(cell)) or armed(_flat(cell)) for cell in row] for row in (heads, *rows))
        csv.writer(text, lineterminator="\r\n").writerows(lines)
        data = text.getvalue().encode("utf-8")
    elif ending == ".xlsx":
        data = _workbook(heads, rows)
    else:
        raise InvalidInput(f"{path.name}: expected a name that ends in .csv or .xlsx")
    write_whole(path, data)


def write_frame(path: Path, frame: pd.DataFrame) -> None:
    """Write a table with figures of full length as CSV (UTF-8), as a workbook or as Parquet, by the file's ending.

    Raises
    ------
    InvalidInput
        If the ending is another one, or the file cannot be written.
    """
    ending, data = path.suffix.lower(), io.BytesIO()
    if ending == ".csv":
        safe = frame.map(lambda cell: armed(_flat(cell)) if isinstance(cell, str) else cell)
        data.write(safe.to_csv(index=False, lineterminator="\r\n").encode("utf-8"))
    elif ending == ".xlsx":
        from openpyxl import Workbook

        book = Workbook()
        sheet = book.active
        for i, row in enumerate([list(frame.columns), *frame.itertuples(index=False, name=None)], start=1):
            for j, value in enumerate(row, start=1):
                known = value is not None and value == value  # not a number is an empty cell
                cell = sheet.cell(i, j, (_flat(value) if isinstance(value, str) else value) if known else None)
                if cell.data_type == "f":
                    cell.data_type = "s"  # a text, whatever it begins with
        book.save(data)
    elif ending == ".parquet":
        frame.to_parquet(data, index=False)
    else:
        raise InvalidInput(f"{path.name}: expected a name that ends in .csv, .xlsx or .parquet")
    write_whole(path, data.getvalue())


def _figure(text: str) -> str | None:
    """A figure with a plain minus sign; None for other texts."""
    return text.replace("\u2212", "-") if _FIGURE.fullmatch(text) else None


def _workbook(heads: Sequence[str], rows: Sequence[Sequence[str]]) -> bytes:
    from openpyxl import Workbook

    book = Workbook()
    sheet = book.active
    for i, row in enumerate((heads, *rows), start=1):
        for j, text in enumerate(row, start=1):
            flat = _flat(text)
            figure = _figure(flat)
            cell = sheet.cell(i, j, flat or None if figure is None else float(figure))
            if cell.data_type == "f":
                cell.data_type = "s"  # a text, whatever it begins with
    data = io.BytesIO()
    book.save(data)
    return data.getvalue()

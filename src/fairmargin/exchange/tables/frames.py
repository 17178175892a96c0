"""Tables of samples through pandas, with columns that stay where the header puts them."""

from __future__ import annotations

import csv
import io
import math
import warnings
from collections.abc import Sequence
from typing import Any, Final

import numpy as np

from fairmargin.exchange.files import budget
from fairmargin.exchange.files.faults import InvalidInput

#: Rows looked at for cells beyond the header.
LOOKED_AT: Final = 200
#: What stands for an empty cell beside an empty one, as pandas takes it.
_EMPTY: Final = (
    "", "#N/A", "#N/A N/A", "#NA", "-1.#IND", "-1.#QNAN", "-NaN", "-nan", "1.#IND", "1.#QNAN", "<NA>", "N/A", "NA",
    "NULL", "NaN", "None", "n/a", "nan", "null",
)  # fmt: skip


def read_frame(
    data: bytes, name: str, delimiter: str, decimal: str, encoding: str, expected: str, *, numbers: bool = False
) -> Any:
    """Read a table of samples; every cell stays under its own header.

    With `numbers` no column is wanted as it is written, and a table that has nothing else is read by the faster reader.

    A row may end in empty cells that the header does not name (a trailing delimiter); a filled one is refused,
    since the columns could be shifted.

    Raises
    ------
    InvalidInput
        If it is no table, too large, or a row has more filled cells than the header.
    UnicodeDecodeError
        If the bytes are not text of `encoding`.
    """
    import pandas as pd

    end = data.find(b"\n", 0, budget.HEADER)
    if end < 0 and len(data) > budget.HEADER:
        raise InvalidInput(f"{name}, row 1: a header of more than {budget.HEADER} characters; expected {expected}")
    if np.count_nonzero(np.frombuffer(data, np.uint8) == ord("\n")) > budget.ROWS + 1:
        raise InvalidInput(f"{name}: more than {budget.ROWS} rows; expected a shorter log")
    names, blank = _names(data, name, delimiter, encoding, expected)
    if numbers and (frame := _all_numbers(data, names, blank, delimiter, decimal)) is not None:
        return frame
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore", pd.errors.DtypeWarning)
            frame = pd.read_csv(
                io.BytesIO(data),
                sep=delimiter,
                decimal=decimal,
                encoding=encoding,
                names=names,
                header=None,
                skiprows=blank + 1,
                index_col=False,
            )
    except UnicodeDecodeError:
        raise
    except (ValueError, ArithmeticError, LookupError, TypeError, MemoryError, pd.errors.ParserError) as error:
        first = str(error).splitlines()[0] if str(error) else "unreadable"
        raise InvalidInput(f"{name}: {first}; expected {expected}") from error
    return frame


def _all_numbers(data: bytes, names: Sequence[str], blank: int, delimiter: str, decimal: str) -> Any | None:
    """The table where every cell is a number or empty, read on all cores; None where any is not, or the rows are uneven.

    What pandas would take for a number and this reader would not (a plus sign, a trailing delimiter) is left to pandas.
    """
    import pyarrow as pa
    from pyarrow import csv as arrow

    if b'"' in data[: budget.HEADER]:
        return None  # a quoted header may have lines of its own
    try:
        table = arrow.read_csv(
            pa.py_buffer(data),
            read_options=arrow.ReadOptions(column_names=list(names), skip_rows=blank + 1),
            parse_options=arrow.ParseOptions(delimiter=delimiter),
            convert_options=arrow.ConvertOptions(
                column_types={name: pa.float64() for name in names}, null_values=_EMPTY, decimal_point=decimal
            ),
        )
    except (pa.ArrowException, ValueError, TypeError):
        return None
    return table.to_pandas(split_blocks=True)


def _names(data: bytes, name: str, delimiter: str, encoding: str, expected: str) -> tuple[list[str], int]:
    """Names of the columns, those without one numbered; and how many empty lines stand before the header."""
    head = data[: 4 * budget.HEADER]
    text = head.decode(encoding, errors="ignore" if len(head) < len(data) else "strict").lstrip("\ufeff")
    try:
        rows = []
        reader = csv.reader(io.StringIO(text, newline=""), delimiter=delimiter)
        for row in reader:
            rows.append(row)
            if len(rows) > LOOKED_AT:
                break
    except csv.Error as error:
        if not rows:
            raise InvalidInput(f"{name}, row 1: {error}; expected {expected}") from error
    blank = next((i for i, row in enumerate(rows) if any(c.strip() for c in row)), len(rows))
    if blank == len(rows):
        raise InvalidInput(f"{name}: no rows; expected {expected}")
    header, body = list(rows[blank]), rows[blank + 1 :]
    if len(head) < len(data):
        body = body[:-1]  # the last may be cut
    widest = max((len(row) for row in body), default=len(header))
    for number, row in enumerate(body, start=blank + 2):
        if any(cell.strip() for cell in row[len(header) :]):
            raise InvalidInput(f"{name}, row {number}: {len(row)} cells; expected {len(header)}, as many as the header")
    if max(widest, len(header)) > budget.COLUMNS:
        raise InvalidInput(f"{name}, row 1: {max(widest, len(header))} columns; expected at most {budget.COLUMNS}")
    return own_names(header + [""] * (widest - len(header))), blank


def own_names(header: Sequence[str]) -> list[str]:
    """Give every column a name of its own: one that stands again is numbered, one without is called by its place."""
    seen: dict[str, int] = {}
    made = []
    for i, head in enumerate(header):
        name = head.strip() or f"(column {i + 1})"
        seen[name] = seen.get(name, 0) + 1
        made.append(name if seen[name] == 1 else f"{name} ({seen[name]})")
    return made


def as_numbers(series: Any) -> tuple[Any, Any]:
    """Numbers of a column and which of its filled cells are none.

    Returns
    -------
    values, bad
        Arrays of float64 and of bool; what is no number, or larger than one can be, is NaN.
    """
    import pandas as pd

    if pd.api.types.is_numeric_dtype(series) and not pd.api.types.is_bool_dtype(series):
        try:
            values = series.to_numpy(dtype=float)
            return values, np.zeros(len(values), dtype=bool)
        except OverflowError:
            return np.array([_float(v) for v in series]), np.zeros(len(series), dtype=bool)
    try:
        values = pd.to_numeric(series, errors="coerce").to_numpy(dtype=float)
    except OverflowError:  # whole numbers beyond any float
        values = np.array([_float(v) for v in series])
    return values, np.isnan(values) & series.notna().to_numpy()


def _float(value: object) -> float:
    try:
        made = float(value)  # type: ignore[arg-type]
    except (TypeError, ValueError, OverflowError):
        return math.nan
    return made if math.isfinite(made) else math.nan

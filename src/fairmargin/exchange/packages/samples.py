"""Samples of one leg in a package: a table of numbers, through pandas."""

from __future__ import annotations

from typing import Final

import numpy as np

from fairmargin.core.study import Trace
from fairmargin.exchange.files import budget
from fairmargin.exchange.files.faults import InvalidInput
from fairmargin.exchange.tables.frames import as_numbers, read_frame

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


def read_trace(data: bytes, file: str, notices: list[str] | None = None) -> Trace:
    """Read one samples table.

    Raises
    ------
    InvalidInput
        If it is not a table of numbers with increasing time_s and speed_kmh.
    """
    expected = "a table with time_s and speed_kmh"
    try:
        frame = read_frame(data.removeprefix(b"\xef\xbb\xbf"), file, ",", ".", "utf-8", expected, numbers=True)
    except UnicodeDecodeError as error:
        raise InvalidInput(f"{file}: not UTF-8 text; expected {expected}") from error
    for needed in ("time_s", "speed_kmh"):
        if needed not in frame.columns:
            raise InvalidInput(f"{file}, row 1: column {needed} is missing; it is required")
    unknown = [c for c in frame.columns if c not in TRACE_COLUMNS]
    if unknown and notices is not None:
        notices.append(f"{file}: unknown column{'s' if len(unknown) > 1 else ''} {', '.join(unknown)} not used")
    columns: dict[str, np.ndarray] = {}
    for name in TRACE_COLUMNS:
        if name not in frame.columns:
            continue
        series = frame[name]
        values, bad = as_numbers(series)
        if bad.any():
            row = int(np.argmax(bad))
            shown = str(series.iloc[row])[: budget.NAME]
            raise InvalidInput(f'{file}, row {row + 2}, {name}: "{shown}" is not a number')
        infinite = np.isinf(values)
        if infinite.any():
            raise InvalidInput(f"{file}, row {int(np.argmax(infinite)) + 2}, {name}: not a finite number")
        if name in {"time_s", "speed_kmh"} and np.isnan(values).any():
            raise InvalidInput(f"{file}, row {int(np.argmax(np.isnan(values))) + 2}, {name}: empty; it is required")
        columns[name] = values
    try:
        return Trace(**columns)
    except ValueError as error:
        raise InvalidInput(f"{file}: {error}") from error


# ---------------------------------------------------------------- writing

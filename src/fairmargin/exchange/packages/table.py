"""One table of a package: rows checked cell by cell against the value that a row becomes.

Every fault names file, row and column and what was expected; unknown columns are kept with the value and reported.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any

from pydantic import BaseModel, ValidationError

from fairmargin.core.conditions.typed import leg_fields
from fairmargin.core.study import Leg
from fairmargin.core.study.leg import SPAN, SPANNED
from fairmargin.exchange.files import budget
from fairmargin.exchange.files.faults import InvalidInput
from fairmargin.exchange.files.plain import unarmed


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


def _kinds(model: type[BaseModel]) -> dict[str, str]:
    """Kind of each column: number, number or interval, time, yes/no or text."""
    result = {}
    for name, info in model.model_fields.items():
        text = str(info.annotation)
        if info.annotation is bool:
            result[name] = "bool"
        elif "datetime" in text:
            result[name] = "time"
        elif info.annotation is float or "float" in text:
            result[name] = "number or interval" if model is Leg and name in SPANNED else "number"
        else:
            result[name] = "text"
    return result


@dataclass(frozen=True, slots=True)
class Table:
    """A table being read: its name, what its rows become, and where faults and notices go."""

    file: str
    model: type[BaseModel]
    faults: list[str]
    notices: list[str]

    def refuse(self, where: str, what: str) -> None:
        """Note a fault."""
        self.faults.append(f"{self.file}{where}: {what}")

    @property
    def required(self) -> list[str]:
        """Columns that must be there and filled."""
        return [name for name, info in self.model.model_fields.items() if info.is_required()]


def read_table(data: bytes, table: Table, configuration_ids: set[str] | None = None) -> tuple[Any, ...]:
    """Read a table; what is wrong is noted in the table's faults.

    Parameters
    ----------
    data : bytes
    table : Table
    configuration_ids : set of str, optional
        Configurations that a leg may name.

    Returns
    -------
    tuple
        Values of the rows that could be read; empty when the header could not.
    """
    try:
        text = budget.decoded(data, table.file)
        limit = budget.LEGS if table.model is Leg else budget.TABLE_ROWS
        rows = list(budget.rows_of(text, table.file, limit=limit))
    except InvalidInput as fault:
        table.faults.extend(fault.faults)
        return ()
    header = _header(rows, table)
    if header is None:
        return ()
    kinds = _kinds(table.model)
    unknown = [h for h in header if h and h not in kinds and (table.model is not Leg or h not in leg_fields())]
    if unknown:
        table.notices.append(f"{table.file}: unknown column{'s' if len(unknown) > 1 else ''} {', '.join(unknown)} kept")
    read = list(_rows(rows[1:], header, kinds, table))
    if table.model is Leg:
        _check_legs(read, table, configuration_ids)
    return tuple(value for _, value in read)


def _header(rows: Sequence[tuple[int, list[str]]], table: Table) -> list[str] | None:
    """Names of the columns; None when they cannot be used."""
    if not rows:
        table.refuse("", "empty; expected a header row")
        return None
    header = [h.strip() for h in rows[0][1]]
    if len(header) == 1 and (";" in header[0] or "\t" in header[0]):
        table.refuse(", row 1", "no commas in the header; expected comma-separated columns")
        return None
    duplicates = [h for h in budget.twice(header) if h]
    if duplicates:
        name = duplicates[0][: budget.NAME]
        table.refuse(", row 1", f"column {name} stands twice; expected each column once")
        return None
    missing = next((name for name in table.required if name not in header), None)
    if missing is not None:
        table.refuse(", row 1", f"column {missing} is missing; it is required")
        return None
    return header


def _rows(
    rows: Sequence[tuple[int, list[str]]], header: list[str], kinds: Mapping[str, str], table: Table
) -> Iterator[tuple[int, Any]]:
    """Values of the rows that can be read, with their line."""
    for line, cells in rows:
        if not any(cell.strip() for cell in cells):
            continue
        where = f", row {line}"
        if len(cells) > len(header):
            table.refuse(where, f"{len(cells)} cells; expected {len(header)}, as many as the header")
            continue
        before = len(table.faults)
        values = _cells(where, header, cells, kinds, table)
        for needed in table.required:
            if needed not in values and len(table.faults) == before:
                table.refuse(f"{where}, {needed}", "empty; it is required")
        if len(table.faults) > before:
            continue
        if table.model is Leg:
            infer_steps(values, dict(zip(header, cells, strict=False)))
        try:
            yield line, table.model(**values)
        except ValidationError as error:
            for item in error.errors(include_url=False, include_context=False):
                column = str(item["loc"][0]) if item["loc"] else ""
                table.refuse(f"{where}{', ' + column if column else ''}", sentence(item))


def _cells(where: str, header: list[str], cells: list[str], kinds: Mapping[str, str], table: Table) -> dict[str, Any]:
    """Filled cells of one row, each as its column's kind."""
    values: dict[str, Any] = {}
    for name, cell in zip(header, cells, strict=False):
        stripped = cell.strip()
        kind = kinds.get(name)
        if stripped == "" or (kind is None and not name):
            continue
        if kind is None:
            values[name] = unarmed(cell)
        elif kind == "text":
            values[name] = unarmed(cell if name == "note" else stripped)
        else:
            try:
                values[name] = _cell(kind, stripped)
            except ValueError as error:
                table.refuse(f"{where}, {name}", str(error))
    return values


def _check_legs(read: Sequence[tuple[int, Leg]], table: Table, configuration_ids: set[str] | None) -> None:
    """Configurations that are there, and names of their own."""
    first_row: dict[str, int] = {}
    for line, leg in read:
        if configuration_ids is not None and leg.configuration not in configuration_ids:
            table.refuse(
                f", row {line}, configuration",
                f'"{leg.configuration}" is not an id of study.json; '
                f"expected one of {', '.join(sorted(configuration_ids)) or '(none)'}",
            )
        if leg.leg in first_row:
            table.refuse(
                f", row {line}, leg",
                f'"{leg.leg}" stands in row {first_row[leg.leg]} already; expected a name of its own',
            )
        first_row[leg.leg] = line


def _cell(kind: str, text: str) -> Any:
    if kind == "number or interval" and SPAN.match(text):
        return text  # the leg takes it apart
    if kind.startswith("number"):
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
            return date.fromisoformat(text) if len(text) == 10 else datetime.fromisoformat(text)
        except ValueError:
            raise ValueError(f'"{text}" is not a time; expected ISO 8601 such as 2026-05-02T09:30') from None
    return text


def shown_step(text: str) -> float:
    """Worth of the last digit shown: "15.0" → 0.1, "212" → 1, "1e1" → 1."""
    mantissa = text.strip().lower().split("e")[0]
    return float(10.0 ** -len(mantissa.split(".")[1])) if "." in mantissa else 1.0


def infer_steps(values: dict[str, Any], cells: Mapping[str, str]) -> None:
    """Fill the steps of instruments from the digits they showed, where the file does not say."""
    for shown, step in (("average_shown", "average_step"), ("energy_kwh", "energy_step_kwh")):
        if shown in values and step not in values:
            values[step] = shown_step(cells[shown])
    if "soc_start_percent" in values and "soc_end_percent" in values and "soc_step_percent" not in values:
        values["soc_step_percent"] = min(shown_step(cells["soc_start_percent"]), shown_step(cells["soc_end_percent"]))

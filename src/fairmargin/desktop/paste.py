"""Paste from a spreadsheet: what will be taken from where, before anything is."""

from __future__ import annotations

import csv
import io
import re
from dataclasses import dataclass
from typing import Any, Final

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QHBoxLayout,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from fairmargin.core.study import Leg, Study
from fairmargin.core.units import UnitChoice
from fairmargin.desktop.stages.base import words_of
from fairmargin.desktop.widgets.basics import as_tip, label

#: Roles a column can have, and header words that mean them.
ROLES: Final[dict[str, tuple[str, tuple[str, ...]]]] = {
    "": ("(not used)", ()),
    "leg": ("Leg name", ("leg", "name")),
    "reading": ("Reading", ("reading", "average", "consumption", "average_shown", "energy", "kwh", "use")),
    "distance_km": ("Distance", ("distance", "distance_km", "km", "miles", "mi", "odo", "trip")),
    "duration_s": ("Time", ("time", "duration", "duration_s", "minutes", "min")),
    "started_at": ("Start", ("start", "started", "started_at", "departure", "clock")),
    "temperature_c": ("Air", ("temperature", "temp", "air", "temperature_c", "outside")),
    "wind_speed_ms": ("Wind", ("wind", "wind speed", "wind_speed_ms")),
    "wind_from_deg": ("Wind from", ("from", "wind from", "direction", "wind direction", "wind_from_deg")),
    "pressure_hpa": ("Pressure", ("pressure", "pressure_hpa", "hpa", "inhg")),
    "note": ("Note", ("note", "notes", "remark", "comment")),
}


#: Units that a header word says by itself.
_IMPLIED: Final = {
    "km": "km", "distance_km": "km", "miles": "mi", "mi": "mi", "duration_s": "s", "minutes": "min", "min": "min",
    "temperature_c": "\u00b0C", "wind_speed_ms": "m/s", "pressure_hpa": "hPa", "hpa": "hPa", "inhg": "inHg",
    "kwh": "kWh",
}  # fmt: skip
#: What stands in brackets after a header word and is no unit to convert.
_NO_UNIT: Final = {"min:s", "h:mm", "hh:mm", "m:s", "mm:ss", "h:mm:ss", "hh:mm:ss", "local", "clock", "true", "deg", "\u00b0", "\u00b0 true"}  # fmt: skip
_BARE: Final = re.compile(r"^[+\-\u2212]?\d+(?:[.,]\d+)?$")


@dataclass(frozen=True, slots=True)
class Pasted:
    """Rows of cells, the roles guessed for their columns, and the units their headers state ("" = none)."""

    header: list[str] | None
    rows: list[list[str]]
    roles: list[str]
    units: tuple[str, ...] = ()

    def cell(self, row: list[str], column: int) -> str:
        """A cell as if its header's unit stood in it; one that states a unit of its own keeps that."""
        text = row[column].strip()
        unit = self.units[column] if column < len(self.units) else ""
        return f"{text} {unit}" if unit and _BARE.match(text) else text


def read_cells(text: str, start_key: str | None = None) -> Pasted:
    """Split pasted text into cells and guess what the columns are."""
    delimiter = (
        "\t"
        if "\t" in text
        else ";"
        if ";" in text
        else ","
        if text.count(",") > text.count("\n") + 1
        else "\t"
    )
    rows = [
        row
        for row in csv.reader(io.StringIO(text.strip("\r\n")), delimiter=delimiter)
        if any(c.strip() for c in row)
    ]
    width = max((len(r) for r in rows), default=0)
    rows = [r + [""] * (width - len(r)) for r in rows]
    first_row = [c.strip() for c in rows[0]] if rows else []
    first = [c.lower() for c in first_row]
    guessed = [_role_of(cell) for cell in first]
    if sum(bool(g) for g in guessed) >= max(1, (width + 1) // 2) and not any(c[:1].isdigit() for c in first):
        return Pasted(rows[0], rows[1:], _unique(guessed), tuple(_unit_of(cell) for cell in first_row))
    order = list(ROLES)[1:]
    begin = order.index(start_key) if start_key in order else 1
    roles = (order[begin:] + [""] * width)[:width]
    return Pasted(None, rows, roles)


def _role_of(head: str) -> str:
    plain = head.split("(")[0].split("[")[0].strip()
    for role, (_, words) in ROLES.items():
        if plain in words:
            return role
    return ""


def _unit_of(head: str) -> str:
    """Unit that a header states in brackets, or by its own word."""
    inside = re.search(r"[(\[]\s*([^)\]]+?)\s*[)\]]", head)
    if inside is not None:
        return "" if inside[1].lower() in _NO_UNIT else inside[1]
    return _IMPLIED.get(head.split("(")[0].split("[")[0].strip().lower(), "")


def _unique(roles: list[str]) -> list[str]:
    seen: set[str] = set()
    result = []
    for role in roles:
        result.append("" if role in seen else role)
        seen.add(role)
    return result


def apply_cells(
    study: Study, pasted: Pasted, roles: list[str], choice: UnitChoice, start_leg: str | None
) -> tuple[Study, int, list[tuple[int, int, str]]]:
    """Lay the rows over the legs from `start_leg` on (or by leg name).

    Returns
    -------
    tuple
        The new study, how many legs changed, and faults as (row, column, words); faulty cells are skipped.
    """
    from fairmargin.desktop.stages.drive import read_leg_field

    names = [leg.leg for leg in study.legs]
    position = names.index(start_leg) if start_leg in names else 0
    legs: dict[str, Leg] = {leg.leg: leg for leg in study.legs}
    faults: list[tuple[int, int, str]] = []
    changed = 0
    day = next((x.started_at for x in study.legs if x.started_at), None)
    for i, row in enumerate(pasted.rows):
        if "leg" in roles:
            name = row[roles.index("leg")].strip()
            if name not in legs:
                faults.append((i, roles.index("leg"), f'no leg "{name}" in this study'))
                continue
        elif position + i < len(names):
            name = names[position + i]
        else:
            faults.append((i, 0, "more rows than legs; add runs first"))
            continue
        leg = legs[name]
        for j, (role, cell) in enumerate(zip(roles, row, strict=True)):
            if role in {"", "leg"} or not cell.strip():
                continue
            try:
                changes: dict[str, Any] = read_leg_field(role, pasted.cell(row, j), choice, leg, day)
                leg = leg.with_(**changes)
            except ValueError as error:
                faults.append((i, j, words_of(error)))
        if leg != legs[name]:
            changed += 1
            legs[name] = leg
    return study.with_legs(legs.values()), changed, faults


class PasteDialog(QDialog):
    """Preview: columns with their roles, faulty cells marked and told."""

    def __init__(
        self,
        text: str,
        study: Study,
        choice: UnitChoice,
        at: tuple[str, str] | None,
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle("Paste from a spreadsheet")
        self.resize(900, 480)
        self._study, self._choice = study, choice
        self._start = (
            at[0]
            if at
            else next(
                (x.leg for x in study.legs if x.state == "planned"), study.legs[0].leg if study.legs else None
            )
        )
        self.pasted = read_cells(text, at[1] if at else None)
        self.result_study: Study | None = None
        self.count = 0
        layout = QVBoxLayout(self)
        layout.addWidget(label("Say what each column is. Nothing is taken before you agree.", "muted"))
        self.roles: list[QComboBox] = []
        row = QHBoxLayout()
        for i, role in enumerate(self.pasted.roles):
            box = QComboBox()
            box.setAccessibleName(f"Column {i + 1}")
            for key, (words, _) in ROLES.items():
                box.addItem(words, key)
            box.setCurrentIndex(list(ROLES).index(role))
            box.currentIndexChanged.connect(self._update)
            self.roles.append(box)
            row.addWidget(box)
        layout.addLayout(row)
        self.table = QTableWidget(len(self.pasted.rows), len(self.pasted.roles))
        if self.pasted.header:
            self.table.setHorizontalHeaderLabels(self.pasted.header)
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.horizontalHeader().setStretchLastSection(True)
        layout.addWidget(self.table, 1)
        self.words = label("", wrap=True)
        layout.addWidget(self.words)
        self.buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Cancel)
        self.take = self.buttons.addButton("Take these readings", QDialogButtonBox.ButtonRole.AcceptRole)
        self.take.setObjectName("primary")
        self.buttons.accepted.connect(self.accept)
        self.buttons.rejected.connect(self.reject)
        layout.addWidget(self.buttons)
        self._update()

    def _update(self) -> None:
        from fairmargin.desktop.theme import theme

        roles = [str(box.currentData()) for box in self.roles]
        try:
            study, self.count, faults = apply_cells(
                self._study, self.pasted, roles, self._choice, self._start
            )
        except ValueError as error:
            study, self.count, faults = self._study, 0, [(0, 0, words_of(error))]
        self.result_study = study if self.count else None
        marked = {(i, j): words for i, j, words in faults}
        for i, row in enumerate(self.pasted.rows):
            for j, cell in enumerate(row):
                item = QTableWidgetItem(cell)
                if (i, j) in marked:
                    item.setForeground(theme.colour("blocks"))
                    item.setToolTip(as_tip(marked[i, j]))
                elif not roles[j]:
                    item.setForeground(theme.colour("muted"))
                item.setFlags(Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable)
                self.table.setItem(i, j, item)
        words = f"{self.count} leg{'s' if self.count != 1 else ''} would change, from {self._start} on."
        if faults:
            i, j, first = faults[0]
            words += f" {len(faults)} cell{'s' if len(faults) != 1 else ''} cannot be used and would be left: row {i + 1}, column {j + 1}: {first}"
        self.words.setText(words)
        self.take.setEnabled(self.count > 0)

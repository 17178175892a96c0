"""Bring the other laptop's readings in: what is new, what is filled, what differs, side by side."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QDialog, QDialogButtonBox, QTableWidgetItem, QVBoxLayout, QWidget

from fairmargin.core.study import Study, Trace
from fairmargin.core.study.merge import Conflict, Merged, decide, traces_to_take
from fairmargin.desktop.widgets.basics import label
from fairmargin.desktop.widgets.tables import Table


class MergeDialog(QDialog):
    """Shows a merge before it happens; a tick takes the other side's value."""

    def __init__(self, merged: Merged, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Readings from another laptop")
        self.resize(720, 420)
        self._merged = merged
        layout = QVBoxLayout(self)
        filled = len(merged.filled)
        new = len(merged.added)
        words = [
            f"{new} leg{'s are' if new != 1 else ' is'} new, {filled} empty field{'s' if filled != 1 else ''} filled, "
            f"{len(merged.conflicts)} differ. What is here stays unless you tick the other value."
        ]
        if merged.noted:
            words.append(f"New events and readings on the way: {merged.noted}.")
        if merged.attached:
            words.append(f"New photographs and files: {', '.join(merged.attached)}.")
        if merged.too_much:
            words.append(f"A study has no room left for {', '.join(merged.too_much)}.")
        self.words = label(" ".join(words), wrap=True)
        layout.addWidget(self.words)
        self.table = Table(len(merged.conflicts), 4, "Where the two differ")
        self.table.setHorizontalHeaderLabels(["Leg", "Field", "Here", "There (tick to take)"])
        self.table.horizontalHeader().setStretchLastSection(True)
        for i, conflict in enumerate(merged.conflicts):
            cells = (conflict.leg, conflict.field.replace("_", " "), _shown(conflict.here), _shown(conflict.there))
            for j, text in enumerate(cells):
                item = QTableWidgetItem(text)
                flags = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
                if j == 3:
                    flags |= Qt.ItemFlag.ItemIsUserCheckable
                    item.setCheckState(Qt.CheckState.Unchecked)
                item.setFlags(flags)
                self.table.setItem(i, j, item)
        layout.addWidget(self.table, 1)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        buttons.button(QDialogButtonBox.StandardButton.Ok).setText("Bring them in")
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        layout.addWidget(buttons)

    def study(self) -> Study:
        """The merged study with the ticked values taken from the other side."""
        return decide(self._merged, self._taken())

    def traces(self) -> dict[str, Trace]:
        """The logs to bring in."""
        return traces_to_take(self._merged, self._taken())

    def _taken(self) -> list[Conflict]:
        return [
            conflict
            for i, conflict in enumerate(self._merged.conflicts)
            if (box := self.table.item(i, 3)) is not None and box.checkState() == Qt.CheckState.Checked
        ]


def _shown(value: object) -> str:
    if isinstance(value, Trace):
        return f"{len(value.time_s)} samples, {value.time_s[-1] / 60:.1f} min"
    return f"{value:g}" if isinstance(value, float) else str(value)

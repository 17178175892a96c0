"""Paste from a spreadsheet: what will be taken from where, before anything is."""

from __future__ import annotations

from datetime import datetime

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QComboBox, QDialog, QDialogButtonBox, QTableWidgetItem, QVBoxLayout, QWidget

from fairmargin.core.study import Study
from fairmargin.core.study.entry import words_of
from fairmargin.core.units import UnitChoice
from fairmargin.core.units.dates import Order, UndecidedDates
from fairmargin.desktop.bringing.base import DatesChoice, KindChoice, days_of
from fairmargin.desktop.widgets.basics import as_tip, label
from fairmargin.desktop.widgets.inputs import Choice
from fairmargin.desktop.widgets.tables import Table
from fairmargin.exchange.tables.pasted import Applied, apply_cells, column_roles, read_cells


class PasteDialog(QDialog):
    """Preview: columns with their roles, faulty cells marked and told."""

    def __init__(
        self, text: str, study: Study, choice: UnitChoice, at: tuple[str, str] | None, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle("Paste from a spreadsheet")
        self.resize(900, 480)
        self._study, self._choice = study, choice
        self._start = (
            at[0]
            if at
            else next((x.leg for x in study.legs if x.state == "planned"), study.legs[0].leg if study.legs else None)
        )
        self.pasted = read_cells(text, at[1] if at else None)
        self.result_study: Study | None = None
        self.count = 0
        layout = QVBoxLayout(self)
        self.kind_choice = KindChoice(self, "legs")
        self.kind_choice.hide()  # until a file is behind it
        layout.addWidget(self.kind_choice)
        layout.addWidget(label("Say what each column is. Nothing is taken before you agree.", "muted"))
        self.roles: list[Choice] = []
        for i, role in enumerate(self.pasted.roles):
            box = Choice()
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            box.setMinimumContentsLength(8)
            box.setAccessibleName(f"Column {i + 1}")
            for key, (words, _) in column_roles().items():
                box.addItem(words, key)
            box.setCurrentIndex(list(column_roles()).index(role))
            box.currentIndexChanged.connect(self._update)
            self.roles.append(box)
        self.dates = DatesChoice()
        self.dates.chosen.connect(self._update)
        layout.addWidget(self.dates)
        # What each column is stands above it, and scrolls with it: however many there are, the buttons stay on the screen.
        self.table = Table(len(self.pasted.rows) + 1, len(self.pasted.roles), "What was pasted", as_typed=True)
        for j, shown in enumerate(self.roles):
            self.table.setCellWidget(0, j, shown)
            self.table.setColumnWidth(j, 118)
        self.table.setRowHeight(0, 34)
        if self.pasted.header:
            self.table.setHorizontalHeaderLabels(self.pasted.header)
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
        order: Order = ""
        try:
            order = self.pasted.date_order(roles, days_of(self._study), self.dates.order)
        except UndecidedDates as fault:
            self.dates.ask(fault)
        try:
            made = apply_cells(self._study, self.pasted, roles, self._choice, self._start, datetime.now(), order)
        except ValueError as error:
            made = Applied(self._study, 0, 0, [(0, 0, words_of(error))])
        faults = made.faults
        self.count = made.changed + made.added
        self.result_study = made.study if self.count else None
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
                self.table.setItem(i + 1, j, item)
        words = f"{made.changed} leg{'s' if made.changed != 1 else ''} would change"
        words += f", from {self._start} on." if self._start and made.changed else "."
        if made.added:
            fresh = [x.leg for x in made.study.legs][-made.added :]
            words += f" {made.added} would be added: {', '.join(fresh[:6])}{' …' if len(fresh) > 6 else ''}."
        if faults:
            i, j, first = faults[0]
            words += f" {len(faults)} cell{'s' if len(faults) != 1 else ''} cannot be used and would be left: row {i + 1}, column {j + 1}: {first}"
        if made.named:
            words += f" {'; '.join(made.named)}."
        unused = [h for h, role in zip(self.pasted.header or (), roles, strict=False) if not role and h.strip()]
        if unused:
            words += f" Not used: {', '.join(unused)}."
        if made.unread and self.count:
            words += " No column is the reading yet: say which one shows the consumption, the energy or the charge."
        self.words.setText(words)
        self.take.setEnabled(self.count > 0 and not made.unread)

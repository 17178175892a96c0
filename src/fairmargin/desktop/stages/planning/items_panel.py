"""What is carried, thing by thing: names, amounts, sums; and which of it is the change."""

from __future__ import annotations

from typing import get_args

from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QPushButton, QToolButton, QVBoxLayout, QWidget

from fairmargin.core.planning.load import item_kg, items_kg, read_item
from fairmargin.core.study import Study
from fairmargin.core.study.entry import words_of
from fairmargin.core.study.plan import LoadItem, LoadPlace
from fairmargin.core.units import label as unit_label
from fairmargin.desktop.stages.base import Field
from fairmargin.desktop.state.session import Session
from fairmargin.desktop.widgets.basics import Elided, as_tip, clear, label
from fairmargin.desktop.widgets.decimals import typed_here
from fairmargin.desktop.widgets.flow import Flow
from fairmargin.desktop.widgets.inputs import Choice

PLACES = get_args(LoadPlace)

#: How an amount may be typed, by the unit of masses.
EXAMPLES = {"kg": "480 L at 18 \u00b0C, 4 x 16 kg", "lb": "127 gal-us at 65 \u00b0F, 4 x 35 lb"}


class ItemsPanel(QWidget):
    """A list with sums; a line is added by name and amount, and removed by a button."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        row = QHBoxLayout()
        self.name = Field("Thing", lambda _text: None, placeholder="water")
        self.amount = Field("How much", lambda _text: None)
        self.place = Choice()
        self.place.setAccessibleName("Where it is carried")
        self.place.addItems(PLACES)
        self.add = QPushButton("Add")
        self.add.clicked.connect(self._add)
        self.amount.edit.returnPressed.connect(self._add)
        row.addWidget(self.name, 2)
        row.addWidget(self.amount, 3)
        column.addLayout(row)
        places = Flow()
        places.addWidget(self.place)
        places.addWidget(self.add)
        column.addLayout(places)
        self.grid = QGridLayout()
        self.grid.setHorizontalSpacing(8)
        column.addLayout(self.grid)
        self.sums = label("", "muted", wrap=True)
        column.addWidget(self.sums)
        self._shown: object = None

    @property
    def _study(self) -> Study:
        assert self.session.study is not None
        return self.session.study

    def refresh(self, study: Study) -> None:
        """Show the list and its sums."""
        items, units = study.plan.load.items, self.session.units
        self.amount.edit.setPlaceholderText(EXAMPLES.get(units.mass, EXAMPLES["kg"]))
        if self._shown != (self.session.study_id, items, units):
            self._shown = (self.session.study_id, items, units)
            clear(self.grid)
            for row, item in enumerate(items):
                self._line(row, item)
        parts = [
            f"{place} {units.show('mass', items_kg(study.plan.load, place)):.0f} {units.mass}"
            for place in PLACES
            if any(i.place == place for i in items)
        ]
        self.sums.setText(f"Sums: {', '.join(parts)}." if parts else "")
        self.sums.setVisible(bool(parts))

    def _line(self, row: int, item: LoadItem) -> None:
        units = self.session.units
        times = f"{item.count:g} \u00d7 " if item.count != 1 else ""
        what = (
            f"{times}{units.show('volume', item.litres):.4g} {unit_label(units.volume)}"
            if item.litres is not None
            else f"{times}".strip()
        )
        kg = item_kg(item)
        name = Elided("")
        name.setText(f"{item.name}{', ' + what if what else ''}")
        name.setToolTip(as_tip(name.text()))
        self.grid.addWidget(name, row, 0)
        self.grid.addWidget(label(f"{units.show('mass', kg):.1f} {units.mass}"), row, 1)
        self.grid.addWidget(label("" if item.place == "aboard" else item.place, "muted"), row, 2)
        change = QToolButton()
        change.setText("\u0394")
        change.setAccessibleName(f"{item.name} is the change")
        change.setToolTip(
            as_tip(f"{item.name} is the change: what the trial adds, {units.show('mass', kg):.1f} {units.mass}")
        )
        change.clicked.connect(lambda: self._is_change(item))
        self.grid.addWidget(change, row, 3)
        gone = QToolButton()
        gone.setText("\u00d7")
        gone.setAccessibleName(f"Remove {item.name}")
        gone.clicked.connect(lambda: self._remove(row))
        self.grid.addWidget(gone, row, 4)
        self.grid.setColumnStretch(0, 1)

    def _edit(self, items: tuple[LoadItem, ...], text: str) -> None:
        study = self._study
        load = study.plan.load.with_(items=items)
        self.session.edit(study.with_(plan=study.plan.with_(load=load)), text)

    def _add(self) -> None:
        name, amount = self.name.edit.text().strip(), self.amount.edit.text().strip()
        if not name and not amount:
            return
        try:
            place: LoadPlace = PLACES[self.place.currentIndex()]
            with typed_here():
                item = read_item(name or "thing", amount, place, self.session.units.mass)
        except ValueError as error:
            self.amount.say(words_of(error))
            return
        self.amount.say("")
        for field in (self.name, self.amount):
            field.edit.clear()
            field.edit.setModified(False)
        self.name.edit.setFocus()
        self._edit((*self._study.plan.load.items, item), f"load {item.name}")

    def _remove(self, row: int) -> None:
        items = self._study.plan.load.items
        self._edit(items[:row] + items[row + 1 :], "take a thing off the load")

    def _is_change(self, item: LoadItem) -> None:
        """Its mass becomes what the trial adds: declared, and part of the change."""
        study = self._study
        if not study.trials:
            self.session.failed.emit("This study has no trial; add one in Question first.")
            return
        first = study.trials[0].id
        changed = tuple(
            c.with_(mass_delta_kg=round(item_kg(item), 1)) if c.id == first else c for c in study.configurations
        )
        self.session.edit(study.with_(configurations=changed), f"{item.name} is the change")

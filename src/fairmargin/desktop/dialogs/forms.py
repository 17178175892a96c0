"""The dialogs: the units, the keys, and finding anything."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import Final

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent, QKeySequence
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QFormLayout,
    QListWidget,
    QListWidgetItem,
    QMenu,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from fairmargin.core.study.entry import words_of
from fairmargin.core.units import ALSO, CONSUMPTION_UNITS, QUANTITIES, UNIT_CHOICES, UnitChoice, read_quantity
from fairmargin.core.units import label as unit_label
from fairmargin.desktop.stages.driving.parts import EVENTS
from fairmargin.desktop.widgets.basics import label
from fairmargin.desktop.widgets.decimals import typed_here
from fairmargin.desktop.widgets.inputs import Choice, Line
from fairmargin.desktop.widgets.tables import Table

#: Keys of pages, beside those of the menus: where they hold, the keys, what they do.
PAGE_KEYS: Final[tuple[tuple[str, str, str], ...]] = (
    ("Everywhere", "Tab, Shift+Tab", "next control, previous control"),
    ("Everywhere", "F10, then arrows", "the menus"),
    ("Run sheet", "Enter, Up, Down", "the same field of the next or previous leg; after the last, the next field of the first"),
    ("Tables and charts", "Ctrl+C", "copy the chosen rows with their heads, or the picture"),
    ("Tables and charts", "Arrows, Return", "choose a row, a comparison, a stop; go there"),
    ("Rail of stages", "Up, Down, Return", "another stage"),
    ("Answers", "1 \u2026 6", "answer the question that narrows the margin most"),
    ("On the road", "Space", "set off, reset pressed, read off"),
    ("On the road", "Y, N, P", "the reset took, reset again, pause"),
    ("On the road", "Ctrl+Return", "the readings are in: on to the next leg"),
)  # fmt: skip


def keys_of(menus: Sequence[QMenu]) -> list[tuple[str, str, str]]:
    """Every command of these menus that has keys: its menu, its keys, its words."""
    found = []
    for menu in menus:
        where = menu.title().replace("&", "")
        for action in menu.actions():
            keys = action.shortcut().toString(QKeySequence.SequenceFormat.NativeText)
            if keys:
                words = " ".join(action.text().replace("&", "").replace("\u2026", "").split())
                found.append((where, keys, words))
    return found


class UnitsDialog(QDialog):
    """Units, chosen once."""

    NAMES = ("consumption", "distance", "speed", "wind", "temperature", "pressure", "tyre", "mass")

    def __init__(self, now: UnitChoice, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Units")
        layout = QVBoxLayout(self)
        layout.addWidget(label("Any field takes other units too, when you type them.", "muted"))
        form = QFormLayout()
        layout.addLayout(form)
        self.preset = Choice()
        for key, choice in UNIT_CHOICES.items():
            self.preset.addItem(choice.name, key)
        self.preset.addItem("Custom", "custom")
        form.addRow("Set", self.preset)
        self.boxes: dict[str, QComboBox] = {}
        for name in self.NAMES:
            box = Choice()
            if name == "consumption":
                for unit in CONSUMPTION_UNITS:
                    box.addItem(unit_label(unit), unit)
            else:
                for known in QUANTITIES[name]:
                    box.addItem(known.name, known.name)
            box.activated.connect(self._customised)
            self.boxes[name] = box
            form.addRow(
                {"tyre": "Tyre pressure", "pressure": "Air pressure", "wind": "Wind speed"}.get(
                    name, name.capitalize()
                ),
                box,
            )
        self.preset.activated.connect(self._preset)
        layout.addWidget(label("Results of this logbook are said in per cent of consumption, and as", "heading"))
        self.also: dict[str, QCheckBox] = {}
        for key, words in ALSO.items():
            self.also[key] = QCheckBox(words)
            layout.addWidget(self.also[key])
        self.year = Line()
        self.year.setAccessibleName("Distance of a year")
        form = QFormLayout()
        form.addRow("Distance of a year", self.year)
        layout.addLayout(form)
        self.fault = label("", "fault", wrap=True)
        self.fault.hide()
        layout.addWidget(self.fault)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Cancel | QDialogButtonBox.StandardButton.Ok)
        buttons.accepted.connect(self._take)
        buttons.rejected.connect(self.reject)
        layout.addWidget(buttons)
        self._year_km = now.year_km
        self._show(now)
        for key, tick in self.also.items():
            tick.setChecked(key in now.also)

    def _show(self, choice: UnitChoice) -> None:
        for name, box in self.boxes.items():
            box.setCurrentIndex(box.findData(getattr(choice, name)))
        key = next((k for k, v in UNIT_CHOICES.items() if v == choice.bare), "custom")
        self.preset.setCurrentIndex(self.preset.findData(key))
        self.year.setText(f"{choice.show('distance', self._year_km):.0f} {choice.distance}")

    def _take(self) -> None:
        try:
            self.choice()
        except ValueError as error:
            self.fault.setText(words_of(error))
            self.fault.show()
            return
        self.accept()

    def _preset(self) -> None:
        key = str(self.preset.currentData())
        if key in UNIT_CHOICES:
            self._read_year()
            self._show(UNIT_CHOICES[key])

    def _read_year(self) -> None:
        """The distance of a year as it is typed; one that cannot be read is refused when the dialog is closed."""
        try:
            self._year_km = self.choice().year_km
        except ValueError:
            return

    def _customised(self) -> None:
        self._read_year()
        self._show(self._units())

    def _units(self) -> UnitChoice:
        """The units alone: a set's own where they are those of a set."""
        values = {name: str(box.currentData()) for name, box in self.boxes.items()}
        for known in UNIT_CHOICES.values():
            if all(getattr(known, name) == value for name, value in values.items()):
                return known
        return UnitChoice("Custom", **values)  # type: ignore[arg-type]

    @typed_here()
    def choice(self) -> UnitChoice:
        """Return what is chosen now.

        Raises
        ------
        ValueError
            If the distance of a year is none.
        """
        made = self._units()
        year = read_quantity(self.year.text(), "distance", made.distance)
        if not 1.0 <= year <= 1e6:
            raise ValueError(f"a distance of a year of {self.year.text()}: expected more than 1, up to a million km")
        return replace(made, also=tuple(key for key, box in self.also.items() if box.isChecked()), year_km=year)


class KeysDialog(QDialog):
    """Every key: those of the menus as they are, those of the pages, one for each event of the road."""

    def __init__(self, menus: Sequence[QMenu], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Keys")
        self.resize(720, 560)
        layout = QVBoxLayout(self)
        layout.addWidget(label("Everything by keyboard", "title"))
        self.typed = Line()
        self.typed.setPlaceholderText("A key or a word")
        self.typed.setAccessibleName("Find a key")
        self.typed.textChanged.connect(self._filter)
        layout.addWidget(self.typed)
        marks = [("On the road", key, words.lower()) for _, key, words in EVENTS]
        self._rows = rows = [*keys_of(menus), *PAGE_KEYS, *marks]
        self.table = Table(len(rows), 3, "Keys")
        self.table.setHorizontalHeaderLabels(["where", "keys", "what they do"])
        self.table.setShowGrid(False)
        for i, row in enumerate(rows):
            for j, text in enumerate(row):
                self.table.setItem(i, j, QTableWidgetItem(text))
        self.table.resizeColumnsToContents()
        self.table.horizontalHeader().setStretchLastSection(True)
        layout.addWidget(self.table, 1)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        buttons.rejected.connect(self.reject)
        layout.addWidget(buttons)

    def _filter(self, text: str) -> None:
        wanted = text.lower().split()
        for i in range(self.table.rowCount()):
            said = " ".join(self._rows[i]).lower()
            self.table.setRowHidden(i, not all(word in said for word in wanted))


class FindDialog(QDialog):
    """Type a few letters of a stage, a study or a command."""

    def __init__(self, entries: Sequence[tuple[str, str, Callable[[], object]]], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Find anything")
        self.resize(520, 380)
        self._entries = entries
        layout = QVBoxLayout(self)
        self.typed = Line()
        self.typed.setPlaceholderText("A stage, a study, a command")
        self.typed.setAccessibleName("Find")
        self.typed.textChanged.connect(self._filter)
        layout.addWidget(self.typed)
        self.list = QListWidget()
        self.list.itemActivated.connect(self._run)
        self.list.itemClicked.connect(self._run)
        layout.addWidget(self.list, 1)
        self.picked: Callable[[], object] | None = None
        self._filter("")

    def _filter(self, text: str) -> None:
        self.list.clear()
        words = text.lower().split()
        for name, kind, action in self._entries:
            if all(word in f"{name} {kind}".lower() for word in words):
                item = QListWidgetItem(f"{name}   \u00b7   {kind}")
                item.setData(Qt.ItemDataRole.UserRole, action)
                self.list.addItem(item)
        self.list.setCurrentRow(0)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in {Qt.Key.Key_Down, Qt.Key.Key_Up}:
            step = 1 if event.key() == Qt.Key.Key_Down else -1
            self.list.setCurrentRow(max(0, min(self.list.count() - 1, self.list.currentRow() + step)))
        elif event.key() in {Qt.Key.Key_Return, Qt.Key.Key_Enter}:
            item = self.list.currentItem()
            if item is not None:
                self._run(item)
        else:
            super().keyPressEvent(event)

    def _run(self, item: QListWidgetItem) -> None:
        self.picked = item.data(Qt.ItemDataRole.UserRole)
        self.accept()

"""The dialogs: the units, the keys, and finding anything."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QFormLayout,
    QGridLayout,
    QListWidget,
    QListWidgetItem,
    QVBoxLayout,
    QWidget,
)

from fairmargin.core.study.entry import words_of
from fairmargin.core.units import ALSO, CONSUMPTION_UNITS, QUANTITIES, UNIT_CHOICES, UnitChoice, read_quantity
from fairmargin.core.units import label as unit_label
from fairmargin.desktop.widgets.basics import label
from fairmargin.desktop.widgets.inputs import Choice, Line

#: Keys of the window: (keys, what they do). The menus use the same.
KEYS: Sequence[tuple[str, str]] = (
    ("Ctrl+K", "find anything: a stage, a study, a command"),
    ("Ctrl+0", "all studies"),
    ("Ctrl+1 \u2026 Ctrl+7", "Question, Plan, Drive, Examine, Correct, Verdict, Use"),
    ("Ctrl+N", "new study"),
    ("Ctrl+Shift+B, Ctrl+Shift+A", "add a baseline run, a trial run"),
    ("Ctrl+M", "every field of every leg, or only those that are needed"),
    ("Ctrl+Shift+V", "paste legs from a spreadsheet"),
    ("Ctrl+Shift+I", "bring readings in from any file"),
    ("Ctrl+D, F11", "drive the next leg now; over the whole screen"),
    ("on the road: Space", "set off, reset pressed, read off"),
    ("on the road: T F O S W R G L", "slow traffic, following, overtaking, stop, wrong turn, rain, gust, lifted off"),
    ("on the road: Y, N, P", "the reset took, reset again, pause"),
    ("Ctrl+Shift+J", "instruments"),
    ("Enter, Up, Down", "in the run sheet: the same field of the next or previous leg"),
    ("Tab, Shift+Tab", "next field, previous field"),
    ("Ctrl+Shift+Q, then 1 \u2026 6", "the question that narrows the margin most, and its answers"),
    ("Ctrl+Z, Ctrl+Shift+Z", "undo, redo: every edit"),
    ("Ctrl+R", "report as HTML or PDF"),
    ("Ctrl+O", "open a logbook"),
    ("Ctrl+I", "import a package"),
    ("Ctrl+E", "export this study as a package"),
    ("Ctrl+Shift+D", "light, dark, or like the desktop"),
    ("Ctrl+U", "units"),
    ("F1", "this sheet"),
)


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
    """The sheet of keys."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Keys")
        layout = QVBoxLayout(self)
        layout.addWidget(label("Everything by keyboard", "title"))
        grid = QGridLayout()
        grid.setHorizontalSpacing(24)
        layout.addLayout(grid)
        for i, (keys, words) in enumerate(KEYS):
            key = label(keys)
            key.setStyleSheet("font-weight: 600;")
            grid.addWidget(key, i, 0)
            grid.addWidget(label(words), i, 1)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        buttons.rejected.connect(self.reject)
        layout.addWidget(buttons)


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

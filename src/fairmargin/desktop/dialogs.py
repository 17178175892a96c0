"""The dialogs: a new study, the units, the keys, and finding anything."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QFormLayout,
    QGridLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QVBoxLayout,
    QWidget,
)

from fairmargin.core.planning import ORDERS
from fairmargin.core.study import CHANGE_KINDS, CLASS_PRESETS, Study, Vehicle, new_study
from fairmargin.core.study.entry import words_of
from fairmargin.core.units import (
    CONSUMPTION_UNITS,
    QUANTITIES,
    UNIT_CHOICES,
    UnitChoice,
    read_quantity,
)
from fairmargin.core.units import label as unit_label
from fairmargin.desktop.widgets.basics import label

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
    (
        "on the road: T F O S W R G L",
        "slow traffic, following, overtaking, stop, wrong turn, rain, gust, lifted off",
    ),
    ("on the road: Y, N, P", "the reset took, reset again, pause"),
    ("Ctrl+Shift+J", "instruments"),
    ("Enter, Up, Down", "in the run sheet: the same field of the next or previous leg"),
    ("Tab, Shift+Tab", "next field, previous field"),
    ("Ctrl+Z, Ctrl+Shift+Z", "undo, redo: every edit"),
    ("Ctrl+R", "report as HTML or PDF"),
    ("Ctrl+O", "open a logbook"),
    ("Ctrl+I", "import a package"),
    ("Ctrl+E", "export this study as a package"),
    ("Ctrl+Shift+D", "light, dark, or like the desktop"),
    ("Ctrl+U", "units"),
    ("F1", "this sheet"),
)


class NewStudyDialog(QDialog):
    """Six answers that lay out a study."""

    def __init__(
        self,
        units: UnitChoice,
        vehicles: Sequence[Vehicle],
        roads: Sequence[Study] = (),
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle("New study")
        self._roads = list(roads)
        self.setMinimumWidth(520)
        self._units = units
        self._vehicles = list(vehicles)
        self.study: Study | None = None
        layout = QVBoxLayout(self)
        layout.setSpacing(10)
        layout.addWidget(label("What do you want to compare?", "title"))
        form = QFormLayout()
        form.setHorizontalSpacing(16)
        layout.addLayout(form)
        self.title = QLineEdit()
        self.title.setPlaceholderText("Wheel discs, Dyke Road")
        form.addRow("Title", self.title)
        self.kind = QComboBox()
        self.kind.addItems(CHANGE_KINDS)
        form.addRow("Kind of change", self.kind)
        self.baseline, self.trial = QLineEdit(), QLineEdit()
        self.baseline.setPlaceholderText("Discs off")
        self.trial.setPlaceholderText("Discs on")
        form.addRow("Baseline is", self.baseline)
        form.addRow("Trial is", self.trial)
        self.method = QComboBox()
        for key, words in (("out-and-back", "there and back"), ("loop", "a loop"), ("one-way", "one way")):
            self.method.addItem(words, key)
        form.addRow("Route", self.method)
        self.road = QComboBox()
        self.road.addItem("another road: bring it in with Plan")
        for known in self._roads:
            self.road.addItem(known.route_name or f"the road of {known.title}")
        self.road.setCurrentIndex(min(1, len(self._roads)))
        form.addRow("Road", self.road)
        self.order = QComboBox()
        for order, words in ORDERS.items():
            self.order.addItem(f"{order}: {words}", order)
        form.addRow("Order of runs", self.order)
        self.speed = QLineEdit("90" if units.speed == "km/h" else "55")
        form.addRow(f"Speed, {units.speed}", self.speed)
        self.vehicle = QComboBox()
        for vehicle in self._vehicles:
            self.vehicle.addItem(vehicle.name)
        for name in CLASS_PRESETS:
            self.vehicle.addItem(f"another: {name}", name)
        form.addRow("Vehicle", self.vehicle)
        self.fault = label("", "fault", wrap=True)
        self.fault.hide()
        layout.addWidget(self.fault)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Cancel)
        self.make = buttons.addButton("Lay out the runs", QDialogButtonBox.ButtonRole.AcceptRole)
        self.make.setObjectName("primary")
        self.make.setDefault(True)
        buttons.accepted.connect(self._accept)
        buttons.rejected.connect(self.reject)
        layout.addWidget(buttons)

    def _accept(self) -> None:
        try:
            speed = read_quantity(self.speed.text(), "speed", self._units.speed)
            index = self.vehicle.currentIndex()
            vehicle = (
                self._vehicles[index]
                if index < len(self._vehicles)
                else Vehicle(vehicle_class=self.vehicle.currentData())
            )
            self.study = new_study(
                title=self.title.text().strip() or f"{self.kind.currentText().capitalize()}",
                kind=self.kind.currentText(),
                order=str(self.order.currentData()),
                method=str(self.method.currentData()),
                speed_kmh=speed,
                baseline_name=self.baseline.text().strip() or "Baseline",
                trial_name=self.trial.text().strip() or "Trial",
                vehicle=vehicle,
            )
            if self.road.currentIndex() > 0:
                road = self._roads[self.road.currentIndex() - 1]
                self.study = self.study.with_(route=road.route, route_name=road.route_name, wind=road.wind)
        except ValueError as error:
            self.fault.setText(f"Speed: {words_of(error)}")
            self.fault.show()
            self.speed.setFocus()
            return
        self.accept()


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
        self.preset = QComboBox()
        for key, choice in UNIT_CHOICES.items():
            self.preset.addItem(choice.name, key)
        self.preset.addItem("Custom", "custom")
        form.addRow("Set", self.preset)
        self.boxes: dict[str, QComboBox] = {}
        for name in self.NAMES:
            box = QComboBox()
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
        buttons = QDialogButtonBox(
            QDialogButtonBox.StandardButton.Cancel | QDialogButtonBox.StandardButton.Ok
        )
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        layout.addWidget(buttons)
        self._show(now)

    def _show(self, choice: UnitChoice) -> None:
        for name, box in self.boxes.items():
            box.setCurrentIndex(box.findData(getattr(choice, name)))
        key = next((k for k, v in UNIT_CHOICES.items() if v == choice), "custom")
        self.preset.setCurrentIndex(self.preset.findData(key))

    def _preset(self) -> None:
        key = str(self.preset.currentData())
        if key in UNIT_CHOICES:
            self._show(UNIT_CHOICES[key])

    def _customised(self) -> None:
        self._show(self.choice())

    def choice(self) -> UnitChoice:
        """Return what is chosen now."""
        values = {name: str(box.currentData()) for name, box in self.boxes.items()}
        for known in UNIT_CHOICES.values():
            if all(getattr(known, name) == value for name, value in values.items()):
                return known
        return UnitChoice("Custom", **values)  # type: ignore[arg-type]


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

    def __init__(
        self, entries: Sequence[tuple[str, str, Callable[[], object]]], parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle("Find anything")
        self.resize(520, 380)
        self._entries = entries
        layout = QVBoxLayout(self)
        self.typed = QLineEdit()
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

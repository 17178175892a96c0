"""A new study from what the tester wants to find out."""

from __future__ import annotations

from collections.abc import Sequence
from string import ascii_uppercase

from PySide6.QtCore import QSignalBlocker
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QFormLayout,
    QLabel,
    QLineEdit,
    QVBoxLayout,
    QWidget,
)

from fairmargin.core.kinds import change_kinds
from fairmargin.core.orders import offered
from fairmargin.core.study import CLASS_PRESETS, Study, Vehicle
from fairmargin.core.study.aims import AIMS, ALREADY_DRIVEN, Aim, laid_out
from fairmargin.core.study.entry import words_of
from fairmargin.core.study.remembered import Remembered
from fairmargin.core.units import UnitChoice, in_units, read_in, read_quantity
from fairmargin.desktop.state.across_studies import Memory
from fairmargin.desktop.widgets.basics import as_tip, label
from fairmargin.desktop.widgets.decimals import typed_here
from fairmargin.desktop.widgets.inputs import Choice, Line
from fairmargin.exchange.words.across import remembered_lines

LONG_NAME = 20  # letters of a vehicle's name beside a box


class NewStudyDialog(QDialog):
    """What the tester wants to find out, in their words, and what lays out a study for it."""

    def __init__(
        self,
        units: UnitChoice,
        vehicles: Sequence[Vehicle],
        roads: Sequence[Study] = (),
        parent: QWidget | None = None,
        memory: Memory | None = None,
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle("New study")
        self._roads, self._units, self._vehicles = list(roads), units, list(vehicles)
        self._memory, self._remembered = memory, Remembered()
        self.setMinimumWidth(560)
        self.study: Study | None = None
        layout = QVBoxLayout(self)
        layout.setSpacing(10)
        layout.addWidget(label("What do you want to find out?", "title"))
        self.aim = Choice()
        self.aim.setAccessibleName("What do you want to find out?")
        for key, known in AIMS.items():
            self.aim.addItem(known.words, key)
        layout.addWidget(self.aim)
        self.explained = label("", "muted", wrap=True)
        layout.addWidget(self.explained)
        self.form = QFormLayout()
        self.form.setHorizontalSpacing(16)
        layout.addLayout(self.form)
        self._lay_fields()
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
        self.aim.currentIndexChanged.connect(self._follow_aim)
        self.order.currentIndexChanged.connect(self._name_button)
        self._follow_aim()

    def _lay_fields(self) -> None:
        """The fields, top to bottom; which of them are shown follows the aim."""
        units, form = self._units, self.form
        self.title = Line()
        self.title.setPlaceholderText("Wheel discs, Dyke Road")
        form.addRow("Title", self.title)
        self.kind = Choice()
        self.kind.addItems(change_kinds())
        form.addRow("Kind of change", self.kind)
        self.baseline, self.trial = Line(), Line()
        form.addRow("Baseline is", self.baseline)
        form.addRow("Trial is", self.trial)
        self.method = Choice()
        form.addRow("Route", self.method)
        self.road = Choice()
        self.road.addItem("none yet: bring it in with Plan, or leave it")
        for known in self._roads:
            self.road.addItem(f"as in another study: {known.route_name or known.title}")
        form.addRow("Road", self.road)
        self.order = Choice()
        self.order.setEditable(True)
        self.order.setAccessibleName("Order of runs")
        self.order.setInsertPolicy(QComboBox.InsertPolicy.NoInsert)
        self._offer_orders()
        self.trial.textChanged.connect(self._offer_orders)
        form.addRow("Order of runs", self.order)
        self.outing = Choice()
        for words, value in OUTINGS:
            self.outing.addItem(words, value)
        form.addRow("The runs", self.outing)
        self.speed = Line()
        self.speed.setPlaceholderText("empty: not held, or not known")
        form.addRow(f"Speed, {units.speed}", self.speed)
        self.vehicle, self.other = Choice(), Choice()
        for box in (self.vehicle, self.other):
            for vehicle in self._vehicles:
                box.addItem(vehicle.name)
            for name in CLASS_PRESETS:
                box.addItem(f"another: {name}", name)
            if not self._vehicles:
                box.setCurrentIndex(box.findData("car"))
        self.called, self.other_called = Line(), Line()
        form.addRow("Vehicle", self.vehicle)
        form.addRow("It is called", self.called)
        self.capacity = Line()
        self.capacity.setPlaceholderText("empty: not known, and not assumed")
        form.addRow("Usable battery, kWh", self.capacity)
        form.addRow("Second vehicle", self.other)
        form.addRow("That is called", self.other_called)
        self.begin_with = QCheckBox()
        self.begin_with.setChecked(True)
        form.addRow("", self.begin_with)
        for box in (self.vehicle, self.road):
            box.currentIndexChanged.connect(self._offer)
        for box in (self.vehicle, self.other):
            box.currentIndexChanged.connect(self._ask_names)
        self.kind.currentTextChanged.connect(self._give_examples)

    def _chosen_road(self) -> Study | None:
        """The study whose road is driven again."""
        at = self.road.currentIndex()
        return self._roads[at - 1] if at > 0 and not self.road.isHidden() else None

    def _offer_orders(self) -> None:
        """Offer the orders for as many sides as are named; an order typed, or still offered, stays."""
        several = self.wanted.trial and self.wanted.subject in {"configuration", "speed"}
        named = len([x for x in self.trial.text().split(";") if x.strip()]) if several else 1
        sides = 1 + max(named, 1) if self.wanted.trial or self.wanted.subject == "vehicle" else 1
        wanted = offered(sides, at_once="side-by-side" in self.wanted.methods)
        letters = set(ascii_uppercase[:sides])
        wanted = wanted | {k: words for k, words in ALREADY_DRIVEN.items() if k not in wanted and set(k) <= letters}
        before = {self.order.itemData(i) for i in range(self.order.count())}
        if before == set(wanted):
            return
        chosen = self._order()
        with QSignalBlocker(self.order):
            self.order.clear()
            for order, words in wanted.items():
                self.order.addItem(f"{order}: {words}" if order else words.capitalize(), order)
            at = self.order.findData(chosen)
            if at < 0 and chosen and chosen not in before:
                self.order.setEditText(chosen)
            else:
                self.order.setCurrentIndex(max(at, 0))

    def _offer(self) -> None:
        """Offer what earlier studies know of the vehicle, and of the road."""
        vehicle, road = self._of(self.vehicle), self._chosen_road()
        self._remembered = Remembered()
        if self._memory is not None and vehicle.name and self.wanted.vehicles == 1:
            known = self._memory.knowledge(vehicle)
            self._remembered = known.remembered(road.route_name if road is not None else "")
        count, until = self._remembered.studies, self._remembered.as_of
        self.form.setRowVisible(self.begin_with, bool(self._remembered.values))
        day = f" ({until:%b %Y})" if until else ""
        name = vehicle.name if len(vehicle.name) <= LONG_NAME else f"{vehicle.name[:LONG_NAME]}\u2026"
        self.begin_with.setText(f"Begin with what {count} stud{'ies know' if count != 1 else 'y knows'} of {name}{day}")
        lines = remembered_lines(self._remembered)
        self.begin_with.setToolTip(as_tip(in_units("\n".join(lines), self._units)))

    @property
    def wanted(self) -> Aim:
        """What the tester wants to find out."""
        return AIMS[str(self.aim.currentData())]

    def _follow_aim(self) -> None:
        """Ask what this aim needs, and nothing else."""
        wanted, key = self.wanted, str(self.aim.currentData())
        self.explained.setText(wanted.explained)
        self.method.clear()
        for method in wanted.methods:
            self.method.addItem(METHOD_WORDS[method], method)
        form = self.form
        compared = wanted.trial
        form.setRowVisible(self.kind, compared and wanted.subject == "configuration")
        form.setRowVisible(self.baseline, compared)
        form.setRowVisible(self.trial, compared)
        form.setRowVisible(self.method, len(wanted.methods) > 1)
        form.setRowVisible(self.road, bool(self._roads) and key != "everyday")
        form.setRowVisible(self.speed, wanted.subject != "speed" and key not in {"everyday", "laps", "climb"})
        form.setRowVisible(self.other, wanted.vehicles > 1)
        form.setRowVisible(self.outing, key not in {"everyday", "climb"})
        self._ask_names()
        for edit, words in zip((self.baseline, self.trial), wanted.asks, strict=True):
            caption = form.labelForField(edit)
            if isinstance(caption, QLabel):
                caption.setText(words + (f", {self._units.speed}" if wanted.subject == "speed" else ""))
        self._give_examples()
        if key == "laps" and self.kind.currentText() == "wheels":
            self.kind.setCurrentText("technique")
        self._offer_orders()
        at = self.order.findData(wanted.order)
        if at >= 0:
            self.order.setCurrentIndex(at)
        else:
            self.order.setEditText(wanted.order)
        self._name_button()
        self._offer()

    def _give_examples(self) -> None:
        """Examples of this aim and kind in the two names."""
        key = str(self.aim.currentData())
        given = _EXAMPLES.get(key, self.wanted.sides)
        if key == "change" and self.wanted.subject == "configuration":
            given = _OF_KIND.get(self.kind.currentText(), given)
        load = f"{self._units.show('mass', 170.0):.0f} {self._units.mass} aboard"
        for edit, example in zip((self.baseline, self.trial), given, strict=True):
            edit.setPlaceholderText(example.replace("170 kg aboard", load))

    def _ask_names(self) -> None:
        """Vehicles that no study has yet get a name where two are compared; one alone says what its battery holds."""
        own = self._of(self.vehicle)
        unsaid = own.energy == "electric" and own.usable_capacity_kwh is None
        self.form.setRowVisible(self.capacity, not self.wanted.trial and self.wanted.vehicles == 1 and unsaid)
        several = self.wanted.vehicles > 1
        for box, name in ((self.vehicle, self.called), (self.other, self.other_called)):
            self.form.setRowVisible(name, several and box.currentIndex() >= len(self._vehicles))
            name.setPlaceholderText("what you call it" if box is self.vehicle else "and the other")

    def _name_button(self) -> None:
        self.make.setText("Lay out the runs" if self._order() else "Begin without runs")

    def _order(self) -> str:
        """The order chosen, or typed."""
        text = self.order.currentText().strip()
        at = self.order.findText(text)
        return str(self.order.itemData(at)) if at >= 0 else text.partition(":")[0].strip()

    def _of(self, box: QComboBox) -> Vehicle:
        index = box.currentIndex()
        if index < len(self._vehicles):
            return self._vehicles[index]
        return Vehicle(vehicle_class=box.currentData())

    def _speeds(self) -> tuple[float, ...]:
        """The speeds that are compared, the slowest first as typed; the faster ones may be several, with ; between."""
        slow = self._speed(self.baseline, self.wanted.asks[0])
        parts = [x for x in self.trial.text().split(";") if x.strip()]
        fast = [v for x in parts if (v := self._speed(self.trial, self.wanted.asks[1], x)) is not None]
        if slow is None or not fast:
            raise ValueError("Both speeds are needed: they are what is compared")
        if len({slow, *fast}) <= len(fast):
            raise ValueError("Speeds that are compared must differ")
        return (slow, *fast)

    def _speed(self, edit: QLineEdit, words: str, part: str | None = None) -> float | None:
        """A typed speed, or one of several in a field; the fault names the field."""
        text = edit.text() if part is None else part
        if not text.strip():
            return None
        try:
            return read_quantity(text, "speed", self._units.speed)
        except ValueError as error:
            edit.setFocus()
            raise ValueError(f"{words}: {words_of(error)}") from error

    def _capacity(self) -> float:
        """The usable capacity as typed; the fault names its field. [kWh]"""
        try:
            return read_in(self.capacity.text(), "kWh")
        except ValueError as error:
            self.capacity.setFocus()
            raise ValueError(f"Usable battery: {words_of(error)}") from error

    @typed_here()
    def _accept(self) -> None:
        wanted = self.wanted
        try:
            names = [self.baseline.text().strip(), *(x.strip() for x in self.trial.text().split(";"))]
            speeds: tuple[float, ...] | None = None
            if wanted.subject == "speed":
                speeds = self._speeds()
                names = [f"{self._units.show('speed', v):.4g} {self._units.speed}" for v in speeds]
            kind = (
                self.kind.currentText() if not self.kind.isHidden() and wanted.subject == "configuration" else "other"
            )
            vehicles = [self._of(self.vehicle)]
            if not self.capacity.isHidden() and self.capacity.text().strip():
                vehicles = [vehicles[0].with_(usable_capacity_kwh=self._capacity())]
            if wanted.vehicles > 1:
                vehicles.append(self._of(self.other))
                called = [x.text().strip() for x in (self.called, self.other_called)]
                vehicles = [v if v.name else v.with_(name=n) for v, n in zip(vehicles, called, strict=True)]
            made = laid_out(
                str(self.aim.currentData()),
                title=self.title.text().strip() or (kind.capitalize() if kind != "other" else wanted.words),
                kind=kind,
                order=self._order(),
                method=self.method.currentData(),
                names=names if wanted.trial else [],
                speed_kmh=self._speed(self.speed, "Speed"),
                speeds_kmh=speeds,
                vehicles=vehicles,
            )
            road = self._chosen_road()
            if road is not None:
                known = self._memory.road(road.route_name) if self._memory and road.route_name else None
                route = known.route if known is not None and known.heights_from > 1 else road.route
                made = made.with_(route=route, route_name=road.route_name, wind=road.wind)
            if not self.outing.isHidden() and self.outing.currentData():
                made = made.with_(circumstances=made.circumstances.with_(outing=self.outing.currentData()))
            if self._remembered.values and self.begin_with.isChecked():
                made = made.with_(remembered=self._remembered)
            self.study = made
        except ValueError as error:
            self.fault.setText(words_of(error))
            self.fault.show()
            return
        self.accept()


#: How methods are called where one is chosen.
METHOD_WORDS = {
    "out-and-back": "there and back",
    "loop": "a loop",
    "one-way": "one way",
    "laps": "laps",
    "side-by-side": "side by side",
    "everyday": "everyday trips",
    "climb": "up and down",
}
#: How the runs lie to each other, which no date says yet; nothing is assumed of them.
OUTINGS = (
    ("are planned, or nobody says how they were driven", None),
    ("were driven in one outing", "one"),
    ("were driven on different days", "days"),
    ("were driven weeks apart", "weeks"),
)
#: What could stand in the two names, by kind of change.
_OF_KIND = {
    "wheels": ("Steel wheels", "Alloy wheels"), "aero covers": ("Discs off", "Discs on"), "tyres": ("Summer tyres", "Winter tyres"),
    "cargo": ("Roof empty", "Box on the roof"), "payload": ("Empty", "170 kg aboard"), "towing": ("Solo", "Trailer on"),
    "preconditioning": ("Cold start", "Warmed from the wall"), "technique": ("Coast", "Brake and regenerate"),
    "other": ("As it was", "Changed"),
}  # fmt: skip
#: The same by aim.
_EXAMPLES = {
    "change": ("Discs off", "Discs on"), "laps": ("Coast", "Brake and regenerate"), "speed": ("80", "95"),
    "road": ("Dry", "Wet"), "side": ("Box off", "Box on"), "everyday": ("Old tyres", "New tyres"),
}  # fmt: skip

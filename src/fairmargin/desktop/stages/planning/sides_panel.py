"""What is set against what: configurations with names, masses and mechanisms of their own; vehicles; known differences."""

from __future__ import annotations

from collections.abc import Callable
from string import ascii_uppercase
from typing import Any

from PySide6.QtCore import QSignalBlocker, Qt
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QPushButton,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from fairmargin.core.kinds import MECHANISMS
from fairmargin.core.study import Configuration, NamedVehicle, Study, Vehicle
from fairmargin.core.study.aims import named
from fairmargin.core.study.cells import compares, vehicle_label
from fairmargin.core.study.entry import show_number, words_of
from fairmargin.core.study.statement_entry import read_known, show_known
from fairmargin.core.study.statements import KnownDifference
from fairmargin.core.units import read_in, read_quantity
from fairmargin.desktop.stages.base import Field
from fairmargin.desktop.state.session import Session
from fairmargin.desktop.widgets.basics import Mark, as_tip, clear, label, panel
from fairmargin.desktop.widgets.inputs import Choice
from fairmargin.exchange.words.results import example_words

AS_THE_CHANGE = "as the change"


class ConfigurationsPanel(QWidget):
    """Every configuration on a line of its own; the baseline first."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.page = QVBoxLayout(self)
        self.page.setContentsMargins(0, 0, 0, 0)
        self.grid = QGridLayout()
        self.grid.setHorizontalSpacing(8)
        self.grid.setVerticalSpacing(4)
        self.page.addLayout(self.grid)
        row = QHBoxLayout()
        self.add = QPushButton("Add a trial")
        self.add.clicked.connect(self._add)
        row.addWidget(self.add)
        row.addStretch()
        self.page.addLayout(row)
        self.fields: dict[tuple[str, str], Field] = {}
        self.boxes: dict[str, QComboBox] = {}
        self._structure: object = None

    @property
    def _study(self) -> Study:
        assert self.session.study is not None
        return self.session.study

    def field(self, which: int, key: str) -> Field:
        """A field of the baseline (0) or of a trial."""
        ordered = (self._study.baseline, *self._study.trials)
        return self.fields[ordered[which].id, key]

    def refresh(self, study: Study) -> None:
        """Show the study's configurations; lines are made anew only where there are others."""
        ordered = (study.baseline, *study.trials)
        there = compares(study)
        structure = (
            self.session.study_id,
            tuple(c.id for c in ordered),
            study.change.subject,
            self.session.units,
            there,
        )
        if structure != self._structure:
            self._structure = structure
            self._build(study, ordered)
        units = self.session.units
        for c in ordered:
            self.fields[c.id, "name"].show_text(c.name)
            mass = c.mass_delta_kg
            self.fields[c.id, "mass"].show_text(show_number(units.show("mass", mass), 1) if mass else "", units.mass)
            self.fields[c.id, "circumference"].show_text(
                show_number(c.circumference_change_percent, 2) if c.circumference_change_percent else ""
            )
            if (c.id, "speed") in self.fields:
                speed = c.speed_kmh
                self.fields[c.id, "speed"].show_text(
                    "" if speed is None else show_number(units.show("speed", speed), 1), units.speed
                )
            if c.id in self.boxes:
                words = " + ".join(c.mechanism) if c.mechanism else AS_THE_CHANGE
                box = self.boxes[c.id]
                if box.findText(words) < 0:
                    box.addItem(words)
                box.setCurrentIndex(box.findText(words))
        self.add.setEnabled(not self.session.read_only)

    def _build(self, study: Study, ordered: tuple[Configuration, ...]) -> None:
        clear(self.grid)
        self.fields.clear()
        self.boxes.clear()
        for row, c in enumerate(ordered):
            which = (
                "Configuration"
                if not compares(study)
                else "Baseline"
                if c.baseline
                else f"Trial {row}"
                if len(ordered) > 2
                else "Trial"
            )
            self.grid.addWidget(Mark(None if c.baseline else row - 1), row, 0, Qt.AlignmentFlag.AlignBottom)
            column = 1
            entries: list[tuple[str, str, Callable[[str], dict[str, Any]], str]] = [
                ("name", f"{which} is", lambda text: {"name": text}, ""),
                ("mass", "Mass it adds", self._mass, "Part of the change, beside the baseline"),
                (
                    "circumference",
                    "Rolls further by",
                    self._circumference,
                    "Rolling circumference against the baseline",
                ),
            ]
            if study.change.subject == "speed":
                entries.insert(1, ("speed", "Speed", self._speed, "The speed is the change"))
            for key, words, read, tip in entries:
                field = Field(words, self._setter(c.id, key, read), tip=tip, unit="%" if key == "circumference" else "")
                field.edit.setAccessibleName(f"{words}, {c.label}")
                self.fields[c.id, key] = field
                # Alone it adds nothing to anything, and rolls no further than anything.
                field.setVisible(key not in {"mass", "circumference"} or compares(study))
                self.grid.addWidget(field, row, column)
                column += 1
            if not c.baseline:
                box = Choice()
                box.setAccessibleName(f"Works through, {c.label}")
                box.addItems((AS_THE_CHANGE, *MECHANISMS))
                box.textActivated.connect(lambda text, i=c.id: self._set_mechanism(i, text))
                self.boxes[c.id] = box
                self.grid.addWidget(box, row, column, Qt.AlignmentFlag.AlignBottom)
            column += 1
            self._buttons(c, row, column, len(ordered))
        self.grid.setColumnStretch(1, 3)
        self.grid.setColumnStretch(2, 1)

    def _buttons(self, c: Configuration, row: int, column: int, count: int) -> None:
        """Move, remove, or make it the baseline."""
        line = QHBoxLayout()
        line.setSpacing(2)
        acts: list[tuple[str, str, Callable[[], None], bool]] = [
            ("\u2191", f"Move {c.label} up", lambda: self._move(c.id, -1), row > 1),
            ("\u2193", f"Move {c.label} down", lambda: self._move(c.id, 1), 0 < row < count - 1),
            ("Baseline", f"Compare with {c.label}", lambda: self._make_baseline(c.id), row > 0),
            ("Remove", f"Remove {c.label}", lambda: self._remove(c.id), count > 1),
        ]
        for words, tip, act, enabled in acts:
            if not enabled:
                continue
            button = QToolButton()
            button.setText(words)
            button.setToolTip(as_tip(tip))
            button.setAccessibleName(tip)
            button.clicked.connect(lambda _=False, a=act: a())
            line.addWidget(button)
        line.addStretch()
        holder = QWidget()
        line.setContentsMargins(0, 0, 0, 0)
        holder.setLayout(line)
        self.grid.addWidget(holder, row, column, Qt.AlignmentFlag.AlignBottom)

    # ------------------------------------------------------------ edits

    def _mass(self, text: str) -> dict[str, Any]:
        return {"mass_delta_kg": read_quantity(text, "mass", self.session.units.mass) if text else 0.0}

    def _circumference(self, text: str) -> dict[str, Any]:
        return {"circumference_change_percent": read_in(text, "%") if text else 0.0}

    def _speed(self, text: str) -> dict[str, Any]:
        return {"speed_kmh": read_quantity(text, "speed", self.session.units.speed) if text else None}

    def _setter(self, identifier: str, key: str, read: Callable[[str], dict[str, Any]]) -> Callable[[str], None]:
        def commit(text: str) -> None:
            self._change(identifier, f"{key} of a configuration", **read(text))

        return commit

    def _change(self, identifier: str, text: str, **changes: Any) -> None:
        study = self._study
        try:
            after = study.with_(
                configurations=tuple(c.with_(**changes) if c.id == identifier else c for c in study.configurations)
            )
        except ValueError as error:
            raise ValueError(words_of(error)) from error
        if not self.session.edit(after, text):
            raise ValueError("could not be saved")

    def _set_mechanism(self, identifier: str, text: str) -> None:
        if text == AS_THE_CHANGE or text in MECHANISMS:
            self._change(identifier, "mechanism", mechanism=() if text == AS_THE_CHANGE else (text,))

    def _add(self) -> None:
        study = self._study
        ids = {c.id for c in study.configurations}
        fresh = next(x for x in (*ascii_uppercase, *(f"C{i}" for i in range(100))) if x not in ids)
        number = len(study.trials) + 1
        trial = Configuration(id=fresh, name=f"Trial {number}" if number > 1 else "Trial")
        self.session.edit(study.with_(configurations=(*study.configurations, trial)), "add a trial")
        field = self.fields.get((fresh, "name"))
        if field is not None:
            field.edit.setFocus()
            field.edit.selectAll()

    def _move(self, identifier: str, by: int) -> None:
        ordered = [self._study.baseline, *self._study.trials]
        at = next(i for i, c in enumerate(ordered) if c.id == identifier)
        ordered.insert(max(1, at + by), ordered.pop(at))
        self.session.edit(self._study.with_(configurations=tuple(ordered)), "move a trial")

    def _make_baseline(self, identifier: str) -> None:
        changed = [c.with_(baseline=c.id == identifier) for c in self._study.configurations]
        changed.sort(key=lambda c: not c.baseline)
        self.session.edit(self._study.with_(configurations=tuple(changed)), "another baseline")

    def _remove(self, identifier: str) -> None:
        study = self._study
        if any(leg.configuration == identifier and self.session.has_reading(leg) for leg in study.legs):
            self.session.failed.emit(
                f"{study.configuration(identifier).label} has legs with readings; remove them or give them to another configuration first."
            )
            return
        rest = [c for c in study.configurations if c.id != identifier]
        if not any(c.baseline for c in rest):
            rest[0] = rest[0].with_(baseline=True)
        fewer = study.with_legs(leg for leg in study.legs if leg.configuration != identifier)
        known = tuple(k for k in study.known_differences if k.configuration != identifier)
        self.session.edit(fewer.with_(configurations=tuple(rest), known_differences=known), "remove a configuration")


class VehiclesPanel(QWidget):
    """Vehicles of a study of several, from the garage or new; and what else is known to differ."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.page = QVBoxLayout(self)
        self.page.setContentsMargins(0, 0, 0, 0)
        frame, box = panel()
        box.addWidget(label("Several vehicles, and what else is known to differ", "heading"))
        self.words = label("", "muted", wrap=True)
        box.addWidget(self.words)
        self.grid = QGridLayout()
        self.grid.setHorizontalSpacing(8)
        box.addLayout(self.grid)
        row = QHBoxLayout()
        self.garage = Choice()
        self.garage.setAccessibleName("Vehicle to add")
        row.addWidget(self.garage, 1)
        self.add = QPushButton("Add this vehicle")
        self.add.clicked.connect(self._add)
        row.addWidget(self.add)
        row.addStretch()
        box.addLayout(row)
        self.alike = QCheckBox("They are of one model, year and tyres")
        self.alike.setToolTip("Two such vehicles differ by some 3 %, any two by some 10 % (common practice)")
        self.alike.toggled.connect(self._set_alike)
        box.addWidget(self.alike)
        self.page.addWidget(frame)
        self.fields: dict[tuple[str, str], Field] = {}
        self.known: dict[str, Field] = {}
        self._structure: object = None
        self._vehicles: list[Vehicle] = []

    @property
    def _study(self) -> Study:
        assert self.session.study is not None
        return self.session.study

    def refresh(self, study: Study) -> None:
        """Show the vehicles; lines are made anew only where there are others."""
        structure = (
            self.session.study_id, tuple((v.id, v.energy) for v in study.vehicles),
            tuple((c.id, c.label) for c in study.configurations), self.session.units,
        )  # fmt: skip
        if structure != self._structure:
            self._structure = structure
            self._fill_garage()
            self._build(study)
        self.words.setText(
            "Legs name their vehicle on the sheet. Each is corrected with its own figures."
            if study.vehicles
            else "One vehicle drives every leg. Add vehicles where legs were driven by several."
        )
        # Where the vehicle is the question, what they differ by is the answer.
        self.alike.setVisible(len(study.vehicles) > 1 and study.change.subject != "vehicle")
        with QSignalBlocker(self.alike):
            self.alike.setChecked(study.circumstances.vehicles == "alike")
        self.alike.setEnabled(not self.session.read_only)
        for v in study.vehicles:
            for key in ("name", "mass_kg", "usable_capacity_kwh", "tank_l", "distance_error_percent"):
                field = self.fields.get((v.id, key))
                if field is None:
                    continue
                value = getattr(v, key)
                if key == "mass_kg" and value is not None:
                    value = self.session.units.show("mass", value)
                field.show_text(value if isinstance(value, str) else show_number(value, 2))
        for key, field in self.known.items():
            known = next((k for k in study.known_differences if key == (k.vehicle or k.configuration)), None)
            field.show_text("" if known is None else show_known(known, self.session.units))

    def _fill_garage(self) -> None:
        """Vehicles of the logbook's studies, the newest description of each; and one not seen before."""
        book = self.session.logbook
        found: dict[str, Vehicle] = {}
        for _, study in book.vehicles() if book is not None else []:
            for v in (study.vehicle, *study.vehicles):
                if v.name:
                    found.setdefault(v.name, v)
        self._vehicles = list(found.values())
        self.garage.clear()
        for vehicle in self._vehicles:
            self.garage.addItem(vehicle.name)
        for words in ("a new electric vehicle", "a new diesel vehicle", "a new petrol vehicle"):
            self.garage.addItem(words)

    def _build(self, study: Study) -> None:
        clear(self.grid)
        self.fields.clear()
        self.known.clear()
        units = self.session.units
        row = 0
        for v in study.vehicles:
            fuel = v.energy != "electric"
            entries = [
                ("name", f"Vehicle {v.id}", ""), ("mass_kg", "Mass", units.mass),
                ("tank_l", "Tank", "L") if fuel else ("usable_capacity_kwh", "Usable capacity", "kWh"),
                ("distance_error_percent", "Odometer over-reads", "%"),
            ]  # fmt: skip
            for column, (key, words, unit) in enumerate(entries):
                field = Field(words, self._setter(v.id, key, unit), unit=unit)
                field.edit.setAccessibleName(f"{words}, {v.label}")
                self.fields[v.id, key] = field
                self.grid.addWidget(field, row, column)
            gone = QToolButton()
            gone.setText("Remove")
            gone.setToolTip(as_tip(f"Remove {v.label}"))
            gone.clicked.connect(lambda _=False, i=v.id: self._remove(i))
            self.grid.addWidget(gone, row, len(entries))
            row += 1
        sides = [(v.id, v.label) for v in study.vehicles] or [(c.id, c.label) for c in study.configurations]
        for i, (key, words) in enumerate(sides):
            example = f"{example_words(self.session.units)[2]}, wheel caps"
            field = Field(
                f"{words} is known to use more by",
                self._known_setter(key, bool(study.vehicles)),
                tip=f"For another reason than the change: {example}. Taken out, with its margin.",
                placeholder=example,
            )
            self.known[key] = field
            self.grid.addWidget(field, row + i // 2, 2 * (i % 2), 1, 2)

    def _setter(self, identifier: str, key: str, unit: str) -> Callable[[str], None]:
        def commit(text: str) -> None:
            value: object = text
            if key == "mass_kg":
                value = read_quantity(text, "mass", self.session.units.mass) if text else None
            elif key != "name":
                value = read_in(text, unit) if text else None
            self._edit_vehicles(
                tuple(v.with_(**{key: value}) if v.id == identifier else v for v in self._study.vehicles),
                f"vehicle, {key.split('_')[0]}",
            )

        return commit

    def _edit_vehicles(self, vehicles: tuple[NamedVehicle, ...], text: str) -> None:
        try:
            after = self._study.with_(vehicles=vehicles)
        except ValueError as error:
            raise ValueError(words_of(error)) from error
        if not self.session.edit(after, text):
            raise ValueError("could not be saved")

    def _add(self) -> None:
        study, index = self._study, self.garage.currentIndex()
        if index < len(self._vehicles):
            fresh = self._vehicles[index]
        else:
            energy = self.garage.currentText().split()[2]
            fresh = Vehicle(energy=energy, vehicle_class=study.vehicle.vehicle_class)
        ids = {v.id for v in study.vehicles}
        identifier = next(f"V{i}" for i in range(1, 100) if f"V{i}" not in ids)
        vehicles = (*study.vehicles, named(fresh, identifier, fresh.name or f"Vehicle {len(ids) + 1}"))
        self._edit_vehicles(vehicles, "add a vehicle")

    def _remove(self, identifier: str) -> None:
        study = self._study
        if any(leg.vehicle == identifier for leg in study.legs):
            self.session.failed.emit(
                f"{vehicle_label(study, identifier)} drove legs of this study; give them another vehicle first."
            )
            return
        known = tuple(k for k in study.known_differences if k.vehicle != identifier)
        rest = tuple(v for v in study.vehicles if v.id != identifier)
        self.session.edit(study.with_(vehicles=rest, known_differences=known), "remove a vehicle")

    def _set_alike(self, alike: bool) -> None:
        told = self._study.circumstances.with_(vehicles="alike" if alike else None)
        self.session.edit(self._study.with_(circumstances=told), "vehicles alike")

    def _known_setter(self, key: str, vehicles: bool) -> Callable[[str], None]:
        def commit(text: str) -> None:
            study = self._study
            which = {"vehicle": key} if vehicles else {"configuration": key}
            made: KnownDifference | None = read_known(text, self.session.units, **which)
            others = tuple(k for k in study.known_differences if (k.vehicle or k.configuration) != key)
            try:
                after = study.with_(known_differences=(*others, *([made] if made else [])))
            except ValueError as error:
                raise ValueError(words_of(error)) from error
            if not self.session.edit(after, "known difference"):
                raise ValueError("could not be saved")

        return commit

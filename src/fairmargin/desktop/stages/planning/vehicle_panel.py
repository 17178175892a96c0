"""The vehicle of the question: what its owner knows of it, and what is assumed from its class."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PySide6.QtWidgets import QComboBox, QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from fairmargin.core.study import CLASS_PRESETS, NamedVehicle, Study, Vehicle
from fairmargin.core.study.cells import vehicle_of
from fairmargin.core.study.entry import show_number, words_of
from fairmargin.core.units import UnitChoice, read_in, read_quantity
from fairmargin.core.units import label as consumption_label
from fairmargin.core.units.consumption import blend_wh_per_l
from fairmargin.core.units.typed import read_wh_per_km
from fairmargin.desktop.stages.base import Field
from fairmargin.desktop.state.session import Session
from fairmargin.desktop.widgets.basics import label, named_choice, panel, show_choice
from fairmargin.desktop.widgets.inputs import Choice

#: Numbers of the vehicle: field, caption, unit beside it.
VEHICLE_FIELDS = (
    ("mass_kg", "Mass as driven", "kg"),
    ("drag_area_m2", "Drag area (Cd \u00d7 A)", "m\u00b2"),
    ("rolling_coefficient", "Rolling coefficient", ""),
    ("auxiliary_w", "Auxiliary power", "W"),
    ("usable_capacity_kwh", "Usable capacity", "kWh"),
    ("charging_efficiency", "Charging efficiency", ""),
    ("distance_error_percent", "Odometer over-reads by", "%"),
    ("speed_error_percent", "Speedometer over-reads by", "%"),
    ("drive_efficiency", "Drive efficiency", ""),
    ("rated_wh_per_km", "Rated consumption", ""),
    ("rated_range_km", "Rated range", ""),
    ("tank_l", "Tank", "L"),
    ("heating_value_wh_per_l", "Heating value", "Wh/L"),
)
#: Of these, the ones typed and shown in the person's own unit.
OWN_UNIT = {"mass_kg": "mass", "rated_range_km": "distance"}
#: Of these, the ones of vehicles that burn fuel, and of those that do not.
OF_FUEL = ("tank_l", "heating_value_wh_per_l")
OF_ELECTRIC = ("usable_capacity_kwh", "charging_efficiency")
VEHICLE_UNITS = {name: unit for name, _, unit in VEHICLE_FIELDS}


class VehiclePanel(QWidget):
    """Figures of one vehicle; every field is saved as it is left."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        page = QVBoxLayout(self)
        page.setContentsMargins(0, 0, 0, 0)
        self.fields: dict[str, Field] = {}
        self.boxes: dict[str, QComboBox] = {}
        frame, box = panel()
        page.addWidget(frame)
        head = QHBoxLayout()
        head.addWidget(label("The vehicle", "heading"))
        self.which = Choice()
        self.which.setAccessibleName("Vehicle whose figures are shown")
        self.which.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        self.which.activated.connect(lambda _: self.refresh(self._study))
        head.addWidget(self.which)
        head.addStretch()
        box.addLayout(head)
        self.assumed = label("", "muted", wrap=True)
        box.addWidget(self.assumed)
        grid = QGridLayout()
        grid.setHorizontalSpacing(16)
        grid.setVerticalSpacing(8)
        box.addLayout(grid)
        grid.addWidget(self._field("v_name", "Name", self._vehicle("name")), 0, 0)
        grid.addWidget(self._choice("v_class", "Class", tuple(CLASS_PRESETS), self._set_class), 0, 1)
        grid.addWidget(self._choice("v_energy", "Energy", ("electric", "petrol", "diesel"), self._set_energy), 0, 2)
        for i, (name, words, unit) in enumerate(VEHICLE_FIELDS):
            grid.addWidget(self._field(f"v_{name}", words, self._vehicle(name), unit=unit), 1 + i // 3, i % 3)

    def _field(self, key: str, words: str, commit: Callable[[str], None], unit: str = "") -> Field:
        tip = ""
        if key == "v_heating_value_wh_per_l":
            tip = "Of the fuel as bought: a figure, or its name at the pump (E5, E10, E85); cancels where both sides burn the same"
        field = Field(words, commit, unit=unit, tip=tip)
        self.fields[key] = field
        return field

    def _choice(self, key: str, words: str, options: tuple[str, ...], commit: Callable[[str], None]) -> QWidget:
        holder, box = named_choice(words, options, commit)
        self.boxes[key] = box
        return holder

    @property
    def _study(self) -> Study:
        assert self.session.study is not None
        return self.session.study

    @property
    def _shown(self) -> Vehicle:
        """The vehicle whose figures are shown."""
        return vehicle_of(self._study, str(self.which.currentData() or ""))

    def _units_of(self, vehicle: Vehicle) -> UnitChoice:
        return self.session.own_units.for_vehicle(vehicle.energy != "electric", vehicle.heating_value)

    def _edit(self, text: str, **changes: Any) -> None:
        study = self._study
        try:
            vehicle = self._shown.with_(**changes)
            if isinstance(vehicle, NamedVehicle):
                fleet = tuple(vehicle if v.id == vehicle.id else v for v in study.vehicles)
                after = study.with_(vehicles=fleet)
            else:
                after = study.with_(vehicle=vehicle)
        except ValueError as error:
            raise ValueError(words_of(error)) from error
        if not self.session.edit(after, text):
            raise ValueError("could not be saved")

    def _offer(self, study: Study) -> None:
        """List the study's vehicles, and its own where legs name none; hidden where there is one."""
        kept = self.which.currentData()
        own = not study.vehicles or any(leg.vehicle not in {v.id for v in study.vehicles} for leg in study.legs)
        choices = [(v.label, v.id) for v in study.vehicles]
        if own:
            choices.append((study.vehicle.name or "of legs that name none", ""))
        self.which.clear()
        for words, identifier in choices:
            self.which.addItem(words, identifier)
        self.which.setCurrentIndex(max(self.which.findData(kept), 0))
        self.which.setVisible(len(choices) > 1)

    def _vehicle(self, name: str) -> Callable[[str], None]:
        def commit(text: str) -> None:
            value: object = text
            units, quantity = self.session.units, OWN_UNIT.get(name)
            if quantity is not None:
                value = read_quantity(text, quantity, getattr(units, quantity)) if text else None
            elif name == "rated_wh_per_km":
                own = self._units_of(self._shown)
                value = read_wh_per_km(text, own.consumption, self._shown.heating_value) if text else None
            elif name != "name":
                blend = blend_wh_per_l(text) if name == "heating_value_wh_per_l" else None
                value = blend if blend is not None else read_in(text, VEHICLE_UNITS[name]) if text else None
            changes: dict[str, Any] = {name: value}
            spread = f"{name.rsplit('_', 1)[0]}_sd_{name.rsplit('_', 1)[-1]}"
            if spread in Vehicle.model_fields:
                changes[spread] = None  # of the value before
            self._edit(f"vehicle, {name.split('_')[0]}", **changes)

        return commit

    def _set_class(self, name: str) -> None:
        self._edit("vehicle class", vehicle_class=name)

    def _set_energy(self, name: str) -> None:
        self._edit("vehicle energy", energy=name)

    def refresh(self, study: Study) -> None:
        self._offer(study)
        units, f = self.session.units, self.fields
        vehicle = self._shown
        constants = vehicle.constants()
        show_choice(self.boxes["v_class"], vehicle.vehicle_class)
        show_choice(self.boxes["v_energy"], vehicle.energy)
        f["v_name"].show_text(vehicle.name)
        for key, field in f.items():
            name = key.removeprefix("v_")
            if not key.startswith("v_") or name == "name":
                continue
            value = getattr(vehicle, name)
            decimals = 5 if name == "rolling_coefficient" else 3
            quantity = OWN_UNIT.get(name)
            guess = None
            if quantity is not None:
                unit = getattr(units, quantity)
                field.show_text("" if value is None else show_number(units.show(quantity, value), 0), unit)
                if name == "mass_kg":
                    guess = float(f"{units.show('mass', constants.mass_kg):.0f}")
            elif name == "rated_wh_per_km":
                own = self._units_of(vehicle)
                shown = "" if value is None else f"{own.show_consumption(value):.4g}"
                field.show_text(shown, consumption_label(own.consumption))
            else:
                field.show_text(show_number(value, decimals))
                guess = getattr(constants, name, None)
            field.edit.setPlaceholderText("" if guess is None else f"{show_number(guess, decimals)} assumed")
        if vehicle.usable_capacity_kwh is None and vehicle.rated_capacity_kwh is not None:
            rated = f"{vehicle.rated_capacity_kwh:.1f} by its rated figures"
            f["v_usable_capacity_kwh"].edit.setPlaceholderText(rated)
        fuel = vehicle.energy != "electric"
        for name in (*OF_FUEL, *OF_ELECTRIC):
            f[f"v_{name}"].setVisible((name in OF_FUEL) == fuel)
        if constants.assumed:
            names = ", ".join(
                n.rsplit("_", 1)[0].replace("_", " ") if n.endswith(("kg", "m2", "w")) else n.replace("_", " ")
                for n in constants.assumed
            )
            self.assumed.setText(f"Assumed from the class, with a wide margin: {names}. What you know narrows it.")
        else:
            self.assumed.setText("All constants given; the fit still checks them against the legs.")

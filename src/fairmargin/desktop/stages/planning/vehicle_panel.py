"""The vehicle of the question: what its owner knows of it, and what is assumed from its class."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PySide6.QtWidgets import QComboBox, QGridLayout, QVBoxLayout, QWidget

from fairmargin.core.study import CLASS_PRESETS, Study
from fairmargin.core.study.entry import show_number, words_of
from fairmargin.core.units import read_in, read_quantity
from fairmargin.desktop.session import Session
from fairmargin.desktop.stages.base import Field
from fairmargin.desktop.widgets.basics import label, named_choice, panel

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
    ("tank_l", "Tank", "L"),
    ("heating_value_wh_per_l", "Heating value", "Wh/L"),
)
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
        box.addWidget(label("The vehicle", "heading"))
        self.assumed = label("", "muted", wrap=True)
        box.addWidget(self.assumed)
        grid = QGridLayout()
        grid.setHorizontalSpacing(16)
        grid.setVerticalSpacing(8)
        box.addLayout(grid)
        grid.addWidget(self._field("v_name", "Name", self._vehicle("name")), 0, 0)
        grid.addWidget(self._choice("v_class", "Class", tuple(CLASS_PRESETS), self._set_class), 0, 1)
        grid.addWidget(
            self._choice("v_energy", "Energy", ("electric", "petrol", "diesel"), self._set_energy), 0, 2
        )
        for i, (name, words, unit) in enumerate(VEHICLE_FIELDS):
            grid.addWidget(self._field(f"v_{name}", words, self._vehicle(name), unit=unit), 1 + i // 3, i % 3)

    def _field(self, key: str, words: str, commit: Callable[[str], None], unit: str = "") -> Field:
        field = Field(words, commit, unit=unit)
        self.fields[key] = field
        return field

    def _choice(
        self, key: str, words: str, options: tuple[str, ...], commit: Callable[[str], None]
    ) -> QWidget:
        holder, box = named_choice(words, options, commit)
        self.boxes[key] = box
        return holder

    @property
    def _study(self) -> Study:
        assert self.session.study is not None
        return self.session.study

    def _edit(self, text: str, **changes: Any) -> None:
        if not self.session.edit(self._study.with_(**changes), text):
            raise ValueError("could not be saved")

    def _vehicle(self, name: str) -> Callable[[str], None]:
        def commit(text: str) -> None:
            value: object = text
            if name == "mass_kg":
                value = read_quantity(text, "mass", self.session.units.mass) if text else None
            elif name != "name":
                value = read_in(text, VEHICLE_UNITS[name]) if text else None
            changes: dict[str, Any] = {name: value}
            if (
                f"{name.rsplit('_', 1)[0]}_sd_{name.rsplit('_', 1)[-1]}"
                in type(self._study.vehicle).model_fields
            ):
                changes[f"{name.rsplit('_', 1)[0]}_sd_{name.rsplit('_', 1)[-1]}"] = None
            try:
                vehicle = self._study.vehicle.with_(**changes)
            except ValueError as error:
                raise ValueError(words_of(error)) from error
            self._edit(f"vehicle, {name.split('_')[0]}", vehicle=vehicle)

        return commit

    def _set_class(self, name: str) -> None:
        self._edit("vehicle class", vehicle=self._study.vehicle.with_(vehicle_class=name))

    def _set_energy(self, name: str) -> None:
        self._edit("vehicle energy", vehicle=self._study.vehicle.with_(energy=name))

    def refresh(self, study: Study) -> None:
        units, f = self.session.units, self.fields
        vehicle, constants = study.vehicle, study.vehicle.constants()
        f["v_name"].show_text(vehicle.name)
        for key, field in f.items():
            name = key.removeprefix("v_")
            if not key.startswith("v_") or name == "name":
                continue
            value = getattr(vehicle, name)
            decimals = 5 if name == "rolling_coefficient" else 3
            if name == "mass_kg":
                field.show_text(
                    "" if value is None else show_number(units.show("mass", value), 0), units.mass
                )
                guess = units.show("mass", constants.mass_kg)
            else:
                field.show_text(show_number(value, decimals))
                guess = getattr(constants, name, None)  # type: ignore[assignment]
            field.edit.setPlaceholderText("" if guess is None else f"{show_number(guess, decimals)} assumed")
        fuel = vehicle.energy != "electric"
        for name in (*OF_FUEL, *OF_ELECTRIC):
            f[f"v_{name}"].setVisible((name in OF_FUEL) == fuel)
        if constants.assumed:
            names = ", ".join(
                n.rsplit("_", 1)[0].replace("_", " ")
                if n.endswith(("kg", "m2", "w"))
                else n.replace("_", " ")
                for n in constants.assumed
            )
            self.assumed.setText(
                f"Assumed from the class, with a wide margin: {names}. What you know narrows it."
            )
        else:
            self.assumed.setText("All constants given; the fit still checks them against the legs.")

"""What practitioners forget, asked per kind of change; tyre sizes; calibration; the garage."""

from __future__ import annotations

import json
from collections.abc import Callable

from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QPushButton, QWidget

from fairmargin.core.planning.checklists import carried_over
from fairmargin.core.planning.load import wheels_differ_kg
from fairmargin.core.planning.second_change import second_changes
from fairmargin.core.planning.tyres import circumference_change_percent, tyre_size
from fairmargin.core.study import Study, Vehicle
from fairmargin.core.study.entry import words_of
from fairmargin.core.units import in_units, read_in
from fairmargin.core.words import signed
from fairmargin.desktop.stages.planning.page import PlanPage
from fairmargin.desktop.state.session import Session
from fairmargin.desktop.widgets.attached import AttachedRow
from fairmargin.desktop.widgets.basics import clear, label, panel
from fairmargin.desktop.widgets.inputs import Choice
from fairmargin.exchange.words.figures import speed_words


class PromptsPanel(PlanPage):
    """Answers are kept with the study and printed in its report."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(session, parent)
        frame, box = panel()
        self.heading = label("", "heading")
        box.addWidget(self.heading)
        self.grid = QGridLayout()
        self.grid.setHorizontalSpacing(14)
        box.addLayout(self.grid)
        self.tyres = QWidget()
        line = QHBoxLayout(self.tyres)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(14)
        for key, words in (("tyre_baseline", "Tyre size, baseline"), ("tyre_trial", "Tyre size, trial")):
            made = self.field(key, words, self._tyre(key))
            made.edit.setPlaceholderText("225/55R17")
            line.addWidget(made, 1)
        self.turn = label("", wrap=True)
        line.addWidget(self.turn, 2)
        box.addWidget(self.tyres)
        self.plate = AttachedRow(session, "tyre plate")
        box.addWidget(self.plate)
        self.second = label("", "fault", wrap=True)
        box.addWidget(self.second)
        self.body.addWidget(frame)
        self._kind = ""
        self._answers: dict[str, str] = {}

    def refresh(self, study: Study) -> None:
        kind, prompts = study.change.kind, study.change.about.prompts
        if kind != self._kind:
            self._kind = kind
            for key in [k for k in self.fields if not k.startswith("tyre_")]:
                del self.fields[key]
            clear(self.grid)
            for i, prompt in enumerate(prompts):
                made = self.field(prompt.key, prompt.words, self._answer(prompt.key))
                made.edit.setPlaceholderText(prompt.example)
                made.show_tip(prompt.example)
                self.grid.addWidget(made, i // 2, i % 2)
        answered = sum(bool(study.plan.details.get(p.key)) for p in prompts)
        self.heading.setText(f"What is easily forgotten with {kind}: {answered} of {len(prompts)} answered")
        for prompt in prompts:
            self.fields[prompt.key].show_text(study.plan.details.get(prompt.key, ""))
        second = second_changes(study)
        self.second.setText(
            "Two things change at once. " + in_units(" ".join(second), self.session.units) if second else ""
        )
        self.second.setVisible(bool(second))
        wheels = study.change.about.turns_wheels
        self.tyres.setVisible(wheels)
        self.plate.setVisible(wheels)
        self.plate.refresh(study)
        self.fields["tyre_baseline"].show_text(study.plan.tyre_baseline)
        self.fields["tyre_trial"].show_text(study.plan.tyre_trial)
        self.turn.setText(self._turn(study) + self._wheels(study) if wheels else "")

    def _turn(self, study: Study) -> str:
        a, b = study.plan.tyre_baseline, study.plan.tyre_trial
        if not a or not b:
            return "Both sizes give the change of rolling circumference, which the odometer follows."
        change = circumference_change_percent(a, b)
        return (
            f"{tyre_size(a).diameter_mm:.0f} and {tyre_size(b).diameter_mm:.0f} mm across: the trial rolls {signed(change)} % per turn, so "
            f"its odometer reads {abs(change):.1f} % {'less' if change > 0 else 'more'} per true distance. Taken into the correction "
            "(\u00b10.5 %: tread and pressure; a GPS distance is better)."
        )

    def _answer(self, key: str) -> Callable[[str], None]:
        def commit(text: str) -> None:
            study = self.study.with_(plan=self.study.plan.with_(details={**self.study.plan.details, key: text}))
            heavier = wheels_differ_kg(text, self.session.units.mass) if key == "wheel_mass" else None
            if heavier is not None and study.trials:
                trial = study.trials[0].id
                made = [c.with_(mass_delta_kg=round(heavier, 2)) if c.id == trial else c for c in study.configurations]
                study = study.with_(configurations=tuple(made))
            if not self.session.edit(study, "answer"):
                raise ValueError("could not be saved")

        return commit

    def _wheels(self, study: Study) -> str:
        """What both wheels' masses make of the change."""
        units = self.session.units
        heavier = wheels_differ_kg(study.plan.details.get("wheel_mass", ""), units.mass)
        if heavier is None or not study.trials:
            return ""
        far = f"{abs(units.show('mass', heavier)):.1f} {units.mass}"
        return (
            f" Four wheels of the trial are {far} {'heavier' if heavier > 0 else 'lighter'}: taken as the mass it adds."
        )

    def _tyre(self, key: str) -> Callable[[str], None]:
        def commit(text: str) -> None:
            if text:
                tyre_size(text)  # refuses what is no size
            study = self.study.with_(plan=self.study.plan.with_(**{key: text}))
            a, b = study.plan.tyre_baseline, study.plan.tyre_trial
            if a and b and study.trials:
                change = round(circumference_change_percent(a, b), 2)
                trial = study.trials[0].id
                try:
                    made = tuple(
                        c.with_(circumference_change_percent=change) if c.id == trial else c
                        for c in study.configurations
                    )
                except ValueError as error:
                    raise ValueError(words_of(error)) from error
                study = study.with_(configurations=made)
            if not self.session.edit(study, "tyre size"):
                raise ValueError("could not be saved")

        return commit


class CalibrationPanel(PlanPage):
    """GPS against the car over a known stretch; vehicles of other studies."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(session, parent)
        frame, box = panel()
        box.addWidget(label("GPS against the car, once, over a stretch of ten minutes or more", "heading"))
        line = QHBoxLayout()
        line.setSpacing(14)
        for key, words, unit in (
            ("car_km", "Odometer showed", "km"),
            ("gps_km", "GPS said", "km"),
            ("car_kmh", "Speedometer showed", "km/h"),
            ("gps_kmh", "GPS said", "km/h"),
        ):
            line.addWidget(self.field(key, words, self._typed(key), unit), 1)
        box.addLayout(line)
        self.words = label("", wrap=True)
        box.addWidget(self.words)
        line = QHBoxLayout()
        self.garage = Choice()
        self.garage.setAccessibleName("Vehicles of this logbook")
        line.addWidget(label("From the garage", "muted"))
        line.addWidget(self.garage, 1)
        self.take = QPushButton("Take this vehicle")
        self.take.clicked.connect(self._take)
        line.addWidget(self.take)
        box.addLayout(line)
        self.body.addWidget(frame)
        self._values: dict[str, float] = {}
        self._vehicles: list[tuple[str, Vehicle, Study]] = []
        self._for: object = None
        session.studiesChanged.connect(self._forget)

    def refresh(self, study: Study) -> None:
        vehicle = study.vehicle
        said = []
        if vehicle.distance_error_percent:
            said.append(f"odometer {signed(vehicle.distance_error_percent)} %")
        if vehicle.speed_error_percent:
            said.append(f"speedometer {signed(vehicle.speed_error_percent)} %")
        target = study.target_speed_kmh
        if target and vehicle.speed_error_percent:
            must = target * (1 + vehicle.speed_error_percent / 100)
            units = self.session.units
            said.append(f"it must show {speed_words(must, units)} for a true {speed_words(target, units)}")
        self.words.setText(
            "; ".join(said).capitalize() + "." if said else "Not calibrated: some over-read by 2 to 3 %."
        )
        read_only = self.session.read_only
        if self.session.logbook is not None and self._for != self.session.study_id:
            self._for = self.session.study_id
            self._look_up()
        self.take.setEnabled(bool(self._vehicles) and not read_only)

    def _forget(self) -> None:
        self._for = None

    def _look_up(self) -> None:
        """List each vehicle of the logbook's other studies once."""
        assert self.session.logbook is not None
        self._vehicles = []
        seen = set()
        for title, study in self.session.logbook.vehicles(self.session.study_id):
            key = json.dumps(study.vehicle.model_dump(mode="json"), sort_keys=True)
            if key in seen or not study.vehicle.name:
                continue
            seen.add(key)
            self._vehicles.append((f"{study.vehicle.name}, as in {title}", study.vehicle, study))
        self.garage.clear()
        self.garage.addItems([name for name, *_ in self._vehicles])
        self.garage.setEnabled(bool(self._vehicles))

    def _typed(self, key: str) -> Callable[[str], None]:
        def commit(text: str) -> None:
            if not text:
                self._values.pop(key, None)
                return
            value = read_in(text, "km/h" if key.endswith("kmh") else "km")
            if value <= 0:
                raise ValueError(f"{value:g} is not possible; expected more than 0")
            self._values[key] = value
            for name, car, gps in (
                ("distance_error_percent", "car_km", "gps_km"),
                ("speed_error_percent", "car_kmh", "gps_kmh"),
            ):
                if key in {car, gps} and car in self._values and gps in self._values:
                    error = round((self._values[car] / self._values[gps] - 1) * 100, 2)
                    try:
                        vehicle = self.study.vehicle.with_(**{name: error})
                    except ValueError as wrong:
                        raise ValueError(words_of(wrong)) from wrong
                    self.session.edit(self.study.with_(vehicle=vehicle), "calibration")

        return commit

    def _take(self) -> None:
        index = self.garage.currentIndex()
        if 0 <= index < len(self._vehicles):
            _, vehicle, other = self._vehicles[index]
            after = self.study.with_(vehicle=vehicle)
            items = other.plan.checklist
            if items:  # what its owner added; the usual lines are those of this study
                fresh = tuple(i.with_(done=False) for i in carried_over(items, other, after))
                after = after.with_(plan=after.plan.with_(checklist=fresh))
            self.session.edit(after, "vehicle from the garage")

"""Question: what is compared, on which vehicle, and what is expected of it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PySide6.QtWidgets import QComboBox, QGridLayout, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from fairmargin.core.fairness.registered import predicted_words, sealed_words
from fairmargin.core.kinds import MECHANISMS, change_kind, change_kinds
from fairmargin.core.planning.checklists import carried_over
from fairmargin.core.study import METHODS, Registration, Study
from fairmargin.core.study.cells import compares
from fairmargin.core.study.entry import show_number, words_of
from fairmargin.core.study.plan import Plan
from fairmargin.core.study.registration import changed_since
from fairmargin.core.study.statement_entry import read_claim, read_prediction, show_claim, show_prediction
from fairmargin.core.units import read_in, read_quantity
from fairmargin.desktop.stages.base import Field, Stage
from fairmargin.desktop.stages.planning.expected_panel import ExpectedPanel
from fairmargin.desktop.stages.planning.instruments_panel import InstrumentsPanel
from fairmargin.desktop.stages.planning.prompts_panel import CalibrationPanel, PromptsPanel
from fairmargin.desktop.stages.planning.remembered_panel import RememberedPanel
from fairmargin.desktop.stages.planning.sides_panel import ConfigurationsPanel, VehiclesPanel
from fairmargin.desktop.stages.planning.vehicle_panel import VehiclePanel
from fairmargin.desktop.state.session import Session
from fairmargin.desktop.widgets.attached import AttachedRow
from fairmargin.desktop.widgets.basics import label, named_choice, panel, scrolling, show_choice
from fairmargin.desktop.widgets.inputs import Words
from fairmargin.exchange.words.results import example_words

STATION_TIP = "How far the station that reported the wind stands from the road"
#: What the change may be, in words.
SUBJECT_WORDS = {
    "configuration": "a state of the vehicle",
    "road": "the road: wet, dry",
    "speed": "the speed",
    "vehicle": "the vehicle",
}


class QuestionStage(Stage):
    """The question as a form; every field is saved as it is left."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(session, "Question", parent)
        inner = QWidget()
        body = QVBoxLayout(inner)
        body.setContentsMargins(0, 0, 8, 0)
        body.setSpacing(12)
        self.page.addWidget(scrolling(inner), 1)
        self.fields: dict[str, Field] = {}
        self.boxes: dict[str, QComboBox] = {}
        self._lay_compared(body)
        self.prompts = PromptsPanel(session)
        body.addWidget(self.prompts)
        row = QHBoxLayout()
        row.setSpacing(12)
        body.addLayout(row)
        self._lay_expectation(row)
        self._lay_stated_for(row)
        self.expected = ExpectedPanel(session)
        body.addWidget(self.expected)
        self.vehicle = VehiclePanel(session)
        body.addWidget(self.vehicle)
        self.fields |= self.vehicle.fields
        self.boxes |= self.vehicle.boxes
        self.remembered = RememberedPanel(session)
        body.addWidget(self.remembered)
        self.vehicles = VehiclesPanel(session)
        body.addWidget(self.vehicles)
        self.instruments = InstrumentsPanel(session)
        body.addWidget(self.instruments)
        self.calibration = CalibrationPanel(session)
        body.addWidget(self.calibration)
        self._lay_notes(body)
        body.addStretch()

    # ------------------------------------------------------------ building

    def _lay_compared(self, body: QVBoxLayout) -> None:
        frame, box = panel()
        body.addWidget(frame)
        self.heading = label("What is compared", "heading")
        box.addWidget(self.heading)
        grid = QGridLayout()
        grid.setHorizontalSpacing(16)
        grid.setVerticalSpacing(8)
        box.addLayout(grid)
        grid.addWidget(self._field("title", "Title of the study", self._set_title), 0, 0, 1, 2)
        grid.addWidget(self._field("route_name", "Route", self._plain("route_name")), 0, 2)
        grid.addWidget(self._field("tester", "Tester", self._plain("tester"), tip="As the report is to name you"), 0, 3)
        method = self._choice("method", "Method", METHODS, self._set_method)
        of_a_change = {
            1: self._choice("kind", "Kind of change", change_kinds(), self._set_kind),
            2: self._choice("mechanism", "Works through", MECHANISMS, self._set_mechanism),
            3: self._choice("subject", "The change is", tuple(SUBJECT_WORDS.values()), self._set_subject),
        }
        for column, holder in (*of_a_change.items(), (0, method)):
            grid.addWidget(holder, 1, column)
        self._of_a_change: list[QWidget] = list(of_a_change.values())
        self.sides = ConfigurationsPanel(self.session)
        box.addWidget(self.sides)
        self.forgotten = label("", "caution", wrap=True)
        box.addWidget(self.forgotten)

    def _lay_expectation(self, row: QHBoxLayout) -> None:
        frame, box = panel()
        row.addWidget(frame, 1)
        self._of_a_change.append(frame)
        box.addWidget(label("What you expect", "heading"))
        self.sealed = label("", "muted", wrap=True)
        box.addWidget(self.sealed)
        line = QHBoxLayout()
        line.addWidget(self._field("prediction", "Prediction: %, + is more; or a consumption", self._set_prediction), 2)
        line.addWidget(self._field("smallest", "Smallest effect that matters", self._set_smallest, unit="%"), 1)
        box.addLayout(line)
        line = QHBoxLayout()
        line.addWidget(
            self._field(
                "claim",
                "Somebody claims, %",
                self._set_claim,
                tip="no difference, 5 % better, \u22125 \u00b1 1: held against the result",
            ),
            2,
        )
        line.addWidget(self._field("claim_by", "Who says so", self._set_claimed_by), 1)
        box.addLayout(line)
        self.seal = QPushButton("Seal\u2026")
        self.seal.setToolTip(
            "Prediction, what matters, confidence, number of pairs: before the first reading, and for good"
        )
        self.seal.clicked.connect(self._seal)
        box.addWidget(self.seal)
        box.addStretch()

    def _lay_stated_for(self, row: QHBoxLayout) -> None:
        frame, box = panel()
        row.addWidget(frame, 1)
        box.addWidget(label("Stated for", "heading"))
        line = QHBoxLayout()
        line.addWidget(self._field("speed", "Speed", self._set_speed), 1)
        line.addWidget(
            self._field("reference_t", "Air temperature", self._set_reference("temperature_c", "temperature")), 1
        )
        line.addWidget(self._field("confidence", "Confidence", self._set_confidence, unit="%"), 1)
        box.addLayout(line)
        line = QHBoxLayout()
        line.addWidget(self._field("mast", "Wind measured at", self._set_mast, unit="m"), 1)
        line.addWidget(self._field("station", "Its station, off the road", self._set_station, tip=STATION_TIP), 1)
        box.addLayout(line)
        lands = ("open", "hedges", "forest", "built-up")
        box.addWidget(self._choice("terrain", "Land along the road", lands, self._set_terrain))
        box.addStretch()

    def _lay_notes(self, body: QVBoxLayout) -> None:
        frame, box = panel()
        body.addWidget(frame)
        box.addWidget(label("Notes", "heading"))
        self.notes = Words(lines=3)
        self.notes.setAccessibleName("Notes")
        self.notes.setTabChangesFocus(True)
        self.notes.textChanged.connect(self._notes_typed)
        box.addWidget(self.notes)
        self.attached = AttachedRow(self.session, "study")
        box.addWidget(self.attached)

    def _field(self, key: str, words: str, commit: Callable[[str], None], unit: str = "", tip: str = "") -> Field:
        field = Field(words, commit, unit=unit, tip=tip)
        self.fields[key] = field
        return field

    def _choice(self, key: str, words: str, options: tuple[str, ...], commit: Callable[[str], None]) -> QWidget:
        holder, box = named_choice(words, options, commit)
        self.boxes[key] = box
        return holder

    # ------------------------------------------------------------ edits

    def _edit(self, text: str, **changes: Any) -> None:
        study = self.session.study
        if study is None:
            return
        try:
            after = study.with_(**changes)
        except ValueError as error:
            raise ValueError(words_of(error)) from error
        if not self.session.edit(after, text):
            raise ValueError("could not be saved")

    @property
    def _study(self) -> Study:
        assert self.session.study is not None
        return self.session.study

    def _plain(self, name: str) -> Callable[[str], None]:
        return lambda text: self._edit(name.replace("_", " "), **{name: text})

    def _set_title(self, text: str) -> None:
        if not text:
            raise ValueError("a study needs a title")
        self._edit("title", title=text)

    def _set_kind(self, kind: str) -> None:
        change = self._study.change.with_(kind=kind, mechanism=change_kind(kind).mechanism)
        self._edit("kind of change", change=change, plan=_plan_of(self._study, self._study.with_(change=change)))

    def _set_mechanism(self, mechanism: str) -> None:
        if mechanism in MECHANISMS:  # a list of several is shown as it is
            self._edit("mechanism", change=self._study.change.with_(mechanism=mechanism))

    def _set_method(self, method: str) -> None:
        self._edit("method", method=method, plan=_plan_of(self._study, self._study.with_(method=method)))

    def _set_subject(self, words: str) -> None:
        subject = next((key for key, known in SUBJECT_WORDS.items() if known == words), None)
        if subject is not None:
            self._edit("what the change is", change=self._study.change.with_(subject=subject))

    def _set_prediction(self, text: str) -> None:
        try:
            change = self._study.change.with_(**read_prediction(text, self.session.units))
        except ValueError as error:
            raise ValueError(words_of(error)) from error
        self._edit("prediction", change=change)

    def _set_claim(self, text: str) -> None:
        claim = self._study.change.claim
        try:
            change = self._study.change.with_(claim=read_claim(text, claim.by if claim else ""))
        except ValueError as error:
            raise ValueError(words_of(error)) from error
        self._edit("claim", change=change)

    def _set_claimed_by(self, text: str) -> None:
        claim = self._study.change.claim
        if claim is None:
            if text:
                raise ValueError("enter what is claimed first")
            return
        self._edit("whose claim", change=self._study.change.with_(claim=claim.with_(by=text)))

    def _set_smallest(self, text: str) -> None:
        value = _percent(text)
        self._edit("smallest effect that matters", smallest_effect_percent=1.0 if value is None else value)

    def _set_confidence(self, text: str) -> None:
        value = _percent(text)
        self._edit("confidence", confidence=0.95 if value is None else value / 100.0)

    def _set_speed(self, text: str) -> None:
        kmh = read_quantity(text, "speed", self.session.units.speed) if text else None
        self._edit("speed", target_speed_kmh=kmh)

    def _set_reference(self, name: str, quantity: str) -> Callable[[str], None]:
        def commit(text: str) -> None:
            if not text:
                raise ValueError("a reference is needed; 15 \u00b0C is usual")
            value = read_quantity(text, quantity, getattr(self.session.units, quantity))
            try:
                reference = self._study.reference.with_(**{name: value})
            except ValueError as error:
                raise ValueError(words_of(error)) from error
            self._edit("reference", reference=reference)

        return commit

    def _set_mast(self, text: str) -> None:
        self._edit_wind("height of the mast", measured_at_m=read_in(text, "m") if text else 10.0)

    def _set_station(self, text: str) -> None:
        km = read_quantity(text, "distance", self.session.units.distance) if text else None
        self._edit_wind("distance of the station", station_km=km)

    def _set_terrain(self, terrain: str) -> None:
        self._edit_wind("land along the road", terrain=terrain)

    def _edit_wind(self, what: str, **values: str | float | None) -> None:
        try:
            wind = self._study.wind.with_(**values)
        except ValueError as error:
            raise ValueError(words_of(error)) from error
        self._edit(what, wind=wind)

    def _seal(self) -> None:
        from fairmargin.desktop.dialogs.sealing import SealDialog

        dialog = SealDialog(self._study, self)
        if dialog.exec() and dialog.sealed is not None:
            self.session.edit_for_good(dialog.sealed)
        dialog.deleteLater()

    def _notes_typed(self) -> None:
        if self.session.study is not None and self.notes.hasFocus():
            self._edit("notes", notes=self.notes.toPlainText())

    # ------------------------------------------------------------ drawing

    def refresh(self, study: Study) -> None:
        f = self.fields
        one, span, _ = example_words(self.session.units)
        f["prediction"].show_tip(f"\u22124, 5 % less, {one}, or {span}")
        for part in (
            self.sides,
            self.vehicle,
            self.remembered,
            self.vehicles,
            self.instruments,
            self.prompts,
            self.expected,
            self.calibration,
        ):
            part.refresh(study)
        there = compares(study)
        for shown in (*self._of_a_change, self.forgotten, self.prompts, self.expected):
            shown.setVisible(there)
        self.heading.setText("What is compared" if there else "What is driven")
        self.subtitle.setText(
            "say it before you drive" if there else "nothing is compared; a trial can be added at any time"
        )
        f["title"].show_text(study.title)
        f["tester"].show_text(study.tester)
        f["route_name"].show_text(study.route_name)
        show_choice(self.boxes["subject"], SUBJECT_WORDS[study.change.subject])
        show_choice(self.boxes["kind"], study.change.kind)
        mechanisms = study.change.mechanisms
        show_choice(self.boxes["mechanism"], mechanisms[0] if len(mechanisms) == 1 else " + ".join(mechanisms))
        show_choice(self.boxes["method"], study.method)
        show_choice(self.boxes["terrain"], study.wind.terrain)
        self.forgotten.setText(change_kind(study.change.kind).forgotten)
        self._show_expectation(study)
        self.attached.refresh(study)
        if self.notes.toPlainText() != study.notes and not self.notes.hasFocus():
            self.notes.blockSignals(True)
            self.notes.setPlainText(study.notes)
            self.notes.blockSignals(False)
        self.notes.setReadOnly(self.session.read_only)

    def _show_expectation(self, study: Study) -> None:
        units, f = self.session.units, self.fields
        sealed = study.registration
        f["prediction"].show_text(show_prediction(study.change))
        claim = study.change.claim
        f["claim"].show_text(show_claim(claim))
        f["claim_by"].show_text(claim.by if claim else "")
        f["prediction"].edit.setReadOnly(sealed is not None or self.session.read_only)
        driven = any(self.session.has_reading(leg) for leg in study.legs)
        self.seal.setEnabled(sealed is None and not driven and not self.session.read_only)
        self.seal.setVisible(sealed is None)
        if sealed is not None:
            self.sealed.setText(_sealed_words(study, sealed))
        else:
            self.sealed.setText(
                "Not sealed, and driving has begun: what is said now is said afterwards, and told so."
                if driven
                else "Say it before the drive, so that the hope cannot colour the verdict."
            )
        f["smallest"].show_text(show_number(study.smallest_effect_percent, 2))
        speed = study.target_speed_kmh
        f["speed"].show_text("" if speed is None else show_number(units.show("speed", speed), 1), units.speed)
        warming = study.change.is_warming
        f["reference_t"].setEnabled(not warming)
        f["reference_t"].setToolTip("What warming saves is stated for the air it was driven in." if warming else "")
        f["reference_t"].show_text(
            "as driven" if warming else show_number(units.show("temperature", study.reference.temperature_c), 1),
            "" if warming else units.temperature,
        )
        f["confidence"].show_text(show_number(100 * study.confidence, 1))
        f["mast"].show_text(show_number(study.wind.measured_at_m, 1))
        station = study.wind.station_km
        f["station"].show_text(
            "" if station is None else show_number(units.show("distance", station), 1), units.distance
        )


def _sealed_words(study: Study, sealed: Registration) -> str:
    """What was sealed, when, and what is said otherwise since."""
    pairs = f", {sealed.pairs} pairs" if sealed.pairs else ""
    said = predicted_words(sealed)
    words = f"Sealed {sealed.sealed_at:%Y-%m-%d %H:%M}: {said}{sealed_words(sealed)}{pairs}; checksum {sealed.checksum[:8]}."
    if sealed.leaving_out:
        words += f" A leg is left out only if: {sealed.leaving_out}."
    if sealed.looks:
        words += f" Looked at {sealed.looks} time{'s' if sealed.looks > 1 else ''} on the way."
    late = changed_since(study)
    return f"{words} Changed since: {', '.join(late)}." if late else words


def _percent(text: str) -> float | None:
    if not text:
        return None
    return read_in(text, "%")


def _plan_of(before: Study, after: Study) -> Plan:
    """The plan, with the usual lines of an edited checklist those of what the study becomes."""
    return before.plan.with_(checklist=carried_over(before.plan.checklist, before, after))

"""Load: what is aboard, on the roof and behind, against the lowest of the stated limits."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from fairmargin.core.planning.axles import check_axles
from fairmargin.core.planning.load import CAUTION, Check, cautions, check_load, read_limits, towing_budget_kg
from fairmargin.core.planning.planned_runs import leg_speed_kmh
from fairmargin.core.planning.tyres import tyre_rating
from fairmargin.core.study import Study
from fairmargin.core.study.cells import held_kmh
from fairmargin.core.study.entry import show_number, words_of
from fairmargin.core.units import in_units, read_in
from fairmargin.core.units import label as unit_label
from fairmargin.desktop.stages.planning.items_panel import ItemsPanel
from fairmargin.desktop.stages.planning.page import PlanPage
from fairmargin.desktop.state.session import Session
from fairmargin.desktop.widgets.attached import AttachedRow
from fairmargin.desktop.widgets.basics import label, panel, scrolling
from fairmargin.desktop.widgets.flow import Flow
from fairmargin.desktop.widgets.planning.load import LoadDrawing

MASSES = (
    ("vehicle_kg", "Vehicle as it stands"),
    ("aboard_scale_kg", "All aboard, by a scale"),
    ("trailer_kg", "Trailer, weighed"),
    ("nose_kg", "Nose weight"),
    ("jockey_kg", "Under jockey wheel"),
    ("people_kg", "People"),
    ("cargo_kg", "Cargo inside"),
    ("roof_kg", "On the roof"),
)
OTHERS = (
    ("axle_to_jockey_m", "Axle to jockey", "length"),
    ("axle_to_coupling_m", "Axle to coupling", "length"),
    ("water_l", "Water", "volume"),
    ("water_c", "Water at", "temperature"),
    ("fuel_l", "Fuel", "volume"),
)
BRIDGE = (
    ("front_axle_kg", "Front axle"),
    ("rear_axle_kg", "Rear axle"),
    ("front_axle_towing_kg", "Front, hitched"),
    ("rear_axle_towing_kg", "Rear, hitched"),
    ("trailer_axles_kg", "Trailer\u2019s axles"),
)
TYRES = (("tyres", "Tyres, with load index and symbol"), ("trailer_tyres", "Trailer\u2019s tyres"))
LIMITS = (
    ("payload_limit", "Payload plate"),
    ("gross_limit", "Gross limit"),
    ("roof_limit", "Roof limit"),
    ("towing_limit", "Trailer limits"),
    ("train_limit", "Train limit"),
    ("nose_limit", "Nose weight limits"),
    ("front_axle_limit", "Front axle limit"),
    ("rear_axle_limit", "Rear axle limit"),
)


#: Boxes of things that the list holds as well: there only where an earlier study filled them.
IN_THE_LIST = frozenset({"people_kg", "cargo_kg", "roof_kg", "water_l", "water_c", "fuel_l"})


class LoadPage(PlanPage):
    """Red, amber and green in words; each limit with its source."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(session, parent)
        row = QHBoxLayout()
        row.setSpacing(12)
        inner = QWidget()
        frame, box = panel()
        box.addWidget(label("What is aboard and behind", "heading"))
        self.items = ItemsPanel(session)
        column = QVBoxLayout(inner)
        column.setContentsMargins(0, 0, 6, 0)
        column.addWidget(self.items)
        fields = Flow(even=True)
        column.addLayout(fields)
        made = {n: self.field(n, words, self.number("load", n, words.lower(), "mass")) for n, words in MASSES}
        made |= {
            n: self.field(n, words, self.number("load", n, words.lower(), quantity)) for n, words, quantity in OTHERS
        }
        for name in sorted(made, key=lambda n: n in IN_THE_LIST):
            fields.addWidget(made[name])
        column.addWidget(label("On a weighbridge, laden", "heading"))
        weighed = Flow(even=True)
        column.addLayout(weighed)
        for name, words in BRIDGE:
            weighed.addWidget(self.field(name, words, self.number("load", name, words.lower(), "mass")))
        weighed.addWidget(self.field("trailer_axle_count", "Trailer has", self._axles))
        marked = Flow(even=True)
        column.addLayout(marked)
        for name, words in TYRES:
            marked.addWidget(self.field(name, words, self._marking(name), tip="As on the side wall: 225/55 R 17 97W"))
        tip = "Mass and where it is written, several apart by commas: 1500 car plate, 4650 - 2700 train less gross, 1350 coupling"
        for name, words in LIMITS:
            column.addWidget(self.field(name, words, self._limits(name), tip=tip))
        column.addStretch(1)
        box.addWidget(scrolling(inner, on_panel=True), 1)
        row.addWidget(frame, 5)
        frame, box = panel()
        box.addWidget(label("Against the lowest limit", "heading"))
        self.drawing = LoadDrawing()
        inner = QWidget()
        holder = QHBoxLayout(inner)
        holder.setContentsMargins(0, 0, 0, 0)
        holder.addWidget(self.drawing)
        box.addWidget(scrolling(inner, on_panel=True), 1)
        self.attached = AttachedRow(session, "load")
        box.addWidget(self.attached)
        self.left = label("", wrap=True)
        box.addWidget(self.left)
        self.careful = label("", "caution", wrap=True)
        box.addWidget(self.careful)
        box.addWidget(label(CAUTION, "caution", wrap=True))
        row.addWidget(frame, 6)
        self.body.addLayout(row, 1)
        for field in self.fields.values():
            field.edit.setMinimumWidth(48)
            field.unit.setMinimumWidth(22)

    def _limits(self, name: str) -> Callable[[str], None]:
        def commit(text: str) -> None:
            self.change_part("load", name.replace("_", " "), **{name: read_limits(text, self.session.units.mass)})

        return commit

    def _axles(self, text: str) -> None:
        count = read_in(text, "") if text else 1.0
        if count not in {1.0, 2.0, 3.0}:
            raise ValueError(f"{count:g} axles: expected 1 to 3")
        self.change_part("load", "trailer's axles", trailer_axle_count=int(count))

    def _marking(self, name: str) -> Callable[[str], None]:
        def commit(text: str) -> None:
            if text and tyre_rating(text) is None:
                raise ValueError(f'"{text}" has no load index and speed symbol; expected them at its end, such as 97W')
            self.change_part("load", name.replace("_", " "), **{name: text.strip()})

        return commit

    def refresh(self, study: Study) -> None:
        load, units = study.plan.load, self.session.units
        self.items.refresh(study)
        self.attached.refresh(study)
        self.careful.setText(" ".join(cautions(load)))
        self.careful.setVisible(bool(self.careful.text()))
        for name, _ in TYRES:
            self.fields[name].show_text(getattr(load, name))
            self.fields[name].edit.setPlaceholderText("225/55 R 17 97W")
        self.fields["trailer_axle_count"].show_text(
            f"{load.trailer_axle_count}", "axle" + "s" * (load.trailer_axle_count > 1)
        )
        for name, _ in (*MASSES, *BRIDGE):
            value = getattr(load, name)
            self.fields[name].show_text("" if value is None else show_number(units.show("mass", value), 1), units.mass)
        if load.vehicle_kg is None and study.vehicle.mass_kg:
            shown = units.show("mass", float(study.vehicle.mass_kg))
            self.fields["vehicle_kg"].edit.setPlaceholderText(f"{shown:.0f} as driven?")
        for name, _, quantity in OTHERS:
            other: float | None = getattr(load, name)
            there = None if other is None else units.show(quantity, other)
            self.fields[name].show_text(show_number(there, 2), unit_label(getattr(units, quantity)))
        for name in IN_THE_LIST:
            self.fields[name].setVisible(getattr(load, name) is not None)
        for name, _ in LIMITS:
            text = ", ".join(
                f"{show_number(units.show('mass', x.mass_kg), 0)} {units.mass} {x.source}".strip()
                for x in getattr(load, name)
            )
            self.fields[name].show_text(text)
        try:
            checks = tuple(replace(c, words=in_units(c.words, units)) for c in _checks(study))
            fault = ""
        except ValueError as error:
            checks, fault = (), words_of(error)
        self.drawing.show_checks(checks, load)
        budget = towing_budget_kg(load)
        if fault:
            self.left.setText(fault)
        elif budget is not None:
            word = "left" if budget >= 0 else "too much"
            self.left.setText(f"Train: {abs(units.show('mass', budget)):.0f} {units.mass} {word}.")
        else:
            self.left.setText("")


def _checks(study: Study) -> tuple[Check, ...]:
    """Every check of the load, axles and tyres among them, at the fastest speed that is planned."""
    speeds = [leg_speed_kmh(study, leg) for leg in study.legs if held_kmh(study, leg)]
    fastest = max(speeds) if speeds else study.target_speed_kmh
    return (*check_load(study.plan.load), *check_axles(study.plan.load, fastest))

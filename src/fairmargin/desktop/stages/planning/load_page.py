"""Load: what is aboard, on the roof and behind, against the lowest of the stated limits."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from fairmargin.core.planning.load import CAUTION, cautions, check_load, read_limits, towing_budget_kg
from fairmargin.core.study import Study
from fairmargin.core.study.entry import show_number, words_of
from fairmargin.core.units import in_units
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
LIMITS = (
    ("payload_limit", "Payload plate"),
    ("gross_limit", "Gross limit"),
    ("roof_limit", "Roof limit"),
    ("towing_limit", "Trailer limits"),
    ("train_limit", "Train limit"),
    ("nose_limit", "Nose weight limits"),
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
            field.unit.setFixedWidth(22)

    def _limits(self, name: str) -> Callable[[str], None]:
        def commit(text: str) -> None:
            self.change_part("load", name.replace("_", " "), **{name: read_limits(text, self.session.units.mass)})

        return commit

    def refresh(self, study: Study) -> None:
        load, units = study.plan.load, self.session.units
        self.items.refresh(study)
        self.attached.refresh(study)
        self.careful.setText(" ".join(cautions(load)))
        self.careful.setVisible(bool(self.careful.text()))
        for name, _ in MASSES:
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
            checks = tuple(replace(c, words=in_units(c.words, units)) for c in check_load(load))
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

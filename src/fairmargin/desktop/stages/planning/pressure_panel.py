"""Tyre pressures: what was set cold at one temperature, at another; what a hot reading is, cold."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QWidget

from fairmargin.core.study import Study
from fairmargin.core.study.entry import show_number
from fairmargin.core.units import in_units, read_quantity
from fairmargin.desktop.stages.planning.page import PlanPage
from fairmargin.desktop.state.session import Session
from fairmargin.desktop.widgets.basics import label, panel
from fairmargin.desktop.widgets.flow import Flow
from fairmargin.exchange.words.planning import cold_pressure_words, hot_pressure_words

#: Asked about and not kept: key, caption, quantity.
ASKED = (("now", "Today it is", "temperature"), ("read", "Read warm", "tyre"), ("tyre", "in tyres of", "temperature"))


class PressurePanel(PlanPage):
    """A gas of one volume, worked out."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(session, parent)
        frame, box = panel()
        box.addWidget(label("Tyre pressures", "heading"))
        row = Flow()
        row.addWidget(self.field("set", "Set cold to", self.number("plan", "tyre_set_kpa", "cold pressure", "tyre")))
        row.addWidget(self.field("set_c", "at", self.number("plan", "tyre_set_c", "their temperature", "temperature")))
        self._asked: dict[str, float] = {}
        for key, words, quantity in ASKED:
            row.addWidget(self.field(key, words, self._ask(key, quantity)))
        for made in self.fields.values():
            made.edit.setMinimumWidth(58)
        box.addLayout(row)
        self.words = label("", wrap=True)
        self.words.setAccessibleName("Pressures at other temperatures")
        box.addWidget(self.words)
        self.body.addWidget(frame)

    def _ask(self, key: str, quantity: str) -> Callable[[str], None]:
        def commit(text: str) -> None:
            if text:
                self._asked[key] = read_quantity(text, quantity, getattr(self.session.units, quantity))
            else:
                self._asked.pop(key, None)
            self.refresh(self.study)

        return commit

    def refresh(self, study: Study) -> None:
        plan, units = study.plan, self.session.units
        shown = {"set": (plan.tyre_set_kpa, "tyre"), "set_c": (plan.tyre_set_c, "temperature")}
        shown |= {key: (self._asked.get(key), quantity) for key, _, quantity in ASKED}
        for key, (value, quantity) in shown.items():
            text = "" if value is None else show_number(units.show(quantity, value), 2 if units.tyre == "bar" else 1)
            self.fields[key].show_text(text, getattr(units, quantity))
        outside = plan.forecast.temperature_c
        self.fields["now"].edit.setPlaceholderText(
            "" if outside is None else f"{units.show('temperature', outside):.0f}"
        )
        now = self._asked.get("now", outside)
        lines = []
        if plan.tyre_set_kpa is not None and plan.tyre_set_c is not None and now is not None:
            lines.append(cold_pressure_words(plan.tyre_set_kpa, plan.tyre_set_c, now))
        if {"read", "tyre"} <= self._asked.keys():
            at = plan.tyre_set_c if plan.tyre_set_c is not None else now
            if at is not None:
                set_to = plan.tyre_set_kpa if plan.tyre_set_c is not None else None
                lines.append(hot_pressure_words(self._asked["read"], self._asked["tyre"], set_to, at))
        self.words.setText(in_units(" ".join(lines), units))
        self.words.setVisible(bool(lines))

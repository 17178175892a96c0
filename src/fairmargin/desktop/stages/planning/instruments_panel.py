"""Facts of the instruments: the step of each, whatever digits it shows; and whether it counts."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PySide6.QtWidgets import QCheckBox, QGridLayout, QVBoxLayout, QWidget

from fairmargin.core.evidence.indirect import AVERAGES, RANGE_LEFT, RATED
from fairmargin.core.study import INSTRUMENTS, Study
from fairmargin.core.study.entry import show_number, words_of
from fairmargin.core.study.values import Instrument
from fairmargin.core.units import consumption_unit, label, read_number
from fairmargin.desktop.stages.base import Field
from fairmargin.desktop.state.session import Session
from fairmargin.desktop.widgets.basics import label as words_label
from fairmargin.desktop.widgets.basics import panel

#: Unit of each instrument's step; the trip average has the person's own.
RANGES = frozenset({RATED, RANGE_LEFT})
STEP_UNITS = {"trip energy": "kWh", "state of charge": "%", "charge back": "kWh", "fuel": "L", "logger": "kWh"}


class InstrumentsPanel(QWidget):
    """A line for each instrument that a leg can be read with."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        frame, box = panel()
        box.addWidget(words_label("Instruments", "heading"))
        box.addWidget(
            words_label(
                "The step is what an instrument can show at the least, whatever digits it has: a display that moves in whole "
                "units has a step of 1 though it shows 15.0. Empty: found from the figures.",
                "muted",
                wrap=True,
            )
        )
        grid = QGridLayout()
        grid.setHorizontalSpacing(14)
        box.addLayout(grid)
        self.fields: dict[str, Field] = {}
        self.counts: dict[str, QCheckBox] = {}
        for i, name in enumerate(INSTRUMENTS):
            field = Field(f"Step of the {name}", self._step_setter(name))
            check = QCheckBox("counts")
            check.setAccessibleName(f"{name} counts")
            check.setToolTip("Off: kept and shown, but not trusted")
            check.clicked.connect(lambda on, n=name: self._change(n, trusted=on))
            self.fields[name], self.counts[name] = field, check
            grid.addWidget(field, i // 3 * 2, i % 3)
            grid.addWidget(check, i // 3 * 2 + 1, i % 3)
        column.addWidget(frame)

    @property
    def _study(self) -> Study:
        assert self.session.study is not None
        return self.session.study

    def refresh(self, study: Study) -> None:
        """Show what is known of each."""
        for name, field in self.fields.items():
            fact = study.instruments.get(name)  # type: ignore[call-overload]
            unit = STEP_UNITS.get(name) or self._own_unit(name)
            text = ""
            if fact is not None and fact.step is not None:
                text = show_number(fact.step, 3)
                if fact.unit and label(fact.unit) != unit:
                    text += f" {label(fact.unit)}"
            field.show_text(text, unit)
            field.show_tip(f"Such as 1 {unit}, or 0.1 {unit}")
            self.counts[name].setChecked(fact is None or fact.trusted)
            self.counts[name].setEnabled(not self.session.read_only)

    def _own_unit(self, name: str) -> str:
        """Unit of a step typed without one, where it is the person's."""
        return self.session.units.distance if name in RANGES else label(self.session.units.consumption)

    def _step_setter(self, name: str) -> Callable[[str], None]:
        def commit(text: str) -> None:
            if not text:
                self._change(name, step=None, unit=None)
                return
            number = read_number(text)
            if name in AVERAGES:
                unit: Any = consumption_unit(number.rest) if number.rest else self.session.units.consumption
            elif name in RANGES:
                unit = number.rest.lower() or self.session.units.distance
                if unit not in {"km", "mi"}:
                    raise ValueError(f'"{number.rest}" is no unit of the {name}; expected km or mi')
            else:
                unit = STEP_UNITS[name]
                if number.rest and number.rest.lower() != unit.lower():
                    raise ValueError(f'"{number.rest}" is no unit of the {name}; expected {unit}')
            self._change(name, step=number.value, unit=unit)

        return commit

    def _change(self, name: str, **changes: Any) -> None:
        study = self._study
        facts: dict[Any, Instrument] = dict(study.instruments)
        try:
            made = facts.get(name, Instrument()).with_(**changes)
        except ValueError as error:
            raise ValueError(words_of(error)) from error
        if made == Instrument():
            facts.pop(name, None)
        else:
            facts[name] = made
        self.session.edit(study.with_(instruments=facts), f"facts of the {name}")

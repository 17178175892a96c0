"""Use: what the result means in range, energy and money."""

from __future__ import annotations

from PySide6.QtWidgets import QHBoxLayout, QWidget

from fairmargin.core.outcome import driving_range, energy_per_year_kwh
from fairmargin.core.result.results import Result
from fairmargin.core.result.types import Comparison
from fairmargin.core.study import NamedVehicle, Study
from fairmargin.core.study.cells import vehicle_of
from fairmargin.core.study.entry import show_number, words_of
from fairmargin.core.units import UnitChoice, read_in, read_quantity
from fairmargin.desktop.session import Session
from fairmargin.desktop.stages.base import Field, Stage
from fairmargin.desktop.widgets.basics import label, panel, percent
from fairmargin.desktop.widgets.charts import RangeBars
from fairmargin.desktop.widgets.fairness import alone_result
from fairmargin.exchange.wording import (
    consumption_words,
    quoted,
    result_lines,
    result_name,
    side_words,
    stated_speed,
    units_of,
)


class UseStage(Stage):
    """Range and cost with and without the change."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(session, "Use", parent)
        body = self.scrolled()
        frame, box = panel()
        box.addWidget(label("Range", "heading"))
        self.range_words = label("", "muted", wrap=True)
        box.addWidget(self.range_words)
        self.bars = RangeBars()
        box.addWidget(self.bars)
        row = QHBoxLayout()
        self.capacity = Field("Usable capacity", self._set_capacity, unit="kWh")
        self.reserve = Field("Reserve to keep", self._set_reserve, unit="%")
        row.addWidget(self.capacity)
        row.addWidget(self.reserve)
        row.addStretch()
        box.addLayout(row)
        body.addWidget(frame)
        frame, box = panel()
        box.addWidget(label("A year with it", "heading"))
        row = QHBoxLayout()
        self.yearly = Field("Distance a year", self._setting("yearly_km", "distance"))
        self.price = Field("Price per kWh", self._setting("price", ""), unit="in your money")
        row.addWidget(self.yearly)
        row.addWidget(self.price)
        row.addStretch()
        box.addLayout(row)
        self.cost = label("", wrap=True)
        self.cost.setStyleSheet("font-size: 14px;")
        box.addWidget(self.cost)
        body.addWidget(frame)
        body.addWidget(
            label(
                "Plan on less than this: wind, cold and rain cost range, and capacity fades with age.",
                "caution",
            )
        )
        body.addStretch()

    def _number(self, name: str, default: float) -> float:
        try:
            return float(str(self.session.settings.value(f"use/{name}", default)))
        except ValueError:
            return default

    def _setting(self, name: str, quantity: str):  # type: ignore[no-untyped-def]
        def commit(text: str) -> None:
            value = 0.0
            if text and quantity:
                value = read_quantity(text, quantity, getattr(self.session.units, quantity))
            elif text:
                value = read_in(text, "/kWh")
            if value < 0:
                raise ValueError("expected a number of 0 or more")
            study = self.session.study
            fuel = study is not None and vehicle_of(study, self._vehicle).energy != "electric"
            key = f"{name}_fuel" if name == "price" and fuel else name
            self.session.settings.setValue(f"use/{key}", value)
            self.touch()

        return commit

    @property
    def _vehicle(self) -> str:
        """Id of the vehicle that is spoken of; "" for the study's."""
        c = self.session.comparison
        alone = alone_result(self.session.analysis)
        return c.vehicle if c is not None else alone.vehicle if alone is not None else ""

    def _set_capacity(self, text: str) -> None:
        study = self.session.study
        if study is None:
            return
        own = vehicle_of(study, self._vehicle)
        name, unit = ("usable_capacity_kwh", "kWh") if own.energy == "electric" else ("tank_l", "L")
        value = read_in(text, unit) if text else None
        try:
            changed = own.with_(**{name: value})
            if isinstance(changed, NamedVehicle):
                fleet = tuple(changed if v.id == changed.id else v for v in study.vehicles)
                after = study.with_(vehicles=fleet)
            else:
                after = study.with_(vehicle=changed)
        except ValueError as error:
            raise ValueError(words_of(error)) from error
        self.session.edit(after, "capacity")

    def _set_reserve(self, text: str) -> None:
        value = read_in(text, "%") if text else 15.0
        if not 0 <= value <= 60:
            raise ValueError(f"{value:g} % is no reserve; 10 to 20 % is usual")
        self.session.settings.setValue("use/reserve", value)
        self.touch()

    def refresh(self, study: Study) -> None:
        analysis, c = self.session.analysis, self.session.comparison
        own = vehicle_of(study, self._vehicle)
        units, fuel = units_of(study, self._vehicle, self.session.units), own.energy != "electric"
        reserve = self._number("reserve", 15.0) / 100.0
        self.capacity.caption.setText("Tank" if fuel else "Usable capacity")
        self.capacity.show_text(
            show_number(own.tank_l if fuel else own.usable_capacity_kwh, 1), "L" if fuel else "kWh"
        )
        self.reserve.show_text(show_number(100 * reserve, 0))
        yearly = self._number("yearly_km", 15000.0)
        price = self._number("price_fuel", 1.8) if fuel else self._number("price", 0.3)
        self.yearly.show_text(show_number(units.show("distance", yearly), 0), units.distance)
        self.price.caption.setText("Price per litre" if fuel else "Price per kWh")
        self.price.show_text(show_number(price, 3))
        alone = alone_result(analysis)
        if c is None:
            self._show_alone(study, alone, reserve, analysis.missing if analysis else "")
            return
        trial, base = (side_words(study, x, units) for x in (c.trial, c.baseline))
        self.subtitle.setText(f"at {stated_speed(study, c, units)}, reference conditions")
        self.range_words.setText(
            f"{consumption_words(c.baseline_wh_per_km, units)} with {quoted(base)}, "
            f"{consumption_words(c.trial_wh_per_km, units)} with {quoted(trial)}: range {percent(c.range_change_percent)}."
        )
        bars: list[tuple[str, int | None, float, float, float, float]] = []
        if own.stored_wh:
            low, high = (c.baseline_wh_per_km * (1 + p / 100) for p in c.interval_percent)
            for name, which, level, ends in (
                (base, None, c.baseline_wh_per_km, (c.baseline_wh_per_km, c.baseline_wh_per_km)),
                (trial, study.trial_number(c.trial), c.trial_wh_per_km, (high, low)),
            ):
                bars.append(_bar(name, which, own.stored_wh, level, ends, reserve, units))
        self.bars.show_bars(bars, units.distance)
        self.cost.setText(self._yearly(c, (base, trial), yearly, price, own.heating_value if fuel else None))

    def _show_alone(self, study: Study, alone: Result | None, reserve: float, missing: str) -> None:
        """Range of one configuration, as driven; nothing is compared."""
        units = units_of(study, self._vehicle, self.session.units)
        stored = vehicle_of(study, self._vehicle).stored_wh
        bars: list[tuple[str, int | None, float, float, float, float]] = []
        if alone is None:
            self.subtitle.setText("no comparison yet")
            self.range_words.setText(missing)
        else:
            self.subtitle.setText("one configuration, as driven")
            self.range_words.setText(" ".join(result_lines(study, alone, self.session.units)))
        if alone is not None and stored and alone.as_driven_wh_per_km and alone.as_driven_interval:
            low, high = alone.as_driven_interval
            name = result_name(study, alone, units)
            bars = [_bar(name, None, stored, alone.as_driven_wh_per_km, (high, low), reserve, units)]
        self.bars.show_bars(bars, units.distance)
        self.cost.setText("")

    def _yearly(
        self, c: Comparison, names: tuple[str, str], yearly_km: float, price: float, heating: float | None
    ) -> str:
        """Energy or fuel of a year, and what the difference is worth."""
        per, unit = (1.0, "kWh") if heating is None else (heating / 1000.0, "L")
        per_year = [
            energy_per_year_kwh(w, yearly_km) / per for w in (c.baseline_wh_per_km, c.trial_wh_per_km)
        ]
        within = [
            energy_per_year_kwh(c.baseline_wh_per_km * p / 100, yearly_km) / per for p in c.interval_percent
        ]
        difference = per_year[1] - per_year[0]
        word, sign = ("more", 1) if difference > 0 else ("less", -1)
        worth = sorted(sign * end * price for end in within)
        text = (
            f"{per_year[0]:.0f} {unit} a year with {quoted(names[0])}; {abs(difference):.0f} {unit} {word} with {quoted(names[1])} "
            f"({_side(within[0], unit)} to {_side(within[1], unit)}), worth {abs(difference) * price:.0f} in your money "
            f"(margin {worth[0]:.0f} to {worth[1]:.0f} {word})."
        )
        if c.verdict not in {"uses more", "uses less"}:
            text = f"Not settled, so no saving can be promised. If it were the best guess: {text}"
        return text.replace("-", "\u2212")


def _bar(
    name: str,
    which: int | None,
    stored_wh: float,
    wh_per_km: float,
    ends: tuple[float, float],
    reserve: float,
    units: UnitChoice,
) -> tuple[str, int | None, float, float, float, float]:
    """One bar of ranges: name, trial, full, to the reserve, and the ends of its margin, in the person's unit."""
    reach = driving_range(stored_wh / 1000.0, wh_per_km, reserve)
    a, b = (driving_range(stored_wh / 1000.0, e, reserve).to_reserve_km for e in ends)
    full, kept, low, high = (units.show("distance", x) for x in (reach.full_km, reach.to_reserve_km, a, b))
    return name, which, full, kept, low, high


def _side(amount: float, unit: str) -> str:
    return f"{abs(amount):.0f} {unit} {'more' if amount > 0 else 'less'}"

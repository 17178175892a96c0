"""Use: what the result means in range, energy and money."""

from __future__ import annotations

from PySide6.QtWidgets import QHBoxLayout, QWidget

from fairmargin.core.outcome import driving_range, energy_per_year_kwh
from fairmargin.core.study import Study
from fairmargin.core.study.entry import show_number, words_of
from fairmargin.core.units import read_in, read_quantity
from fairmargin.desktop.session import Session
from fairmargin.desktop.stages.base import Field, Stage
from fairmargin.desktop.widgets.basics import label, panel, percent
from fairmargin.desktop.widgets.charts import RangeBars
from fairmargin.exchange.wording import consumption_words, speed_words


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
            self.session.settings.setValue(f"use/{name}", value)
            self.touch()

        return commit

    def _set_capacity(self, text: str) -> None:
        study = self.session.study
        if study is None:
            return
        value = read_in(text, "kWh") if text else None
        try:
            after = study.with_(vehicle=study.vehicle.with_(usable_capacity_kwh=value))
        except ValueError as error:
            raise ValueError(words_of(error)) from error
        self.session.edit(after, "usable capacity")

    def _set_reserve(self, text: str) -> None:
        value = read_in(text, "%") if text else 15.0
        if not 0 <= value <= 60:
            raise ValueError(f"{value:g} % is no reserve; 10 to 20 % is usual")
        self.session.settings.setValue("use/reserve", value)
        self.touch()

    def refresh(self, study: Study) -> None:
        units = self.session.units
        analysis = self.session.analysis
        c = self.session.comparison
        capacity = study.vehicle.usable_capacity_kwh
        reserve = self._number("reserve", 15.0) / 100.0
        self.capacity.show_text(show_number(capacity, 1))
        self.reserve.show_text(show_number(100 * reserve, 0))
        yearly, price = self._number("yearly_km", 15000.0), self._number("price", 0.3)
        self.yearly.show_text(show_number(units.show("distance", yearly), 0), units.distance)
        self.price.show_text(show_number(price, 3))
        if c is None:
            self.subtitle.setText("no comparison yet")
            self.range_words.setText(analysis.missing if analysis else "")
            self.bars.show_bars((), units.distance)
            self.cost.setText("")
            return
        trial, base = study.side_label(c.trial), study.side_label(c.baseline)
        self.subtitle.setText(f"at {speed_words(c.speed_kmh, units)}, reference conditions")
        self.range_words.setText(
            f"{consumption_words(c.baseline_wh_per_km, units)} with {base.lower()}, "
            f"{consumption_words(c.trial_wh_per_km, units)} with {trial.lower()}: range {percent(c.range_change_percent)}."
        )
        index = [t.id for t in study.trials].index(c.trial)
        bars = []
        if capacity:
            low, high = (c.baseline_wh_per_km * (1 + p / 100) for p in c.interval_percent)
            for name, which, level, ends in (
                (base, None, c.baseline_wh_per_km, (c.baseline_wh_per_km, c.baseline_wh_per_km)),
                (trial, index, c.trial_wh_per_km, (high, low)),
            ):
                reach = driving_range(capacity, level, reserve)
                a, b = (
                    units.show("distance", driving_range(capacity, e, reserve).to_reserve_km) for e in ends
                )
                bars.append(
                    (
                        name,
                        which,
                        units.show("distance", reach.full_km),
                        units.show("distance", reach.to_reserve_km),
                        a,
                        b,
                    )
                )
        self.bars.show_bars(bars, units.distance)
        per_year = [energy_per_year_kwh(w, yearly) for w in (c.baseline_wh_per_km, c.trial_wh_per_km)]
        within = [energy_per_year_kwh(c.baseline_wh_per_km * p / 100, yearly) for p in c.interval_percent]
        settled = c.verdict in {"uses more", "uses less"}
        difference = per_year[1] - per_year[0]
        word = "more" if difference > 0 else "less"
        sign = 1 if difference > 0 else -1
        worth = sorted(sign * end * price for end in within)
        text = (
            f"{per_year[0]:.0f} kWh a year with {base.lower()}; {abs(difference):.0f} kWh {word} with {trial.lower()} "
            f"({_side(within[0])} to {_side(within[1])}), worth {abs(difference) * price:.0f} in your money (margin {worth[0]:.0f} to {worth[1]:.0f} {word})."
        )
        if not settled:
            text = f"Not settled, so no saving can be promised. If it were the best guess: {text}"
        self.cost.setText(text)


def _side(kwh: float) -> str:
    return f"{abs(kwh):.0f} {'more' if kwh > 0 else 'less'}"

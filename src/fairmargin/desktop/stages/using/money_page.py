"""Money: what a distance, a year and a purchase cost, of every configuration and vehicle."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QGridLayout, QHeaderView, QTableWidgetItem, QWidget

from fairmargin.core.outcome import energy_per_year_kwh
from fairmargin.core.outcome.money import (
    FromTheWall,
    Prices,
    bought_wh_per_km,
    cost_per_km,
    payback,
    saving_per_year,
    saving_with_wall,
)
from fairmargin.core.result.results import WHOLE, Result
from fairmargin.core.result.types import Comparison
from fairmargin.core.study import Study
from fairmargin.core.study.cells import vehicle_of
from fairmargin.core.study.entry import show_number, words_of
from fairmargin.core.units import label as unit_label
from fairmargin.core.units import read_in, read_number
from fairmargin.core.words import signed
from fairmargin.desktop.stages.base import Field
from fairmargin.desktop.stages.using.fuel_fields import read_price_a_litre, shown_price_a_litre
from fairmargin.desktop.stages.using.page import UsePage
from fairmargin.desktop.state.session import Session
from fairmargin.desktop.widgets.basics import label, panel
from fairmargin.desktop.widgets.tables import Table
from fairmargin.exchange.words.figures import consumption_words
from fairmargin.exchange.words.names import quoted, result_name, side_words, units_of

MOST_ROWS = 12


class MoneyPage(UsePage):
    """A year with it."""

    def __init__(self, session: Session, touch: Callable[[], None], parent: QWidget | None = None) -> None:
        super().__init__(session, touch, parent)
        self._lay_prices()
        frame, box = panel()
        box.addWidget(label("A year with it", "heading"))
        self.cost = label("", wrap=True)
        self.cost.setStyleSheet("font-size: 14px;")
        box.addWidget(self.cost)
        self.pays = label("", wrap=True)
        box.addWidget(self.pays)
        self.body.addWidget(frame)
        self.frame, box = panel()
        box.addWidget(label("What each costs", "heading"))
        self.table = Table(0, 4, "What each costs")
        box.addWidget(self.table)
        self.body.addWidget(self.frame)
        self.body.addWidget(
            label(
                "Prices change; a margin of the effect is one of the saving as well. Wear, tyres and time are not in it.",
                "caution",
            )
        )
        self.body.addStretch()

    def _lay_prices(self) -> None:
        frame, box = panel()
        box.addWidget(label("Prices, in your money", "heading"))
        grid = QGridLayout()
        grid.setHorizontalSpacing(12)
        self.price = Field("Price per kWh", self._set_price, tip="From the wall at home")
        self.public = Field(
            "Elsewhere, per kWh", self.keep(lambda: "public", unit="/kWh"), tip="At public chargers, dispensed"
        )
        self.share = Field(
            "Charged elsewhere", self.keep(lambda: "public_share", unit="%", high=100.0), unit="%", placeholder="0"
        )
        self.road = Field(
            "Road charge", self._set_road, tip="For each kilometre or mile, whatever is burnt", placeholder="0"
        )
        self.yearly = Field("Distance a year", self.keep(lambda: "yearly_km", quantity="distance"))
        self.purchase = Field(
            "It costs to buy", self._set_purchase, tip="The change: wheels, covers, tyres", placeholder="nothing"
        )
        self.rate = Field("Interest", self.keep(lambda: "rate", unit="%", high=50.0), unit="%", placeholder="0")
        self.years = Field("Years kept", self.keep(lambda: "years", low=0.1, high=100.0), placeholder="not known")
        for i, made in enumerate(
            (self.price, self.public, self.share, self.road, self.yearly, self.purchase, self.rate, self.years)
        ):
            grid.addWidget(made, i // 4, i % 4)
        box.addLayout(grid)
        self.body.addWidget(frame)

    def _set_price(self, text: str) -> None:
        if text and self._price_name() == "price_fuel":
            text = f"{read_price_a_litre(text, self.session.units):.9g}"
        self.keep(self._price_name, unit="/kWh")(text)

    def _price_name(self) -> str:
        """Kept apart for fuel and electricity."""
        fuel = self.session.study is not None and self.vehicle.energy != "electric"
        return "price_fuel" if fuel else "price"

    def _set_road(self, text: str) -> None:
        """Typed for each kilometre or mile, kept for each kilometre: other units show the same charge otherwise."""
        value: float | str = ""
        if text:
            value = read_number(text).value * self.session.units.show("distance", 1.0)
            if value < 0:
                raise ValueError("expected a number of 0 or more")
        self.session.settings.setValue("use/road_a_km", value)
        self.touch()

    def _set_purchase(self, text: str) -> None:
        value = read_in(text, "") if text else None
        study = self.study
        try:
            after = study.with_(change=study.change.with_(purchase_price=value))
        except ValueError as error:
            raise ValueError(words_of(error)) from error
        if not self.session.edit(after, "purchase price"):
            raise ValueError("could not be saved")

    def subtitle(self, study: Study) -> str:
        return "what it is worth"

    def refresh(self, study: Study) -> None:
        units, fuel = self.units, self.vehicle.energy != "electric"
        gallons = units.volume != "L"
        self.price.caption.setText(f"Price per {'gallon' if gallons else 'litre'}" if fuel else "Price per kWh")
        self.price.edit.setToolTip("" if fuel else "From the wall at home")
        price = self.own.known(self._price_name())
        self.price.show_text(*(shown_price_a_litre(price, units) if fuel else (show_number(price, 3), "")))
        self.public.show_text(show_number(self.own.known("public"), 3))
        self.share.show_text(show_number(self.own.known("public_share"), 0))
        self.public.setVisible(not fuel)
        self.share.setVisible(not fuel)
        road = self.own.known("road_a_km")
        shown = None if road is None else road / self.session.units.show("distance", 1.0)
        self.road.show_text(show_number(shown, 4), f"/{units.distance}")
        yearly = self.own.km_per_year
        self.yearly.show_text(show_number(units.show("distance", yearly), 0), units.distance)
        self.purchase.show_text(show_number(study.change.purchase_price, 2))
        self.rate.show_text(show_number(self.own.known("rate"), 2))
        self.years.show_text(show_number(self.own.known("years"), 1))
        c = self.session.comparison
        self.cost.setText("" if c is None else self._yearly(study, c, yearly))
        self._show_payback(study, c, yearly)
        self._show_table(study, yearly)

    def _yearly(self, study: Study, c: Comparison, yearly_km: float) -> str:
        """Energy or fuel of a year, and what the difference is worth."""
        trial, base = (side_words(study, x, self.units) for x in (c.trial, c.baseline))
        own = self.vehicle
        electric = own.energy == "electric"
        per, unit = (1.0, "kWh")
        if not electric:
            per, unit = own.heating_value / 1000.0 / self.units.show("volume", 1.0), unit_label(self.units.volume)
        levels = [c.baseline_wh_per_km, c.trial_wh_per_km]
        ends = c.interval_percent
        wall = c.grid if electric else None
        if wall is not None:  # what was drawn before the drive was drawn for it
            levels = [levels[0] + wall.baseline_wh_per_km, levels[1] + wall.trial_wh_per_km]
            ends = wall.interval_percent
        per_year = [energy_per_year_kwh(w, yearly_km) / per for w in levels]
        within = [energy_per_year_kwh(levels[0] * p / 100, yearly_km) / per for p in ends]
        difference = per_year[1] - per_year[0]
        word = "more" if difference > 0 else "less"
        what = "drive and wall together, " if wall is not None else ""
        text = (
            f"{what}{per_year[0]:.0f} {unit} a year with {quoted(base)}; {abs(difference):.0f} {unit} {word} with {quoted(trial)} "
            f"({_side(within[0], unit)} to {_side(within[1], unit)})"
        )
        if electric:
            sides = (wall.baseline_wh_per_km, wall.trial_wh_per_km) if wall is not None else (0.0, 0.0)
            each = zip((c.baseline_wh_per_km, c.trial_wh_per_km), sides, strict=True)
            bought = [energy_per_year_kwh(bought_wh_per_km(w, own, x), yearly_km) for w, x in each]
            share = 100 * own.constants().charging_efficiency
            text += f"; bought at home {bought[0]:.0f} and {bought[1]:.0f} kWh, for {share:.0f} % of it arrives in the battery"
        saving = self._saving(c, yearly_km)
        if saving is None:
            text += f". What that is worth wants {'the prices per kWh' if electric else 'the price of fuel'}."
        else:
            dearer = saving.per_year < 0
            worth = sorted((-1 if dearer else 1) * x for x in saving.interval)
            text += (
                f"; {quoted(trial)} costs {abs(saving.per_year):.0f} {'more' if dearer else 'less'} a year in your money (margin "
                f"{signed(worth[0], 0).lstrip('+')} to {signed(worth[1], 0).lstrip('+')} {'more' if dearer else 'less'})."
            )
        if c.verdict == "no difference that matters":
            return f"No difference that matters, and so none that pays. By the best guess: {text}"
        return (
            text
            if self._settled(c)
            else f"Not settled, so no saving can be promised. If it were the best guess: {text}"
        )

    @staticmethod
    def _settled(c: Comparison) -> bool:
        """Whether the saving has a side: of a warm-up with what the wall gave."""
        if c.grid is not None and c.verdict != "not a fair comparison":
            low, high = c.grid.interval_percent
            return low > 0 or high < 0
        return c.verdict in {"uses more", "uses less"}

    def _saving(self, c: Comparison, yearly_km: float):  # type: ignore[no-untyped-def]
        prices = self.own.prices()
        base = cost_per_km(c.baseline_wh_per_km, self.vehicle, prices)
        if base is None:
            return None
        if c.grid is not None and self.vehicle.energy == "electric" and prices.energy is not None:
            g = c.grid
            wall = FromTheWall(g.baseline_wh_per_km, g.trial_wh_per_km, g.effect_percent, g.interval_percent)
            return saving_with_wall(
                (c.baseline_wh_per_km, c.trial_wh_per_km), self.vehicle, wall, prices.energy, yearly_km
            )
        percent = 100 * (c.trial_wh_per_km / c.baseline_wh_per_km - 1)
        return saving_per_year(base, percent, c.interval_percent, prices.road, yearly_km)

    def _show_payback(self, study: Study, c: Comparison | None, yearly_km: float) -> None:
        price = study.change.purchase_price
        saving = None if c is None else self._saving(c, yearly_km)
        if price is None or saving is None:
            self.pays.setText("" if price is None else "Whether it pays for itself wants a comparison and its prices.")
        else:
            found = payback(float(price), saving, (self.own.known("rate") or 0.0) / 100.0)
            words = found.words(self.own.known("years"))
            guess = f"By the best guess: {words[0].lower()}{words[1:]}"
            if c is not None and c.verdict == "no difference that matters":
                words = f"No difference that matters, so nothing pays it back. {guess}"
            elif c is None or not self._settled(c):
                words = f"Not settled, so nothing is promised to pay it back. {guess}"
            self.pays.setText(words)
        self.pays.setVisible(bool(self.pays.text()))

    def _show_table(self, study: Study, yearly_km: float) -> None:
        """Each vehicle and configuration: its consumption, a hundred of distance, a year."""
        analysis, units, prices = self.session.analysis, self.session.units, self.own.prices()
        every = [] if analysis is None else [r for r in analysis.results if r.wh_per_km or r.as_driven_wh_per_km]
        whole = [r for r in every if r.sector == WHOLE]
        rows = (whole or every)[:MOST_ROWS]
        self.frame.setVisible(len(rows) > 0)
        self.table.setHorizontalHeaderLabels(["", "consumption", f"100 {units.distance}", "a year"])
        self.table.setRowCount(len(rows))
        for i, r in enumerate(rows):
            for j, text in enumerate(self._cells(study, r, yearly_km, prices)):
                item = QTableWidgetItem(text)
                item.setTextAlignment(
                    Qt.AlignmentFlag.AlignVCenter | (Qt.AlignmentFlag.AlignRight if j else Qt.AlignmentFlag.AlignLeft)
                )
                self.table.setItem(i, j, item)
        self.table.resizeColumnsToContents()
        self.table.horizontalHeader().setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        self.table.setFixedHeight(self.table.horizontalHeader().height() + 30 * max(len(rows), 1) + 6)

    def _cells(self, study: Study, r: Result, yearly_km: float, prices: Prices) -> tuple[str, str, str, str]:
        units = units_of(study, r.vehicle, self.session.units)
        level = float(r.wh_per_km or r.as_driven_wh_per_km or 0.0)
        cost = cost_per_km(level, vehicle_of(study, r.vehicle), prices)
        hundred = 100.0 / units.show("distance", 1.0)
        money = ("price not told", "") if cost is None else (f"{cost * hundred:.2f}", f"{cost * yearly_km:.0f}")
        return result_name(study, r, units), consumption_words(level, units), *money


def _side(amount: float, unit: str) -> str:
    return f"{abs(amount):.0f} {unit} {'more' if amount > 0 else 'less'}"

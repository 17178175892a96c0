"""Plan: the order of the runs and what it can and cannot see."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from PySide6.QtWidgets import QHBoxLayout, QPushButton, QSizePolicy, QStackedWidget, QVBoxLayout, QWidget

from fairmargin.core.evidence.distances import route_km
from fairmargin.core.orders import display_noise_percent, offered
from fairmargin.core.planning import planned_speed_kmh, usual_order
from fairmargin.core.study import Leg, Study
from fairmargin.core.study.aims import relaid
from fairmargin.core.study.entry import words_of
from fairmargin.core.study.layout import aimed_speeds, laid_out_runs, sectors_read, vehicles_beside
from fairmargin.core.units import in_units, read_quantity, said_range
from fairmargin.desktop.stages.base import Field, Stage
from fairmargin.desktop.stages.planning.day_page import DayPage
from fairmargin.desktop.stages.planning.design_page import DesignPage
from fairmargin.desktop.stages.planning.kit_page import KitPage
from fairmargin.desktop.stages.planning.load_page import LoadPage
from fairmargin.desktop.stages.planning.page import PlanPage
from fairmargin.desktop.stages.planning.route_page import RoutePage
from fairmargin.desktop.stages.planning.weather_page import WeatherPage
from fairmargin.desktop.state.session import Session
from fairmargin.desktop.widgets.basics import label, page_buttons, panel, scrolling
from fairmargin.desktop.widgets.charts import OrderStrip
from fairmargin.desktop.widgets.inputs import Choice
from fairmargin.exchange.words.figures import speed_words
from fairmargin.exchange.words.planning import order_words

PAGES = (
    ("design", "Design"),
    ("route", "Route"),
    ("day", "Day"),
    ("load", "Load"),
    ("weather", "Go or wait"),
    ("kit", "Kit"),
)


class PlanStage(Stage):
    """The runs in order, and what they can settle."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(session, "Plan", parent)
        self.buttons = page_buttons(self, PAGES, self.show_page)
        for button in self.buttons.values():
            self.head.addWidget(button)
        self.buttons["design"].setChecked(True)
        self.stack = QStackedWidget()
        self.page.addWidget(self.stack, 1)
        self.pages: dict[str, PlanPage] = {}
        self._places: dict[str, QWidget] = {}

        first = QWidget()
        column = QVBoxLayout(first)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(12)
        frame, box = panel()
        box.addWidget(label("The day in order", "heading"))
        self.strip = OrderStrip()
        box.addWidget(self.strip)
        self.order_words = label("", wrap=True)
        box.addWidget(self.order_words)
        row = QHBoxLayout()
        row.addWidget(label("Lay out", "muted"))
        self.order = Choice()
        self.order.setAccessibleName("Order of runs")
        self.order.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        self._offer(2)
        row.addWidget(self.order, 1)
        self.lay = QPushButton("Lay out these runs")
        self.lay.clicked.connect(self._lay_out)
        row.addWidget(self.lay)
        self.block = QPushButton("Add such a block")
        self.block.clicked.connect(self._add_block)
        row.addWidget(self.block)
        box.addLayout(row)
        row = QHBoxLayout()
        row.setSpacing(14)
        self.speeds = Field("At speeds, with ; between", self._set_speeds, unit=self.session.units.speed)
        self.speeds.setToolTip("Each letter of the order is driven at every one of them before the next swap")
        row.addWidget(self.speeds, 1)
        self.sectors = Field("Read off by sectors, with ; between", self._set_sectors)
        self.sectors.edit.setPlaceholderText("the whole leg at once")
        row.addWidget(self.sectors, 2)
        box.addLayout(row)
        self.sees = label("", "muted", wrap=True)
        box.addWidget(self.sees)
        column.addWidget(frame)
        self.designs = DesignPage(session)
        self.designs.bars.chosen.connect(lambda _: self._take_order())
        self.pages["design"] = self.designs
        column.addWidget(self.designs, 1)
        inner = scrolling(first)
        self._places["design"] = inner
        self.stack.addWidget(inner)

    def show_page(self, name: str) -> None:
        """Turn to a page; pages are built when first seen."""
        makers: dict[str, type[PlanPage]] = {
            "route": RoutePage,
            "day": DayPage,
            "load": LoadPage,
            "weather": WeatherPage,
            "kit": KitPage,
        }
        if name not in self.pages:
            page = makers[name](self.session)
            self.pages[name] = page
            self._places[name] = scrolling(page) if name in {"route", "weather"} else page
            self.stack.addWidget(self._places[name])
        self.buttons[name].setChecked(True)
        self.stack.setCurrentWidget(self._places[name])
        if self.session.study is not None:
            self.pages[name].refresh(self.session.study)

    def _offer(self, sides: int, at_once: bool = False) -> None:
        """Offer the orders for so many sides; the one chosen stays where it is one of them."""
        wanted = offered(sides, at_once=at_once)
        if [self.order.itemData(i) for i in range(len(wanted))] == list(wanted):
            return
        self.order.clear()
        for order, words in wanted.items():
            self.order.addItem(f"{order}: {words}", order)

    def _take_order(self) -> None:
        """Offer the design that was chosen for laying out."""
        order = self.designs.chosen_order
        if order is None:
            return
        index = self.order.findData(order)
        if index < 0:
            self.order.addItem(f"{order}: as compared below", order)
            index = self.order.findData(order)
        self.order.setCurrentIndex(index)

    def refresh(self, study: Study) -> None:
        letters = study.order
        runs = []
        for letter, (run, legs) in zip(letters, study.runs(), strict=True):
            states = {self.session.state(leg) for leg in legs}
            state = "planned" if "planned" in states else "left out" if states == {"left out"} else "driven"
            runs.append((run, self._marks(study, letter, legs), state, legs[0].block))
        self._offer(len(study.lettered), study.method == "side-by-side")
        self.strip.show_runs(runs)
        self.subtitle.setText(f"{letters or 'no runs yet'} \u00b7 {len(study.legs)} legs")
        read_only = self.session.read_only
        begun = any(self.session.has_reading(leg) for leg in study.legs)
        everyday = study.method == "everyday"
        self.lay.setEnabled(not read_only and not begun and not everyday)
        self.lay.setToolTip("Readings have been typed: add a block instead." if begun else "")
        self.block.setEnabled(not read_only and not everyday)
        self.order_words.setText(order_words(study))
        for field in (self.speeds, self.sectors):
            field.setEnabled(not read_only and not begun)
        self.speeds.setVisible(study.change.subject != "speed" and not everyday)
        self.sectors.setVisible(not everyday)
        self._show_cells(study)
        self.sees.setText(self._sees(study))
        for name, page in self.pages.items():
            if self.stack.currentWidget() is self._places[name]:
                page.refresh(study)

    @staticmethod
    def _marks(study: Study, letter: str, legs: Sequence[Leg]) -> tuple[int | None, ...]:
        """Which side a run is of, by its number among the trials; side by side, what each vehicle carries."""
        names = list(study.lettered)
        if study.method == "side-by-side":
            sides = list(study.lettered.values())
            carried = dict.fromkeys((leg.vehicle, leg.configuration) for leg in legs)
            at = [sides.index(c) if c in sides else 0 for _, c in carried]
        else:
            at = [names.index(letter) if letter in names else 0]
        return tuple(i - 1 if i else None for i in at)

    def _sees(self, study: Study) -> str:
        units = self.session.units
        lines = []
        km = route_km(study)
        if km:
            lines.append(
                f"Leg of {units.show('distance', km):.1f} {units.distance} at "
                f"{speed_words(planned_speed_kmh(study), units)}: {60 * km / planned_speed_kmh(study):.0f} minutes."
            )
        c = self.session.comparison
        if c is None:
            lines.append(_step_words(study))
            lines.append(
                in_units(
                    f"Scatter of a careful leg of {said_range(20, 50, 'km')}: 1 to 2 % (common practice), until your own is known.",
                    units,
                )
            )
        else:
            lines.append(f"The instruments cannot see less than \u00b1{c.step_percent:.1f} %.")
            lines.append(
                f"Margin so far: \u00b1{c.half_width_percent:.1f} % with {c.pairs} pair{'s' if c.pairs != 1 else ''} of runs."
            )
            lines.append(in_units(c.pairs_words, units))
        if not study.route:
            lines.append(
                "No route yet: without one, the wind cannot be laid along the road. Bring one in on the Route page."
            )
        return " ".join(filter(None, lines))

    def _pattern(self) -> str:
        return str(self.order.currentData())

    def _show_cells(self, study: Study) -> None:
        """Speeds and sectors that the runs have, where they have any of their own."""
        units = self.session.units
        speeds = [v for v in aimed_speeds(study) if v is not None]
        self.speeds.show_text("; ".join(f"{units.show('speed', v):.4g}" for v in speeds))
        aimed = study.target_speed_kmh
        self.speeds.edit.setPlaceholderText("as aimed at" if not aimed else f"{units.show('speed', aimed):.4g}")
        self.sectors.show_text("; ".join(s for s in sectors_read(study) if s))

    def _set_speeds(self, text: str) -> None:
        """Lay the runs out at these speeds; empty: at the study's."""
        parts = [p.strip() for p in text.split(";") if p.strip()]
        speeds = tuple(dict.fromkeys(read_quantity(p, "speed", self.session.units.speed) for p in parts))
        self._again("speeds", speeds_kmh=speeds or (None,))

    def _set_sectors(self, text: str) -> None:
        """Lay the runs out to be read off by these sectors; empty: as a whole."""
        self._again("sectors", sectors=tuple(dict.fromkeys(p.strip() for p in text.split(";") if p.strip())) or ("",))

    def _again(self, what: str, **changes: Any) -> None:
        """Lay the same order out anew with something changed."""
        study = self.session.study
        if study is None:
            return
        try:
            after = relaid(study, _order_once(study), **changes)
        except ValueError as error:
            raise ValueError(words_of(error)) from error
        self.session.edit(after, what)

    def _lay_out(self) -> None:
        study = self.session.study
        if study is not None:
            self.session.edit(relaid(study, self._pattern()), f"lay out {self._pattern()}")

    def _add_block(self) -> None:
        study = self.session.study
        if study is not None:
            more = laid_out_runs(study, self._pattern(), fresh=False)
            self.session.edit(study.with_legs((*study.legs, *more)), f"add a block {self._pattern()}")


def _order_once(study: Study) -> str:
    """The order as it was chosen: runs at several speeds, or of several vehicles, told once."""
    speeds, fleet = len(aimed_speeds(study)), len(vehicles_beside(study))
    letters = study.order[: len(study.order) // fleet]
    return letters[::speeds] or usual_order(study)


def _step_words(study: Study) -> str:
    """What rounding alone is worth in the runs laid out, before there is a comparison."""
    sides = [leg.vehicle if study.vehicles_take_turns else leg.configuration for leg in study.legs]
    per_side = min((sides.count(side) for side in study.lettered.values()), default=0)
    if not per_side:
        return ""
    driven = [leg for leg in study.legs if leg.average_shown and leg.average_step]
    shares = [(leg.average_step or 0) / (leg.average_shown or 1) for leg in driven] or [0.1 / 16.0]
    share = sum(shares) / len(shares)
    noise = display_noise_percent(share, per_side, study.confidence)
    return (
        f"Display step of {100 * share:.1f} %{'' if driven else ' (0.1 in 16 assumed)'}: rounding alone is worth "
        f"\u00b1{noise:.1f} % with {per_side} leg{'s' if per_side != 1 else ''}{' each' if len(study.lettered) > 1 else ''}."
    )

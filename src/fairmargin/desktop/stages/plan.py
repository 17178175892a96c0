"""Plan: the order of the runs and what it can and cannot see."""

from __future__ import annotations

from PySide6.QtWidgets import QHBoxLayout, QPushButton, QSizePolicy, QStackedWidget, QVBoxLayout, QWidget

from fairmargin.core.evidence.distances import route_km
from fairmargin.core.orders import display_noise_percent, drift_left, offered
from fairmargin.core.study import Study
from fairmargin.core.study.aims import relaid
from fairmargin.core.units import in_units, said_range
from fairmargin.desktop.stages.base import Stage
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
            self._places[name] = page
            self.stack.addWidget(page)
        self.buttons[name].setChecked(True)
        self.stack.setCurrentWidget(self._places[name])
        if self.session.study is not None:
            self.pages[name].refresh(self.session.study)

    def _offer(self, sides: int) -> None:
        """Offer the orders for so many sides; the one chosen stays where it is one of them."""
        wanted = offered(sides)
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
        trials = [t.id for t in study.trials]
        runs = []
        for run, legs in study.runs():
            states = {self.session.state(leg) for leg in legs}
            state = "planned" if "planned" in states else "left out" if states == {"left out"} else "driven"
            c = legs[0].configuration
            runs.append((run, trials.index(c) if c in trials else None, state, legs[0].block))
        letters = study.order
        self._offer(len(study.lettered))
        self.strip.show_runs(runs)
        self.subtitle.setText(f"{letters or 'no runs yet'} \u00b7 {len(study.legs)} legs")
        read_only = self.session.read_only
        begun = any(self.session.has_reading(leg) for leg in study.legs)
        self.lay.setEnabled(not read_only and not begun)
        self.lay.setToolTip("Readings have been typed: add a block instead." if begun else "")
        self.block.setEnabled(not read_only and bool(trials))
        trials_driven = [x for x in study.lettered if x != "A" and x in letters]
        if "A" in letters and trials_driven:
            left = max((drift_left(letters, x) for x in trials_driven), key=abs)
            if abs(left) < 0.05:
                words = "A steady drift of the day (warming, rising wind) cancels in this order."
            else:
                words = (
                    f"{abs(left):.0%} of a steady drift over the day stays in the difference. "
                    "Adding runs in the opposite order cancels it."
                )
            self.order_words.setText(words)
        else:
            self.order_words.setText("An order needs runs of both configurations.")
        self.sees.setText(self._sees(study, letters))
        for name, page in self.pages.items():
            if self.stack.currentWidget() is self._places[name]:
                page.refresh(study)

    def _sees(self, study: Study, letters: str) -> str:
        units = self.session.units
        lines = []
        km = route_km(study)
        if km:
            lines.append(
                f"Leg of {units.show('distance', km):.1f} {units.distance} at "
                f"{speed_words(study.target_speed_kmh or 80.0, units)}: "
                f"{60 * km / (study.target_speed_kmh or 80.0):.0f} minutes."
            )
        c = self.session.comparison
        if c is None:
            lines.append(_step_words(study, letters))
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
        return " ".join(lines)

    def _pattern(self) -> str:
        return str(self.order.currentData())

    def _lay_out(self) -> None:
        study = self.session.study
        if study is None or not (study.trials or study.vehicles):
            self.session.failed.emit("This study has no trial configuration.")
            return
        fresh = self._fresh(study, self._pattern())
        self.session.edit(study.with_legs(fresh.legs), f"lay out {self._pattern()}")

    def _fresh(self, study: Study, pattern: str) -> Study:
        return relaid(study, pattern)

    def _add_block(self) -> None:
        from fairmargin.core.study.runs import with_run

        study = self.session.study
        if study is None or not study.trials:
            return
        after = study
        for letter in self._pattern():
            after = with_run(after, study.lettered[letter])
        self.session.edit(after, f"add a block {self._pattern()}")


def _step_words(study: Study, letters: str) -> str:
    """What rounding alone is worth in the runs laid out, before there is a comparison."""
    each_way = 2 if study.method == "out-and-back" else 1
    per_side = max(1, min(letters.count(x) for x in (*study.lettered, "B")) * each_way)
    driven = [leg for leg in study.legs if leg.average_shown and leg.average_step]
    shares = [(leg.average_step or 0) / (leg.average_shown or 1) for leg in driven] or [0.1 / 16.0]
    share = sum(shares) / len(shares)
    noise = display_noise_percent(share, per_side, study.confidence)
    return (
        f"Display step of {100 * share:.1f} %{'' if driven else ' (0.1 in 16 assumed)'}: rounding alone is worth "
        f"\u00b1{noise:.1f} % with {per_side} legs each."
    )

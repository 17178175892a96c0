"""Design: orders compared by simulation of this very study."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QProgressBar, QPushButton, QWidget

from fairmargin.core import planning
from fairmargin.core.orders import display_noise_percent
from fairmargin.core.planning import Design
from fairmargin.core.planning.planned_day import DEFAULT_WIND_M_S
from fairmargin.core.study import Study
from fairmargin.core.study.layout import ways
from fairmargin.core.units import in_units
from fairmargin.desktop.stages.planning.page import PlanPage
from fairmargin.desktop.state.background import Work
from fairmargin.desktop.state.session import Session
from fairmargin.desktop.widgets.basics import label, panel
from fairmargin.desktop.widgets.inputs import Choice
from fairmargin.desktop.widgets.planning.designs import DesignBars
from fairmargin.exchange.words.figures import speed_words, wind_words
from fairmargin.exchange.words.planning import design_words, rounds_words
from fairmargin.exchange.words.results import scatter_words

COUNTS = (1, 2, 3, 4, 6)  # how often each side is driven in the designs compared
EVERYDAY_TRIPS = (10, 20, 40, 80)


class DesignPage(PlanPage):
    """Orders side by side, the recommended one marked and why."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(session, parent)
        frame, box = panel()
        head = QHBoxLayout()
        self.heading = label("Designs, each on 200 simulated days of this study", "heading", wrap=True)
        head.addWidget(self.heading, 1)
        self.runs = Choice()
        self.runs.setAccessibleName("Runs in all")
        for pairs in COUNTS:
            self.runs.addItem(rounds_words(2, pairs), pairs)
        self.runs.setCurrentIndex(1)
        self.runs.setSizeAdjustPolicy(Choice.SizeAdjustPolicy.AdjustToContents)
        self.runs.activated.connect(lambda _: self._other_runs())
        head.addWidget(self.runs)
        self.go = QPushButton("Compare designs")
        self.go.clicked.connect(self.compare)
        head.addWidget(self.go)
        self.cancel = QPushButton("Stop")
        self.cancel.clicked.connect(self._stop)
        self.cancel.hide()
        head.addWidget(self.cancel)
        box.addLayout(head)
        self.progress = QProgressBar()
        self.progress.setTextVisible(False)
        self.progress.setFixedHeight(5)
        self.progress.hide()
        box.addWidget(self.progress)
        self.bars = DesignBars()
        self.bars.chosen.connect(lambda _: self._say())
        box.addWidget(self.bars, 1)
        self.words = label("", wrap=True)
        box.addWidget(self.words)
        self.body.addWidget(frame, 3)
        frame, box = self.others_panel = panel()
        box.addWidget(label("What other shapes of study would cost", "heading"))
        self.others = label("", "muted", wrap=True)
        box.addWidget(self.others)
        self.body.addWidget(frame, 0)
        self._found: list[Design] = []
        self._job: Work | None = None
        self._ticket = 0
        self._basis: object = None
        self._stated = label("", "muted", wrap=True)
        self.body.addWidget(self._stated)

    def refresh(self, study: Study) -> None:
        units = self.session.units
        speed = planning.planned_speed_kmh(study)
        km = planning.leg_km(study)
        f = study.plan.forecast
        wind = (
            f"{wind_words(DEFAULT_WIND_M_S, units)} assumed"
            if f.wind_speed_ms is None
            else wind_words(f.wind_speed_ms, units)
        )
        speeds = [c.speed_kmh for c in study.configurations if c.speed_kmh] if study.change.subject == "speed" else []
        aimed = " and ".join(speed_words(float(v), units) for v in speeds) or speed_words(speed, units)
        fleet = " and ".join(v.label for v in study.vehicles) if study.vehicles else study.vehicle.name
        self._stated.setText(
            f"Simulated with {fleet or 'this vehicle'}, legs of {units.show('distance', km):.1f} {units.distance} at "
            f"{aimed}, wind {wind}, {_step_words(study)}. " + scatter_words(self.session.scatter, units)
        )
        basis = (
            study.vehicle,
            study.vehicles,
            study.configurations,
            study.plan,
            study.route,
            speed,
            study.method,
            study.change,
            study.smallest_effect_percent,
        )
        if basis != self._basis:
            self._basis = basis
            self._found = []
            self.bars.show_designs(())
            self.words.setText("")
            self._offer(study)
        self.others.setText(self._other_shapes(study))
        self.others_panel[0].setVisible(bool(self.others.text()))

    def _offer(self, study: Study) -> None:
        """Offer what can be simulated of such a study, and say of the others why nothing is."""
        patterns = planning.patterns_of(study)
        sides, lone = len(study.lettered), _is_lone(study)
        for i, count in enumerate(COUNTS):
            at_once = study.method == "side-by-side"
            self.runs.setItemText(i, f"{2 * count} runs, both at once" if at_once else rounds_words(sides, count))
        for widget in (self.go, self.bars, self._stated):
            widget.setVisible(bool(patterns) or lone)
        self.runs.setVisible(bool(patterns))
        self.heading.setText(
            "Designs, each on 200 simulated days of this study"
            if patterns
            else "What more runs would give, each on 200 simulated days"
            if lone
            else "No order of runs to compare"
        )
        self.go.setText("Compare designs" if patterns else "Simulate")
        if not patterns and not lone:
            self.words.setText(_without_designs(study))

    def _other_shapes(self, study: Study) -> str:
        runs = planning.runs_of_each(study, self._count)
        lines = [
            f"{shape.name[0].upper()}{shape.name[1:]}: about \u00b1{shape.half_width_percent:.1f} % for "
            + (f"{shape.hours:.0f} h at the wheel" if shape.driving_only else f"a day of {shape.hours:.1f} h")
            + f"; {shape.words}."
            for shape in planning.other_shapes(study, runs, self.session.scatter)
        ]
        if study.method in {"everyday", "climb"}:
            return "\n".join(lines)
        whole = study.with_(plan=study.plan.with_(display_step_kwh_per_100km=1.0))
        legs = self._count * len(ways(study.method)) * (2 if study.method == "side-by-side" else 1)
        units = self.session.units
        shortest = units.show("distance", planning.shortest_leg_km(whole, legs))
        level = planning.known_wh_per_km(study)
        noise = display_noise_percent(planning.reading_step_wh_per_km(study) / level, legs, study.confidence)
        each = "each" if len(study.lettered) > 1 else "in all"
        lines.append(
            f"{'Reading by ' + by if (by := _not_averaged(study)) else 'The step of this display'} alone is worth \u00b1{noise:.1f} % with {legs} leg{'s' if legs != 1 else ''} {each}; one that "
            f"shows whole kWh would want legs of {shortest:.0f} {units.distance} or more."
        )
        return "\n".join(lines)

    @property
    def _count(self) -> int:
        """How often each side is driven in the designs."""
        return int(self.runs.currentData())

    def _other_runs(self) -> None:
        if self.session.study is not None:
            self.others.setText(self._other_shapes(self.session.study))
            self.compare()

    def compare(self) -> None:
        """Start the simulation in the background."""
        study = self.session.study
        if study is None or not (planning.patterns_of(study) or _is_lone(study)):
            return
        self._stop()
        self._ticket += 1
        self._found = []
        self.bars.show_designs(())
        self.words.setText("")
        runs, scatter, lone = planning.runs_of_each(study, self._count), self.session.scatter, _is_lone(study)
        self._made: list[Design] = []  # by the job; no Python object crosses threads in a signal
        self._judged: list[Design] = []  # the same with the one to prefer, and how many pairs of it settle the question
        made, judged = self._made, self._judged

        def simulate() -> None:
            every = (
                planning.lone_designs(study, counts=COUNTS, scatter=scatter, cancelled=lambda: job.stop)
                if lone
                else planning.compare_designs(study, runs=runs, scatter=scatter, cancelled=lambda: job.stop)
            )
            for design in every:
                made.append(design)
                job.tell(len(made) - 1)
            if not job.stop and lone:
                judged.extend(made)
            elif not job.stop:
                judged.extend(
                    planning.with_power(study, d, scatter=scatter, cancelled=lambda: job.stop) if d.recommended else d
                    for d in planning.recommend(made)
                )

        job = self._job = Work(self._ticket, simulate)
        job.signals.step.connect(self._arrived, Qt.ConnectionType.QueuedConnection)
        job.signals.done.connect(self._finished, Qt.ConnectionType.QueuedConnection)
        self.progress.setMaximum(len(COUNTS) if lone else len(planning.patterns_of(study)))
        self.progress.setValue(0)
        self.progress.show()
        self.cancel.show()
        job.start()

    def _stop(self) -> None:
        if self._job is not None:
            self._job.stop = True

    def _arrived(self, ticket: int, index: int) -> None:
        if ticket != self._ticket or self._job is None:
            return
        self._found.append(self._made[index])
        self.progress.setValue(len(self._found))
        self.bars.show_designs(tuple(self._found))

    def _finished(self, ticket: int) -> None:
        if ticket != self._ticket or self._job is None:
            return
        fault, self._job = self._job.fault, None
        self.progress.hide()
        self.cancel.hide()
        if fault is not None:
            self.session.failed.emit(f"The designs could not be simulated: {fault}")
        if self._judged and len(self._judged) == len(self._made):
            self._found = list(self._judged)
        self.bars.show_designs(tuple(self._found))
        self._say()

    def _say(self) -> None:
        study, design = self.session.study, self.bars.current
        if study is None or design is None:
            return
        best = next((d for d in self._found if d.recommended), None)
        words = design_words(design, None if design.lone else planning.pairs_for(study, design))
        c = self.session.comparison
        if c is not None:
            words += f"Of what is driven already: {in_units(c.pairs_words, self.session.units)} "
        if best is not None and design is not best:
            more = design.half_width_percent - best.half_width_percent
            words += f"Its price against {best.order}: \u00b1{more:.1f} % of margin, drift counted."
        self.words.setText(words)

    @property
    def chosen_order(self) -> str | None:
        """The order that is marked, written out; None before a comparison."""
        design = self.bars.current
        if design is None:
            return None
        if design.order != "random":
            return design.order
        return planning.order_of("random", design.runs, sides=design.sides)


def _not_averaged(study: Study) -> str:
    """Instrument that the legs were read by, where it is no average on a display."""
    by = planning.read_by(study)
    return "" if by == "trip average" else by


def _step_words(study: Study) -> str:
    """What one reading can tell apart, by whatever it is read with."""
    by, step = _not_averaged(study), planning.reading_step_wh_per_km(study)
    if by:
        return f"read by {by}, to \u00b1{50.0 * step / planning.known_wh_per_km(study):.1f} % of a leg"
    return f"display step {step / 10.0:.2g} kWh/100 km"


def _is_lone(study: Study) -> bool:
    """Whether one configuration is driven as it is, and compared with nothing."""
    return len(study.lettered) == 1 and study.method not in {"everyday", "climb"}


def _without_designs(study: Study) -> str:
    """What decides where there is no order to choose."""
    if study.method == "climb":
        return (
            "Up and down with one configuration: the higher the hill against the display's step, the better what comes back "
            "is known; every further pair of ways makes the margin smaller. Note the height of both ends."
        )
    lines = [
        f"{trips} trips with each: about \u00b1{planning.everyday_shape(study, trips).half_width_percent:.1f} %"
        for trips in EVERYDAY_TRIPS
    ]
    return "Everyday trips, week by week in turn (common practice of their scatter). " + "; ".join(lines) + "."

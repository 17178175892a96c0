"""Design: orders compared by simulation of this very study."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QProgressBar, QPushButton, QWidget

from fairmargin.core import planning
from fairmargin.core.orders import display_noise_percent
from fairmargin.core.planning import Design
from fairmargin.core.planning.planned_day import DEFAULT_WIND_M_S
from fairmargin.core.study import Study
from fairmargin.core.units import in_units
from fairmargin.desktop.stages.planning.page import PlanPage
from fairmargin.desktop.state.background import Work
from fairmargin.desktop.state.session import Session
from fairmargin.desktop.widgets.basics import label, panel
from fairmargin.desktop.widgets.inputs import Choice
from fairmargin.desktop.widgets.planning.designs import DesignBars
from fairmargin.exchange.words.figures import speed_words, wind_words
from fairmargin.exchange.words.results import scatter_words


class DesignPage(PlanPage):
    """Five orders side by side, the recommended one marked and why."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(session, parent)
        frame, box = panel()
        head = QHBoxLayout()
        head.addWidget(label("Designs, each on 200 simulated days of this study", "heading", wrap=True), 1)
        self.runs = Choice()
        self.runs.setAccessibleName("Runs in all")
        for pairs in (1, 2, 3, 4, 6):
            self.runs.addItem(f"{pairs} pair{'s' if pairs > 1 else ''} of runs", 2 * pairs)
        self.runs.setCurrentIndex(1)
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
        self.progress.setMaximum(len(planning.PATTERNS))
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
        frame, box = panel()
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
        speed = study.target_speed_kmh or 90.0
        km = planning.leg_km(study)
        f = study.plan.forecast
        wind = (
            f"{wind_words(DEFAULT_WIND_M_S, units)} assumed"
            if f.wind_speed_ms is None
            else wind_words(f.wind_speed_ms, units)
        )
        self._stated.setText(
            f"Simulated with {study.vehicle.name or 'this vehicle'}, legs of {units.show('distance', km):.1f} {units.distance} at "
            f"{speed_words(speed, units)}, wind {wind}, display step {planning.known_step_kwh_per_100km(study):.2g} kWh/100 km. "
            + scatter_words(self.session.scatter, units)
        )
        basis = (
            study.vehicle,
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
        self.go.setEnabled(bool(study.trials))
        self.others.setText(self._other_shapes(study))

    def _other_shapes(self, study: Study) -> str:
        runs = int(self.runs.currentData())
        lines = [
            f"{shape.name[0].upper()}{shape.name[1:]}: about \u00b1{shape.half_width_percent:.1f} % for {shape.hours:.0f} h of driving; {shape.words}."
            for shape in planning.other_shapes(study, runs, self.session.scatter)
        ]
        whole = study.with_(plan=study.plan.with_(display_step_kwh_per_100km=1.0))
        legs = runs // 2 * (2 if study.method == "out-and-back" else 1)
        units = self.session.units
        shortest = units.show("distance", planning.shortest_leg_km(whole, legs))
        level = planning.split(study, study.target_speed_kmh or 90.0).total
        noise = display_noise_percent(planning.known_step_kwh_per_100km(study) * 10.0 / level, legs, study.confidence)
        lines.append(
            f"This display's step alone is worth \u00b1{noise:.1f} % with {legs} legs each; one that shows whole kWh would want legs of "
            f"{shortest:.0f} {units.distance} or more."
        )
        return "\n".join(lines)

    def _other_runs(self) -> None:
        if self.session.study is not None:
            self.others.setText(self._other_shapes(self.session.study))
            self.compare()

    def compare(self) -> None:
        """Start the simulation in the background."""
        study = self.session.study
        if study is None or not study.trials:
            return
        self._stop()
        self._ticket += 1
        self._found = []
        self.bars.show_designs(())
        self.words.setText("")
        runs, scatter = int(self.runs.currentData()), self.session.scatter
        self._made: list[Design] = []  # by the job; no Python object crosses threads in a signal
        self._judged: list[Design] = []  # the same with the one to prefer, and how many pairs of it settle the question
        made, judged = self._made, self._judged

        def simulate() -> None:
            for design in planning.compare_designs(study, runs=runs, scatter=scatter, cancelled=lambda: job.stop):
                made.append(design)
                job.tell(len(made) - 1)
            if not job.stop:
                judged.extend(
                    planning.with_power(study, d, scatter=scatter, cancelled=lambda: job.stop) if d.recommended else d
                    for d in planning.recommend(made)
                )

        job = self._job = Work(self._ticket, simulate)
        job.signals.step.connect(self._arrived, Qt.ConnectionType.QueuedConnection)
        job.signals.done.connect(self._finished, Qt.ConnectionType.QueuedConnection)
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
        if len(self._judged) == len(planning.PATTERNS):
            self._found = list(self._judged)
        self.bars.show_designs(tuple(self._found))
        self._say()

    def _say(self) -> None:
        study, design = self.session.study, self.bars.current
        if study is None or design is None:
            return
        best = next((d for d in self._found if d.recommended), None)
        pairs = planning.pairs_for(study, design)
        words = (
            f"{design.order}: expected margin \u00b1{design.half_width_percent:.1f} %; the question is settled on {design.settles:.0%} "
            f"of the simulated days. "
        )
        words += (
            f"{'One pair of it settles' if design.pairs == 1 else f'{design.pairs} pairs of it settle'} it on {design.power:.0%} of such days. "
            if design.pairs is not None
            else f"A fresh start with it would want about {pairs} pair{'s' if pairs != 1 else ''}, to settle it four times in five. "
            if pairs is not None
            else "No number of such pairs settles it: longer legs, a finer display or a calmer day would. "
        )
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
        return planning.order_of("ABBA", design.runs) if design.order == "random" else design.order

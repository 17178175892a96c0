"""Correct: per leg, a waterfall from measured to corrected; three views one switch apart."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QButtonGroup, QHBoxLayout, QToolButton, QWidget

from fairmargin.core.conditions import registry
from fairmargin.core.result.sides import side_vehicle
from fairmargin.core.result.types import LegResult
from fairmargin.core.study import Study
from fairmargin.core.units import in_units
from fairmargin.desktop.stages.base import Stage
from fairmargin.desktop.state.session import Session
from fairmargin.desktop.widgets.basics import label, panel
from fairmargin.desktop.widgets.charts import LegStrip, LegStrips, Waterfall, fall_of
from fairmargin.exchange.words.figures import adding_factor, adding_unit, distance_words
from fairmargin.exchange.words.names import units_of
from fairmargin.exchange.words.results import conditions_words, scatter_words, square_words

VIEW_WORDS = {"reference": "Reference conditions", "study-mean": "Mean of the study", "as-measured": "As measured"}


class CorrectStage(Stage):
    """What was corrected, and by how much."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(session, "Correct", parent)
        self._group = QButtonGroup(self)
        self.views: dict[str, QToolButton] = {}
        for view, words in VIEW_WORDS.items():
            button = QToolButton()
            button.setText(words)
            button.setCheckable(True)
            button.setChecked(view == session.view)
            button.clicked.connect(lambda _=False, v=view: session.set_view(v))
            self._group.addButton(button)
            self.views[view] = button
            self.head.addWidget(button)
        self._leg = ""
        body = self.scrolled()
        frame, box = panel()
        head = QHBoxLayout()
        head.addWidget(label("Every leg in the order driven", "heading"))
        self.strip_unit = label("", "muted")
        head.addWidget(self.strip_unit, 1, Qt.AlignmentFlag.AlignBottom)
        head.addWidget(label("open: as read \u00b7 filled: corrected \u00b7 dashed: fitted level", "muted"))
        box.addLayout(head)
        self.strips = LegStrips()
        self.strips.setMinimumHeight(150)
        self.strips.legChosen.connect(self.choose)
        box.addWidget(self.strips, 1)
        body.addWidget(frame, 3)
        frame, box = panel()
        head = QHBoxLayout()
        self.fall_title = label("", "heading")
        head.addWidget(self.fall_title)
        self.fall_words = label("", "muted")
        head.addWidget(self.fall_words, 1, Qt.AlignmentFlag.AlignBottom)
        self.previous, self.following = QToolButton(), QToolButton()
        for button, words, step in ((self.previous, "Previous leg", -1), (self.following, "Next leg", 1)):
            button.setText(words)
            button.clicked.connect(lambda _=False, s=step: self._step(s))
            head.addWidget(button)
        box.addLayout(head)
        self.fall = Waterfall()
        self.fall.setMinimumHeight(110)
        box.addWidget(self.fall, 1)
        body.addWidget(frame, 2)
        frame, box = panel()
        box.addWidget(label("Where the margin comes from", "heading"))
        self.budget = label("", wrap=True)
        box.addWidget(self.budget)
        body.addWidget(frame)

    def choose(self, name: str) -> None:
        """Show another leg's waterfall."""
        self._leg = name
        self.touch()

    def _step(self, step: int) -> None:
        names = [leg.leg for leg in self._legs()]
        if names:
            now = names.index(self._leg) if self._leg in names else 0
            self.choose(names[(now + step) % len(names)])

    def _legs(self) -> list[LegResult]:
        """Legs of the vehicles that are compared: one that burns litres has no place on the scale of one that does not."""
        study, analysis, c = self.session.study, self.session.analysis, self.session.comparison
        if study is None or analysis is None:
            return []
        own = {side_vehicle(study, c, x) for x in (c.baseline, c.trial)} if c is not None else {""}
        if "" in own:
            return list(analysis.legs)
        return [x for x in analysis.legs if study.leg(x.leg).vehicle in own]

    def refresh(self, study: Study) -> None:
        analysis = self.session.analysis
        self.views[self.session.view].setChecked(True)
        legs = self._legs()
        units = self.session.units
        if legs:
            units = units_of(study, study.leg(legs[0].leg).vehicle, units)
        if analysis is None or not legs:
            self.subtitle.setText("no readings yet")
            self.strips.show_legs((), "", "")
            self.fall.show_fall(None)
            self.fall_title.setText("One leg, from read to corrected")
            self.fall_words.setText("")
            self.budget.setText("Type readings in Drive first.")
            return
        names = [leg.leg for leg in legs]
        if self._leg not in names:
            self._leg = names[0]
        trials = [t.id for t in study.trials]
        factor = adding_factor(units)
        c = self.session.comparison
        means: dict[int | None, float] = {}
        if c is not None:
            means = {None: c.baseline_wh_per_km * factor, study.trial_number(c.trial): c.trial_wh_per_km * factor}
        self.strips.show_legs(
            [
                LegStrip(
                    leg.leg,
                    trials.index(leg.configuration) if leg.configuration in trials else None,
                    leg.direction,
                    leg.included,
                    leg.measured_wh_per_km * factor,
                    None if leg.corrected_wh_per_km is None else leg.corrected_wh_per_km * factor,
                )
                for leg in legs
            ],
            self._leg,
            adding_unit(units),
            means if self.session.view != "as-measured" else {},
        )
        self.strip_unit.setText(adding_unit(units))
        self.subtitle.setText(conditions_words(study, c, self.session.view, units) if c else "")
        leg = next(x for x in legs if x.leg == self._leg)
        self.fall_title.setText(f"Leg {leg.leg}")
        words = f"{study.configuration(leg.configuration).label}, {leg.direction}, {adding_unit(units)} \u00b7 {leg.instrument} {in_units(leg.shown, units)}"
        if not leg.included:
            words += f" \u00b7 left out: {leg.reason}"
        self.fall_words.setText(words)
        lines = [(n, leg.corrections_wh_per_km.get(n, 0.0)) for n in visible_lines(legs)]
        if self.session.view == "as-measured" or not leg.included:
            lines = []
        self.fall.show_fall(
            fall_of(leg.measured_wh_per_km, lines, factor, adding_unit(units), 2 if factor < 0.1 else 1)
        )
        if c is None:
            self.budget.setText(analysis.missing)
        elif self.session.view == "as-measured":
            self.budget.setText("Nothing is corrected in this view; the margin rests on the legs' scatter alone.")
        else:
            method = "" if c.method == "model" else "The model is not used: nothing is corrected in this comparison. "
            self.budget.setText(
                f"{method}What makes the margin: {square_words(c.margin)}. Together "
                f"\u00b1{c.half_width_percent:.1f} %. "
                f"Run-to-run scatter of a leg of {distance_words(30.0, units)}: {c.scatter_percent:.1f} %. "
                + scatter_words(analysis.scatter_prior, units)
            )


def visible_lines(legs: list[LegResult]) -> list[str]:
    """Ledger lines that are worth a column: those that reach 0.05 Wh/km anywhere, and the four main ones."""
    always = {"speed", "wind", "air_density", "tyre_temperature"}
    return [
        name
        for name in registry.lines()
        if name in always or any(abs(leg.corrections_wh_per_km.get(name, 0.0)) >= 0.05 for leg in legs)
    ]

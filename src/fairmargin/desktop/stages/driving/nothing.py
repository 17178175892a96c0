"""The page when every leg is driven."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QVBoxLayout, QWidget

from fairmargin.core.study import Reference, Study
from fairmargin.core.units import in_units, said
from fairmargin.core.units import label as unit_label
from fairmargin.core.words import signed
from fairmargin.desktop.stages.driving.controller import DriveController
from fairmargin.desktop.stages.driving.parts import go_button
from fairmargin.desktop.stages.driving.words import told_lines
from fairmargin.desktop.widgets.basics import label
from fairmargin.desktop.widgets.fairness import alone_result
from fairmargin.exchange.words.figures import consumption_words, span_words
from fairmargin.exchange.words.names import units_of
from fairmargin.simulation.drive import REFERENCE_C
from fairmargin.simulation.rehearsal import Rehearsal
from fairmargin.simulation.sealed import SEED


class NothingPage(QWidget):
    """Every leg is driven: the rehearsal's truth, the verdict."""

    done = Signal()

    def __init__(self, controller: DriveController, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.controller, self.session = controller, controller.session
        self._sealed: tuple[int | None, Rehearsal | None] = (None, None)  # as it was revealed, and of which study
        layout = QVBoxLayout(self)
        self.nothing_words = label("", "large", wrap=True)
        layout.addWidget(self.nothing_words)
        self.reveal = go_button("Reveal the rehearsal's truth", self._reveal)
        layout.addWidget(self.reveal)
        self.truth_words = label("", "large", wrap=True)
        layout.addWidget(self.truth_words)
        self._told: list[str] = []
        self.told_words = label("", "", wrap=True)
        self.told_words.setAccessibleName("What went wrong, and what of it was noticed")
        layout.addWidget(self.told_words)
        self.on_after_all = go_button("Go on after all", lambda: self.controller.go_home(False))
        layout.addWidget(self.on_after_all)
        self.to_verdict = go_button("Go to the verdict", self.done.emit)
        layout.addWidget(self.to_verdict)
        layout.addStretch()

    def show_study(self, study: Study) -> None:
        """Show what is left to do."""
        rehearsed = SEED in study.plan.details
        unread = self.controller.unread()
        left = self.controller.left()
        self.on_after_all.setVisible(bool(left) and self.controller.going_home)
        if left and self.controller.going_home:
            many = "leg stays" if len(left) == 1 else "legs stay"
            words = f"Going home: {len(left)} {many} planned ({', '.join(x.leg for x in left)}), for another day of the same study."
        elif not study.legs:
            words = "Lay the runs out in Plan, or add a run on the sheet."
        elif unread:
            words = f"Every leg is driven. Still without a reading: {', '.join(unread)}; type it on the sheet, or bring the receipts in."
        else:
            words = "Every planned leg has its reading."
        self.nothing_words.setText(words)
        self.reveal.setVisible(rehearsed and bool(study.legs))
        words = self._truth_words()
        self.truth_words.setText(words)
        self.told_words.setText("\n".join(self._told) if words else "")
        self.told_words.setVisible(bool(words and self._told))
        self.to_verdict.setVisible(bool(study.legs))

    def _reveal(self) -> None:
        study, made = self.session.study, self.controller.sealed()
        if made is not None and study is not None:
            self._sealed = (self.session.study_id, made)
            self._told = told_lines(study, made)
            self.controller.changed.emit()

    def _truth_words(self) -> str:
        """The truth once it was asked for, beside the interval as it stands now."""
        study_id, made = self._sealed
        if made is None or study_id != self.session.study_id:
            return ""
        comparison = self.session.comparison
        if made.truth_percent is None:
            return self._level_words(made)
        trial, sector = ("", "") if comparison is None else (comparison.trial, comparison.sector or "")
        truth = made.truth_of(trial, sector)
        assert truth is not None  # as something is compared
        study = self.session.study
        of = "baseline" if study is None or not study.vehicles_take_turns else "the first vehicle's"
        where = f" on {sector}" if (trial, sector) in made.sectors_percent else ""
        words = f"The truth{where} was {signed(truth, 1)} % of {of} consumption."
        if comparison is None:
            return words
        low, high = comparison.interval_percent
        holds = _holds(low <= truth <= high, comparison.confidence)
        return f"{words} Your interval, {signed(low, 1)} to {signed(high, 1)} %, {holds}."

    def _level_words(self, made: Rehearsal) -> str:
        """The truth where nothing is compared: what it takes, at the conditions that results are stated for."""
        study = self.session.study
        assert study is not None
        units = units_of(study, study.legs[0].vehicle if study.legs else "", self.session.units)
        truth = made.truth_wh_per_km
        words = in_units(
            f"The truth was {consumption_words(truth, units)}, at {said(REFERENCE_C, '°C')} in still air.", units
        )
        found = alone_result(self.session.analysis)
        if found is None or found.interval_wh_per_km is None or study.reference != Reference():
            return words
        low, high = found.interval_wh_per_km
        holds = _holds(low <= truth <= high, study.confidence)
        return f"{words} Your interval, {span_words((low, high), units)} {unit_label(units.consumption)}, {holds}."


def _holds(does: bool, confidence: float) -> str:
    rest = round(100.0 * (1.0 - confidence))
    return "holds it" if does else f"does not hold it, as about {rest} in 100 do not"

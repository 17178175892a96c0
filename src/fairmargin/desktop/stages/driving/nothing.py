"""The page when every leg is driven."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QVBoxLayout, QWidget

from fairmargin.core.study import Study
from fairmargin.core.words import signed
from fairmargin.desktop.stages.driving.controller import DriveController
from fairmargin.desktop.stages.driving.parts import go_button
from fairmargin.desktop.stages.driving.words import told_lines
from fairmargin.desktop.widgets.basics import label
from fairmargin.simulation.sealed import SEED


class NothingPage(QWidget):
    """Every leg is driven: the rehearsal's truth, the verdict."""

    done = Signal()

    def __init__(self, controller: DriveController, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.controller, self.session = controller, controller.session
        self._truth: tuple[int | None, float] = (None, 0.0)
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
        c, study, made = self.session.comparison, self.session.study, self.controller.sealed()
        if made is not None and study is not None:
            self._truth = (self.session.study_id, made.truth_of("" if c is None else c.trial))
            self._told = told_lines(study, made)
            self.controller.changed.emit()

    def _truth_words(self) -> str:
        """The truth once it was asked for, beside the interval as it stands now."""
        study_id, truth = self._truth
        if study_id is None or study_id != self.session.study_id:
            return ""
        words = f"The truth was {signed(truth, 1)} % of baseline consumption."
        comparison = self.session.comparison
        if comparison is None:
            return words
        low, high = comparison.interval_percent
        rest = round(100.0 * (1.0 - comparison.confidence))
        holds = "holds it" if low <= truth <= high else f"does not hold it, as about {rest} in 100 do not"
        return f"{words} Your interval, {signed(low, 1)} to {signed(high, 1)} %, {holds}."

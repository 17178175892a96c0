"""A drive that may be a rehearsal: a virtual car in place of the real one, its window, and what was sealed."""

from __future__ import annotations

from datetime import datetime

from PySide6.QtCore import QObject

from fairmargin.desktop.stages.driving.rehearsal_set import RehearsalSet, rehearsed_from
from fairmargin.desktop.stages.driving.taken_up import TakenUp
from fairmargin.desktop.state.session import Session
from fairmargin.instruments.samples import Clock
from fairmargin.simulation.rehearsal import Display, Rehearsal, prepared, rehearse
from fairmargin.simulation.sealed import SEED


class Rehearsed(TakenUp):
    """A drive with a virtual car, where there is one."""

    def __init__(self, session: Session, parent: QObject | None = None) -> None:
        super().__init__(session, parent)
        self.rehearsal: RehearsalSet | None = None

    def give_up(self) -> None:
        """End the leg under way."""

    def start_rehearsal(self, seed: int, rate: float, mishaps: bool = False) -> bool:
        """Rehearse a copy of the study, with mishaps hidden in it or without, or go on with one that was begun."""
        study = self.study
        if study is None or self.session.study_id is None:
            return False
        self.stop_rehearsal()
        try:
            kept = study.plan.details.get(SEED)
            if kept is None:
                copy = prepared(study, seed, datetime.now().date(), mishaps)
                if self.session.add_study(copy) is None:
                    return False
            study = self.session.study
            assert study is not None and self.session.study_id is not None
            made = rehearse(study, int(study.plan.details[SEED]))
        except ValueError as error:
            self._say(f"Cannot be rehearsed: {error}.")
            return False
        self.rehearsal = RehearsalSet(self, self.session.study_id, study, made, rehearsed_from(study), rate)
        self.clock = self.rehearsal.clock
        return self.connect_instruments(self.rehearsal.settings)

    def stop_rehearsal(self) -> None:
        """End the rehearsal; the day can be gone on with later."""
        if self.rehearsal is None:
            return
        if self.drive is not None:
            self.give_up()
        self.disconnect_instruments()
        self.rehearsal.stop()
        self.rehearsal = None
        self.clock = Clock()
        self.changed.emit()

    def display(self) -> Display | None:
        """The virtual car's display, in a rehearsal."""
        return None if self.rehearsal is None else self.rehearsal.car.display(self.clock.seconds())

    def sight(self) -> str:
        """What is seen out of the virtual car's window, in a rehearsal that has mishaps; else nothing."""
        return "" if self.rehearsal is None else self.rehearsal.car.sight(self.clock.seconds())

    def sealed(self) -> Rehearsal | None:
        """The rehearsal as it was sealed; None when the study is none."""
        study = self.study
        seed = study.plan.details.get(SEED) if study is not None else None
        return None if study is None or seed is None or not seed.isdigit() else rehearse(study, int(seed))

    def truth_percent(self, trial: str = "") -> float | None:
        """The rehearsal's truth of a trial, of the first where none is named; None where there is none."""
        made = self.sealed()
        return None if made is None else made.truth_of(trial)

    def _rehearse_anew(self) -> None:
        """Let the virtual car know legs that were not planned when the day was sealed."""
        if self.rehearsal is not None and self.study is not None:
            self.rehearsal.car.rehearsal = rehearse(self.study, self.rehearsal.car.rehearsal.seed)

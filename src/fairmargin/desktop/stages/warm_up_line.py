"""What was driven before the first leg of an outing: asked once, beside the run sheet."""

from __future__ import annotations

from datetime import datetime

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QSizePolicy, QWidget

from fairmargin.core.conditions.typed import read_leg_field
from fairmargin.core.study import Study
from fairmargin.core.study.entry import show_number, words_of
from fairmargin.desktop.stages.base import Field
from fairmargin.desktop.state.session import Session
from fairmargin.desktop.widgets.basics import label


class WarmUpLine(QWidget):
    """One field for the whole study, and one click for the drive that was planned."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self._study_id: int | None = None
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(8)
        self.words = label("Driven before the first leg of each day", "muted")
        line.addWidget(self.words)
        self.field = Field(
            "",
            self._commit,
            unit="min",
            width=76,
            placeholder="not noted",
            tip="Minutes driven on these tyres just before each day's first leg; 0 if it began from cold. A leg's own "
            "\u201cdriven before\u201d (More) counts more.",
        )
        self.field.edit.setAccessibleName("Minutes driven before the first leg of each day")
        self.words.setBuddy(self.field.edit)
        self.field.setSizePolicy(QSizePolicy.Policy.Maximum, QSizePolicy.Policy.Preferred)
        line.addWidget(self.field, 0, Qt.AlignmentFlag.AlignVCenter)
        self.as_planned = QPushButton()
        self.as_planned.clicked.connect(self._take_plan)
        line.addWidget(self.as_planned)
        line.addStretch()

    def refresh(self, study: Study) -> None:
        """Show what is noted, and offer what was planned."""
        self._study_id = self.session.study_id
        minutes, planned = study.circumstances.warm_up_min, study.plan.warm_up_min
        self.field.show_text("" if minutes is None else show_number(minutes, 1))
        self.as_planned.setText(f"{show_number(planned, 0)} min, as planned")
        self.as_planned.setToolTip("The warm-up drive of the plan was driven before each day's first leg")
        self.as_planned.setVisible(minutes is None and planned > 0)
        for one in (self.field.edit, self.as_planned):
            one.setEnabled(not self.session.read_only)

    def _commit(self, text: str) -> None:
        study = self.session.study
        if study is None or self._study_id != self.session.study_id:
            raise ValueError("another study is open by now; nothing of it was changed")
        minutes = None
        if text.strip():
            key = "driven_before_s"
            leg = study.legs[0] if study.legs else None
            if leg is None:
                raise ValueError("there are no legs yet; lay them out in Plan")
            found = read_leg_field(key, text, self.session.units_of(leg), leg, datetime.now(), study)[key]
            minutes = None if found is None else found / 60.0
        try:
            after = study.with_(circumstances=study.circumstances.with_(warm_up_min=minutes))
        except ValueError as error:
            raise ValueError(words_of(error)) from error
        if not self.session.edit(after, "warm-up drive"):
            raise ValueError("could not be saved")

    def _take_plan(self) -> None:
        study = self.session.study
        if study is not None:
            warm = study.circumstances.with_(warm_up_min=study.plan.warm_up_min)
            self.session.edit(study.with_(circumstances=warm), "warm-up drive")

"""What earlier studies of the vehicle know of it: offered as what is thought beforehand, shown with its day, refused at will."""

from __future__ import annotations

from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from fairmargin.core.study import Study
from fairmargin.core.study.remembered import Remembered
from fairmargin.core.units import in_units
from fairmargin.core.words import same_name
from fairmargin.desktop.state.session import Session
from fairmargin.desktop.widgets.basics import label, panel
from fairmargin.desktop.widgets.dates import day_words
from fairmargin.exchange.words.across import remembered_lines


class RememberedPanel(QWidget):
    """A line for each constant; two buttons: use it or bring it up to date, and refuse it."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        frame, box = panel()
        layout.addWidget(frame)
        box.addWidget(label("What earlier studies know of it", "heading"))
        self.words = label("", wrap=True)
        box.addWidget(self.words)
        row = QHBoxLayout()
        self.use = QPushButton()
        self.use.clicked.connect(self._use)
        row.addWidget(self.use)
        self.refuse = QPushButton("Refuse it")
        self.refuse.setToolTip("Judge this study by itself, from what its owner says of the vehicle alone")
        self.refuse.clicked.connect(lambda: self._set(None))
        row.addWidget(self.refuse)
        row.addStretch()
        box.addLayout(row)
        self._asked: tuple[object, ...] | None = None
        self._offered: Remembered | None = None

    def _offer(self, study: Study) -> Remembered | None:
        """What the other studies of the logbook say; asked once for a vehicle, a road and a study."""
        key = (self.session.study_id, same_name(study.vehicle.name), same_name(study.route_name))
        if key != self._asked:
            self._asked = key
            known = self.session.memory.knowledge(study.vehicle, self.session.study_id) if study.vehicle.name else None
            self._offered = None if known is None else known.remembered(study.route_name)
        return self._offered if self._offered is not None and self._offered.values else None

    def refresh(self, study: Study) -> None:
        """Show what is used, or what is offered."""
        offered, used = self._offer(study), study.remembered
        self.setVisible(bool(offered or used) and not study.vehicles)
        now = used or offered
        if now is None:
            return
        count = f"{now.studies} stud{'ies' if now.studies != 1 else 'y'} of {study.vehicle.name or 'this vehicle'}"
        until = f", the last driven {day_words(now.as_of)}" if now.as_of else ""
        head = (
            f"This study begins with what {count} say{'' if now.studies != 1 else 's'}{until}:"
            if used
            else f"{count} know{'' if now.studies != 1 else 's'} more of it than its papers{until}. Not used in this study:"
        )
        self.words.setText(in_units("\n".join([head, *remembered_lines(now)]), self.session.units))
        self.use.setText("Bring it up to date" if used else "Use it")
        self.use.setVisible(offered is not None and offered != used)
        self.refuse.setVisible(used is not None)
        for button in (self.use, self.refuse):
            button.setEnabled(not self.session.read_only)

    def _use(self) -> None:
        if self._offered is not None:
            self._set(self._offered)

    def _set(self, remembered: Remembered | None) -> None:
        study = self.session.study
        if study is not None:
            self.session.edit(study.with_(remembered=remembered), "what earlier studies know")

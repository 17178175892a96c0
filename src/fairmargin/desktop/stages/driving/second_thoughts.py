"""What a hand did and did not mean: undoing on the road, a read-off that is asked about, a read-off that is taken back."""

from __future__ import annotations

from typing import Any, Final

from PySide6.QtCore import QObject

from fairmargin.core.leg_drive import MOMENT_S, LegDrive
from fairmargin.core.study.vocabulary import EVENT_KINDS
from fairmargin.desktop.stages.driving.state import DriveState
from fairmargin.desktop.state.session import Session
from fairmargin.instruments.samples import Sample

#: Of the person's own time: a press is one however often the key bounces, and is remembered for so long. [s]
MOMENT_REAL_S: Final = 0.7
SURE_S: Final = 8.0
#: What a field of a leg is before anything is filled in, where that is not None.
_EMPTY: Final[dict[str, Any]] = {"note": ""}


class SecondThoughts(DriveState):
    """A drive whose last step can be taken back, or is asked about before it is done."""

    def __init__(self, session: Session, parent: QObject | None = None) -> None:
        super().__init__(session, parent)
        self._filled_in: dict[str, Any] = {}  # by the read-off, and what was said since: it may be taken back
        self._since_reading: list[Sample] = []
        self._asked_s: float | None = None  # when a read-off was asked about

    def _recorder_mark(self, at: float, what: str, **more: object) -> None:
        """Note a step in the recording."""

    def _advance(self, drive: LegDrive, item: Sample) -> None:
        """Count distance from a sample."""

    def take_back(self) -> None:
        """Undo what was done last, and say what that was; of a leg under way only its events: its start is none."""
        stack, drive = self.session.undo, self.drive
        what = stack.undoText()
        if drive is not None and drive.phase != "reading" and what not in {f"{k} on {drive.leg}" for k in EVENT_KINDS}:
            self._say(f"Nothing of {drive.leg} to take back. Its start stays: press the reset again to begin it anew.")
            self.changed.emit()
            return
        if drive is not None and drive.phase == "reading" and what == f"read-off of {drive.leg}":
            # Undone alone it would leave a leg that is read off without its time: the read-off is what is taken back.
            self.back_to_driving()
            self._say(f"Taken back: the read-off of {drive.leg}. The leg goes on.")
            return
        if not stack.canUndo() or not self.session.takes_back_an_edit:
            # That the study was made is no slip of the road.
            self._say("Nothing to take back here.")
            self.changed.emit()
            return
        stack.undo()
        if drive is not None:
            drive.open_marks = {k: at for k, at in drive.open_marks.items() if what != f"{k} on {drive.leg}"}
        self._say(f"Taken back: {what}.")
        self.changed.emit()

    def asks_first(self) -> bool:
        """Whether a read-off at this moment is asked about, in words, and not done: a second press does it."""
        drive = self.drive
        if drive is None:
            return False
        now = self.clock.seconds()
        why = drive.unlikely_end(self.places(), self.to_gate_km(), now, max(MOMENT_S, MOMENT_REAL_S * self.clock.rate))
        asked, self._asked_s = self._asked_s, None
        if not why or (asked is not None and MOMENT_REAL_S <= (now - asked) / self.clock.rate <= SURE_S):
            return False
        self._asked_s = now
        self._say(f"{why} Press again to read off here all the same.")
        self.changed.emit()
        return True

    def back_to_driving(self) -> None:
        """Take a read-off back: the leg goes on, with every sample that came since; what was filled in goes."""
        drive, study = self.drive, self.study
        if drive is None or study is None or drive.phase != "reading":
            return
        leg = study.leg(drive.leg)
        gone = {k: _EMPTY.get(k) for k, v in self._filled_in.items() if getattr(leg, k) == v}
        drive.go_on()
        self._recorder_mark(self.clock.seconds(), "back to driving")
        self.session.edit(study.with_leg(drive.leg, **gone), f"{drive.leg} goes on", {drive.leg: None})
        for sample in self._since_reading:
            self._advance(drive, sample)
        self._since_reading, self._filled_in = [], {}
        self.changed.emit()

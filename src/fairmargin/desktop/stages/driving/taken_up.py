"""Recordings that were cut short (the process was killed, the power went), and what becomes of their legs."""

from __future__ import annotations

from pathlib import Path

from fairmargin.desktop.stages.driving.recordings import taken_as_far_as_it_goes
from fairmargin.desktop.stages.driving.second_thoughts import SecondThoughts
from fairmargin.desktop.state.background import meanwhile
from fairmargin.exchange.files.faults import InvalidInput
from fairmargin.instruments.recording import close_recording, read_recording, recordings_of, unfinished


class TakenUp(SecondThoughts):
    """A drive that can be taken up where it was cut short."""

    def _folder(self) -> Path:
        book = self.session.logbook
        assert book is not None and self.session.study_id is not None
        return recordings_of(book.path, self.session.study_id)

    def cut_short(self) -> list[Path]:
        """Recordings of this study that nobody finished."""
        if self.session.study is None or self.session.logbook is None or self.drive is not None:
            return []
        return unfinished(self._folder())

    def take_cut_short(self, path: Path) -> bool:
        """Take what a recording that was cut short holds as far as it goes."""
        study = self.study
        try:
            kept = meanwhile(lambda: read_recording(path))
            after, trace = taken_as_far_as_it_goes(study, kept, path.name)
        except InvalidInput as fault:
            self._say(str(fault))
            return False
        if self.session.edit(after, f"recording of {kept.leg}", {kept.leg: trace}):
            return self.let_cut_short_go(path, "finished")
        return False

    def let_cut_short_go(self, path: Path, what: str = "abandoned") -> bool:
        """Do not ask about a recording again; the file stays."""
        try:
            close_recording(path, what)
        except OSError as error:
            self._say(f"{path}: {error.strerror or error}")
            return False
        self.changed.emit()
        return True

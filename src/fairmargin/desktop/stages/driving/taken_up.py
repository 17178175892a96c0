"""Recordings that were cut short (the process was killed, the power went), and what becomes of their legs."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta
from pathlib import Path
from typing import Final

from fairmargin.core.companion import SpeedWatch, aimed_kmh, true_kmh
from fairmargin.core.leg_drive import LegDrive
from fairmargin.core.study import Study, Trace
from fairmargin.core.study.vocabulary import EventKind
from fairmargin.desktop.stages.driving.recordings import fresh_path, taken_as_far_as_it_goes, was_read_off
from fairmargin.desktop.stages.driving.second_thoughts import SecondThoughts
from fairmargin.desktop.state.background import meanwhile
from fairmargin.exchange.files.faults import InvalidInput
from fairmargin.instruments.recording import (
    Columns,
    Recorder,
    Recording,
    close_recording,
    read_recording,
    recordings_of,
    unfinished,
)
from fairmargin.instruments.samples import Sample
from fairmargin.simulation.sealed import SEED

#: A leg is still being driven only so long after the last sample.
STILL_DRIVEN: Final = timedelta(minutes=30)


@dataclass(frozen=True, slots=True)
class CutShort:
    """A recording that nobody finished, and what can be done with its leg."""

    path: Path
    leg: str
    words: str
    can_go_on: bool = False
    can_be_read: bool = False
    can_be_driven_again: bool = False


class TakenUp(SecondThoughts):
    """A drive that can be taken up where it was cut short."""

    def _folder(self) -> Path:
        book = self.session.logbook
        assert book is not None and self.session.study_id is not None
        return recordings_of(book.path, self.session.study_id)

    def cut_short(self) -> list[Path]:
        """Recordings of this study that nobody finished, oldest first."""
        if self.session.study is None or self.session.logbook is None or self.drive is not None:
            return []
        return unfinished(self._folder())

    def offer(self) -> CutShort | None:
        """The newest recording that was cut short, and what can be done with it; None where there is none."""
        paths, study = self.cut_short(), self.study
        if not paths or study is None:
            return None
        path = paths[-1]
        try:
            kept = meanwhile(lambda: read_recording(path))
        except InvalidInput as fault:
            return CutShort(path, "", f"{fault}.")
        leg = next((x for x in study.legs if x.leg == kept.leg), None)
        reset = kept.marked("reset")
        began = [s.at for s in kept.samples if reset is not None and s.at >= reset]
        if leg is None or not began:
            why = "its leg is not in this study any more" if leg is None else "nothing came after a reset"
            return CutShort(path, kept.leg, f"The recording of {kept.leg} was cut short; {why}.")
        until = kept.moment(max(began))
        words = f"{kept.leg} was cut short at {until:%H:%M:%S}. What had arrived until then is kept."
        free = not leg.has_reading
        return CutShort(path, kept.leg, words, free and self._still_driven(study, kept, until), True, free)

    def _still_driven(self, study: Study, kept: Recording, until: datetime) -> bool:
        since = self.clock.moment() - until
        # A virtual car stops with its rehearsal.
        rehearsed = study.plan.details.get(SEED) is not None
        return not rehearsed and not was_read_off(kept) and timedelta(0) <= since <= STILL_DRIVEN

    def take_up(self, path: Path, read: bool = False) -> bool:
        """Take a leg up where its recording was cut short: go on with it, or read it off there.

        Returns
        -------
        bool
            False, with the reason said, where the recording cannot be read or nothing was recorded after a reset.
        """
        study = self.study
        if self.drive is not None or self.session.read_only:
            return False
        found = self._as_far_as_it_goes(path)
        if found is None:
            return False
        kept, after, trace = found
        reset = kept.marked("reset")
        assert study is not None and reset is not None
        try:
            self._recorder, shift = self._copied(kept)
        except OSError as error:
            self._say(f"{path}: {error.strerror or error}")
            return False
        self.drive = drive = self._as_it_stood(study, kept, reset, shift)
        last = max(s.at for s in kept.samples)
        if read:
            done = kept.marked("read-off") if was_read_off(kept) else None
            drive.phase, drive.read_off_s = "reading", (last if done is None else done) + shift
            self._recorder_mark(drive.read_off_s, "read-off")
            self._filled_in, self._since_reading = {}, []
            self.session.edit(after, f"recording of {kept.leg}", {kept.leg: trace})
        else:
            drive.interrupted = True
            drive.troubles.append(
                f"nothing was recorded from {kept.moment(last):%H:%M:%S} to {self.clock.moment():%H:%M:%S}"
            )
            if study.leg(kept.leg).started_at is None:
                begun = kept.moment(reset).replace(microsecond=0)
                self.session.edit(study.with_leg(kept.leg, started_at=begun), f"reset of {kept.leg}")
        self.chosen, self.going_home = "", False
        self._timer.start()
        return self.let_cut_short_go(path)

    def _as_far_as_it_goes(self, path: Path) -> tuple[Recording, Study, Trace] | None:
        """A recording, the study with what it holds, and its log; None, with the reason said, where it holds nothing."""
        try:
            kept = meanwhile(lambda: read_recording(path))
            return kept, *taken_as_far_as_it_goes(self.study, kept, path.name)
        except InvalidInput as fault:
            self._say(str(fault))
            return None

    def _copied(self, kept: Recording) -> tuple[Recorder, float]:
        """A recording of today's clock with all that the other holds, and by how much its seconds moved."""
        shift = (kept.origin - self.clock.origin).total_seconds()
        recorder = Recorder(fresh_path(self._folder(), self.clock.moment(), kept.leg), kept.leg, self.clock.origin)

        def copy() -> None:
            for mark in kept.marks:
                details = {k: v for k, v in mark.details.items() if k not in {"t", "mark"}}
                recorder.mark(mark.at + shift, mark.what, **details)
            for sample in kept.samples:
                recorder.put(Sample(sample.at + shift, sample.source, sample.values))

        meanwhile(copy)
        return recorder, shift

    def _as_it_stood(self, study: Study, kept: Recording, reset: float, shift: float) -> LegDrive:
        """The leg as it was when the recording ended."""
        leg = study.leg(kept.leg)
        aim = aimed_kmh(study, leg)
        drive = LegDrive(kept.leg, leg.direction == "back", SpeedWatch(aim[0] if aim else None))
        self.samples = Columns(Sample(s.at + shift, s.source, s.values) for s in kept.samples)
        at, soc = self.samples.series("soc_percent", "vehicle")
        before = soc[at <= reset + shift]
        drive.reset(reset + shift, float(before[-1]) if len(before) else None)
        times, speeds = self.samples.series("speed_kmh", "gps")
        by_gps = len(times) > 0
        if not by_gps:
            times, speeds = self.samples.series("speed_kmh", "vehicle")
        for moment, speed in zip(times.tolist(), speeds.tolist(), strict=True):
            # What it notices was noted when it was driven.
            drive.advance(moment, speed if by_gps else true_kmh(study, speed))
        marks: dict[EventKind, float] = {}
        for mark in kept.marks:
            kind = mark.details.get("kind", "")
            if mark.at >= reset and mark.what == "event-begins":
                marks[kind] = mark.at + shift
            elif mark.what == "event-ends":
                marks.pop(kind, None)
        drive.open_marks = marks
        return drive

    def plan_again(self, cut: CutShort) -> bool:
        """Drive the leg again: as if it had not begun; its recording stays in the folder."""
        study = self.study
        if study is not None and cut.can_be_driven_again:
            self.session.edit(as_if_not_begun(study, cut.leg), f"give up {cut.leg}", {cut.leg: None})
        return self.let_cut_short_go(cut.path)

    def take_cut_short(self, path: Path) -> bool:
        """Take what a recording holds of its leg as far as it goes, without driving on."""
        found = self._as_far_as_it_goes(path)
        if found is None:
            return False
        kept, after, trace = found
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


def as_if_not_begun(study: Study, name: str) -> Study:
    """The study with a leg that is still to be driven: without start, duration and events."""
    cleared = study.with_leg(name, started_at=None, duration_s=None)
    return cleared.with_(events=tuple(e for e in cleared.events if e.leg != name))

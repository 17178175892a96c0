"""What the window is looking at: logbook, study, analysis, undo; every edit is saved at once."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QSettings, QThreadPool
from PySide6.QtGui import QUndoStack

from fairmargin.core.study import Leg, Study, Trace
from fairmargin.core.study.cells import vehicle_of
from fairmargin.core.study.registration import said_afterwards, with_look
from fairmargin.core.units import UnitChoice, typed_with_groups
from fairmargin.desktop.state.across_studies import Memory
from fairmargin.desktop.state.background import Background, Work, meanwhile
from fairmargin.desktop.state.derived import INLINE_LEGS, Wanted
from fairmargin.desktop.state.edits import Edit, Listing, Traces, with_seal
from fairmargin.desktop.state.opened import Opened
from fairmargin.desktop.state.terms import keep_terms, keep_units, kept_units, of_logbook
from fairmargin.logbook import Logbook, LogbookDamaged, LogbookFault, StudyDamaged, copies
from fairmargin.logbook.files import real
from fairmargin.logbook.lines import study_memory, study_summary
from fairmargin.simulation.sealed import is_virtual

if TYPE_CHECKING:
    from fairmargin.core.inference.scatter import ScatterPrior
    from fairmargin.core.result.types import Analysis, View

#: More samples than this are packed and saved off the GUI thread.
LONG_SAMPLES = 20_000
LONG_BYTES = 2_000_000


def analyse(
    study: Study,
    traces: Mapping[str, Trace] | None = None,
    view: View = "reference",
    scatter: ScatterPrior | None = None,
) -> Analysis:
    """See `fairmargin.core.analysis.analyse`: loaded with the first study that is opened, not with the list."""
    from fairmargin.core.analysis import analyse as run

    return run(study, traces, view=view, scatter=scatter)


def _summary(study: Study, result: Analysis) -> str:
    """What the list says of a study; a rehearsal tells nothing of the tester."""
    return study_summary(result, not is_virtual(study), study)


def _memory(study: Study, result: Analysis) -> str:
    """What other studies may lean on."""
    return study_memory(study, result, not is_virtual(study))


class Session(Opened):
    """The state behind the window."""

    def __init__(self, settings: QSettings, parent: QObject | None = None) -> None:
        super().__init__(settings, parent)
        self.wanted = Wanted(self)
        self.memory = Memory(self)
        self.undo = QUndoStack(self)
        self.own_units = kept_units(settings)
        self._ticket = 0
        self._jobs: dict[int, Work] = {}
        self._copying = Background(self)
        self._line_missing = False  # the list's line of the open study was lost, and is made anew

    # ------------------------------------------------------------ logbook

    def open_logbook(self, path: str | Path) -> bool:
        """Open another logbook; on failure the one that is open stays."""
        path = real(Path(path))
        now = self.logbook
        if now is not None and now.path.absolute() == path.absolute() and not now.read_only:
            return True
        try:
            fresh = Logbook.open(path)
        except LogbookFault as fault:
            self.failed.emit(str(fault))
            if isinstance(fault, LogbookDamaged):
                self.logbookDamaged.emit(str(path))
            return False
        self.leaving.emit()
        if self.logbook is not None:
            self.logbook.close()
        self.logbook = fresh
        self.undo.clear()
        self.close_study()
        recent = [str(path.absolute()), *[p for p in self.recent() if p != str(path.absolute())]]
        self.settings.setValue("recent", recent[:8])
        self._take_terms(fresh)
        self.logbookChanged.emit()
        self.studiesChanged.emit()
        self._keep_daily(fresh)
        return True

    def _take_terms(self, book: Logbook) -> None:
        """Say results in the terms of the logbook that was opened."""
        terms = of_logbook(kept_units(self.settings), book)
        if terms != self.own_units:
            self.own_units = terms
            self.unitsChanged.emit()

    def _keep_daily(self, book: Logbook) -> None:
        """Keep today's copy of the logbook, beside the work; that it could not be made is no one's business now."""
        path = book.path
        if book.read_only or not copies.due(path, datetime.now().date()) or not book.studies():
            return
        self._copying.run(lambda: copies.keep(path, copies.DAILY), lambda _result, _fault: None)

    def put_back(self, copy: Path) -> bool:
        """Put an earlier state in the place of the open logbook, which is set aside."""
        assert self.logbook is not None
        self.leaving.emit()
        path = self.logbook.path
        QThreadPool.globalInstance().waitForDone(5000)
        self.logbook.close()
        self.logbook = None
        try:
            copies.put_back(path, copy)
            done = True
        except LogbookFault as fault:
            self.failed.emit(str(fault))
            done = False
        return self.open_logbook(path) and done

    def recent(self) -> list[str]:
        """Return the logbooks opened lately, newest first."""
        value = self.settings.value("recent", [])
        return [value] if isinstance(value, str) else [str(v) for v in value] if isinstance(value, list) else []

    def close(self) -> None:
        """Let go of everything."""
        QThreadPool.globalInstance().waitForDone(5000)
        if self.logbook is not None:
            self.logbook.close()
            self.logbook = None

    def as_a_package(self) -> Study | None:
        """The open study with what the logbook adds to it, so that whoever reads the package comes to the same."""
        study = self.study
        if study is None or study.learned is not None:
            return study
        from fairmargin.core.inference.scatter import as_learned

        return study.with_(learned=as_learned(self.scatter))

    @property
    def takes_back_an_edit(self) -> bool:
        """Whether undo would take back an edit of a study, not that one was added or taken off the list."""
        return isinstance(self.undo.command(self.undo.index() - 1), Edit)

    @property
    def read_only(self) -> bool:
        """Whether edits are refused."""
        return self.logbook is None or self.logbook.read_only

    # ------------------------------------------------------------ studies

    def open_study(self, study_id: int) -> bool:
        """Show a study."""
        assert self.logbook is not None
        self.leaving.emit()
        try:
            book = self.logbook
            if book.weight(study_id) < LONG_BYTES:
                record = book.read(study_id)
            else:
                record = meanwhile(lambda: book.read(study_id))
        except StudyDamaged as fault:
            self.damaged = fault
            self.failed.emit(str(fault))
            self.studyDamaged.emit(study_id)
            return False
        except LogbookFault as fault:
            self.failed.emit(str(fault))
            return False
        if record.damage:
            self.failed.emit(" ".join(record.damage))
        self._line_missing = not record.summary
        self.study_id, self.study, self.traces = study_id, record.study, record.traces
        self.chosen = 0
        self.scatter = self._hand_of(record.study, study_id)
        self._analyse()
        self._line_as_shown(record.summary)
        self.studyChanged.emit()
        return True

    def _line_as_shown(self, stored: str) -> None:
        """The list says what the opened study says: other studies may have taught the scatter meanwhile."""
        book, analysis = self.logbook, self.analysis
        if book is None or book.read_only or analysis is None or self.study is None or self.view != "reference":
            return
        fresh = _summary(self.study, analysis)
        if fresh != stored and self.study_id is not None:
            try:
                book.set_summary(self.study_id, fresh, _memory(self.study, analysis))
            except LogbookFault:
                return  # the list goes on as it was
            self.studiesChanged.emit()

    def _hand_of(self, study: Study, study_id: int) -> ScatterPrior:
        """The scatter that a study is judged by: its tester's, where it came with one, else what the other studies tell."""
        from fairmargin.core.inference.scatter import learned_scatter, scatter_of

        assert self.logbook is not None
        if study.learned is not None:
            return scatter_of(study.learned)
        return learned_scatter(self.logbook.scatter_evidence(study_id))

    def follow_scatter(self) -> None:
        """Judge the open study by what the others know of the tester's hand by now."""
        if self.logbook is None or self.study_id is None or self.study is None:
            return
        now = self._hand_of(self.study, self.study_id)
        if now.figures != self.scatter.figures:
            self.scatter = now
            self._analyse()
            self._line_as_shown("")

    def close_study(self) -> None:
        """Go back to no study."""
        self.study_id = self.study = self.analysis = None
        self.traces = {}
        self._ticket += 1
        self.studyChanged.emit()
        self.analysisChanged.emit()

    def add_study(self, study: Study, traces: Mapping[str, Trace] | None = None) -> int | None:
        """Put a new study into the logbook and show it; None when it cannot be written."""
        if self.logbook is None:
            return None
        from fairmargin.core.inference.scatter import learned_scatter

        try:
            short = not traces and len(study.legs) <= INLINE_LEGS  # else its line follows from its analysis
            prior = learned_scatter(self.logbook.scatter_evidence(-1))
            result = analyse(study, scatter=prior) if short else None
            summary, memory = (_summary(study, result), _memory(study, result)) if result else ("", "")
            book = self.logbook
            if sum(len(t.time_s) for t in (traces or {}).values()) < LONG_SAMPLES:
                study_id = book.add(study, traces, summary, memory)
            else:
                study_id = meanwhile(lambda: book.add(study, traces, summary, memory))
        except LogbookFault as fault:
            self.failed.emit(str(fault))
            return None
        self.undo.push(Listing(self, study_id, False, f'add "{study.title}"'))
        self.studiesChanged.emit()
        self.open_study(study_id)
        return study_id

    def remove_study(self, study_id: int, title: str) -> None:
        """Take a study off the list (it can be put back with undo)."""
        if self.read_only:
            self._refuse()
            return
        self.leaving.emit()
        self.undo.push(Listing(self, study_id, True, f'remove "{title}"'))

    def leave_out(self, name: str, reason: str) -> bool:
        """Leave a leg out of the comparison; the reason is kept, and whether the result had been seen."""
        if self.study is None:
            return False
        if not reason.strip():
            self.failed.emit("A leg is left out only with a reason.")
            return False
        seen = bool(self.analysis and self.analysis.comparisons)
        after = self.study.with_leg(name, included=False, reason=reason.strip(), left_out_after_result=seen)
        return self.edit(after, f"leave out {name}")

    def take_back_in(self, name: str) -> bool:
        """Let a leg that was left out count again."""
        if self.study is None:
            return False
        after = self.study.with_leg(name, included=True, reason="", left_out_after_result=False)
        return self.edit(after, f"take {name} back in")

    def edit(self, after: Study, text: str, traces: Traces | None = None) -> bool:
        """Make `after` the current study, with changed traces if any: one undo step, saved before this returns."""
        if self.study is None or self.study_id is None:
            return False
        if after == self.study and not traces:
            return True
        if self.read_only:
            self._refuse()
            return False
        after = self._as_seen(after)
        self.undo.push(Edit(self, self.study_id, self.study, after, text, traces or {}))
        return self.study == after

    def edit_for_good(self, after: Study) -> bool:
        """Make `after` the current study beside the undo stack: a seal outlives what was undone before it."""
        if self.study is None or self.study_id is None or self.read_only:
            self._refuse()
            return False
        self._store(self.study_id, after, {})
        return self.study == after

    def _as_seen(self, after: Study) -> Study:
        """An edit made with a result in sight: the look is counted, and what should have been said before it is marked."""
        if self.study is None or self.analysis is None or not self.analysis.comparisons:
            return after
        return with_look(said_afterwards(self.study, after), max(c.pairs for c in self.analysis.comparisons))

    def _refuse(self) -> None:
        because = self.logbook.read_only_because if self.logbook else "No logbook is open."
        self.failed.emit(because)

    @typed_with_groups("")  # what is stored was asked about when it was typed, or came from elsewhere
    def _store(self, study_id: int, study: Study, changed: Traces) -> None:
        assert self.logbook is not None
        try:
            held, traces = self.study, self.traces
            if self.study_id != study_id:
                record = self.logbook.read(study_id)
                held, traces = record.study, record.traces
            study = with_seal(held, study)
        except LogbookFault as fault:
            self.failed.emit(str(fault))
            return
        if changed:
            traces = {leg: trace for leg, trace in {**traces, **changed}.items() if trace is not None}
        same = study_id == self.study_id  # else undo came back to another study: its own others tell the hand
        scatter = self.scatter if same else self._hand_of(study, study_id)
        result = self._at_once(study, traces, scatter)
        try:
            self._save(study_id, study, result, changed)
        except LogbookFault as fault:
            self.failed.emit(str(fault))
            self.studyChanged.emit()  # fields show what is really stored
            return
        renamed = self.study is None or self.study.title != study.title
        self.chosen = self.chosen if same else 0
        self.study_id, self.study, self.traces, self.scatter = study_id, study, traces, scatter
        self._ticket += 1  # whatever is still being computed is out of date
        if result is not None:
            self.analysis = result
        else:
            self._analyse()
        self.studyChanged.emit()
        if renamed:
            self.studiesChanged.emit()

    def _save(self, study_id: int, study: Study, result: Analysis | None, changed: Traces) -> None:
        """Save; long logs beside the work, so that the window goes on painting. On the disk when this returns."""
        assert self.logbook is not None
        book = self.logbook
        kept = result is not None and self.view == "reference"  # the list shows one view of all studies
        summary, memory = (_summary(study, result), _memory(study, result)) if result and kept else ("", "")
        if sum(len(t.time_s) for t in changed.values() if t is not None) < LONG_SAMPLES:
            book.save(study_id, study, summary, changed, memory)
        else:
            meanwhile(lambda: book.save(study_id, study, summary, changed, memory))

    def _at_once(self, study: Study, traces: Mapping[str, Trace], scatter: ScatterPrior) -> Analysis | None:
        """Analyse before saving when that is quick, so that the list's line is saved in the same breath."""
        if traces or len(study.legs) > INLINE_LEGS:
            return None
        try:
            return analyse(study, traces, self.view, scatter)
        except (ArithmeticError, ValueError) as error:
            self.failed.emit(f"The readings cannot be analysed: {error}")
            return None

    def _list(self, study_id: int, removed: bool) -> None:
        assert self.logbook is not None
        try:
            self.logbook.set_removed(study_id, removed)
        except LogbookFault as fault:
            self.failed.emit(str(fault))
            return
        if removed and study_id == self.study_id:
            self.close_study()
        self.studiesChanged.emit()

    def state(self, leg: Leg) -> str:
        """State of a leg in a word: planned, driven (typed or logged), left out."""
        return "driven" if leg.included and self.has_reading(leg) else leg.state

    # ------------------------------------------------------------ analysis

    def choose(self, index: int) -> None:
        """Show another comparison."""
        if index != self.chosen and index >= 0:
            self.chosen = index
            self.analysisChanged.emit()

    def set_view(self, view: View) -> None:
        """Switch between reference, study mean and as measured."""
        if view != self.view:
            self.view = view
            if self.study is not None:
                self._analyse()

    def _analyse(self) -> None:
        if self.study is None:
            return
        self._ticket += 1
        if not self.traces and len(self.study.legs) <= INLINE_LEGS:
            try:
                self._arrived(self._ticket, analyse(self.study, self.traces, self.view, self.scatter))
            except (ArithmeticError, ValueError) as error:
                self._arrived(self._ticket, error)
            return
        study, traces, view, scatter = self.study, dict(self.traces), self.view, self.scatter
        job = self._jobs[self._ticket] = Work(self._ticket, lambda: analyse(study, traces, view, scatter))
        job.signals.done.connect(self._job_done)
        self.busyChanged.emit(True)
        job.start()

    def _job_done(self, ticket: int) -> None:
        job = self._jobs.get(ticket)
        if job is not None:
            self._arrived(ticket, job.result if job.fault is None else job.fault)

    def _arrived(self, ticket: int, result: object) -> None:
        from fairmargin.core.result.types import Analysis

        self._jobs.pop(ticket, None)
        if not self._jobs:
            self.busyChanged.emit(False)
        if ticket != self._ticket:
            return  # a newer edit has overtaken this one
        if isinstance(result, Analysis):
            self.analysis = result
            self._keep_summary(result)
        else:
            self.analysis = None
            self.failed.emit(f"The readings cannot be analysed: {result}")
        self.analysisChanged.emit()

    def _keep_summary(self, result: Analysis) -> None:
        """Keep the list's line up to date for studies that are analysed after they are saved."""
        if self.logbook is None or self.study_id is None or self.logbook.read_only or self.study is None:
            return
        saved_at_once = not self.traces and len(self.study.legs) <= INLINE_LEGS
        if saved_at_once and not self._line_missing:
            return
        if self.view != "reference":
            return  # the list shows one view of all studies
        try:
            self.logbook.set_summary(self.study_id, _summary(self.study, result), _memory(self.study, result))
        except LogbookFault as fault:
            self.failed.emit(str(fault))
            return
        self.studiesChanged.emit()

    # ------------------------------------------------------------ units

    @property
    def units(self) -> UnitChoice:
        """Units that screens and reports show, for the vehicle of the study that is open."""
        if self.study is None:
            return self.own_units
        vehicle = self.study.vehicle
        return self.own_units.for_vehicle(vehicle.energy != "electric", vehicle.heating_value)

    def units_of(self, leg: Leg) -> UnitChoice:
        """Units for one leg: those of the vehicle that drove it, where a study has several."""
        if self.study is None or not leg.vehicle:
            return self.units
        own = vehicle_of(self.study, leg.vehicle)
        return self.own_units.for_vehicle(own.energy != "electric", own.heating_value)

    def set_units(self, choice: UnitChoice) -> None:
        """Choose the units that screens and reports show, and what results of this logbook are said as beside per cent."""
        keep_units(choice, self.settings)
        if (choice.also, choice.year_km) != (self.own_units.also, self.own_units.year_km):
            try:
                keep_terms(choice, self.settings, self.logbook)
            except LogbookFault as fault:
                self.failed.emit(str(fault))
        self.own_units = choice
        self.unitsChanged.emit()

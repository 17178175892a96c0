"""What undo takes back: an edit of a study, a study added to the list or taken off it."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING

from PySide6.QtGui import QUndoCommand

from fairmargin.core.study import Study, Trace

if TYPE_CHECKING:
    from fairmargin.desktop.state.session import Session

Traces = Mapping[str, Trace | None]  # those that change; None takes a leg's trace away


class Edit(QUndoCommand):
    """A study as it was and as it is now, with the logs that changed."""

    def __init__(self, session: Session, study_id: int, before: Study, after: Study, text: str, traces: Traces) -> None:
        super().__init__(text)
        self._session, self._id, self._before, self._after = session, study_id, before, after
        self._traces = traces
        self._traces_before: Traces = {leg: session.traces.get(leg) for leg in traces}

    def redo(self) -> None:
        self._session._store(self._id, self._after, self._traces)

    def undo(self) -> None:
        self._session._store(self._id, self._before, self._traces_before)


class Listing(QUndoCommand):
    """A study added to or taken off the list."""

    def __init__(self, session: Session, study_id: int, removed: bool, text: str) -> None:
        super().__init__(text)
        self._session, self._id, self._removed = session, study_id, removed
        self._first = True

    def redo(self) -> None:
        if self._first and not self._removed:
            self._first = False  # it was added already
            return
        self._session._list(self._id, self._removed)

    def undo(self) -> None:
        self._first = False
        self._session._list(self._id, not self._removed)


def with_seal(held: Study | None, study: Study) -> Study:
    """The study with the seal that is there: undoing what came before it does not take it off, nor its looks."""
    seal = held.registration if held is not None else None
    if seal is None or (study.registration is not None and study.registration.looks > seal.looks):
        return study
    return study.with_(registration=seal)

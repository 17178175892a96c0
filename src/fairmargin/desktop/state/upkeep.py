"""Keeping the list's lines up to date beside the work: studies that others have moved are analysed again, one at a time."""

from __future__ import annotations

from collections import Counter

from PySide6.QtCore import QObject, QTimer, Signal

from fairmargin.desktop.state.background import Background
from fairmargin.desktop.state.session import Session
from fairmargin.logbook import Logbook
from fairmargin.simulation.sealed import is_virtual

BEGIN_MS = 1500  # after the list was shown: the first second is the person's
TELL_EVERY = 8  # studies between two looks at the list
MOST_TRIES = 3  # each round may move what the next rests on, by less


class Upkeep(QObject):
    """Works through the studies of a logbook whose lines are not what opening them would show."""

    progressed = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._session = session
        self._beside = Background(self)
        self._waiting: list[int] = []
        self._tried: Counter[int] = Counter()
        self._book: Logbook | None = None
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.timeout.connect(self.begin)
        session.logbookChanged.connect(self._another)

    @property
    def waiting(self) -> int:
        """How many studies are still to be analysed again."""
        return len(self._waiting)

    def soon(self) -> None:
        """Begin in a moment."""
        if not self._waiting:
            self._timer.start(BEGIN_MS)

    def _another(self) -> None:
        self._beside.forget()
        self._waiting, self._book = [], None
        self._tried.clear()

    def begin(self) -> None:
        """Look for stale lines, and work through them."""
        book = self._session.logbook
        if book is None or book.read_only or self._beside.busy or self._waiting:
            return
        from fairmargin.logbook.freshen import stale

        self._book = book

        def then(found: object, fault: Exception | None) -> None:
            if fault is None and isinstance(found, list) and self._session.logbook is book:
                own = self._session.study_id
                if own is not None and own in found and self._tried[own] < MOST_TRIES:
                    self._tried[own] += 1
                    self._session.follow_scatter()
                self._waiting = [i for i in found if i != own and self._tried[i] < MOST_TRIES]
                if self._waiting:
                    self._next()

        self._beside.run(lambda: stale(book), then)

    def _next(self) -> None:
        from fairmargin.logbook.freshen import freshen

        book = self._book
        if book is None or self._session.logbook is not book:
            return
        if not self._waiting:
            self._session.studiesChanged.emit()
            self.progressed.emit()
            self.begin()  # what was learned may have moved others
            return
        study_id = self._waiting.pop(0)
        self._tried[study_id] += 1

        def then(_done: object, _fault: Exception | None) -> None:
            if len(self._waiting) % TELL_EVERY == 0:
                self._session.studiesChanged.emit()
            self.progressed.emit()
            self._next()

        self._beside.run(lambda: freshen(book, study_id, is_virtual), then)

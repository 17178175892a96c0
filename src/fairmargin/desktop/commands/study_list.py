"""What is done with a study on the list without opening it: put aside, tagged; each can be undone."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtGui import QUndoCommand

from fairmargin.desktop.state.session import Session
from fairmargin.logbook import LogbookFault

MOST_TAG = 40  # letters of a tag


class _OnTheList(QUndoCommand):
    """Something that is written of a study, and what was there before."""

    def __init__(self, session: Session, text: str, do: Callable[[], None], undo: Callable[[], None]) -> None:
        super().__init__(text)
        self._session, self._do, self._undo = session, do, undo

    def _try(self, run: Callable[[], None]) -> None:
        try:
            run()
        except LogbookFault as fault:
            self._session.failed.emit(str(fault))
            return
        self._session.studiesChanged.emit()

    def redo(self) -> None:
        self._try(self._do)

    def undo(self) -> None:
        self._try(self._undo)


def put_aside(session: Session, study_id: int, title: str, aside: bool) -> None:
    """Put a study aside, or take it back."""
    book = session.logbook
    if book is None or book.read_only:
        return
    words = f'put "{title}" aside' if aside else f'take "{title}" back'
    session.undo.push(
        _OnTheList(
            session, words, lambda: book.set_archived(study_id, aside), lambda: book.set_archived(study_id, not aside)
        )
    )


def read_tags(text: str) -> tuple[str, ...]:
    """Read tags as typed: between commas or spaces, each once.

    Raises
    ------
    ValueError
        If one is too long.
    """
    parts = [" ".join(t.split()) for t in (text.split(",") if "," in text else text.split())]
    tags = tuple(dict.fromkeys(t for t in parts if t))
    for tag in tags:
        if len(tag) > MOST_TAG:
            raise ValueError(f'"{tag[:20]}\u2026" is too long for a tag; expected at most {MOST_TAG} letters')
    return tags


def tag(session: Session, study_id: int, tags: tuple[str, ...]) -> None:
    """Give a study its tags."""
    book = session.logbook
    if book is None or book.read_only:
        return
    if session.study_id == study_id and session.study is not None:
        session.edit(session.study.with_(tags=tags), "tag the study")
        session.studiesChanged.emit()
        return
    try:
        before = book.read(study_id).study.tags
    except LogbookFault as fault:
        session.failed.emit(str(fault))
        return
    session.undo.push(
        _OnTheList(
            session, "tag a study", lambda: book.set_tags(study_id, tags), lambda: book.set_tags(study_id, before)
        )
    )

"""What can be wrong with a logbook, worded for the person."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path

from fairmargin.core.study import Study, Trace


class LogbookFault(Exception):
    """A logbook that cannot be opened or written; the message is for the person."""


class LogbookDamaged(LogbookFault):
    """A file that is a logbook but not whole; what can be read of it can be put into a copy.

    Attributes
    ----------
    path : Path
    """

    def __init__(self, path: Path, what: str) -> None:
        super().__init__(
            f"{path}: is damaged ({what}). It was left as it is; what can be read can be put into a copy, and "
            "earlier copies can be put back."
        )
        self.path = path


class StudyDamaged(LogbookFault):
    """One study whose record is not what was written.

    Attributes
    ----------
    study_id : int
    study : Study or None
        What can be read, with every value in doubt; None if nothing can.
    traces : mapping
        Logs that are whole.
    """

    def __init__(self, words: str, study_id: int, study: Study | None, traces: Mapping[str, Trace]) -> None:
        super().__init__(words)
        self.study_id, self.study, self.traces = study_id, study, dict(traces)

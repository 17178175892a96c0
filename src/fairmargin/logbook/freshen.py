"""Keeping the list's lines the figures that the opened study would show.

What one study teaches of the tester's scatter moves the others a little; a study that was changed elsewhere, or comes from
an earlier version, keeps nothing for the others yet. Such studies are analysed again, one at a time.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping

import numpy as np

from fairmargin.core.analysis import analyse
from fairmargin.core.inference.scatter import ScatterPrior, learned_from_sum
from fairmargin.core.study import Study
from fairmargin.logbook.faults import LogbookFault
from fairmargin.logbook.lines import Remembering, read_memories, study_memory, study_summary
from fairmargin.logbook.rows import StudyEntry
from fairmargin.logbook.store import Logbook

MOST_ROUNDS = 3  # each round may move what the next rests on, by less


def others(evidence: Mapping[int, list[float]], study_id: int | None) -> ScatterPrior:
    """The tester's scatter from all studies but one."""
    kept = [e for key, e in evidence.items() if key != study_id]
    return learned_from_sum(np.sum(kept, axis=0), len(kept)) if kept else ScatterPrior()


def stale(book: Logbook) -> list[int]:
    """Studies whose line is not what opening them would show, or that keep nothing for the others."""
    kept = book.memories()
    evidence = book.scatter_of_studies()
    total = np.sum(list(evidence.values()), axis=0) if evidence else np.zeros(0)
    missing = set(read_memories(kept).missing)
    found = []
    for entry, _ in kept:
        if entry.damage:
            continue
        own = evidence.get(entry.id)
        count = len(evidence) - (own is not None)
        rest = total if own is None else total - np.asarray(own)
        prior = learned_from_sum(rest, count) if count else ScatterPrior()
        moved = not _came_with_it(entry.summary) and _prior_of(entry.summary) != list(prior.figures)
        if entry.id in missing or moved:
            found.append(entry.id)
    return found


def _prior_of(summary: str) -> list[float] | None:
    """The scatter that a line rests on."""
    try:
        value = json.loads(summary).get("prior") if summary else None
        return None if value is None else [float(v) for v in value]
    except (ValueError, TypeError, AttributeError):
        return None


def _came_with_it(summary: str) -> bool:
    """Whether a line rests on the scatter of the study's own tester, which no other study moves."""
    try:
        return bool(summary and json.loads(summary).get("prior_came_with_it"))
    except (ValueError, TypeError, AttributeError):
        return False


def freshen(book: Logbook, study_id: int, virtual: Callable[[Study], bool] = lambda _: False) -> bool:
    """Analyse one study again and write its line; whether it could be.

    Parameters
    ----------
    book : Logbook
    study_id : int
    virtual : callable
        Whether a study is a rehearsal, of which nothing is learned.
    """
    try:
        record = book.read(study_id)
        prior = others(book.scatter_of_studies(), study_id)
        result = analyse(record.study, record.traces, scatter=prior)
        own = not virtual(record.study)
        book.set_summary(
            study_id, study_summary(result, own, record.study), study_memory(record.study, result, own), record.check
        )
    except (LogbookFault, ArithmeticError, ValueError):
        return False
    return True


def freshen_all(book: Logbook, virtual: Callable[[Study], bool] = lambda _: False) -> None:
    """Bring every line up to date."""
    failed: set[int] = set()
    for _ in range(MOST_ROUNDS):
        waiting = [i for i in stale(book) if i not in failed]
        if not waiting:
            return
        failed |= {i for i in waiting if not freshen(book, i, virtual)}


def remember(book: Logbook, virtual: Callable[[Study], bool] = lambda _: False) -> tuple[Remembering, list[str]]:
    """What the studies of a logbook say for each other; those that keep nothing yet are analysed for it, nothing is written.

    Parameters
    ----------
    book : Logbook
    virtual : callable
        As for `freshen`.

    Returns
    -------
    Remembering
    faults : list of str
        Of studies that could not be read or analysed.
    """
    kept, evidence = book.memories(), book.scatter_of_studies()
    old = set(stale(book))
    texts: list[tuple[StudyEntry, str]] = []
    faults: list[str] = []
    for entry, text in kept:
        if entry.id in old and not entry.damage:
            try:
                record = book.read(entry.id)
                result = analyse(record.study, record.traces, scatter=others(evidence, entry.id))
                text = study_memory(record.study, result, not virtual(record.study))
            except (LogbookFault, ArithmeticError, ValueError) as error:
                faults.append(f"\u201c{entry.title}\u201d: {error}")
                continue
        texts.append((entry, text))
    return read_memories(texts), faults

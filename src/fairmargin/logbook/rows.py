"""Rows of the logbook as values, and values as rows."""

from __future__ import annotations

import json
import math
import sqlite3
from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any, Final

from fairmargin.core.study import Study, Trace
from fairmargin.logbook.about import About, read_about
from fairmargin.logbook.schema import check_of

#: Shown in the list for a study that is there but not what was written.
DAMAGE_MARK: Final = '{"damaged": true}'
DAMAGED: Final = "damaged: its readings are not what was written"


@dataclass(frozen=True, slots=True)
class StudyEntry:
    """One line of the study list; `damage` says what is wrong with its record, "" if nothing is."""

    id: int
    title: str
    summary: str
    changed_at: datetime | None
    damage: str = ""
    about: About = field(default_factory=About)
    archived: bool = False


@dataclass(frozen=True, slots=True)
class Record:
    """A study as it was written, its logs, and what of them could not be read."""

    study: Study
    traces: dict[str, Trace]
    damage: tuple[str, ...] = ()
    summary: str = ""  # what the list says of it
    check: str = ""  # of the record as it was read: another once the study is edited


def now_text() -> str:
    """Now, as the file writes it."""
    return datetime.now().astimezone().isoformat(timespec="seconds")


def sealed(memory: str) -> str:
    """What other studies may lean on, behind its checksum."""
    return f"{check_of(memory)} {memory}" if memory else ""


def unsealed(text: object) -> str:
    """What other studies may lean on; nothing where it is not what was written."""
    check, _, memory = text.partition(" ") if isinstance(text, str) else ("", "", "")
    return memory if memory and check == check_of(memory) else ""


def scatter_in(summary: str) -> list[float]:
    """What a line says of the tester's scatter; nothing where it is of an earlier version, or damaged."""
    from fairmargin.core.inference.scatter import EVIDENCE  # the list alone needs none

    try:
        evidence = [float(v) for v in json.loads(summary or "{}").get("scatter") or []]
    except (ValueError, TypeError, AttributeError):
        return []
    whole = len(evidence) == EVIDENCE and all(math.isfinite(v) for v in evidence)
    return evidence if whole else []


def moment(value: object) -> datetime | None:
    """A moment that the file wrote; None where it cannot be read."""
    try:
        return datetime.fromisoformat(value) if isinstance(value, str) else None
    except ValueError:
        return None


Row = sqlite3.Row | Mapping[str, Any]


def entry_of(row: Row) -> StudyEntry | None:
    """The list's line of a row; None where it was taken off the list."""
    if row["removed_at"] is not None:
        return None
    damaged = row["summary"] == DAMAGE_MARK
    summary, damage = ("", DAMAGED) if damaged else (row["summary"], "")
    return StudyEntry(
        row["id"],
        row["title"],
        summary,
        moment(row["changed_at"]),
        damage,
        read_about(row["about"]),
        row["archived_at"] is not None,
    )


def body_of(study: Study) -> str:
    """A study's record."""
    return study.model_dump_json(by_alias=True, exclude_none=True)


def study_of(row: Row) -> Study | None:
    """The study of a row; None where it is not what was written."""
    return parsed(row["body"]) if row["body_check"] == check_of(row["body"]) else None


def parsed(body: object) -> Study | None:
    """A study from its record; None where it cannot be read."""
    try:
        return Study.model_validate_json(body) if isinstance(body, str | bytes) else None
    except (ValueError, RecursionError):
        return None

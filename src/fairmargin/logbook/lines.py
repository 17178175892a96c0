"""What the list says about a study, and what other studies may lean on: both written when it has been analysed."""

from __future__ import annotations

import contextlib
import json
from collections.abc import Iterable
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, Final

from fairmargin.core.study import Study
from fairmargin.logbook.rows import StudyEntry

if TYPE_CHECKING:  # loaded with what is written or read of a study, not with the list
    from fairmargin.core.memory.facts import Facts
    from fairmargin.core.memory.findings import Finding
    from fairmargin.core.memory.vehicle import Taught
    from fairmargin.core.result.types import Analysis, Comparison

#: States of a study, in the order of its life.
PLANNED: Final = "planned"
UNDERWAY: Final = "under way"
NOT_FAIR: Final = "not fair"
OPEN: Final = "not settled"
SETTLED_STATE: Final = "settled"
TOLD: Final = "told"  # one configuration: its consumption is known, nothing is compared
STATES: Final = (UNDERWAY, OPEN, NOT_FAIR, SETTLED_STATE, TOLD, PLANNED)
#: Of what is kept and of the method it was worked out by: lines of another one are worked out again.
MEMORY_VERSION: Final = 2


def study_summary(result: Analysis, own: bool = True, study: Study | None = None) -> str:
    """What the list says about a study, as JSON: words, legs used, effect and interval, state and next step, scatter.

    With `own` false (a rehearsal) nothing is told of the tester's scatter: a virtual driver drove.
    """
    used = sum(leg.included for leg in result.legs)
    state, step = ("", "") if study is None else _state(study, result)
    said: dict[str, Any] = {
        "words": result.missing,
        "legs": used,
        "state": state,
        "next": step,
        "prior": None if result.scatter_prior is None else list(result.scatter_prior.figures),
        **({"prior_came_with_it": True} if result.scatter_prior is not None and result.scatter_prior.travelled else {}),
    }
    if result.comparisons:
        c = result.comparisons[0]
        said |= {
            "scatter": [round(v, 3) for v in result.scatter_evidence] if own else [],
            "words": c.verdict,
            "effect": round(c.effect_percent, 3),
            "low": round(c.interval_percent[0], 3),
            "high": round(c.interval_percent[1], 3),
            "comparisons": len(result.comparisons),
        }
    elif result.results:
        r = result.results[0]
        level = r.wh_per_km or r.as_driven_wh_per_km
        said |= {"words": "", "level": None if level is None else round(level, 2)}
    return json.dumps(said)


def _state(study: Study, result: Analysis) -> tuple[str, str]:
    """State of a study and what to do next, in words."""
    waiting = [leg for leg in study.legs if leg.state == "planned"]
    if not result.legs:
        return PLANNED, "Drive the first leg, or type its reading." if waiting else "Lay out the runs."
    if result.missing:
        return UNDERWAY, result.missing
    if waiting:
        leg = waiting[0]
        return (
            UNDERWAY,
            f"{len(waiting)} leg{'s' if len(waiting) != 1 else ''} to drive: next {leg.leg}, {study.configuration(leg.configuration).label}.",
        )
    if not result.comparisons:
        return TOLD, ""
    from fairmargin.core.result.verdict import SETTLED

    c = result.comparisons[0]
    if c.verdict == "not a fair comparison":
        blocking = next((x for x in c.concerns if x.severity == "blocks"), None) or next(iter(c.concerns), None)
        return NOT_FAIR, "" if blocking is None else blocking.next_step
    if c.verdict in SETTLED:
        doubt = next((x for x in c.concerns if x.severity != "note" and x.next_step), None)
        return SETTLED_STATE, "" if c.standing.word == "fair" or doubt is None else doubt.next_step
    return OPEN, _to_settle(c)


def _to_settle(c: Comparison) -> str:
    if c.pairs_needed is not None and c.pairs_needed > c.pairs:
        more = c.pairs_needed - c.pairs
        return f"About {more} more pair{'s' if more != 1 else ''} would settle it."
    return c.margin[0].remedy if c.margin else ""


def study_memory(study: Study, result: Analysis, own: bool = True) -> str:
    """What other studies may lean on, as JSON; of a rehearsal nothing."""
    from fairmargin.core.memory import facts, findings, vehicle

    return json.dumps(
        {
            "version": MEMORY_VERSION,
            "findings": [findings.as_record(f) for f in findings.findings(study, result)] if own else [],
            "taught": [vehicle.as_record(t) for t in vehicle.taught(study, result)] if own else [],
            "facts": [facts.as_record(f) for f in facts.facts_of(study, result)] if own else [],
        }
    )


@dataclass(frozen=True, slots=True)
class Remembering:
    """What a logbook's studies say for each other; `missing` are those that were not analysed since they changed."""

    findings: tuple[Finding, ...] = ()
    taught: tuple[Taught, ...] = ()
    missing: tuple[int, ...] = ()
    facts: tuple[Facts, ...] = ()


def read_memories(kept: Iterable[tuple[StudyEntry, str]], archived: bool = True) -> Remembering:
    """Read what studies keep for each other.

    Parameters
    ----------
    kept : iterable of (StudyEntry, str)
        See `Logbook.memories`.
    archived : bool
        Whether studies that were put aside count.

    Returns
    -------
    Remembering
    """
    from fairmargin.core.memory import facts, findings, vehicle

    found: list[Finding] = []
    taught: list[Taught] = []
    missing: list[int] = []
    told: list[Facts] = []
    for entry, text in kept:
        if entry.damage or (entry.archived and not archived):
            continue
        value = _read(text)
        if value is None:
            missing.append(entry.id)
            continue
        with contextlib.suppress(ValueError, TypeError, KeyError):
            found += [findings.from_record(r, entry.id, entry.title) for r in value["findings"]]
            taught += [vehicle.from_record(r, entry.id, entry.title) for r in value["taught"]]
            told += [facts.from_record(r, entry.id, entry.title) for r in value["facts"]]
    return Remembering(tuple(found), tuple(taught), tuple(missing), tuple(told))


def _read(text: str) -> dict[str, Any] | None:
    try:
        value = json.loads(text) if text else None
    except ValueError:
        return None
    return value if isinstance(value, dict) and value.get("version") == MEMORY_VERSION else None

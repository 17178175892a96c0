"""Two note-takers, two laptops: one study's legs brought into another's, by leg; nothing is overwritten."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass, field
from typing import Final

from fairmargin.core.study.attachments import MOST_OF_A_STUDY, Attachment, unlike
from fairmargin.core.study.leg import Leg
from fairmargin.core.study.trace import Trace
from fairmargin.core.study.values import Study

#: Fields that say which leg it is; they must agree for two legs to be the same.
_IDENTITY = ("run", "configuration", "direction", "vehicle")

SAMPLES: Final = "samples"  # a leg's log, as a field of a conflict

#: Whether a leg counts is a judgement, never an empty field.
_JUDGED = frozenset({"included", "reason", "left_out_after_result"})


@dataclass(frozen=True, slots=True)
class Conflict:
    """One field that both sides filled in differently."""

    leg: str
    field: str
    here: object
    there: object


@dataclass(frozen=True, slots=True)
class Merged:
    """What a merge gives before anybody has decided on the conflicts (here = kept)."""

    study: Study
    added: tuple[str, ...]  # legs that were not here
    filled: tuple[tuple[str, str], ...]  # leg and field that were empty here
    conflicts: tuple[Conflict, ...]
    traces: Mapping[str, Trace] = field(default_factory=dict)  # logs of legs that had none here
    noted: int = 0  # events and readings on the way that were not here
    attached: tuple[str, ...] = ()  # photographs and files that were not here, as they are called now
    too_much: tuple[str, ...] = ()  # those for which a study has no room left


def merge(
    here: Study,
    there: Study,
    traces_here: Mapping[str, Trace] | None = None,
    traces_there: Mapping[str, Trace] | None = None,
) -> Merged:
    """Bring the legs, logs, events, readings on the way, weather, attachments and left-out reasons of `there` into `here`.

    Parameters
    ----------
    here, there : Study
        The study at home, and the one from the other laptop.
    traces_here, traces_there : mapping of leg name to Trace, optional
        Their logs; a leg that has unlike logs on both sides is a conflict of the field ``samples``.

    Returns
    -------
    Merged
        Empty fields are filled, new legs, events, readings and attachments added; fields that differ stay as they are
        here and are listed as conflicts.

    Raises
    ------
    ValueError
        If the studies do not compare the same configurations, or a leg of one name is another drive.
    """
    ids = {c.id for c in here.configurations}
    strange = sorted({leg.configuration for leg in there.legs} - ids)
    if strange:
        raise ValueError(
            f"the other study has configuration {', '.join(strange)}, this one {', '.join(sorted(ids))}: not the same study"
        )
    legs, added, filled, conflicts = _by_leg(here, there)
    own_traces = traces_here or {}
    traces: dict[str, Trace] = {}
    for name, trace in (traces_there or {}).items():
        if name not in own_traces:
            traces[name] = trace
            filled.append((name, SAMPLES))
        elif not own_traces[name].same_as(trace):
            conflicts.append(Conflict(name, SAMPLES, own_traces[name], trace))
    events = [e for e in there.events if e not in here.events]
    readings = [r for r in there.readings if r not in here.readings]
    weather = [w for w in there.weather if w not in here.weather]
    attached, too_much = _attached(here, there)
    study = here.with_(
        legs=tuple(legs.values()),
        events=(*here.events, *events),
        readings=(*here.readings, *readings),
        weather=(*here.weather, *weather),
        attachments=(*here.attachments, *attached),
    )
    return Merged(
        study, tuple(added), tuple(filled), tuple(conflicts), traces, len(events) + len(readings),
        tuple(x.file for x in attached), too_much,
    )  # fmt: skip


def _by_leg(here: Study, there: Study) -> tuple[dict[str, Leg], list[str], list[tuple[str, str]], list[Conflict]]:
    """Legs of both, those that were not here, fields that were empty here, and those filled in differently."""
    legs = {leg.leg: leg for leg in here.legs}
    added: list[str] = []
    filled: list[tuple[str, str]] = []
    conflicts: list[Conflict] = []
    for other in there.legs:
        own = legs.get(other.leg)
        if own is None:
            legs[other.leg] = other
            added.append(other.leg)
            continue
        for name in _IDENTITY:
            a, b = getattr(own, name), getattr(other, name)
            if a and b and a != b:
                raise ValueError(f"leg {other.leg} is {name} {a} here and {b} there: not the same drive")
        changes: dict[str, object] = {}
        for name, info in Leg.model_fields.items():
            a, b = getattr(own, name), getattr(other, name)
            if a == b or b == info.default:
                continue
            if a == info.default and name not in _JUDGED:
                changes[name] = b
                filled.append((other.leg, name))
            else:
                conflicts.append(Conflict(other.leg, name, a, b))
        if changes:
            legs[other.leg] = own.with_(**changes)
    return legs, added, filled, conflicts


def _attached(here: Study, there: Study) -> tuple[list[Attachment], tuple[str, ...]]:
    """What the other side attached and this one has not, another's name never taken; and what a study has no room for."""
    same = {(x.of, x.data) for x in here.attachments}
    taken = [x.file for x in here.attachments]
    room = MOST_OF_A_STUDY - sum(len(x.content) for x in here.attachments)
    found: list[Attachment] = []
    too_much: list[str] = []
    for other in there.attachments:
        if (other.of, other.data) in same:
            continue
        if len(other.content) > room:
            too_much.append(other.file)
            continue
        room -= len(other.content)
        made = other.with_(file=unlike(other.file, taken))
        taken.append(made.file)
        found.append(made)
    return found, tuple(too_much)


def decide(merged: Merged, take_there: Collection[Conflict]) -> Study:
    """Return the merged study with the other side's value for the conflicts in `take_there`."""
    study = merged.study
    for conflict in merged.conflicts:
        if conflict in take_there and conflict.field != SAMPLES:
            study = study.with_leg(conflict.leg, **{conflict.field: conflict.there})
    return study


def traces_to_take(merged: Merged, take_there: Collection[Conflict]) -> dict[str, Trace]:
    """Return the logs to bring in: those that were missing here, and the other side's where it was chosen."""
    chosen = {c.leg: c.there for c in take_there if c.field == SAMPLES and isinstance(c.there, Trace)}
    return {**merged.traces, **chosen}

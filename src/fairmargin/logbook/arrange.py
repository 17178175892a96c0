"""The list of studies as it is looked at: searched, grouped, sorted; what was put aside left out."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, date
from functools import lru_cache
from typing import Any, Final, Literal

from fairmargin.logbook.lines import STATES
from fairmargin.logbook.rows import StudyEntry

Group = Literal["nothing", "vehicle", "road", "kind", "state", "tag"]
Sort = Literal["as added", "changed last", "driven last", "title", "effect"]
GROUPS: Final[tuple[Group, ...]] = ("nothing", "vehicle", "road", "kind", "state", "tag")
SORTS: Final[tuple[Sort, ...]] = ("as added", "changed last", "driven last", "title", "effect")
UNNAMED: Final[Mapping[str, str]] = {
    "vehicle": "no vehicle named", "road": "no road named", "kind": "no kind", "state": "not analysed yet", "tag": "no tag",
}  # fmt: skip


SMALLEST: Final = 5.0  # of a scale without effects
FAR: Final = 3.0  # times the middle effect: what lies farther is an arrow
STEPS: Final = (1.0, 2.0, 5.0, 10.0, 20.0, 50.0, 100.0)
MOST_STEPS: Final = 8


@dataclass(frozen=True, slots=True)
class Heading:
    """The line above a group."""

    words: str
    count: int


Row = Heading | StudyEntry


@dataclass(frozen=True, slots=True)
class Arrangement:
    """How the list is looked at."""

    words: str = ""
    group: Group = "nothing"
    sort: Sort = "as added"
    aside: bool = False  # show what was put aside, and nothing else


@lru_cache(maxsize=4096)
def read_summary(text: str) -> Mapping[str, Any]:
    """Read what the logbook keeps about a study; empty when it was never analysed."""
    try:
        value = json.loads(text) if text else {}
    except ValueError:
        return {}
    return value if isinstance(value, dict) else {}


def arrange(entries: Sequence[StudyEntry], how: Arrangement) -> list[Row]:
    """Return the lines of the list, group after group.

    A word that is searched for may stand anywhere: in the title, notes, vehicle, road, kind, tags, configurations or state;
    all of them must. A study with several tags stands in the group of each.
    """
    wanted = how.words.casefold().split()
    kept = [e for e in entries if e.archived == how.aside and all(w in searched(e) for w in wanted)]
    kept.sort(key=_SORTED[how.sort])
    if how.group == "nothing":
        return list(kept)
    by_name: dict[str, list[StudyEntry]] = {}
    for entry in kept:
        for name in _groups_of(entry, how.group):
            by_name.setdefault(name, []).append(entry)
    unnamed = UNNAMED[how.group]

    def place(name: str) -> tuple[object, ...]:
        if how.group == "state":
            return (STATES.index(name) if name in STATES else len(STATES), name)
        return (name == unnamed, name.casefold())

    out: list[Row] = []
    for name in sorted(by_name, key=place):
        out.append(Heading(name, len(by_name[name])))
        out += by_name[name]
    return out


@lru_cache(maxsize=4096)
def searched(entry: StudyEntry) -> str:
    """Everything of a study that can be searched."""
    a = entry.about
    parts = (
        entry.title,
        a.vehicle,
        a.road,
        a.kind,
        a.method,
        *a.tags,
        *a.configurations,
        a.notes,
        state_of(entry),
        entry.damage,
    )
    return "\n".join(parts).casefold()


def state_of(entry: StudyEntry) -> str:
    """State of a study in a word; "" when it was never analysed."""
    return str(read_summary(entry.summary).get("state") or "")


def _groups_of(entry: StudyEntry, group: Group) -> Sequence[str]:
    a = entry.about
    names = {
        "vehicle": (a.vehicle,), "road": (a.road,), "kind": (a.kind,), "state": (state_of(entry),), "tag": a.tags,
    }.get(group, ())  # fmt: skip
    return [n for n in names if n] or [UNNAMED[group]]


def _effect(entry: StudyEntry) -> tuple[bool, float]:
    effect = read_summary(entry.summary).get("effect")
    return (not isinstance(effect, int | float), effect if isinstance(effect, int | float) else 0.0)


def _changed(entry: StudyEntry) -> float:
    at = entry.changed_at
    return 0.0 if at is None else -(at if at.tzinfo else at.replace(tzinfo=UTC)).timestamp()


def _driven(entry: StudyEntry) -> int:
    day = entry.about.last
    return -(day or date.min).toordinal()


_SORTED: Final[Mapping[str, Callable[[StudyEntry], Any]]] = {
    "as added": lambda _: 0, "changed last": _changed, "driven last": _driven, "title": lambda e: e.title.casefold(),
    "effect": _effect,
}  # fmt: skip


def reach_of(rows: Sequence[Row]) -> tuple[float, float]:
    """Scale that fits the effects shown, in per cent: whole steps around nought; one far beyond the others does not squash them."""
    ends = []
    for row in rows:
        known = read_summary(row.summary) if isinstance(row, StudyEntry) else {}
        if "effect" in known:
            ends.append((float(known["low"]), float(known["high"])))
    if not ends:
        return -SMALLEST, SMALLEST
    sizes = sorted(max(abs(low), abs(high)) for low, high in ends)
    most = FAR * sizes[len(sizes) // 2]
    low = max(min(0.0, *(e[0] for e in ends)), -most)
    high = min(max(0.0, *(e[1] for e in ends)), most)
    step = next((s for s in STEPS if (high - low) / s <= MOST_STEPS), STEPS[-1])
    return min(-step, step * _floor(low / step)), max(step, -step * _floor(-high / step))


def _floor(value: float) -> int:
    return int(value // 1)

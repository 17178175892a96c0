"""What the list groups, searches and sorts studies by: told from a study once, when it is written."""

from __future__ import annotations

import json
from dataclasses import dataclass, field
from datetime import date
from functools import lru_cache
from typing import Any

from fairmargin.core.study import Study


@dataclass(frozen=True, slots=True)
class About:
    """What a line of the list is about."""

    vehicle: str = ""
    road: str = ""
    kind: str = ""
    method: str = ""
    tags: tuple[str, ...] = ()
    configurations: tuple[str, ...] = ()
    legs: int = 0
    driven: int = 0  # of them, with a reading or left out
    first: date | None = None
    last: date | None = None
    notes: str = field(default="", repr=False)  # for searching


def about_of(study: Study) -> str:
    """What a study is about, as JSON."""
    days = sorted(leg.started_at.date() for leg in study.legs if leg.started_at is not None)
    vehicles = [study.vehicle.name, *(v.label for v in study.vehicles)]
    made: dict[str, Any] = {
        "vehicle": ", ".join(dict.fromkeys(v for v in vehicles if v)),
        "road": study.route_name,
        "kind": study.change.kind,
        "method": study.method,
        "tags": list(study.tags),
        "configurations": [c.label for c in study.configurations],
        "legs": len(study.legs),
        "driven": sum(leg.has_reading or not leg.included for leg in study.legs),
        "first": days[0].isoformat() if days else None,
        "last": days[-1].isoformat() if days else None,
        "notes": study.notes,
    }
    return json.dumps({k: v for k, v in made.items() if v}, ensure_ascii=False)


def about_of_body(body: object) -> str:
    """The same of a study's record; nothing where it cannot be read."""
    try:
        return about_of(Study.model_validate_json(body)) if isinstance(body, str | bytes) else "{}"
    except (ValueError, RecursionError):
        return "{}"


def _day(value: object) -> date | None:
    try:
        return date.fromisoformat(value) if isinstance(value, str) else None
    except ValueError:
        return None


def _texts(value: object) -> tuple[str, ...]:
    return tuple(str(v) for v in value) if isinstance(value, list) else ()


def _count(value: object) -> int:
    return value if isinstance(value, int) else 0


@lru_cache(maxsize=4096)
def read_about(text: str) -> About:
    """What a line says it is about; what cannot be read is left empty."""
    try:
        known = json.loads(text) if text else {}
    except ValueError:
        known = {}
    if not isinstance(known, dict):
        known = {}
    return About(
        vehicle=str(known.get("vehicle", "")),
        road=str(known.get("road", "")),
        kind=str(known.get("kind", "")),
        method=str(known.get("method", "")),
        tags=_texts(known.get("tags")),
        configurations=_texts(known.get("configurations")),
        legs=_count(known.get("legs")),
        driven=_count(known.get("driven")),
        first=_day(known.get("first")),
        last=_day(known.get("last")),
        notes=str(known.get("notes", "")),
    )

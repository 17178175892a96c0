"""Every condition there is, in one list; whoever reads, fits, corrects, tells or prices walks it."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from functools import lru_cache
from types import ModuleType
from typing import Final

from fairmargin.core.conditions import (
    air,
    change,
    climate,
    day,
    direction,
    distance,
    driver,
    events,
    instruments,
    load,
    road_state,
    speed,
    tyres,
    vehicle,
    warm_up,
    wind,
)
from fairmargin.core.conditions.case import Case
from fairmargin.core.conditions.design import DesignRows, Unknown
from fairmargin.core.conditions.room import Condition, LegField, Line, Told
from fairmargin.core.conditions.rules import Rule
from fairmargin.core.figures import Prior, Threshold

#: The rooms, one for each condition.
ROOMS: Final[tuple[ModuleType, ...]] = (
    vehicle, wind, air, warm_up, climate, tyres, instruments, day, speed, direction, road_state, load, distance, change,
    driver, events,
)  # fmt: skip
_conditions: list[Condition] = [room.CONDITION for room in ROOMS]


def conditions() -> tuple[Condition, ...]:
    """Every condition, in the order in which a fit asks them."""
    return tuple(_conditions)


@contextmanager
def with_condition(condition: Condition) -> Iterator[None]:
    """Add a condition for a while: for a trial, or for a tool that brings one of its own.

    Raises
    ------
    ValueError
        If there is one of that name, or it declares a field or line that another one has.
    """
    taken = {key for c in _conditions for key in (c.name, *c.fields, *(line.key for line in c.lines))}
    twice = taken & {condition.name, *condition.fields, *(line.key for line in condition.lines)}
    if twice:
        raise ValueError(f"{condition.name}: {', '.join(sorted(twice))} belongs to another condition already")
    _conditions.append(condition)
    try:
        yield
    finally:
        _conditions.remove(condition)


def unknowns(design: DesignRows) -> list[Unknown]:
    """Every uncertain quantity that acts on whole legs."""
    return [u for c in _conditions for u in c.unknowns(design)]


def concerns() -> Iterator[Rule[Case]]:
    """When conditions make a comparison unfair."""
    for c in _conditions:
        yield from c.concerns


def fields() -> Mapping[str, LegField]:
    """What may be typed of a leg, by the name of the leg's field."""
    return _fields(conditions())


def lines() -> Mapping[str, Line]:
    """Lines of the correction in the order in which they are exchanged, by key."""
    return _lines(conditions())


def told() -> Mapping[str, Told]:
    """What is said of each source of a margin."""
    return _told(conditions())


@lru_cache(maxsize=8)
def _fields(of: tuple[Condition, ...]) -> Mapping[str, LegField]:
    return {key: field for c in of for key, field in c.fields.items()}


@lru_cache(maxsize=8)
def _lines(of: tuple[Condition, ...]) -> Mapping[str, Line]:
    every = sorted((line for c in of for line in c.lines), key=lambda line: line.place)
    return {line.key: line for line in every}


@lru_cache(maxsize=8)
def _told(of: tuple[Condition, ...]) -> Mapping[str, Told]:
    return {source: words for c in of for source, words in c.told.items()}


def priors() -> dict[str, Prior]:
    """Every prior of every condition, by its name in its room."""
    found: dict[str, Prior] = {}
    for room in ROOMS:
        for name, value in vars(room).items():
            if isinstance(value, Prior):
                found[name] = value
            elif isinstance(value, dict) and value and all(isinstance(v, Prior) for v in value.values()):
                found |= {f"{name} {key}": v for key, v in value.items()}
    return found


def thresholds() -> dict[str, Threshold]:
    """Every threshold of every condition's concerns, by its name in its room."""
    return {name: value for room in ROOMS for name, value in vars(room).items() if isinstance(value, Threshold)}

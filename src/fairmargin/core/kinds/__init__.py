"""Kinds of change: one record for each, walked by question, plan, checklist, fit, concerns and the virtual car."""

from collections.abc import Iterator
from contextlib import contextmanager

from fairmargin.core.kinds.every import KINDS
from fairmargin.core.kinds.record import MECHANISMS, ChangeKind, Mechanism, Prompt, Worn

__all__ = ["MECHANISMS", "ChangeKind", "Mechanism", "Prompt", "Worn", "change_kind", "change_kinds", "with_kind"]

_kinds: dict[str, ChangeKind] = {kind.name: kind for kind in KINDS}


def change_kinds() -> tuple[str, ...]:
    """Names of all kinds, in the order in which they are offered."""
    return tuple(_kinds)


def change_kind(name: str) -> ChangeKind:
    """The record of a kind.

    Raises
    ------
    ValueError
        If there is none of that name.
    """
    try:
        return _kinds[name]
    except KeyError:
        raise ValueError(f'"{name}" is no kind of change; expected one of {", ".join(_kinds)}') from None


@contextmanager
def with_kind(kind: ChangeKind) -> Iterator[None]:
    """Add a kind for a while: for a trial, or for a tool that brings one of its own.

    Raises
    ------
    ValueError
        If there is one of that name.
    """
    if kind.name in _kinds:
        raise ValueError(f"{kind.name} is a kind of change already")
    _kinds[kind.name] = kind
    try:
        yield
    finally:
        del _kinds[kind.name]

"""What the unknowns leave open: by the source that it is told as, by the legs that it acts on, by how it falls with more pairs."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.conditions.causes import Group
from fairmargin.core.conditions.design import Unknown
from fairmargin.core.evidence.reading import Observation
from fairmargin.core.inference.levels import TOLD_AS
from fairmargin.core.inference.problem import Problem

Array = NDArray[np.float64]

#: Groups whose part of a margin shrinks with more runs, as a variance by 1/n: drawn anew with each; or, where both configurations
#: are driven on the same days, what acts on differences between drives that more of them even out.
RANDOM: Final = frozenset({Group.WIND_OF_RUNS, Group.SPEED, Group.RUNS})
EVENED_OUT: Final = frozenset({Group.WIND, Group.VEHICLE, Group.TEMPERATURE, Group.CHANGE})
#: By 1/n²: what the next pair in the other order takes back.
OF_ORDER: Final = frozenset({Group.WARM_UP, Group.DRIFT, Group.DIRECTION})
TELLING: Final = 0.05  # share of a source's variance from which an unknown's legs are named


def falls(unknowns: Sequence[Unknown], variance: Array, share_days: bool) -> tuple[float, float, float]:
    """What unknowns leave open, by how it falls with more pairs: not at all, by 1/n, by 1/n²; variances.

    Measured on field days of one to eight pairs, in turn: wind, scatter and steps halve with every doubling, a cold first leg and
    a drift fall to a sixth (`share_days`: both configurations driven on the same days).
    """
    once = RANDOM | EVENED_OUT if share_days else RANDOM
    is_random = np.array([u.group in once for u in unknowns])
    is_order = np.array([u.group in OF_ORDER for u in unknowns])
    return (
        float(variance[~is_random & ~is_order].sum()),
        float(variance[is_random].sum()),
        float(variance[is_order].sum()),
    )


def by_group(problem: Problem, variance: Array, beside: Mapping[str, float] | None = None) -> dict[str, float]:
    """Variance of the unknowns by the source they are told as, added to what lies beside them."""
    out: dict[str, float] = dict(beside or {})
    for u, value in zip(problem.unknowns, variance.tolist(), strict=True):
        told = TOLD_AS.get(u.group, u.group)
        out[told] = out.get(told, 0.0) + value
    return out


def touched_legs(problem: Problem, variance: Array, observations: Sequence[Observation]) -> dict[str, tuple[str, ...]]:
    """Legs that each source's larger parts act on."""
    names = [name for o in observations for name in o.legs]
    whole = by_group(problem, variance)
    found: dict[str, set[int]] = {}
    for i, u in enumerate(problem.unknowns[: problem.shared]):
        told = TOLD_AS.get(u.group, u.group)
        if variance[i] >= TELLING * whole[told] and u.group is not Group.RUNS:  # scatter is of all legs
            found.setdefault(told, set()).update(np.flatnonzero(u.weights[: len(names)]).tolist())
    return {told: tuple(names[i] for i in sorted(legs)) for told, legs in found.items() if legs}

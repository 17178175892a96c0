"""One reason why the comparison may not be fair, and what several of them come to."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

from fairmargin.core.units import plain

Severity = Literal["note", "caution", "blocks"]


@dataclass(frozen=True, slots=True)
class Concern:
    """One reason why the comparison may not be fair."""

    code: str
    severity: Severity
    bias_percent: float | None  # what it may be worth in the effect; None when it cannot be priced
    legs: tuple[str, ...]
    title: str
    message: str
    next_step: str
    covered: bool  # by a correction, or by the margin
    signed: bool  # whether the sign of the bias is known
    suggested: str = ""  # what a doubtful reading was most likely meant to be, as it would be typed
    unsettles: bool = False  # whether nothing is settled until it is seen to


def merge(found: Sequence[Concern]) -> tuple[Concern, ...]:
    """One entry per code and title (the dearest), blocks first, then the largest bias."""
    best: dict[tuple[str, str], Concern] = {}
    for c in found:
        key = (c.code, plain(c.title))
        if key not in best or abs(c.bias_percent or 0.0) > abs(best[key].bias_percent or 0.0):
            best[key] = c
    rank: Mapping[str, int] = {"blocks": 0, "caution": 1, "note": 1}
    return tuple(
        sorted(best.values(), key=lambda c: (rank[c.severity], -abs(c.bias_percent or 0.0), c.severity, c.code))
    )


def open_charge(found: Sequence[Concern]) -> float:
    """What no correction and no margin covers, together: the root of the sum of squares. [per cent]"""
    return math.sqrt(sum(c.bias_percent**2 for c in found if not c.covered and c.bias_percent is not None))

"""What makes the margin: one line for each source, adding in squares to half the interval, with the cheapest remedy."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Final

from fairmargin.core import intervals
from fairmargin.core.conditions import registry
from fairmargin.core.conditions.causes import Group, Regressor
from fairmargin.core.conditions.room import Told
from fairmargin.core.evidence.conditions import Conditions
from fairmargin.core.result.steps import rounded

LEAST_VARIANCE: Final = 1e-10  # log variance below which a source is not listed


@dataclass(frozen=True, slots=True)
class MarginLine:
    """One source of the margin."""

    source: str
    half_width_percent: float  # of the baseline's consumption; with the others in squares it makes the margin
    legs: tuple[str, ...]
    cause: str
    remedy: str


@dataclass(frozen=True, slots=True)
class SquarePart:
    """One line of a margin as it is told: what it would be alone, and its part of the margin's square."""

    line: MarginLine
    percent_of_square: int  # those of all lines add up to 100


#: A source has a line of its own from this half-width on as it is shown. [%]
LEAST_SHOWN_PERCENT: Final = 0.05
OTHERS: Final = "others"


def square_parts(margin: Sequence[MarginLine], least_share: float = 0.0) -> tuple[SquarePart, ...]:
    """Lines of a margin with their parts of its square, which add up to 100 as shown; what is small is one line, `OTHERS`.

    Half-widths add in squares, so that as printed they do not add up by hand; their parts of the square do.

    Parameters
    ----------
    margin : sequence of MarginLine
    least_share : float, optional
        Share of the whole half-width from which a line stands by itself.
    """
    squares = [line.half_width_percent**2 for line in margin]
    whole = sum(squares)
    if whole <= 0.0:
        return ()
    shares = [round(x) for x in rounded(0.0, [100.0 * s / whole for s in squares], 100.0, 0)]
    least = max(least_share * math.sqrt(whole), LEAST_SHOWN_PERCENT)
    told = [SquarePart(x, n) for x, n in zip(margin, shares, strict=True) if x.half_width_percent >= least]
    rest = [(x, n) for x, n in zip(margin, shares, strict=True) if x.half_width_percent < least]
    half = math.sqrt(sum(x.half_width_percent**2 for x, _ in rest))
    left = sum(n for _, n in rest)
    if half >= LEAST_SHOWN_PERCENT or left:
        names = ", ".join(x.source for x, _ in rest)
        told.append(SquarePart(MarginLine(OTHERS, half, (), names, ""), left))
    return tuple(told)


#: Sources that are no condition's.
_OWN: Final[Mapping[str, Told]] = {
    Group.SCATTER: Told("no two drives are alike", "Drive more pairs."),
    Group.SPREAD: Told(
        "drives that should be alike differ by more than anything noted explains",
        "Look for what differed between them, and note it; drive more pairs.",
    ),
    Group.UNCORRECTED: Told(
        "conditions differed, and the model is not used", "Drive both configurations in like conditions."
    ),
}  # fmt: skip


def told() -> Mapping[str, Told]:
    """What each source is, and what costs least to make it smaller: facts of the trade, common practice."""
    return {**registry.told(), **_OWN}


#: How sources are called on screens, in reports and in JSON.
CALLED: Final = {str(Regressor.TRIP_LENGTH): "trip length"}


def limiting(lines: Sequence[MarginLine]) -> tuple[str, str]:
    """Cause and remedy of the largest line that more drives would not make smaller; nothing where there is none."""
    line = next((line for line in lines if line.source != Group.SCATTER), None)
    return ("", "") if line is None else (line.cause, line.remedy)


def margin_lines(
    budget: Sequence[tuple[str, float]],
    touched: Mapping[str, Sequence[str]],
    percent: float,
    interval_percent: tuple[float, float],
    confidence: float,
    conditions: Sequence[Conditions],
) -> tuple[MarginLine, ...]:
    """Lay the interval out by source, largest first.

    Parameters
    ----------
    budget : sequence of (source, variance of the logarithm)
    touched : mapping of source to legs
        Legs that a source acts on; all where absent.
    percent : float
        The effect.
    interval_percent : tuple of float
    confidence : float
    conditions : sequence of Conditions
        Of the legs that the comparison rests on.

    Returns
    -------
    tuple of MarginLine
        Squares of the half-widths sum to the square of half the interval. What the uncertain size of the scatter adds
        in the tails is the scatter's.
    """
    whole = (interval_percent[1] - interval_percent[0]) / 2.0
    scale = 1.0 + percent / 100.0
    half = {
        source: scale * intervals.half_width_percent(variance, confidence)
        for source, variance in budget
        if variance > LEAST_VARIANCE
    }
    others = math.sqrt(sum(h * h for source, h in half.items() if source != Group.SCATTER))
    if others < whole:
        half[Group.SCATTER] = math.sqrt(whole**2 - others**2)
    else:
        half = {s: h * whole / others for s, h in half.items() if s != Group.SCATTER}
    every = tuple(c.leg for c in conditions)
    by_leg = {c.leg: c for c in conditions}
    made, words = [], told()
    for source, size in sorted(half.items(), key=lambda kv: -kv[1]):
        legs = tuple(touched.get(source, every)) or every
        said = words[source]
        test = said.missing
        lacking = () if test is None else tuple(name for name in legs if name in by_leg and test(by_leg[name]))
        made.append(
            MarginLine(
                CALLED.get(str(source), str(source)),
                size,
                lacking or legs,
                said.missing_cause if lacking else said.cause,
                said.missing_remedy if lacking else said.remedy,
            )
        )
    return tuple(made)

"""How many pairs of runs settle the question: scaled from a simulated design, and found by simulating more."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace
from typing import Final

from fairmargin.core import intervals
from fairmargin.core.inference.scatter import ScatterPrior
from fairmargin.core.planning.expected import likely_effect
from fairmargin.core.planning.simulated import READINGS, WEATHERS, Design, simulate_design
from fairmargin.core.result import verdict
from fairmargin.core.study import Study

MOST_SIMULATED: Final = 12  # pairs


def pairs_for(study: Study, design: Design) -> int | None:
    """Pairs that would settle the expected effect with 80 % power: as simulated, else scaled from the simulated design."""
    if design.pairs is not None:
        return design.pairs
    size = abs(likely_effect(study))
    pairs = design.runs // design.sides
    deviate = intervals.deviate(study.confidence)
    fixed, order = design.fixed_percent / deviate, design.order_percent / deviate
    rest = math.sqrt(max((design.half_width_percent / deviate) ** 2 - fixed**2 - order**2, 0.0))
    return verdict.pairs_needed(pairs, size, fixed, rest, study.smallest_effect_percent, deviate, order)


def with_power(
    study: Study,
    design: Design,
    *,
    days: int = WEATHERS * READINGS,
    seed: int = 1,
    scatter: ScatterPrior | None = None,
    cancelled: Callable[[], bool] = lambda: False,
) -> Design:
    """The design with the number of pairs that settles the question, and how often it does, found by simulating it.

    The scaled number is where the search begins; the least number that settles it on four simulated days in five is taken.
    Numbers beyond `MOST_SIMULATED` are not simulated. Parameters as for `compare_designs`.
    """
    about = pairs_for(study, design)
    if about is None or about > MOST_SIMULATED:
        return design
    settles: dict[int, float] = {design.runs // design.sides: design.settles}

    def power(pairs: int) -> float:
        if pairs not in settles:
            made = simulate_design(
                study, design.pattern, design.sides * pairs, days, seed, scatter or ScatterPrior(), cancelled
            )
            settles[pairs] = math.nan if made is None else made.settles
        return settles[pairs]

    pairs = about
    while pairs < MOST_SIMULATED and power(pairs) < verdict.POWER:
        pairs += 1
    while pairs > 1 and power(pairs - 1) >= verdict.POWER:
        pairs -= 1
    found = power(pairs)
    return replace(design, pairs=pairs, power=found) if found >= verdict.POWER else design

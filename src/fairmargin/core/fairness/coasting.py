"""Concerns of coasting runs, in the manner of the published procedures.

References
----------
.. [1] UN GTR No. 15, Annex 4: opposite runs, statistical precision of 3 %, mean wind below 5 m/s where it is measured beside the
   road (from memory).
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from fairmargin.core.conditions.case import names
from fairmargin.core.conditions.causes import Group
from fairmargin.core.conditions.rules import Finding, Registry
from fairmargin.core.evidence.conditions import Conditions
from fairmargin.core.fairness import thresholds as limit
from fairmargin.core.fairness.context import part_percent
from fairmargin.core.inference.coast_down import CoastLoad
from fairmargin.core.inference.posterior import Effect
from fairmargin.core.laws.coasting import PRECISION
from fairmargin.core.study import Study
from fairmargin.core.units import said


@dataclass(frozen=True, eq=False, slots=True)
class CoastingContext:
    """One comparison of coasting runs, as the rules see it."""

    study: Study
    trial: str
    conditions: Sequence[Conditions]  # of both sides' legs
    loads: Sequence[CoastLoad]  # of both
    effect: Effect


#: Rules of coasting runs.
COASTING: Registry[CoastingContext] = Registry()


@COASTING.rule("coast-one-way", stage="drive", needs="directions", covered=True)
def one_way(case: CoastingContext) -> Iterator[Finding]:
    """A configuration without opposite runs: wind and slope are told apart from its load by no reading."""
    alone = [x for x in case.loads if not x.pairs]
    if not alone:
        return
    parts = [part_percent(case.study, case.effect, g) for g in (Group.WIND, Group.DIRECTION)]
    yield Finding(
        "caution",
        math.hypot(*parts),
        names([c for c in case.conditions if c.configuration in {x.configuration for x in alone}]),
        "Coasted one way only",
        "A head wind or a rise slows a coasting vehicle as drag does; an opposite run takes both out (UN GTR No. 15, from memory).",
        "Coast the same stretch both ways, one after the other.",
    )


@COASTING.rule("coast-precision", stage="drive", needs="several pairs", covered=True)
def imprecise(case: CoastingContext) -> Iterator[Finding]:
    """Opposite pairs that differ: fewer or worse than the published precision asks for."""
    worst = max((x for x in case.loads if x.pairs > 1), key=lambda x: x.precision, default=None)
    if worst is None or worst.precision <= PRECISION:
        return
    name = case.study.configuration(worst.configuration).label
    yield Finding(
        "note",
        part_percent(case.study, case.effect, Group.SCATTER),
        names([c for c in case.conditions if c.configuration == worst.configuration]),
        f"Coasting times are known to {100 * worst.precision:.0f} % only",
        f"Times of \u201c{name}\u201d over its worst band have a statistical precision of {100 * worst.precision:.1f} %; 3 % is "
        "asked for (UN GTR No. 15, from memory).",
        "Coast more pairs.",
    )


@COASTING.rule("one-pair-only", stage="plan", needs="nothing", covered=True)
def one_pair(case: CoastingContext) -> Iterator[Finding]:
    """A single pair of opposite runs of one configuration."""
    few = min(case.loads, key=lambda x: x.pairs)
    if few.pairs > 1:
        return
    yield Finding(
        "caution",
        part_percent(case.study, case.effect, Group.SCATTER),
        names([c for c in case.conditions if c.configuration == few.configuration]),
        "One pair of coasting runs only",
        "One pair has nothing to be checked against.",
        "Coast at least three pairs of each.",
    )


@COASTING.rule("coast-wind", stage="plan", needs="reported wind", covered=False)
def windy(case: CoastingContext) -> Iterator[Finding]:
    """Wind beyond what such runs may have: its part across the road is in no unknown here."""
    strong = [c for c in case.conditions if c.wind_speed > limit.COAST_WIND_M_S]
    if not strong:
        return
    yield Finding(
        "caution",
        None,
        names(strong),
        f"Coasted in wind up to {said(max(c.wind_speed for c in strong), 'm/s')}",
        f"Opposite runs take a wind along the road out, not what it does across: {said(5.0, 'm/s')} is the limit (UN GTR No. 15, from memory).",
        "Coast in still air.",
    )

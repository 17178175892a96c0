"""Cold starts: tyres, and an engine, that are not warm yet."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.conditions.case import Case, names
from fairmargin.core.conditions.causes import Cause, Group
from fairmargin.core.conditions.design import DesignRows, Unknown, unknown_of
from fairmargin.core.conditions.figures import NOTABLE, Prior, Threshold
from fairmargin.core.conditions.room import Condition, Exchange, Line, Told
from fairmargin.core.conditions.rules import Finding, Registry
from fairmargin.core.model.parameters import Parameter

Array = NDArray[np.float64]
CONCERNS: Registry[Case] = Registry()

WARM_UP: Final = Prior(0.06, "1", "rise of rolling resistance on wholly cold tyres", mean=0.04)
COLD_ENGINE: Final = Prior(0.08, "log", "what a wholly cold engine burns more", mean=0.03)

COLD_UNLIKE: Final = Threshold(0.12, "share", "a tenth of a leg on cold tyres")
COLD_LEG: Final = Threshold(0.3, "share", "a leg named as cold")


def unknowns(design: DesignRows) -> list[Unknown]:
    """What cold tyres cost, and a cold engine."""
    if Cause.WARM_UP in design.ignore:
        return []
    tyres = unknown_of("warm-up", Group.WARM_UP, Parameter.WARM_UP, design.on_legs, WARM_UP)
    return [tyres, *_cold_engine(design)]


def _cold_engine(design: DesignRows) -> list[Unknown]:
    """What an engine burns more until it is warm; whether it was warmed up beforehand, nobody notes."""
    if Cause.WARM_UP in design.ignore or design.study.vehicle.energy == "electric":
        return []
    cold = np.zeros(design.rows)
    cold[: len(design.conditions)] = [c.cold_share for c in design.conditions]
    return [unknown_of("cold engine", Group.WARM_UP, Parameter.TOTAL, cold, COLD_ENGINE)]


def exchange(e: Exchange) -> Exchange:
    """Warm tyres."""
    return replace(e, model=e.model.replaced(cold_share=np.zeros(len(e.local))))


@CONCERNS.rule("cold-tyres", stage="correct", needs="start times", covered=True)
def cold_tyres(case: Case) -> Iterator[Finding]:
    """One configuration carries more of the day's cold start: priced as what the correction is worth."""
    a, b = case.both
    if not a or not b:
        return
    early = [float(np.mean([c.cold_share for c in side])) for side in (a, b)]
    if abs(early[1] - early[0]) <= COLD_UNLIKE:
        return
    bias = case.without(Cause.WARM_UP)
    yield Finding(
        "note" if abs(bias or 0.0) < NOTABLE else "caution",
        bias,
        names([c for c in case.conditions if c.cold_share > COLD_LEG]),
        "The day's first leg on cold tyres",
        "Tyres roll harder for the first 15 to 30 minutes; one configuration carries more of that.",
        "Drive a warm-up leg first; or start the next block with the other configuration.",
        signed=True,
    )


CONDITION: Final = Condition(
    "warm-up",
    unknowns=unknowns,
    lines=(Line("tyre_warm_up", "cold start", 90, exchange),),
    told={
        Group.WARM_UP: Told(
            "tyres and driveline were still warming up",
            "Drive twenty minutes before the first leg, and enter that drive.",
        )
    },
    concerns=CONCERNS.rules,
)

"""Cold starts: tyres, and an engine, that are not warm yet."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.conditions.case import Case, names
from fairmargin.core.conditions.causes import Cause, Group
from fairmargin.core.conditions.design import DesignRows, Unknown, unknown_of
from fairmargin.core.conditions.room import Condition, Exchange, LegField, Line, Told
from fairmargin.core.conditions.rules import Finding, Registry
from fairmargin.core.evidence.conditions import ARRIVED_COLD_SD
from fairmargin.core.figures import NOTABLE, Prior, Threshold
from fairmargin.core.model.parameters import Parameter

Array = NDArray[np.float64]
CONCERNS: Registry[Case] = Registry()

FIELDS: Final[Mapping[str, LegField]] = {
    "driven_before_s": LegField(
        "Driven before", "Minutes driven on these tyres just before the leg: 0 for a cold start or tyres just put on", "duration",
        heads=("driven before", "driven_before_s", "warm-up", "warm up", "warmed up"),
    ),
}  # fmt: skip

WARM_UP: Final = Prior(
    0.09,
    "1",
    "rise of rolling resistance on wholly cold tyres",
    mean=0.20,
    source="15 to 40 % over the first half hour, published warm-up tests of car tyres (from memory)",
)
COLD_ENGINE: Final = Prior(0.08, "log", "what a wholly cold engine burns more", mean=0.03)

COLD_UNLIKE: Final = Threshold(0.12, "share", "a tenth of a leg on cold tyres")
COLD_LEG: Final = Threshold(0.3, "share", "a leg named as cold")


def unknowns(design: DesignRows) -> list[Unknown]:
    """What cold tyres cost, and a cold engine."""
    if Cause.WARM_UP in design.ignore:
        return []
    tyres = unknown_of("warm-up", Group.WARM_UP, Parameter.WARM_UP, design.on_legs, WARM_UP)
    return [tyres, *_arrivals(design), *_cold_engine(design)]


def _arrivals(design: DesignRows) -> list[Unknown]:
    """How cold the tyres came to a day's first leg, where nobody said what was driven before; each vehicle and day alike."""
    out: list[Unknown] = []
    for control, day in dict.fromkeys((c.control, c.day) for c in design.conditions):
        on = np.zeros(design.rows)
        on[: len(design.conditions)] = [c.cold_open * ((c.control, c.day) == (control, day)) for c in design.conditions]
        if on.any():
            sd = WARM_UP.mean * ARRIVED_COLD_SD
            out.append(Unknown("driven before the day", Group.WARM_UP, Parameter.ROLLING, on, 0.0, sd))
    return out


def _cold_engine(design: DesignRows) -> list[Unknown]:
    """What an engine burns more until it is warm; whether it was warmed up beforehand, nobody notes."""
    if Cause.WARM_UP in design.ignore or design.study.vehicle.energy == "electric":
        return []
    cold = np.zeros(design.rows)
    cold[: len(design.conditions)] = [c.cold_if for c in design.conditions]
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
    early = [float(np.mean([c.cold_if for c in side])) for side in (a, b)]
    if abs(early[1] - early[0]) <= COLD_UNLIKE:
        return
    bias = case.without(Cause.WARM_UP)
    yield Finding(
        "note" if abs(bias or 0.0) < NOTABLE else "caution",
        bias,
        names([c for c in case.conditions if c.cold_if > COLD_LEG]),
        "The day's first leg on cold tyres",
        "Tyres roll harder for the first 15 to 30 minutes; one configuration carries more of that.",
        "Drive a warm-up leg first; or start the next block with the other configuration.",
        signed=True,
    )


CONDITION: Final = Condition(
    "warm-up",
    FIELDS,
    unknowns,
    lines=(Line("tyre_warm_up", "cold start", 90, exchange, lambda c: c.warm_up_told),),
    told={
        Group.WARM_UP: Told(
            "tyres and driveline were still warming up",
            "Drive twenty minutes before the first leg, and enter that drive.",
            lambda c: c.cold_open > COLD_UNLIKE,
            "nobody noted what was driven before the first leg",
            "Note the minutes driven on these tyres before it; drive twenty.",
        )
    },
    concerns=CONCERNS.rules,
)

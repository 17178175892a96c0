"""Directions: there and back, and hills whose heights nobody gave."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.conditions.case import Case, names
from fairmargin.core.conditions.causes import Group
from fairmargin.core.conditions.design import DesignRows, Unknown, unknown_of
from fairmargin.core.conditions.room import Condition, Line, Told
from fairmargin.core.conditions.rules import Finding, Registry
from fairmargin.core.figures import Prior
from fairmargin.core.model.parameters import Parameter

Array = NDArray[np.float64]
CONCERNS: Registry[Case] = Registry()

DIRECTION: Final = Prior(0.015, "log", "what the model gets wrong in one direction")
DIRECTION_UNTOLD: Final = Prior(0.05, "log", "the same where nobody gave the road's heights")
GRADIENT_UNTOLD: Final = Prior(
    0.01, "1", "mean slope of a road whose heights nobody gave, up one way and down the other"
)


def unknowns(design: DesignRows) -> list[Unknown]:
    """What the model gets wrong in one direction; and the slope of a road whose heights nobody gave; of each sector its own."""
    out: list[Unknown] = []
    elsewhere = design.elsewhere
    for sector in dict.fromkeys(elsewhere):
        here = [x == sector for x in elsewhere]
        own = [c for c, mine in zip(design.conditions, here, strict=True) if mine]
        if len({c.backwards for c in own}) == 2 or any(c.there_and_back for c in own):
            out += _of_road(design, sector, here)
    return out


def _of_road(design: DesignRows, sector: str, here: Sequence[bool]) -> list[Unknown]:
    """The same of one road; that of the reference drives has no name."""
    count = len(design.conditions)
    known = design.heights_elsewhere.get(sector, design.heights) if sector else design.heights
    prior = DIRECTION if known else DIRECTION_UNTOLD
    out = []
    for backwards in (False, True):
        on = np.zeros(design.rows)
        on[:count] = [
            float(own) * (0.5 if c.there_and_back else float(c.backwards == backwards))
            for c, own in zip(design.conditions, here, strict=True)
        ]
        if not known and not sector:  # hills that nobody told are the road's: the reference drives have them too
            on[count:] = [b == backwards for b in design.reference_backwards]
        out.append(unknown_of("direction", Group.DIRECTION, Parameter.TOTAL, on, prior))
    if not known:
        up = np.zeros(design.rows)
        up[:count] = [
            float(own and not c.there_and_back) * (-1.0 if c.backwards else 1.0)
            for c, own in zip(design.conditions, here, strict=True)
        ]
        if not sector:
            up[count:] = [-1.0 if b else 1.0 for b in design.reference_backwards]
        name = f"climb of {sector or 'the road'}"
        out.append(unknown_of(name, Group.DIRECTION, Parameter.GRADIENT, up, GRADIENT_UNTOLD))
    return out


@CONCERNS.rule("direction-confounded", stage="plan", needs="directions of the legs", covered=False)
def direction_confounded(case: Case) -> Iterator[Finding]:
    """Each direction has one configuration only."""
    a, b = case.both
    if case.study.method == "climb" or not a or not b:
        return
    if {c.backwards for c in a} & {c.backwards for c in b}:
        return
    yield Finding(
        "blocks",
        None,
        names(case.conditions),
        "Each direction has one configuration only",
        "The baseline was driven one way and the trial the other: hill and wind cannot be told from the change.",
        "Drive both configurations in both directions.",
    )


CONDITION: Final = Condition(
    "direction",
    unknowns=unknowns,
    lines=(Line("direction", "direction", 80), Line("elevation", "hills", 200)),
    told={
        Group.DIRECTION: Told(
            "the model is a little wrong in each direction",
            "Drive both configurations in both directions, equally often.",
        )
    },
    concerns=CONCERNS.rules,
)

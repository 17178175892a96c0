"""The state of the road: dry, damp, wet, under snow."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.conditions.case import Case, names
from fairmargin.core.conditions.causes import Group
from fairmargin.core.conditions.design import DesignRows, Unknown, by_day, by_possible_day, unknown_of
from fairmargin.core.conditions.room import Condition, LegField, Line, Told
from fairmargin.core.conditions.rules import Finding, Registry
from fairmargin.core.figures import Prior, Threshold
from fairmargin.core.laws import disturbance
from fairmargin.core.model.parameters import Parameter
from fairmargin.core.study.vocabulary import ROADS

Array = NDArray[np.float64]
CONCERNS: Registry[Case] = Registry()

FIELDS: Final[Mapping[str, LegField]] = {
    "road": LegField(
        "Road", "dry, damp, wet or snow", words=ROADS, heads=("road", "surface"), alike=True, carried=True,
    ),
}  # fmt: skip

#: What water or snow costs: it only raises consumption, so its mean is corrected.
WET: Final[Mapping[str, Prior]] = {
    road: Prior(sd, "log", words, mean=share)
    for (road, (share, sd)), words in zip(
        disturbance.ROAD_COST.items(), ("a damp road", "a wet road", "a road with snow"), strict=True
    )
}
ROAD_UNNOTED: Final = Prior(0.024, "log", "state of the road on a day that noted none")

WET_UNEVEN: Final = Threshold(1.0, "%", "the same as NOTABLE, in what the road costs")


def unknowns(design: DesignRows) -> list[Unknown]:
    """Roads that are not dry, on all their legs alike; and roads of which nobody noted the state."""
    conditions = design.conditions
    out: list[Unknown] = []
    is_change = design.study.change.subject == "road"  # nothing of the road is to be corrected then
    noted = set() if is_change else {c.road for c in conditions} & set(WET)
    if noted:
        worst = _perhaps(max((WET[road] for road in noted), key=lambda p: p.sd))
        for day, on in by_day(design, [not c.road for c in conditions]):
            if any(c.day == day and c.road in noted for c in conditions):
                out += [
                    unknown_of("road of a leg", Group.ROAD, Parameter.TOTAL, np.eye(design.rows)[i], worst)
                    for i in np.flatnonzero(on)
                ]
    for road, prior in WET.items():
        if any(c.road == road for c in conditions) and not is_change:
            on = design.where([c.road == road for c in conditions])
            out.append(unknown_of(f"{road} road", Group.ROAD, Parameter.TOTAL, on, prior))
    for name, on in by_possible_day(design, [not c.road for c in conditions]):
        out.append(unknown_of(f"road of {name}", Group.ROAD, Parameter.TOTAL, on, ROAD_UNNOTED))
    return out


def _perhaps(prior: Prior) -> Prior:
    """The prior of a leg that may have had it as well as not."""
    return Prior(math.hypot(prior.sd, prior.mean / 2), prior.unit, prior.what, mean=prior.mean / 2)


@CONCERNS.rule("wet-road", stage="examine", needs="state of the road", covered=None)
def wet_road(case: Case) -> Iterator[Finding]:
    """Water or snow on the road: priced as the difference of its usual costs, which are corrected, with their spread."""
    a, b = case.both
    wet = [c for c in case.conditions if disturbance.road_share(c.road) > 0]
    if case.study.change.subject == "road":
        return  # the water is what is asked about
    if not wet or not a or not b:
        return
    cost = [100.0 * float(np.mean([disturbance.road_share(c.road) for c in side])) for side in (a, b)]
    bias = cost[1] - cost[0]
    uneven = abs(bias) > WET_UNEVEN
    yield Finding(
        "caution" if uneven else "note",
        bias,
        names(wet),
        "Wet road on some legs" if uneven else "Wet road, alike for both",
        "Water only raises consumption, about 10 % in heavy rain (common practice). Its usual cost is corrected, and its spread "
        "is in the margin.",
        "Leave the wet legs out with the reason, or drive them again in the dry." if uneven else "Nothing to do.",
        signed=True,
        covered=True,
    )


CONDITION: Final = Condition(
    "state of the road",
    FIELDS,
    unknowns,
    lines=(Line("road", "water or snow on the road", 220),),
    told={
        Group.ROAD: Told(
            "a damp or wet road costs energy",
            "Drive both configurations on a dry road.",
            lambda c: not c.road,
            "the state of the road was not noted",
            "Note whether the road was dry.",
        )
    },
    concerns=CONCERNS.rules,
)

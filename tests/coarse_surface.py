"""A condition that is not built in: a coarse surface, written as a room of `core/conditions` would be."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import replace

import numpy as np

from fairmargin.core.conditions.case import Case
from fairmargin.core.conditions.design import DesignRows, Unknown, by_possible_day, unknown_of
from fairmargin.core.conditions.room import Condition, Exchange, LegField, Line, Told, noted
from fairmargin.core.conditions.rules import Finding, Registry
from fairmargin.core.figures import Prior
from fairmargin.core.model.parameters import Parameter

CONCERNS: Registry[Case] = Registry()
SOURCE = "surface"
FIELDS = {
    "surface": LegField(
        "Surface", "smooth or coarse", words=("smooth", "coarse"), heads=("surface of the road", "asphalt"), alike=True, carried=True
    )
}  # fmt: skip
COARSE = Prior(0.04, "log", "rolling resistance of a coarse surface", mean=math.log(1.06))
UNNOTED = Prior(0.01, "log", "the surface of a day that noted none among legs that did")


def unknowns(design: DesignRows) -> list[Unknown]:
    """Coarse legs roll harder; where some noted the surface, the others may differ."""
    if SOURCE in design.ignore:
        return []
    said = [noted(design.study.leg(c.leg), "surface") for c in design.conditions]
    out = []
    if "coarse" in said:
        on = design.where([s == "coarse" for s in said])
        out.append(unknown_of("coarse surface", SOURCE, Parameter.ROLLING, on, COARSE))
    if any(said):
        out += [
            unknown_of(f"surface of {name}", SOURCE, Parameter.ROLLING, on, UNNOTED)
            for name, on in by_possible_day(design, [s is None for s in said])
        ]
    return out


def exchange(e: Exchange) -> Exchange:
    """A smooth surface."""
    return replace(e, local=e.local - e.share(SOURCE))


@CONCERNS.rule("surface-unlike", stage="examine", needs="surfaces", covered=True)
def surface_unlike(case: Case) -> Iterator[Finding]:
    """Trial and baseline on other surfaces: priced as what the correction is worth."""
    a, b = (float(np.mean([noted(x, "surface") == "coarse" for x in side] or [0.0])) for side in case.legs_of_both)
    if abs(a - b) < 0.1:
        return
    yield Finding(
        "note", case.without(SOURCE), tuple(x.leg for x in case.legs_of_both[1]), "Surfaces not alike",
        "Coarse asphalt rolls harder; corrected through the model.", "Drive both over the same road.", signed=True,
    )  # fmt: skip


COARSE_SURFACE = Condition(
    "surface",
    FIELDS,
    unknowns,
    lines=(Line("surface", "surface", 140, exchange),),
    told={SOURCE: Told("a coarse surface rolls harder", "Drive both over one surface.")},
    concerns=CONCERNS.rules,
)

"""Loads beyond the configuration: people, luggage, whatever is aboard on one leg only."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping
from dataclasses import replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.conditions.case import Case, difference
from fairmargin.core.conditions.causes import Cause, Group
from fairmargin.core.conditions.design import DesignRows, Unknown, by_configuration
from fairmargin.core.conditions.room import Condition, Exchange, LegField, Line, Told
from fairmargin.core.conditions.rules import Finding, Registry
from fairmargin.core.figures import Prior, Size, Threshold
from fairmargin.core.model.parameters import Parameter
from fairmargin.core.units import said

Array = NDArray[np.float64]
CONCERNS: Registry[Case] = Registry()

FIELDS: Final[Mapping[str, LegField]] = {
    "mass_delta_kg": LegField(
        "Load on top", "On this leg only, beyond its configuration", "mass", 0,
        heads=("mass_delta_kg", "extra load", "extra mass"),
    ),
}  # fmt: skip

LOAD_UNNOTED: Final = Prior(8.0, "kg", "people, luggage and fluids of a run that noted no load")

LOAD_OF_CONFIGURATION: Final = Prior(8.0, "kg", "what is put aboard or taken out with the change, and nobody noted")

LOAD_ALIKE: Final = Size(
    0.35, "of it", "what is left of loads that nobody weighed, where the same is aboard: fluids, a bag"
)

MASS_KG: Final = Threshold(10.0, "kg", "about 0.2 % of a car's consumption")


def unknowns(design: DesignRows) -> list[Unknown]:
    """Loads that nobody noted: people and luggage, from run to run; among noted loads that differ, as far as those do."""
    conditions, study = design.conditions, design.study
    whole = design.model.constants.mass_kg
    untold = [study.leg(c.leg).mass_delta_kg is None for c in conditions]
    noted = [c.mass_delta_kg for c, u in zip(conditions, untold, strict=True) if not u]
    alike = LOAD_ALIKE if study.circumstances.load == "alike" else 1.0
    sd = alike * math.hypot(LOAD_UNNOTED.sd, float(np.std(noted)) if noted else 0.0) / whole
    out: list[Unknown] = []
    for run in dict.fromkeys(c.run for c, u in zip(conditions, untold, strict=True) if u):
        on = design.where([u and c.run == run for c, u in zip(conditions, untold, strict=True)])
        out.append(Unknown("load of a run", Group.LOAD, Parameter.MASS, on, 0.0, sd))
    own = alike * LOAD_OF_CONFIGURATION.sd / whole
    for name, on in by_configuration(design, untold):
        out.append(Unknown(f"load with {name}", Group.LOAD, Parameter.MASS, on, 0.0, own))
    return out


def exchange(e: Exchange) -> Exchange:
    """Nothing aboard beyond the configuration."""
    return replace(e, model=e.model.replaced(mass_delta_kg=np.zeros(len(e.local))))


@CONCERNS.rule("mass-unlike", stage="drive", needs="loads", covered=True)
def mass_unlike(case: Case) -> Iterator[Finding]:
    """More or less aboard on trial legs: priced as what the correction is worth."""
    a, b = case.legs_of_both
    apart = difference([x.mass_delta_kg or 0.0 for x in a], [x.mass_delta_kg or 0.0 for x in b])
    if apart is None or abs(apart) <= MASS_KG:
        return
    yield Finding(
        "note",
        case.without(Cause.MASS),
        tuple(x.leg for x in (*a, *b) if x.mass_delta_kg),
        f"{said(abs(apart), 'kg')} more aboard on {'trial' if apart > 0 else 'baseline'} legs",
        "A load that is not part of the change; corrected through the model.",
        "Corrected. Keep the same people and things aboard.",
        signed=True,
    )


CONDITION: Final = Condition(
    "load",
    FIELDS,
    unknowns,
    lines=(Line("mass", "load", 130, exchange),),
    told={Group.LOAD: Told("loads were not noted", "Note what is on board when it changes; weigh what was added.")},
    concerns=CONCERNS.rules,
)

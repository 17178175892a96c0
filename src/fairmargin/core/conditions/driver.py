"""Who drives, and in which mode."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.conditions.case import Case, names
from fairmargin.core.conditions.causes import Group
from fairmargin.core.conditions.design import DesignRows, Unknown, by_configuration, unknown_of
from fairmargin.core.conditions.room import Condition, LegField, Told
from fairmargin.core.conditions.rules import Finding, Registry
from fairmargin.core.figures import Prior, Threshold
from fairmargin.core.model.parameters import Parameter

Array = NDArray[np.float64]
CONCERNS: Registry[Case] = Registry()

FIELDS: Final[Mapping[str, LegField]] = {
    "driver": LegField("Driver", "Who drove", heads=("driver",), alike=True, carried=True),
    "mode": LegField("Mode", "Driving mode, regeneration", heads=("mode",), alike=True, carried=True),
}  # fmt: skip

DRIVER_UNNOTED: Final = Prior(
    0.001, "log", "another driver with one configuration, where nobody noted who drove: seldom, and worth two per cent"
)

OTHER_DRIVER: Final = Threshold(2.0, "%", "what another driver or drive mode is commonly worth")


def unknowns(design: DesignRows) -> list[Unknown]:
    """Who drove, where nobody noted it: each configuration may have had its own."""
    if design.study.change.is_technique:
        return []
    untold = [not design.study.leg(c.leg).driver for c in design.conditions]
    return [
        unknown_of(f"driver with {name}", Group.DRIVER, Parameter.TOTAL, on, DRIVER_UNNOTED)
        for name, on in by_configuration(design, untold)
    ]


def _other(case: Case, field: str, what: str) -> Iterator[Finding]:
    legs_a, legs_b = case.legs_of_both
    sides = [{getattr(leg, field) for leg in side if getattr(leg, field)} for side in (legs_a, legs_b)]
    if not sides[0] or not sides[1] or sides[0] == sides[1] or case.study.change.is_technique:
        return
    apart = not sides[0] & sides[1]
    yield Finding(
        "caution" if apart else "note",
        float(OTHER_DRIVER),
        names(case.both[1]),
        f"Another {what} on trial legs" if apart else f"More than one {what}",
        f"Another {what} is commonly worth about 2 % (common practice); it is not corrected.",
        f"Keep one {what} for all legs.",
        covered=not apart,
    )


@CONCERNS.rule("driver-or-mode-changed", stage="drive", needs="drivers", covered=None)
def other_driver(case: Case) -> Iterator[Finding]:
    """Another driver on trial legs: priced by what that is commonly worth."""
    yield from _other(case, "driver", "driver")


@CONCERNS.rule("driver-or-mode-changed", stage="drive", needs="drive modes", covered=None)
def other_mode(case: Case) -> Iterator[Finding]:
    """Another drive mode on trial legs: priced by what that is commonly worth."""
    yield from _other(case, "mode", "drive mode")


CONDITION: Final = Condition(
    "driver",
    FIELDS,
    unknowns,
    told={Group.DRIVER: Told("who drove was not noted", "Note the driver; the same one for all legs.")},
    concerns=CONCERNS.rules,
)

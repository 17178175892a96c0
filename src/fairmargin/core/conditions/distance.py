"""Distance: what the car counts, what other wheels make of it, and legs of unlike length."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from statistics import median
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.conditions.case import Case, names
from fairmargin.core.conditions.causes import Group, Regressor
from fairmargin.core.conditions.design import DesignRows, Unknown, unknown_of
from fairmargin.core.conditions.room import Compared, Condition, LegField, Line, Told
from fairmargin.core.conditions.rules import Finding, Registry
from fairmargin.core.evidence.conditions import Conditions
from fairmargin.core.evidence.distances import TurnToldBy, turn_told_by
from fairmargin.core.figures import Prior, Threshold
from fairmargin.core.model.parameters import Parameter

Array = NDArray[np.float64]
CONCERNS: Registry[Case] = Registry()

FIELDS: Final[Mapping[str, LegField]] = {
    "distance_km": LegField(
        "Distance", "As the car shows it", "distance", 2,
        heads=("distance", "distance_km", "km", "miles", "mi", "odo", "trip", "length"), alike=True,
        compared=Compared("length of a leg", "km", 1, 0.5),
    ),
    "gps_distance_km": LegField(
        "By GPS", "Distance by GPS: the true one", "distance", 2, column="GPS distance",
        heads=("gps", "gps distance", "gps_distance_km"), alike=True,
    ),
}  # fmt: skip

#: Worn against new is 1 to 1.5 %, sets of one marking differ by 1 % (common practice).
CIRCUMFERENCE: Final[Mapping[TurnToldBy, Prior]] = {
    TurnToldBy.STATED: Prior(0.005, "log", "rolling circumference of other wheels, by their size: tread and pressure"),
    TurnToldBy.NOTHING: Prior(0.01, "log", "rolling circumference of other wheels that nobody measured"),
}

LENGTH_UNLIKE: Final = Threshold(0.02, "share", "odometer steps and lanes give less; a wrong turn gives more")


def unknowns(design: DesignRows) -> list[Unknown]:
    """How far other wheels or tyres roll, where nobody measured it: it moves the distance, and the speed that was held."""
    if not design.study.change.about.turns_wheels:
        return []
    driven, told = {c.configuration for c in design.conditions}, turn_told_by(design.study)
    if all(told[c] is TurnToldBy.GPS for c in told if c in driven):
        return []
    weights = _distance_weights(design) + _speed_weights(design)
    return [
        unknown_of(
            f"{trial}: circumference", Group.CIRCUMFERENCE, Parameter.TOTAL, design.wearing(trial) * weights,
            CIRCUMFERENCE[by],
        )
        for trial, by in told.items()
        if trial in driven and by is not TurnToldBy.GPS
    ]  # fmt: skip


def _distance_weights(design: DesignRows) -> Array:
    """By how much of a circumference the energy per distance read is off: where the car counted the distance."""
    out = np.zeros(design.rows)
    averages = {name for o in design.observations if "average" in o.readings[0].instrument for name in o.legs}
    for i, c in enumerate(design.conditions):
        leg = design.study.leg(c.leg)
        counted = leg.distance_km is not None or c.leg in averages  # an average is over what the car counted
        out[i] = counted and leg.gps_distance_km is None and not c.logged
    return out


def _speed_weights(design: DesignRows) -> Array:
    """What the energy takes for a faster drive, where the speed hangs on the car's count or its speedometer."""
    e = design.model.energies(np.zeros((len(design.conditions), len(Parameter))), derivatives=True)
    assert e.by_parameter is not None
    out = np.zeros(design.rows)
    out[: len(e.wh)] = e.by_parameter[:, Parameter.SPEED] / e.wh
    for i, c in enumerate(design.conditions):
        leg = design.study.leg(c.leg)
        by_car = leg.distance_km is not None and leg.gps_distance_km is None if c.timed else True
        out[i] *= by_car and not c.logged
    out[len(design.conditions) :] = 0.0
    return out


def of_another_length(case: Case) -> list[Conditions]:
    """Legs that are clearly longer or shorter than the others of their direction; none where one side has no leg."""
    if not all(case.both):
        return []
    by_way: dict[bool, list[Conditions]] = {}
    for c in case.conditions:
        if c.true_m:
            by_way.setdefault(c.backwards, []).append(c)
    return [
        c
        for legs in by_way.values()
        for usual_m in [median([x.true_m for x in legs])]
        for c in legs
        if abs(c.true_m / usual_m - 1) > LENGTH_UNLIKE
    ]


@CONCERNS.rule("distance-unlike", stage="examine", needs="distances", covered=False)
def distance_unlike(case: Case) -> Iterator[Finding]:
    """Legs of another length than the others of their direction: priced by leaving them out."""
    odd = of_another_length(case)
    if not odd:
        return
    yield Finding(
        "caution",
        case.dropping([c.leg for c in odd]),
        names(odd),
        "Legs of unlike length",
        "These legs are more than 2 % longer or shorter than the others of their direction: a wrong turn, "
        "a late reset or another read-off point.",
        "Check reset and read-off; leave the leg out with the reason if it was another road.",
        signed=True,
    )


@CONCERNS.rule("rolling-circumference-changed", stage="drive", needs="nothing", covered=True)
def rolling_circumference_changed(case: Case) -> Iterator[Finding]:
    """Other wheels, and nobody knows how they count the distance: priced as its part of the margin."""
    if not case.study.change.about.turns_wheels or turn_told_by(case.study)[case.trial] is not TurnToldBy.NOTHING:
        return
    yield Finding(
        "caution",
        case.part_percent(Group.CIRCUMFERENCE),
        tuple(leg.leg for leg in case.legs_of_both[1]),
        "Rolling circumference not known",
        "Other wheels or tyres change the odometer, and with it every per-distance figure the car shows, and the speed it "
        "really drives; worn against new is worth 1 to 1.5 % (common practice). The margin has been widened for it.",
        "Read a GPS distance on one leg of each configuration, or enter the tyre sizes or the circumference change.",
    )


CONDITION: Final = Condition(
    "distance",
    FIELDS,
    unknowns,
    lines=(
        Line("distance", "distance", 0),
        Line("trim", "outside the gates", 10),
        Line("trip_length", "trip length", 70),
    ),
    told={
        Group.CIRCUMFERENCE: Told(
            "other wheels count other distances, and other speeds",
            "Read a GPS distance on one leg of each configuration, or measure a full turn.",
        ),
        Regressor.TRIP_LENGTH: Told("short trips use more", "Compare trips of like length."),
    },
    concerns=CONCERNS.rules,
)

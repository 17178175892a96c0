"""The vehicle: its constants, what earlier studies knew of them, and two vehicles side by side."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Sequence
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.conditions.case import Case, difference, names
from fairmargin.core.conditions.causes import Group
from fairmargin.core.conditions.design import DesignRows, Unknown, unknown_of
from fairmargin.core.conditions.room import Condition, LegField, Told
from fairmargin.core.conditions.rules import Finding, Registry
from fairmargin.core.evidence.conditions import Conditions
from fairmargin.core.figures import Prior, Threshold
from fairmargin.core.model.parameters import Parameter
from fairmargin.core.study import VehicleConstants

Array = NDArray[np.float64]
CONCERNS: Registry[Case] = Registry()

FIELDS: Final[Mapping[str, LegField]] = {
    "vehicle": LegField("Vehicle", "Which vehicle drove this leg", heads=("vehicle", "car", "van"), alike=True),
}  # fmt: skip

LEVEL: Final = Prior(1.0, "log", "level of the model against the vehicle")
REGENERATION: Final = Prior(0.18, "log", "share of braking that comes back")
CONTROL: Final = Prior(0.10, "log", "level of a control vehicle against the test vehicle")
CONTROL_ALIKE: Final = Prior(0.03, "log", "the same, where both are of one model, year and tyres")
SIDE_BY_SIDE: Final = Prior(0.02, "log", "what both vehicles of a moment share beyond the reported weather")
TOGETHER_S: Final = 600.0  # legs of two vehicles within this time were driven together
CONTROL_BAND: Final = Threshold(
    0.02, "share", "of the lowest of three ratios of test to control", "SAE J1321 (from memory)"
)
CHARGE_POINTS: Final = Threshold(25.0, "points", "a quarter of the gauge")


def origins(constants: VehicleConstants) -> dict[str, float]:
    """Where a vehicle's own deviations count from, by the name of the unknown; the others count from zero."""
    return {
        "drag area": math.log(constants.drag_area_m2),
        "rolling coefficient": math.log(constants.rolling_coefficient),
        "mass": math.log(constants.mass_kg),
        "drive efficiency": math.log(constants.drive_efficiency),
        "auxiliary power": constants.auxiliary_w,
    }


def unknowns(design: DesignRows) -> list[Unknown]:
    """Every constant of the vehicle, and what two vehicles do not share."""
    return [*_constants(design), *_vehicles_side_by_side(design)]


def _constants(design: DesignRows) -> list[Unknown]:
    k, everywhere = design.model.constants, design.everywhere
    sizes = (
        ("drag area", Parameter.DRAG, k.drag_area_sd_m2 / k.drag_area_m2),
        ("rolling coefficient", Parameter.ROLLING, k.rolling_coefficient_sd / k.rolling_coefficient),
        ("mass", Parameter.MASS, max(k.mass_sd_kg, 1.0) / k.mass_kg),
        ("drive efficiency", Parameter.EFFICIENCY, k.drive_efficiency_sd / k.drive_efficiency),
        ("auxiliary power", Parameter.AUXILIARY_W, k.auxiliary_sd_w),
        ("level", Parameter.TOTAL, LEVEL.sd),
        ("regeneration", Parameter.REGENERATION, REGENERATION.sd if k.regen_efficiency else 0.0),
    )
    return [Unknown(name, Group.VEHICLE, parameter, everywhere, 0.0, sd) for name, parameter, sd in sizes if sd > 0]


def _vehicles_side_by_side(design: DesignRows) -> list[Unknown]:
    conditions = design.conditions
    if not any(c.control for c in conditions):
        return []
    on = design.where([c.control for c in conditions])
    between = CONTROL_ALIKE if design.study.circumstances.vehicles == "alike" else CONTROL
    out = [unknown_of("control vehicle", Group.VEHICLES, Parameter.TOTAL, on, between)]
    for together in _moments(conditions):
        on = design.where([c.leg in together for c in conditions])
        out.append(unknown_of("moment", Group.DAY, Parameter.TOTAL, on, SIDE_BY_SIDE))
    return out


def _moments(conditions: Sequence[Conditions]) -> list[set[str]]:
    """Legs of both vehicles driven together: within ten minutes in the same direction, else of one run."""
    result: list[set[str]] = []
    for c in conditions:
        if not c.control:
            continue
        near = [
            o.leg
            for o in conditions
            if not o.control
            and o.backwards == c.backwards
            and (
                abs(o.started_s - c.started_s) <= TOGETHER_S
                if o.started_s is not None and c.started_s is not None
                else o.run == c.run
            )
        ]
        if near:
            result.append({c.leg, *near})
    return result


@CONCERNS.rule("control-ratios", stage="examine", needs="a control vehicle", covered=True)
def control_ratios(case: Case) -> Iterator[Finding]:
    """Test over control in the manner of SAE J1321: three ratios of each configuration within 2 %, else more runs."""
    energy = {name: o.true_wh_per_km for o in case.observations for name in o.legs}
    of = {c.leg: c for c in case.conditions}
    found: dict[str, list[float]] = {}
    for together in _moments(case.conditions):
        control = [energy[n] for n in together if of[n].control and n in energy]
        test = [n for n in together if not of[n].control and n in energy]
        for side in {of[n].configuration for n in test} & {case.baseline, case.trial}:
            own = [energy[n] for n in test if of[n].configuration == side]
            if control:
                found.setdefault(side, []).append(float(np.mean(own) / np.mean(control)))
    short = [side for side, ratios in found.items() if not _three_agree(ratios)]
    if not short:
        return
    named = " and ".join(case.study.configuration(side).label for side in short)
    yield Finding(
        "caution",
        case.part_percent(Group.SCATTER),
        names(case.conditions),
        "Test over control: no three ratios agree",
        f"Of {named} no three ratios of test to control lie within 2 % of each other, which is what a comparison with a control "
        "vehicle asks for (SAE J1321, from memory).",
        "Drive more runs of both vehicles together, until three ratios of each configuration agree.",
    )


def _three_agree(ratios: Sequence[float]) -> bool:
    """Whether three ratios lie within the band of the lowest of them."""
    order = sorted(ratios)
    return any(high <= low * (1.0 + CONTROL_BAND) for low, high in zip(order, order[2:], strict=False))


@CONCERNS.rule("vehicle-confounded", stage="plan", needs="which vehicle drove each leg", covered=None)
def vehicle_confounded(case: Case) -> Iterator[Finding]:
    """One of two vehicles always had the change; no doubt where the vehicle itself is the question."""
    if case.study.change.subject == "vehicle":
        return
    if case.study.method == "side-by-side" and not any(c.control for c in case.conditions):
        yield Finding(
            "blocks",
            None,
            names(case.conditions),
            "Nobody noted which vehicle drove which leg",
            "Without the vehicle of each leg, the change and the vehicle that carries it cannot be told apart.",
            "Enter the vehicle of each leg; swap the change between them.",
            covered=False,
        )
        return
    if not any(c.control for c in case.conditions) and case.study.method != "side-by-side":
        return
    control = {c.configuration for c in case.conditions if c.control}
    test = {c.configuration for c in case.conditions if not c.control}
    if len(test) >= 2 or len(control) >= 2:
        return
    alike = case.study.circumstances.vehicles == "alike"
    between = (
        "even of one model, year and tyres they differ by some 3 %" if alike else "two vehicles differ by some 10 %"
    )
    yield Finding(
        "blocks",
        None,
        names(case.conditions),
        "One vehicle always had the change",
        f"The change and the vehicle that carries it cannot be told apart: {between} (common practice).",
        "Swap the change to the other vehicle, or drive both vehicles in the baseline as well.",
        covered=False,
    )


@CONCERNS.rule("charge-window-unlike", stage="drive", needs="charge at the start", covered=True)
def charge_window_unlike(case: Case) -> Iterator[Finding]:
    """Trial legs from another part of the battery: cannot be priced."""
    a, b = case.legs_of_both
    apart = difference([x.soc_start_percent for x in a], [x.soc_start_percent for x in b])
    if apart is None or abs(apart) <= CHARGE_POINTS:
        return
    yield Finding(
        "note",
        None,
        tuple(x.leg for x in b),
        "Unlike charge level at the start",
        f"Trial legs started {abs(apart):.0f} points {'higher' if apart > 0 else 'lower'}: gauge and regeneration "
        "behave differently near full and near empty.",
        "Keep both inside one charge band.",
    )


CONDITION: Final = Condition(
    "vehicle",
    FIELDS,
    unknowns,
    told={
        Group.VEHICLE: Told(
            "the vehicle's mass, drag and rolling resistance are not known well",
            "Give its mass and drag area in Question; papers and data sheets have them.",
        ),
        Group.VEHICLES: Told("two vehicles are not alike", "Swap the vehicles, and drive again."),
    },
    concerns=CONCERNS.rules,
)

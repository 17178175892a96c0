"""The change itself: how its kind works, what else came with it, and other differences that are known."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.conditions.case import Case, names
from fairmargin.core.conditions.causes import Cause, Group
from fairmargin.core.conditions.design import DesignRows, Unknown, unknown_of
from fairmargin.core.conditions.room import Condition, Line, Told
from fairmargin.core.conditions.rules import Finding, Registry
from fairmargin.core.evidence.known import known_shifts
from fairmargin.core.figures import SMALL, Prior, Size, Threshold
from fairmargin.core.laws import aero
from fairmargin.core.model.parameters import Parameter
from fairmargin.core.units import said

Array = NDArray[np.float64]
CONCERNS: Registry[Case] = Registry()

CHANGE: Final = Prior(0.7, "log", "what the change does to its parameter")
CHANGE_ROLLING: Final = Prior(0.35, "log", "what a change of many parts does to rolling resistance")
CHANGE_MIXED: Final = Prior(0.03, "log", "what a change of many parts does to all of the consumption alike")
CHANGE_UNKNOWN: Final = Prior(0.10, "log", "the same, where nobody knows how the change works")
YAW_OF_EFFECT: Final = Size(
    1.5, "of its usual effect", "growth of drag with yaw that another shape may have of its own"
)
CHANGE_YAW: Final = Prior(0.5, "log", "growth of drag with yaw with the change, over that without it, at most")
#: One fitting of a change is not the next: what sits, hangs and seals a little otherwise, and all that a run begins anew with.
FITTING: Final = Prior(0.004, "log", "one run over the next, on all its legs alike")
CHANGE_ELSEWHERE: Final = Size(
    0.2, "of its usual effect", "what a change does at another speed beside what its mechanism says of it"
)
LEAST_ELSEWHERE: Final = Size(0.005, "log", "the same, at least")
LEVEL_ELSEWHERE: Final = Prior(
    0.02, "log", "what a vehicle takes at another speed beside what the road load says of it"
)
LEVEL_OF_SECTOR: Final = Prior(0.3, "log", "the same in another sector, whose hills and stops nobody gave")
CHANGE_AUXILIARY: Final = Prior(2500.0, "W", "what the change does to auxiliary power")
SURE_WH_PER_KM: Final = Size(0.01, "Wh/km", "a known difference is not known better")
SECOND_MASS_SHARE: Final = Threshold(0.02, "share", "of the vehicle's mass: about 1 % of consumption in town")
SECOND_WHEELS: Final = Threshold(0.5, "%", "tread wear reaches 1 %")
FRONTAL_AREA_M2: Final = Threshold(0.02, "m²", "a roof bar has 0.02 to 0.04")

#: Parameters and priors that each declared mechanism acts on; any other acts as one factor on everything. A change of
#: many parts, or of nobody knows what, is one of shape, rolling and a little of everything, beside its declared mass:
#: as one factor on everything it would be contradicted by every hill.
_MANY: Final = ((Parameter.DRAG, CHANGE), (Parameter.ROLLING, CHANGE_ROLLING))
MECHANISMS: Final[Mapping[str, tuple[tuple[Parameter, Prior], ...]]] = {
    "aerodynamic": ((Parameter.DRAG, CHANGE),),
    "rolling": ((Parameter.ROLLING, CHANGE),),
    "mass": ((Parameter.MASS, CHANGE),),
    "auxiliary": ((Parameter.AUXILIARY_W, CHANGE_AUXILIARY),),
    "driveline": ((Parameter.EFFICIENCY, CHANGE),),
    "mixed": (*_MANY, (Parameter.TOTAL, CHANGE_MIXED)),
    "unknown": (*_MANY, (Parameter.TOTAL, CHANGE_UNKNOWN)),
}
#: Mechanisms of another shape.
SHAPES: Final = frozenset({"aerodynamic", "mixed", "unknown"})
ANY: Final = ((Parameter.TOTAL, CHANGE),)


def unknowns(design: DesignRows) -> list[Unknown]:
    """Known other differences, and what each trial does to the parameters of the declared mechanisms."""
    return [*_known(design), *_change(design), *_otherwise(design), *_fittings(design)]


def _otherwise(design: DesignRows) -> list[Unknown]:
    """What legs of another speed have of their own: their consumption, and what the change does there."""
    cells: dict[tuple[float | None, str], list[int]] = {}
    here = design.sector
    for i, c in enumerate(design.conditions):
        if c.leg in design.beside:
            leg = design.study.leg(c.leg)
            cells.setdefault((leg.speed_kmh, leg.sector), []).append(i)
    out = []
    for (speed, sector), own in cells.items():
        on = np.zeros(design.rows)
        on[own] = 1.0
        kmh = f"{speed} {sector}".strip()
        level = LEVEL_ELSEWHERE if sector == here else LEVEL_OF_SECTOR
        out.append(unknown_of(f"consumption at {kmh}", Group.CHANGE, Parameter.TOTAL, on, level))
        for trial in design.study.trials:
            worn = on * design.wearing(trial.id)
            if worn.any():
                name = f"{trial.id}: otherwise at {kmh}"
                sd = max(CHANGE_ELSEWHERE * design.study.change.about.usual_effect, LEAST_ELSEWHERE)
                out.append(Unknown(name, Group.CHANGE, Parameter.TOTAL, worn, 0.0, sd))
    return out


def _fittings(design: DesignRows) -> list[Unknown]:
    """What each run of several legs has of its own."""
    legs: dict[str, list[int]] = {}
    for i, c in enumerate(design.conditions):
        legs.setdefault(c.run, []).append(i)
    out = []
    for run, own in legs.items():
        if len(own) > 1 and len(legs) > 1:
            on = np.zeros(design.rows)
            on[own] = 1.0
            out.append(unknown_of(f"run {run}", Group.RUNS, Parameter.TOTAL, on, FITTING))
    return out


def _known(design: DesignRows) -> list[Unknown]:
    """Known other differences: on the legs that have them, not on the reference drives. [Wh/km]"""
    out: list[Unknown] = []
    index = {c.leg: i for i, c in enumerate(design.conditions)}
    for known in design.study.known_differences:
        on = np.zeros(design.rows)
        shifts = known_shifts(design.study, known, design.observations)
        for o, shift in zip(design.observations, shifts.tolist(), strict=True):
            on[[index[name] for name in o.legs]] = shift
        if on.any():
            name = known.reason or "known difference"
            sd = max(known.sd_wh_per_km, SURE_WH_PER_KM)
            out.append(Unknown(name, Group.KNOWN, Parameter.TOTAL, on, known.wh_per_km, sd))
    return out


def _change(design: DesignRows) -> list[Unknown]:
    """What each trial does to the parameters of the declared mechanisms."""
    study, driven = design.study, {c.configuration for c in design.conditions}
    undeclared = study.change.about.undeclared_mass
    out: list[Unknown] = []
    for trial in study.trials:
        if trial.id not in driven:
            continue
        on = design.wearing(trial.id)
        mechanisms = study.mechanisms_of(trial)
        if undeclared is not None and not trial.mass_delta_kg and "mass" not in mechanisms:
            out.append(Unknown(f"{trial.id}: its mass", Group.CHANGE, Parameter.MASS, on, 0.0, undeclared))
        for mechanism in mechanisms:
            for parameter, prior in MECHANISMS.get(mechanism, ANY):
                name = f"{trial.id}: {mechanism}"
                if parameter is not Parameter.TOTAL and len(MECHANISMS[mechanism]) > 1:
                    name += f", {parameter.name.lower()}"
                out.append(unknown_of(name, Group.CHANGE, parameter, on, prior))
        if SHAPES & set(mechanisms) and Cause.WIND not in design.ignore:
            sd = min(CHANGE_YAW.sd, YAW_OF_EFFECT * study.change.about.usual_effect)
            out.append(Unknown(f"{trial.id}: yaw slope", Group.WIND, Parameter.YAW_SLOPE, on, 0.0, sd))
    return out


def _declared(case: Case, field: str) -> float:
    """Trial's declared difference over the baseline's, of one field; 0 where nothing is declared."""
    base, trial = case.study.configuration(case.baseline), case.study.configuration(case.trial)
    return (getattr(trial, field) or 0.0) - (getattr(base, field) or 0.0)


def _mass_percent(case: Case, mass_kg: float) -> float:
    """What a mass is worth in consumption by the fitted vehicle. [per cent]"""
    return 100.0 * case.energy_share(Parameter.MASS) * mass_kg / case.model.constants.mass_kg


@CONCERNS.rule("second-change", stage="question", needs="declared masses", covered=False)
def second_mass(case: Case) -> Iterator[Finding]:
    """The trial also weighs otherwise: priced by the model."""
    study, mass = case.study, _declared(case, "mass_delta_kg")
    if abs(mass) <= SECOND_MASS_SHARE * case.model.constants.mass_kg:
        return
    if study.change.about.brings_mass or "mass" in study.change.mechanisms:
        return
    yield Finding(
        "caution",
        _mass_percent(case, mass),
        names(case.both[1]),
        f"The trial also weighs {said(abs(mass), 'kg')} {'more' if mass > 0 else 'less'}",
        f"Two things change at once: {study.change.kind}, and a mass worth about this much of the effect.",
        "Carry the same mass in the baseline, or say that the mass belongs to the change.",
        signed=True,
    )


@CONCERNS.rule("second-change", stage="question", needs="declared circumferences", covered=False)
def second_wheels(case: Case) -> Iterator[Finding]:
    """The trial also rolls on other wheels: cannot be priced."""
    turn = _declared(case, "circumference_change_percent")
    if abs(turn) <= SECOND_WHEELS or case.study.change.about.turns_wheels:
        return
    yield Finding(
        "caution",
        None,
        names(case.both[1]),
        f"The trial also rolls on wheels {abs(turn):.1f} % {'larger' if turn > 0 else 'smaller'}",
        "Other wheels or tyres change rolling resistance by several per cent (common practice).",
        "Keep wheels and tyres the same, or test them by themselves.",
    )


@CONCERNS.rule("second-change", stage="question", needs="declared masses and mechanisms", covered=True)
def mass_and_shape(case: Case) -> Iterator[Finding]:
    """A load that is declared to be mass and shape: two changes, told apart as far as the mass alone explains."""
    study, mass = case.study, _declared(case, "mass_delta_kg")
    trial = study.configuration(case.trial)
    shape = set(study.mechanisms_of(trial)) & {"aerodynamic", "mixed"}
    if not study.change.about.mass_alone or mass <= SECOND_MASS_SHARE * case.model.constants.mass_kg or not shape:
        return
    yield Finding(
        "note",
        _mass_percent(case, mass),
        names(case.both[1]),
        "Two changes at once: mass and shape",
        f"{said(mass, 'kg')} alone explain about this much of the effect; the rest is shape, and whatever else came with it.",
        "Drive the same mass stowed low, to see the shape by itself.",
        signed=True,
    )


@CONCERNS.rule("extra-frontal-area", stage="question", needs="declared masses and areas", covered=False)
def extra_frontal_area(case: Case) -> Iterator[Finding]:
    """A load that stands in the wind: priced by its declared area, else by what its mass does not explain."""
    study, mass = case.study, _declared(case, "mass_delta_kg")
    if not study.change.about.mass_alone or mass <= 0:
        return
    if set(study.change.mechanisms) & {"aerodynamic", "mixed", "unknown"}:
        return
    area = _declared(case, "frontal_area_delta_m2")
    by_mass = _mass_percent(case, mass)
    half = 0.5 * float(np.ptp(case.effect.interval_percent(study.confidence)))
    beyond = case.effect.percent - by_mass
    stands = area > FRONTAL_AREA_M2
    if not stands and beyond <= max(half, SMALL):
        return
    share = aero.box_drag_area_m2(area) / case.model.constants.drag_area_m2
    yield Finding(
        "caution",
        100.0 * case.energy_share(Parameter.DRAG) * share if stands else beyond,
        names(case.both[1]),
        "The load seems to stand in the wind",
        f"{said(mass, 'kg')} alone would cost about {by_mass:.1f} %; what is beyond it looks like shape, not weight.",
        "Stow the load below the cab's roof line, or declare the change as mass and aerodynamic.",
        signed=True,
    )


CONDITION: Final = Condition(
    "change",
    unknowns=unknowns,
    lines=(Line("known_difference", "known difference", 210),),
    told={
        Group.CHANGE: Told("how the change works is open", "Declare its mechanism and weigh it, in Question."),
        Group.KNOWN: Told(
            "a known other difference is known only so well", "Drive the two without that difference, or measure it."
        ),
    },
    concerns=CONCERNS.rules,
)

"""Concerns of the vehicle: tyre pressure, cabin climate, battery, charge, load, and what else changed with the change."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from fairmargin.core.fairness import thresholds as limit
from fairmargin.core.fairness.context import TEST_DAY, ComparisonContext, difference, names
from fairmargin.core.fairness.registry import Finding
from fairmargin.core.inference.options import Cause
from fairmargin.core.laws import aero, driveline
from fairmargin.core.model.parameters import Parameter
from fairmargin.core.planning.second import MASS_KINDS, WHEEL_KINDS


@TEST_DAY.rule("tyre-pressure-unlike", stage="drive", needs="tyre pressures", covered=True)
def tyre_pressure_unlike(case: ComparisonContext) -> Iterator[Finding]:
    """Tyres harder or softer on trial legs: priced as what the correction is worth."""
    a, b = case.legs_of_both
    apart = difference([x.tyre_pressure_kpa for x in a], [x.tyre_pressure_kpa for x in b])
    if apart is None or abs(apart) <= limit.PRESSURE_KPA:
        return
    yield Finding(
        "note",
        case.without(Cause.PRESSURE),
        tuple(x.leg for x in b),
        f"Tyres {abs(apart):.0f} kPa {'higher' if apart > 0 else 'lower'} on trial legs",
        "Rolling resistance falls with pressure; the difference is corrected.",
        "Corrected; set both cold to the same pressure next time.",
        signed=True,
    )


@TEST_DAY.rule("climate-unlike", stage="drive", needs="climate settings", covered=True)
def climate_unlike(case: ComparisonContext) -> Iterator[Finding]:
    """Other cabin settings on trial legs: priced as what the correction is worth."""
    a, b = case.legs_of_both
    settings = [{x.climate for x in side if x.climate} for side in (a, b)]
    if not settings[0] or not settings[1] or settings[0] == settings[1]:
        return
    yield Finding(
        "caution",
        case.without(Cause.CLIMATE),
        tuple(x.leg for x in (*a, *b) if x.climate),
        "Cabin climate not the same",
        "Climate settings differ between baseline and trial; the load is estimated per kelvin.",
        "Drive with the climate off, or at one setting, in both.",
        signed=True,
    )


@TEST_DAY.rule("battery-temperature-unlike", stage="drive", needs="battery temperatures", covered=False)
def battery_temperature_unlike(case: ComparisonContext) -> Iterator[Finding]:
    """A battery warmer or colder on trial legs: priced by the usual cost per kelvin, which nothing corrects."""
    a, b = case.legs_of_both
    apart = difference([x.battery_temperature_c for x in a], [x.battery_temperature_c for x in b])
    if apart is None or abs(apart) <= limit.BATTERY_K:
        return
    yield Finding(
        "note" if abs(apart) < limit.BATTERY_LARGE_K else "caution",
        100.0 * driveline.battery_share(apart),
        tuple(x.leg for x in b),
        f"Battery {abs(apart):.0f} K {'warmer' if apart > 0 else 'colder'} on trial legs",
        "A cold battery loses more: about 0.1 % per kelvin (common practice); not corrected.",
        "Let the battery reach the same temperature before each block.",
        signed=True,
    )


@TEST_DAY.rule("charge-window-unlike", stage="drive", needs="charge at the start", covered=True)
def charge_window_unlike(case: ComparisonContext) -> Iterator[Finding]:
    """Trial legs from another part of the battery: cannot be priced."""
    a, b = case.legs_of_both
    apart = difference([x.soc_start_percent for x in a], [x.soc_start_percent for x in b])
    if apart is None or abs(apart) <= limit.CHARGE_POINTS:
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


@TEST_DAY.rule("mass-unlike", stage="drive", needs="loads", covered=True)
def mass_unlike(case: ComparisonContext) -> Iterator[Finding]:
    """More or less aboard on trial legs: priced as what the correction is worth."""
    a, b = case.legs_of_both
    apart = difference([x.mass_delta_kg or 0.0 for x in a], [x.mass_delta_kg or 0.0 for x in b])
    if apart is None or abs(apart) <= limit.MASS_KG:
        return
    yield Finding(
        "note",
        case.without(Cause.MASS),
        tuple(x.leg for x in (*a, *b) if x.mass_delta_kg),
        f"{abs(apart):.0f} kg more aboard on {'trial' if apart > 0 else 'baseline'} legs",
        "A load that is not part of the change; corrected through the model.",
        "Corrected. Keep the same people and things aboard.",
        signed=True,
    )


# ---------------------------------------------------------------- what else differs than the change declares


def _declared(case: ComparisonContext, field: str) -> float:
    """Trial's declared difference over the baseline's, of one field; 0 where nothing is declared."""
    base, trial = case.study.configuration(case.baseline), case.study.configuration(case.trial)
    return (getattr(trial, field) or 0.0) - (getattr(base, field) or 0.0)


def _mass_percent(case: ComparisonContext, mass_kg: float) -> float:
    """What a mass is worth in consumption by the fitted vehicle. [per cent]"""
    return 100.0 * case.energy_share(Parameter.MASS) * mass_kg / case.fit.model.constants.mass_kg


@TEST_DAY.rule("second-change", stage="question", needs="declared masses", covered=False)
def second_mass(case: ComparisonContext) -> Iterator[Finding]:
    """The trial also weighs otherwise: priced by the model."""
    study, mass = case.study, _declared(case, "mass_delta_kg")
    if abs(mass) <= limit.SECOND_MASS_SHARE * case.fit.model.constants.mass_kg:
        return
    if study.change.kind in MASS_KINDS or "mass" in study.change.mechanisms:
        return
    yield Finding(
        "caution",
        _mass_percent(case, mass),
        names(case.both[1]),
        f"The trial also weighs {abs(mass):.0f} kg {'more' if mass > 0 else 'less'}",
        f"Two things change at once: {study.change.kind}, and a mass worth about this much of the effect.",
        "Carry the same mass in the baseline, or say that the mass belongs to the change.",
        signed=True,
    )


@TEST_DAY.rule("second-change", stage="question", needs="declared circumferences", covered=False)
def second_wheels(case: ComparisonContext) -> Iterator[Finding]:
    """The trial also rolls on other wheels: cannot be priced."""
    turn = _declared(case, "circumference_change_percent")
    if abs(turn) <= limit.SECOND_WHEELS or case.study.change.kind in WHEEL_KINDS:
        return
    yield Finding(
        "caution",
        None,
        names(case.both[1]),
        f"The trial also rolls on wheels {abs(turn):.1f} % {'larger' if turn > 0 else 'smaller'}",
        "Other wheels or tyres change rolling resistance by several per cent (common practice).",
        "Keep wheels and tyres the same, or test them by themselves.",
    )


@TEST_DAY.rule("second-change", stage="question", needs="declared masses and mechanisms", covered=True)
def mass_and_shape(case: ComparisonContext) -> Iterator[Finding]:
    """A load that is declared to be mass and shape: two changes, told apart as far as the mass alone explains."""
    study, mass = case.study, _declared(case, "mass_delta_kg")
    trial = study.configuration(case.trial)
    shape = set(study.mechanisms_of(trial)) & {"aerodynamic", "mixed"}
    if (
        study.change.kind != "payload"
        or mass <= limit.SECOND_MASS_SHARE * case.fit.model.constants.mass_kg
        or not shape
    ):
        return
    yield Finding(
        "note",
        _mass_percent(case, mass),
        names(case.both[1]),
        "Two changes at once: mass and shape",
        f"{mass:.0f} kg alone explain about this much of the effect; the rest is shape, and whatever else came with it.",
        "Drive the same mass stowed low, to see the shape by itself.",
        signed=True,
    )


@TEST_DAY.rule("extra-frontal-area", stage="question", needs="declared masses and areas", covered=False)
def extra_frontal_area(case: ComparisonContext) -> Iterator[Finding]:
    """A load that stands in the wind: priced by its declared area, else by what its mass does not explain."""
    study, mass = case.study, _declared(case, "mass_delta_kg")
    if study.change.kind != "payload" or mass <= 0:
        return
    if set(study.change.mechanisms) & {"aerodynamic", "mixed", "unknown"}:
        return
    area = _declared(case, "frontal_area_delta_m2")
    by_mass = _mass_percent(case, mass)
    half = 0.5 * float(np.ptp(case.effect.interval_percent(study.confidence)))
    beyond = case.effect.percent - by_mass
    stands = area > limit.FRONTAL_AREA_M2
    if not stands and beyond <= max(half, limit.SMALL):
        return
    share = aero.box_drag_area_m2(area) / case.fit.model.constants.drag_area_m2
    yield Finding(
        "caution",
        100.0 * case.energy_share(Parameter.DRAG) * share if stands else beyond,
        names(case.both[1]),
        "The load seems to stand in the wind",
        f"{mass:.0f} kg alone would cost about {by_mass:.1f} %; what is beyond it looks like shape, not weight.",
        "Stow the load below the cab's roof line, or declare the change as mass and aerodynamic.",
        signed=True,
    )


def _other(case: ComparisonContext, field: str, what: str) -> Iterator[Finding]:
    legs_a, legs_b = case.legs_of_both
    sides = [{getattr(leg, field) for leg in side if getattr(leg, field)} for side in (legs_a, legs_b)]
    if not sides[0] or not sides[1] or sides[0] == sides[1] or case.study.change.is_technique:
        return
    apart = not sides[0] & sides[1]
    yield Finding(
        "caution" if apart else "note",
        float(limit.OTHER_DRIVER),
        names(case.both[1]),
        f"Another {what} on trial legs" if apart else f"More than one {what}",
        f"Another {what} is commonly worth about 2 % (common practice); it is not corrected.",
        f"Keep one {what} for all legs.",
        covered=not apart,
    )


@TEST_DAY.rule("driver-or-mode-changed", stage="drive", needs="drivers", covered=None)
def other_driver(case: ComparisonContext) -> Iterator[Finding]:
    """Another driver on trial legs: priced by what that is commonly worth."""
    yield from _other(case, "driver", "driver")


@TEST_DAY.rule("driver-or-mode-changed", stage="drive", needs="drive modes", covered=None)
def other_mode(case: ComparisonContext) -> Iterator[Finding]:
    """Another drive mode on trial legs: priced by what that is commonly worth."""
    yield from _other(case, "mode", "drive mode")

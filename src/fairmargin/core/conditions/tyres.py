"""Tyre pressures, set cold before the day."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.conditions.case import Case, difference, mean
from fairmargin.core.conditions.causes import Cause, Group
from fairmargin.core.conditions.design import DesignRows, Unknown, by_possible_day, unknown_of
from fairmargin.core.conditions.room import Compared, Condition, Exchange, LegField, Line, Told
from fairmargin.core.conditions.rules import Finding, Registry
from fairmargin.core.figures import Prior, Size, Threshold
from fairmargin.core.laws import rolling
from fairmargin.core.model.parameters import Parameter
from fairmargin.core.study import Leg
from fairmargin.core.units import said

Array = NDArray[np.float64]
CONCERNS: Registry[Case] = Registry()

FIELDS: Final[Mapping[str, LegField]] = {
    "tyre_pressure_kpa": LegField(
        "Tyres, cold", "Cold tyre pressure before the day", "tyre", column="Tyres",
        heads=("tyres", "tyre", "tires", "tire", "tyre_pressure_kpa", "tyre pressure", "tire pressure"), alike=True,
        carried=True, compared=Compared("tyre pressure", "kPa", 0, 5.0),
    ),
}  # fmt: skip

PRESSURE_EXPONENT: Final = Prior(0.15, "1", "exponent of rolling resistance against tyre pressure")
TYRES_UNNOTED: Final = Prior(0.008, "log", "rolling resistance by tyre pressures of a day that noted none")
TYRES_ALIKE: Final = Size(0.4, "of it", "what is left of pressures that nobody noted, where they were set alike, cold")
TYRES_UNNOTED_SWAP: Final = Prior(0.02, "log", "the same, of other wheels or tyres")

PRESSURE_KPA: Final = Threshold(5.0, "kPa", "gauges agree to about that")


def unknowns(design: DesignRows) -> list[Unknown]:
    """What pressure does, and pressures that nobody noted: as the noted differ, by day, and on other wheels or tyres."""
    conditions, study = design.conditions, design.study
    out: list[Unknown] = []
    if np.any(design.model.legs.pressure_ratio != 1):
        exponent = Parameter.PRESSURE_EXPONENT
        out.append(unknown_of("tyre pressure", Group.TYRES, exponent, design.on_legs, PRESSURE_EXPONENT))
    loose = [c.tyre_pressure_kpa is None for c in conditions]
    noted = np.log([c.tyre_pressure_kpa for c in conditions if c.tyre_pressure_kpa])
    # Half as much again: what is missing is not sure to lie among the noted.
    spread = 1.5 * rolling.PRESSURE_EXPONENT * float(np.std(noted)) if len(noted) else 0.0
    if spread:
        name, rolls = "tyre pressure of a leg", Parameter.ROLLING
        out += [
            Unknown(name, Group.TYRES, rolls, np.eye(design.rows)[i], 0.0, abs(spread)) for i in np.flatnonzero(loose)
        ]
    alike = TYRES_ALIKE if study.circumstances.tyres == "alike" else 1.0
    for name, on in by_possible_day(design, loose):
        name = f"tyre pressures of {name}"
        out.append(unknown_of(name, Group.TYRES, Parameter.ROLLING, on, TYRES_UNNOTED, alike))
    if not study.change.about.turns_wheels:
        return out
    for trial in study.trials:
        on = design.where([u and c.configuration == trial.id for u, c in zip(loose, conditions, strict=True)])
        if on.any():
            name = f"{trial.id}: tyre pressures"
            out.append(unknown_of(name, Group.TYRES, Parameter.ROLLING, on, TYRES_UNNOTED_SWAP, alike))
    return out


def exchange(e: Exchange) -> Exchange:
    """The mean of the pressures noted."""
    return replace(e, model=e.model.replaced(pressure_ratio=np.ones(len(e.local))))


@CONCERNS.rule("tyre-pressure-unlike", stage="drive", needs="tyre pressures", covered=True)
def tyre_pressure_unlike(case: Case) -> Iterator[Finding]:
    """Tyres harder or softer on trial legs: priced as what the correction is worth."""
    a, b = case.legs_of_both
    apart = difference([x.tyre_pressure_kpa for x in a], [x.tyre_pressure_kpa for x in b])
    if apart is None or abs(apart) <= PRESSURE_KPA:
        return
    yield Finding(
        "note",
        case.without(Cause.PRESSURE),
        tuple(x.leg for x in b),
        f"Tyres {said(abs(apart), 'kPa')} {'higher' if apart > 0 else 'lower'} on trial legs",
        f"Rolling resistance falls with pressure; the difference is corrected.{_by_warmth(a, b, apart)}",
        "Corrected; set both cold to the same pressure next time, on each day anew.",
        signed=True,
    )


def _by_warmth(a: Sequence[Leg], b: Sequence[Leg], apart_kpa: float) -> str:
    """How much of a difference is that of tyres set once and read off at other temperatures."""
    pressure = mean([x.tyre_pressure_kpa for x in a])
    cold, warm = (mean([x.temperature_c for x in legs]) for legs in (a, b))
    if pressure is None or cold is None or warm is None:
        return ""
    alone = rolling.pressure_at_kpa(pressure, cold, warm) - pressure
    if alone * apart_kpa <= 0 or abs(alone) < PRESSURE_KPA / 2:
        return ""
    k = abs(warm - cold)
    if abs(alone - apart_kpa) <= PRESSURE_KPA:
        return f" It is what {said(k, 'K')} do to tyres that were set once."
    return f" {said(abs(alone), 'kPa')} of it are what {said(k, 'K')} do to tyres that were set once."


CONDITION: Final = Condition(
    "tyre pressure",
    FIELDS,
    unknowns,
    lines=(Line("tyre_pressure", "tyre pressure", 100, exchange, lambda c: c.tyre_pressure_kpa is not None),),
    told={
        Group.TYRES: Told(
            "tyre pressure changes rolling resistance",
            "Set cold tyre pressures alike before each day.",
            lambda c: c.tyre_pressure_kpa is None,
            "tyre pressures were not noted",
            "Check cold tyre pressures before each day and note them.",
        )
    },
    concerns=CONCERNS.rules,
)

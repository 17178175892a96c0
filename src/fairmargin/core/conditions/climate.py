"""The climate of the cabin: what heating and cooling draw, and the sun on it."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.conditions.case import Case, names
from fairmargin.core.conditions.causes import Cause, Group
from fairmargin.core.conditions.design import DesignRows, Unknown, by_possible_day, unknown_of
from fairmargin.core.conditions.room import Condition, Exchange, LegField, Line, Told
from fairmargin.core.conditions.rules import Finding, Registry
from fairmargin.core.figures import NOTABLE, Prior, Size, Threshold
from fairmargin.core.laws import auxiliaries
from fairmargin.core.model.parameters import Parameter

Array = NDArray[np.float64]
CONCERNS: Registry[Case] = Registry()

FIELDS: Final[Mapping[str, LegField]] = {
    "climate": LegField(
        "Climate", "off, auto, or the temperature set: 20, 68 °F", "climate", 0,
        heads=("climate", "heating", "ac", "a/c", "cabin"), alike=True, carried=True,
    ),
}  # fmt: skip

CLIMATE: Final = Prior(40.0, "W/K", "climate load per kelvin between cabin and outside")
CLIMATE_UNNOTED: Final = Prior(65.0, "W/K", "climate that nobody noted, all legs alike")
CLIMATE_UNNOTED_DAY: Final = Prior(18.0, "W/K", "the same, from day to day")
CLIMATE_UNNOTED_RUN: Final = Prior(5.0, "W/K", "the same, from run to run")
CLIMATE_SETTING_C: Final = Size(21.0, "°C", "what cabins are usually held at")
LEAST_CLIMATE_K: Final = Size(4.0, "K", "what blowers and windows are worth in mild air")
UNNOTED_CLIMATE_K: Final = Size(9.0, "K", "between cabin and outside, where nobody noted the temperature either")
PULL_DOWN: Final = Prior(3000.0, "W", "power that brings a cabin to its setting, on a wholly cold start", mean=1500.0)
MILD_K: Final = Size(5.0, "K", "off what cabins are held at, where hardly anybody heats or cools at once")
PULL_DOWN_UNNOTED: Final = Prior(6500.0, "W", "the same, where nobody noted the climate")

SUN_UNLIKE: Final = Threshold(0.25, "share", "a quarter of the noon sun")
SUMMER_C: Final = Threshold(18.0, "°C", "above it the sun costs cooling, below it saves heating")


def unknowns(design: DesignRows) -> list[Unknown]:
    """What climate draws per kelvin; climate that nobody noted; cabins brought to their setting."""
    out = [*_cabins(design)]
    if any(c.climate_k for c in design.conditions):
        out.append(unknown_of("climate", Group.CLIMATE, Parameter.CLIMATE_W_PER_K, design.everywhere, CLIMATE))
    return out


def _cabins(design: DesignRows) -> list[Unknown]:
    """Climate that nobody noted, and cabins brought to their setting at the start of a day."""
    conditions = design.conditions
    if Cause.CLIMATE in design.ignore or design.study.vehicle.energy != "electric":
        return []
    unknown = [c.climate_k is None for c in conditions]
    out: list[Unknown] = []
    watts = Parameter.AUXILIARY_W
    if any(unknown):
        kelvin = np.zeros(design.rows)
        kelvin[: len(conditions)] = [
            max(abs(CLIMATE_SETTING_C - c.temperature_c), LEAST_CLIMATE_K if c.temperature_known else UNNOTED_CLIMATE_K)
            * u
            for c, u in zip(conditions, unknown, strict=True)
        ]
        out.append(unknown_of("climate not noted", Group.CLIMATE, watts, kelvin, CLIMATE_UNNOTED))
        for name, on in by_possible_day(design, unknown):
            name = f"climate of {name}"
            out.append(unknown_of(name, Group.CLIMATE, watts, kelvin * on, CLIMATE_UNNOTED_DAY))
        for run in dict.fromkeys(c.run for c in conditions):
            own = kelvin * design.where([c.run == run for c in conditions])
            if own.any():
                out.append(unknown_of("climate of a run", Group.CLIMATE, watts, own, CLIMATE_UNNOTED_RUN))
    spread = float(np.std([c.climate_k for c in conditions if c.climate_k is not None] or [0.0]))
    if spread:
        per_k = auxiliaries.CLIMATE_W_PER_K + CLIMATE.sd  # what heating draws where it draws much
        prior = Prior(per_k * spread, "W", "climate of a leg among others that noted it")
        out += [
            unknown_of("climate of a leg", Group.CLIMATE, watts, np.eye(design.rows)[i], prior)
            for i in np.flatnonzero(unknown)
        ]
    for noted, mild, prior in ((True, 0.0, PULL_DOWN), (False, MILD_K, PULL_DOWN_UNNOTED)):
        early = np.zeros(design.rows)
        early[: len(conditions)] = [
            c.cold_if
            * min(max(abs(CLIMATE_SETTING_C - c.temperature_c) - mild, 0.0) / 20.0, 1.5)
            * ((c.climate_k or 0.0) > 0 if noted else c.climate_k is None)
            for c in conditions
        ]
        if early.any():
            out.append(unknown_of("bringing the cabin to it", Group.CLIMATE, watts, early, prior))
    return out


def exchange(e: Exchange) -> Exchange:
    """Climate off, or as the reference has it; and what bringing the cabin to its setting took on the way."""
    local = e.local.copy()
    local[:, Parameter.AUXILIARY_W] -= e.share(Group.CLIMATE)[:, Parameter.AUXILIARY_W]
    return replace(e, local=local, model=e.model.replaced(climate_k=np.full(len(e.local), e.reference.climate_k)))


@CONCERNS.rule("climate-unlike", stage="drive", needs="climate settings", covered=True)
def climate_unlike(case: Case) -> Iterator[Finding]:
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


@CONCERNS.rule("sun-load", stage="plan", needs="start times, climate", covered=False)
def sun_load(case: Case) -> Iterator[Finding]:
    """Climate on, and the two configurations driven at other times of day: the sun is not the same."""
    a, b = ([c for c in side if c.climate_k] for side in case.both)
    clocks = [[c.started_s % 86400.0 for c in side if c.started_s is not None] for side in (a, b)]
    if not clocks[0] or not clocks[1]:
        return
    height = [float(np.mean([auxiliaries.sun_height(s) for s in side])) for side in clocks]
    if abs(height[1] - height[0]) < SUN_UNLIKE:
        return
    level_w = case.effect.baseline_wh_per_km * 3.6 * float(np.mean([c.speed_m_s for c in (*a, *b)]))
    bias = 100.0 * auxiliaries.SUN_W * (height[1] - height[0]) / level_w
    summer = float(np.mean([c.temperature_c for c in (*a, *b)])) > SUMMER_C
    yield Finding(
        "note" if abs(bias) < NOTABLE else "caution",
        bias if summer else -bias,
        names(b),
        "Climate on, and the sun not alike",
        "Baseline and trial were driven at other times of day; full sun changes the cabin's load by about "
        f"{auxiliaries.SUN_W:.0f} W (common practice), clouds unknown.",
        "Drive with the climate off, or both at the same time of day.",
    )


CONDITION: Final = Condition(
    "climate",
    FIELDS,
    unknowns,
    lines=(Line("climate", "cabin", 110, exchange, lambda c: c.climate_k is not None),),
    told={
        Group.CLIMATE: Told(
            "heating and cooling draw power that nobody measured",
            "Switch climate off, or hold one setting and note it.",
            lambda c: c.climate_k is None,
            "climate was not noted",
            "Note whether climate was off, or its setting.",
        )
    },
    concerns=CONCERNS.rules,
)

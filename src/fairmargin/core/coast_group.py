"""Coasting runs: one fit over all of them, and what follows from it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Final

import numpy as np

from fairmargin.core.conditions.concern import Concern
from fairmargin.core.evidence.coasts import Coast
from fairmargin.core.evidence.conditions import Conditions, leg_conditions
from fairmargin.core.evidence.reading import Observation, Reading
from fairmargin.core.fairness.checks import check_coasting
from fairmargin.core.fairness.coasting import CoastingContext
from fairmargin.core.grouped import Group, results_of, used_of
from fairmargin.core.inference.coast_down import CoastFit, CoastLoad, fit_coasts
from fairmargin.core.inference.levels import Level
from fairmargin.core.result.comparison import Sides, comparison, sides_of
from fairmargin.core.result.legs import leg_result
from fairmargin.core.result.results import Result
from fairmargin.core.result.types import Comparison, View
from fairmargin.core.study import Leg, Study, Trace
from fairmargin.core.units import said_range

USUAL_KMH: Final = 90.0  # that an effect is stated for where no study says, within the speeds coasted


def coast_group(
    study: Study, coasts: Mapping[str, Coast], traces: Mapping[str, Trace], view: View, doubts: Sequence[Concern]
) -> tuple[Group, tuple[CoastLoad, ...]]:
    """Coasting runs of one vehicle: comparisons, and the road load of each configuration."""
    conditions = leg_conditions(study, traces)
    speed = _speed_m_s(study, coasts)
    counting = [leg for leg in study.legs if leg.included and leg.leg in coasts]
    own = [conditions[leg.leg] for leg in counting]
    fit = fit_coasts(study, coasts, own, speed) if own else None
    if fit is None:
        return Group(), ()
    every = [_observation(leg, coasts[leg.leg], fit) for leg in counting if leg.leg in fit.leg_wh_per_km]
    used = used_of(study, every)
    results = {
        o.legs[0]: leg_result(study, study.leg(o.legs[0]), o, view, _lines(o, fit, view), fit.scatter_share)
        for o in used
    }
    at_speed = study if study.target_speed_kmh else study.with_(target_speed_kmh=round(3.6 * speed))
    comparisons: list[Comparison] = []
    concerns: list[Concern] = []
    for trial, effect in fit.effects.items():
        a, b = sides_of(study, trial, used)
        if not a or not b:
            continue
        sides_own = [c for c in own if c.configuration in {study.baseline.id, trial}]
        loads = [x for x in fit.loads if x.configuration in {study.baseline.id, trial}]
        found = [*doubts, *check_coasting(CoastingContext(study, trial, sides_own, loads, effect))]
        concerns += found
        as_coasted = [_at_speed(c, speed) for c in own]
        sides = Sides(
            at_speed, effect, a, b, every, results, conditions, as_coasted, fit.scatter_share, False, coasted=True
        )
        comparisons.append(comparison(sides, view, found))
    levels = {
        name: Level(wh, np.ones(1), np.zeros(1), np.array([fit.log_sd[name]]))
        for name, wh in fit.level_wh_per_km.items()
    }
    told = tuple(
        _not_driven(replace(r, temperature_c=study.reference.temperature_c))
        for r in results_of(at_speed, used, "", levels, "model", conditions)
    )
    return Group(comparisons, concerns, results, results=told), fit.loads


def _speed_m_s(study: Study, coasts: Mapping[str, Coast]) -> float:
    """Speed that effects are stated for: the study's, else the usual one where it was coasted through."""
    if study.target_speed_kmh:
        return float(study.target_speed_kmh) / 3.6
    low, high = max(c.slowest_m_s for c in coasts.values()), min(c.fastest_m_s for c in coasts.values())
    return float(np.clip(USUAL_KMH / 3.6, min(low, high), max(low, high)))


def _not_driven(r: Result) -> Result:
    """The same without what was driven: nothing was."""
    return replace(
        r, as_driven_wh_per_km=None, as_driven_interval=None, range_km=None, range_interval_km=None, directions=()
    )


def _at_speed(c: Conditions, speed_m_s: float) -> Conditions:
    """A run as the effect is stated for: opposite runs told its wind, whether or not anybody noted one."""
    return replace(c, speed_m_s=speed_m_s, wind_known=True)


def _observation(leg: Leg, coast: Coast, fit: CoastFit) -> Observation:
    """What a run says of a steady drive, as it coasted: nobody read an energy."""
    km = coast.metres / 1000.0
    as_coasted, _ = fit.leg_wh_per_km[leg.leg]
    seconds = float(coast.time_s[-1] - coast.time_s[0])
    shown = f"{said_range(3.6 * coast.fastest_m_s, 3.6 * coast.slowest_m_s, 'km/h')}, {seconds:.0f} s"
    energy = as_coasted * km
    return Observation((leg.leg,), (Reading("coasting", shown, energy, 1e-4 * energy),), km, km, as_coasted)


def _lines(o: Observation, fit: CoastFit, view: View) -> Mapping[str, float]:
    """What is taken out of a run."""
    return {} if view == "as-measured" else fit.leg_wh_per_km[o.legs[0]][1]

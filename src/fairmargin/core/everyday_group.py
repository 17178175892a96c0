"""Everyday logs: one regression over weeks of trips, and what follows from it."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence

import numpy as np

from fairmargin.core.conditions.causes import Regressor
from fairmargin.core.conditions.concern import Concern
from fairmargin.core.conditions.day import DAY
from fairmargin.core.evidence.gathered import Gathered
from fairmargin.core.evidence.reading import Observation
from fairmargin.core.fairness.checks import check_everyday
from fairmargin.core.fairness.everyday import EverydayContext
from fairmargin.core.grouped import Group, results_of, used_of
from fairmargin.core.inference.everyday import fit_everyday
from fairmargin.core.inference.levels import Level, calibration
from fairmargin.core.inference.posterior import Effect
from fairmargin.core.inference.problem import warmth_of_study
from fairmargin.core.result.comparison import Sides, comparison, sides_of
from fairmargin.core.result.legs import everyday_lines, leg_result
from fairmargin.core.result.types import Comparison, LegResult, View
from fairmargin.core.study import Study


def everyday_group(study: Study, view: View, evidence: Gathered, doubts: Sequence[Concern]) -> Group:
    """Weeks of trips: one regression over all of them."""
    every, conditions = evidence.observations, evidence.conditions
    used = used_of(study, every)
    if not used:
        return Group()
    own = [conditions[o.legs[0]] for o in used]
    warmth = warmth_of_study(study, own, view)
    speed = float(np.mean([c.speed_m_s for c in own]))
    if view != "study-mean" and study.target_speed_kmh:
        speed = study.target_speed_kmh / 3.6
    fit = fit_everyday(study, own, used, warmth, speed)

    def lines(o: Observation) -> Mapping[str, float] | None:
        if o.legs[0] not in fit.corrections:
            return None
        return {} if view == "as-measured" else everyday_lines(o, fit.corrections[o.legs[0]])

    results = {
        (name := o.legs[0]): leg_result(study, study.leg(name), o, view, lines(o), fit.trip_sd.get(name, o.relative_sd))
        for o in every
    }
    comparisons: list[Comparison] = []
    concerns: list[Concern] = []
    for trial, effect in fit.effects.items():
        a, b = sides_of(study, trial, used)
        if not a or not b:
            continue

        def without(left_out: Regressor, trial: str = trial, effect: Effect = effect) -> float | None:
            other = fit_everyday(study, own, used, warmth, speed, frozenset({left_out})).effects.get(trial)
            return None if other is None else effect.percent - other.percent

        found = [*doubts, *check_everyday(EverydayContext(study, trial, own, used, effect, without))]
        concerns += found
        sides = Sides(study, effect, a, b, every, results, conditions, own, fit.scatter_share, True)
        comparisons.append(comparison(sides, view, found))
    levels = {} if view == "as-measured" else _levels(used, results)
    return Group(comparisons, concerns, results, results=results_of(study, used, "", levels, "model", conditions))


def _levels(used: Sequence[Observation], lines: Mapping[str, LegResult]) -> Mapping[str, Level]:
    """Mean of each configuration's corrected trips, with what the trips say of themselves."""
    groups: dict[str, list[tuple[Observation, LegResult]]] = {}
    for o in used:
        groups.setdefault(lines[o.legs[0]].configuration, []).append((o, lines[o.legs[0]]))
    found = {}
    for name, own in groups.items():
        km = np.array([o.true_km for o, _ in own])
        level = np.array([line.corrected_wh_per_km or line.measured_wh_per_km for _, line in own])
        told = float(np.std(np.log(level), ddof=1)) if len(own) > 2 else 0.0
        trip = max(told, float(np.mean([line.sd_percent for _, line in own])) / 100.0)
        sd = math.hypot(trip / math.sqrt(len(own)), DAY.sd, calibration([o for o, _ in own]))
        middle = float(km @ level / km.sum())
        found[name] = Level(middle, np.ones(1), np.zeros(1), np.array([sd]))
    return found

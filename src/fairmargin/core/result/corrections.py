"""The ledger: how each leg gets from measured to corrected, in Wh/km, one condition after another."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from functools import partial

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.conditions import registry
from fairmargin.core.conditions.room import Exchange
from fairmargin.core.evidence.conditions import Conditions
from fairmargin.core.evidence.known import LEAST_LEFT, known_wh_per_km
from fairmargin.core.evidence.reading import Observation
from fairmargin.core.inference.fit import Fit
from fairmargin.core.inference.options import FitOptions
from fairmargin.core.inference.problem import reference_of, speeds_of_configurations
from fairmargin.core.model.parameters import Parameter
from fairmargin.core.model.paths import LegTable, Paths, both, join
from fairmargin.core.study import Study

Array = NDArray[np.float64]


def line_words(line: str) -> str:
    """How screens and reports call a line of the correction; its key where nothing is known of it."""
    known = registry.lines().get(line)
    return line if known is None else known.words


def corrections(
    study: Study, fit: Fit, options: FitOptions, conditions: Sequence[Conditions], observations: Sequence[Observation]
) -> dict[str, dict[str, float]]:
    """Corrections of every leg [Wh/km], by leg and ledger line; measured + their sum = corrected.

    The model's energy is taken from the conditions driven to the reference conditions one line at a time;
    each change is scaled by measured over modelled, so that the model's level does not matter. Hills are
    exchanged last: a leg gets the mean of the directions driven, so that out and back can be compared.
    """
    measured = _by_leg(conditions, observations, lambda o: o.as_read_wh_per_km)
    true_energy = _by_leg(conditions, observations, lambda o: o.true_wh_per_km)
    gated = _by_leg(conditions, observations, lambda o: o.fit_wh / o.fit_km)
    kilometres = np.array([max(c.true_m, 1.0) for c in conditions]) / 1000.0
    result: dict[str, Array] = {"distance": true_energy - measured, "trim": gated - true_energy}

    keys, energies = _on_the_way(study, fit, options, conditions)
    scale = _measured_over_modelled(conditions, observations, energies[0])
    if study.known_differences:
        level = gated
        taken_out = -np.array([known_wh_per_km(study, study.leg(c.leg)) for c in conditions])
        result["known_difference"] = np.maximum(taken_out, (LEAST_LEFT - 1.0) * level)
        scale = scale * (level + result["known_difference"]) / level
    water = np.array([fit.values.get(f"{c.road} road", 0.0) for c in conditions])
    if water.any():
        level = gated + result.get("known_difference", 0.0)
        result["road"] = level * np.expm1(-water)
        scale = scale * np.exp(-water)
    for key, before, after in zip(keys, energies[:-1], energies[1:], strict=True):
        result[key] = (after - before) * scale / kilometres
    return {c.leg: {name: float(values[i]) for name, values in result.items()} for i, c in enumerate(conditions)}


def _on_the_way(
    study: Study, fit: Fit, options: FitOptions, conditions: Sequence[Conditions]
) -> tuple[list[str], list[Array]]:
    """Lines in their order, and the energy of every leg before the first and after each of them. [Wh]"""
    of_configurations = speeds_of_configurations(study, conditions, options.speed_kmh)
    speed = [of_configurations[c.configuration] for c in conditions]
    kept = fit.as_driven or study.change.is_technique  # nothing of how it was driven is corrected away
    now = Exchange(
        fit.model,
        _without_statistics(study, fit, conditions),
        reference_of(study, conditions, options.view),
        None if kept else partial(_steady, fit, conditions, speed),
        fit.share,
    )
    keys, states = [], [now]
    for line in registry.lines().values():
        if line.exchange is None:
            continue
        was, now = now, line.exchange(now)
        keys.append(line.key)
        states.append(states[-1] if _alike(was, now) else now)
    hills = len({c.backwards for c in conditions}) == 2 and fit.road.shape is not None and not fit.as_driven
    if hills:
        states.append(replace(now, model=replace(now.model, paths=_steady(fit, conditions, speed, turned=True))))
    energies = _energies(states)
    last = energies[len(keys)]
    # Hills: each leg's own direction against the mean of the directions driven.
    return [*keys, "elevation"], [*energies[: len(keys) + 1], last + 0.5 * (energies[-1] - last) if hills else last]


def _energies(states: Sequence[Exchange]) -> list[Array]:
    """Energy of every leg at each state, from one pass over those that differ. [Wh]"""
    differ = list(dict.fromkeys(states))
    local = np.concatenate([e.local for e in differ])
    whole = differ[0].model.followed_by(*(e.model for e in differ[1:]))
    energies = np.split(whole.energies(local, derivatives=False).wh, len(differ))
    of = dict(zip(differ, energies, strict=True))
    return [of[e] for e in states]


def _alike(a: Exchange, b: Exchange) -> bool:
    """Whether an exchange left everything that moves an energy as it was."""
    same = a.model.paths is b.model.paths and np.array_equal(a.local, b.local)
    return same and all(
        np.array_equal(getattr(a.model.legs, name), getattr(b.model.legs, name))
        for name in LegTable.__dataclass_fields__
    )


def _by_leg(
    conditions: Sequence[Conditions], observations: Sequence[Observation], value: Callable[[Observation], float]
) -> Array:
    """A figure of each observation, for each of its legs in the order of the conditions."""
    of = {name: value(o) for o in observations for name in o.legs}
    return np.array([of[c.leg] for c in conditions])


def _measured_over_modelled(
    conditions: Sequence[Conditions], observations: Sequence[Observation], modelled_wh: Array
) -> Array:
    """Measured over modelled energy of each leg; on a charged-back run, of the whole run."""
    modelled = {c.leg: wh for c, wh in zip(conditions, modelled_wh.tolist(), strict=True)}
    return _by_leg(conditions, observations, lambda o: o.fit_wh / sum(modelled[name] for name in o.legs))


def _without_statistics(study: Study, fit: Fit, conditions: Sequence[Conditions]) -> Array:
    """Deviations of the parameters; statistical terms stay out of the ledger, the change itself stays in.

    So does what the fit says of a leg slower than its like: it is no slip of the clock, but what is taken for its speed.
    """
    local = fit.local.copy()
    local[:, Parameter.TOTAL] = 0.0
    local[[not c.slower_by for c in conditions], Parameter.SPEED] = 0.0
    for trial in study.trials:
        total = sum(fit.values.get(f"{trial.id}: {name}", 0.0) for name in ("technique", "mixed", "unknown"))
        local[[c.configuration == trial.id for c in conditions], Parameter.TOTAL] += total
    return local


def _steady(fit: Fit, conditions: Sequence[Conditions], speeds_m_s: Sequence[float], turned: bool = False) -> Paths:
    """Every leg's road at a steady speed, in its own direction or turned round."""
    ways = [
        both(*fit.road.there_and_back(c.true_m, speed, ()))
        if c.there_and_back
        else fit.road.steady(c.backwards is not turned, c.true_m, speed, ())
        for c, speed in zip(conditions, speeds_m_s, strict=True)
    ]
    return join(ways, [0.0] * len(ways))

"""Consumption of each configuration at the reference conditions, with its margin: what one configuration says alone."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.conditions.causes import Group
from fairmargin.core.conditions.instruments import INSTRUMENT
from fairmargin.core.evidence.reading import Observation
from fairmargin.core.inference.posterior import Posterior, mixture_quantile
from fairmargin.core.inference.problem import Problem
from fairmargin.core.model.parameters import Parameter
from fairmargin.core.study import Study

Array = NDArray[np.float64]


@dataclass(frozen=True, eq=False, slots=True)
class Level:
    """Consumption of one configuration at the reference conditions, as a mixture over the scatter."""

    wh_per_km: float
    weights: Array  # of the scatter's sizes
    offsets: Array  # of the logarithm's mean, at each size
    sds: Array  # of the logarithm
    budget: tuple[tuple[str, float], ...] = ()  # source, log variance

    @property
    def variance(self) -> float:
        """Variance of the logarithm."""
        return float(self.weights @ (self.sds**2 + self.offsets**2))

    def interval(self, confidence: float) -> tuple[float, float]:
        """Equal-tailed interval. [Wh/km]"""
        tail = (1.0 - confidence) / 2.0
        low, high = (mixture_quantile(self.weights, self.offsets, self.sds, q) for q in (tail, 1.0 - tail))
        return self.wh_per_km * math.exp(low), self.wh_per_km * math.exp(high)


def calibration(observations: Sequence[Observation]) -> float:
    """How far the instruments may be off altogether: in a comparison it cancels, in a level it does not."""
    kinds = [o.readings[0].instrument for o in observations]
    return max((INSTRUMENT[k].sd for k in set(kinds)), default=0.0)


def model_levels(
    study: Study,
    problem: Problem,
    result: Posterior,
    first: int,
    log_levels: Array,
    observations: Sequence[Observation],
) -> Mapping[str, Level]:
    """Levels by the model.

    Parameters
    ----------
    study : Study
    problem : Problem
    result : Posterior
        Whose effects from `first` on are the log levels of the problem's configurations.
    first : int
    log_levels : numpy.ndarray, shape (configurations,)
        Log energies over the reference drives, at the solution. [ln Wh]
    observations : sequence of Observation

    Returns
    -------
    mapping of configuration to Level
        Of the configurations that were driven.
    """
    out = {}
    for i, name in enumerate(problem.configurations):
        own = [o for o in observations if study.leg(o.legs[0]).configuration == name]
        if not own:
            continue
        means = result.means[:, first + i]
        middle = float(result.weights @ means)
        off = calibration(own)
        sds = np.hypot(result.sds[:, first + i], off)
        out[name] = Level(
            math.exp(float(log_levels[i])) / problem.reference.km,
            result.weights,
            means - middle,
            sds,
            _budget(problem, result, first + i, off),
        )
    return out


#: Groups that a level's budget tells together with another.
TOLD_AS: Final[Mapping[str, str]] = {
    Group.WIND_OF_RUNS: Group.WIND,
    Group.SPEED_ALIKE: Group.SPEED,
    Group.RUNS: Group.SCATTER,
}


def _budget(problem: Problem, result: Posterior, which: int, calibration_sd: float) -> tuple[tuple[str, float], ...]:
    """What leaves a level open, by source."""
    found: dict[str, float] = {
        Group.SCATTER: result.scatter_part(which),
        Group.DISPLAY_STEP: float((result.estimators[:, which] ** 2) @ problem.rows.reading_var),
        Group.CALIBRATION: calibration_sd**2,
    }
    for u, value in zip(problem.unknowns, result.variance_by_parameter[which].tolist(), strict=True):
        told = TOLD_AS.get(u.group, u.group)
        found[told] = found.get(told, 0.0) + value
    return tuple(sorted(((str(k), v) for k, v in found.items()), key=lambda kv: -kv[1]))


def plain_level(
    study: Study, problem: Problem, configuration: str, observations: Sequence[Observation], multiple: float
) -> Level:
    """The consumption as driven, with a margin of everything that nobody corrected; for where the model is not believed.

    `multiple` is the scatter's size over its prior's.
    Its error follows from the unknowns as that of the plain difference does, see `plain`.
    """
    own = np.array([study.leg(o.legs[0]).configuration == configuration for o in observations])
    energy, km = (np.array([getattr(o, name) for o in observations]) for name in ("fit_wh", "fit_km"))
    w = own * energy / float(energy[own].sum())
    gather = problem.owns.T * np.exp(problem.rows.measured)
    gather /= gather.sum(axis=1, keepdims=True)
    at = problem.linearise(problem.prior_mean)
    log_levels, gradients = problem.levels(at)
    which = problem.configurations.index(configuration)
    modelled = gather @ at.predicted
    is_level = np.array([u.parameter is Parameter.TOTAL and u.name == "level" for u in problem.unknowns], dtype=bool)
    free = np.array([u.group is not Group.CHANGE for u in problem.unknowns]) & ~is_level
    open_variance = (w @ (gather @ at.jacobian) - gradients[which]) ** 2 * problem.prior_var * free
    uncorrected = float(w @ (modelled - np.log(km))) - (float(log_levels[which]) - math.log(problem.reference.km))
    reading = float(w**2 @ ((gather**2) @ problem.rows.noise(0.0)))
    scatter = multiple**2 * float(w**2 @ problem.scatter_var)
    off = calibration([o for o, mine in zip(observations, own, strict=True) if mine])
    budget: dict[str, float] = {
        Group.UNCORRECTED: uncorrected**2, Group.DISPLAY_STEP: reading, Group.SCATTER: scatter, Group.CALIBRATION: off**2,
    }  # fmt: skip
    for u, value in zip(problem.unknowns, open_variance.tolist(), strict=True):
        told = TOLD_AS.get(u.group, u.group)
        budget[told] = budget.get(told, 0.0) + value
    sd = math.sqrt(sum(budget.values()))
    level = float(energy[own].sum() / km[own].sum())
    return Level(level, np.ones(1), np.zeros(1), np.array([sd]), tuple(budget.items()))

"""Legs that were slower than their like, and nobody noted why: which way of it their readings speak for.

A leg that stood, one with a slow stretch and one that was slower all the way took different energies. What each explanation
makes likely is weighed by what was read, one such leg after another, before the fit is solved: a mixture, of which the fit
takes mean and variance. Where the readings cannot tell, the leg counts for little.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.evidence.conditions import Conditions
from fairmargin.core.evidence.hold_ups import moments
from fairmargin.core.inference.posterior import Weighed
from fairmargin.core.inference.problem import Linearised, Problem
from fairmargin.core.model.parameters import Parameter

Array = NDArray[np.float64]

ROUNDS: Final = 2  # over the slower legs: what one is taken for says something of the next


def slower_legs(
    problem: Problem, at: Linearised, conditions: Sequence[Conditions], segment_share: float, freedom: float
) -> dict[str, tuple[float, float]]:
    """By what share the speed of every slower leg counts as higher, and the variance of that, as its readings speak for it.

    Parameters
    ----------
    problem : Problem
    at : Linearised
        The problem at the priors' means.
    conditions : sequence of Conditions
        Of the problem's legs.
    segment_share : float
        Noise of one kilometre of a logged leg.
    freedom : float
        Degrees of freedom of the scatter's prior.
    """
    alone = [i for i, c in enumerate(conditions) if c.slower_by and not c.slower_alike]
    slower = [(i, j) for i in alone if (j := _unknown_of(problem, i)) is not None]
    if not slower:
        return {}
    evidence = problem.evidence(at, segment_share)
    own = [j for _, j in slower]
    mean, variance = problem.prior_mean[own], problem.prior_var[own]
    # A leg's speed acts along one column, so that no other guess at it needs another factorisation. The last column is what
    # was measured over what is predicted; what else the slower legs are taken for is taken off it.
    columns = np.concatenate([at.jacobian[:, own], (problem.rows.measured - at.predicted)[:, None]], axis=1)
    weighed = Weighed.of(evidence.base, evidence.owns, evidence.scatter_var, columns)
    measured = np.zeros(len(own) + 1)
    measured[-1] = 1.0
    for _ in range(ROUNDS):
        for at_column, (i, j) in enumerate(slower):
            ways = conditions[i].slower_by
            timed = max(problem.prior_var[j] - moments(ways)[1] ** 2, 0.0)  # what the clock leaves open
            share, off, sd = (np.array([getattr(e, name) for e in ways]) for name in ("share", "off", "sd"))
            guessed = np.tile(measured, (len(ways), 1))
            guessed[:, at_column] -= off - mean[at_column]
            more = sd**2 + timed - variance[at_column]
            log_p = np.log(share) + weighed.log_evidence(at_column, more, guessed, freedom)
            weights = np.exp(log_p - log_p.max())
            found, deviation = moments(ways, (weights / weights.sum()).tolist())
            measured[at_column] -= found - mean[at_column]
            weighed.vary(at_column, deviation**2 + timed - variance[at_column])
            mean[at_column], variance[at_column] = found, deviation**2 + timed
    return {conditions[i].leg: (float(m), float(v)) for (i, _), m, v in zip(slower, mean, variance, strict=True)}


def of_legs(problem: Problem, conditions: Sequence[Conditions], speeds: Mapping[str, tuple[float, float]]) -> Problem:
    """The problem with such speeds of single legs; others, and legs that are not in it, are as they were."""
    if not speeds:
        return problem
    mean, variance = problem.prior_mean.copy(), problem.prior_var.copy()
    for i, c in enumerate(conditions):
        if c.slower_by and not c.slower_alike and c.leg in speeds and (j := _unknown_of(problem, i)) is not None:
            mean[j], variance[j] = speeds[c.leg]
    return replace(problem, prior_mean=mean, prior_var=variance)


def _unknown_of(problem: Problem, leg: int) -> int | None:
    """The unknown that is the speed of one leg alone."""
    for j, u in enumerate(problem.unknowns[: problem.shared]):
        if u.parameter == Parameter.SPEED and u.name == "speed of leg" and problem.leg_weights[leg, j] == 1.0:
            return j
    return None

"""What a fit would say without some of its drives, from the fit itself: no drive is laid on the road again.

Near a solution the problem is linear; leaving drives out takes their rows from it. Where that would move what the others let
expect by more than a linear problem can tell, nothing is said, and whoever asks fits the rest afresh.
"""

from __future__ import annotations

from collections.abc import Mapping, Set
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.evidence.reading import Observation
from fairmargin.core.inference.posterior import Effect, Evidence, Posterior, posterior
from fairmargin.core.inference.problem import Problem
from fairmargin.core.inference.solver import Solution

Array = NDArray[np.float64]

#: Moves up to which a problem counts as linear, as logarithms: of an expected reading, its square is 0.04 %; of an effect.
LINEAR: Final = 0.02
LINEAR_EFFECT: Final = 0.05


def effects_without(
    problem: Problem,
    solution: Solution,
    result: Posterior,
    observations: list[Observation],
    legs: Set[str],
    origins: Array,
    freedom: float,
) -> Mapping[str, Effect] | None:
    """Every trial's effect without the drives of some legs; None where only another fit can tell.

    Parameters
    ----------
    problem : Problem
    solution : Solution
        Of that problem.
    result : Posterior
        Of that solution; its first effects are those of the trials.
    observations : list of Observation
        Of the problem.
    legs : set of str
        Left out, with the whole run where a run counts as one.
    origins : numpy.ndarray, shape (effects,)
        Effects at the prior means.
    freedom : float
        Degrees of freedom of the scatter's prior.
    """
    stays = np.array([not legs & set(o.legs) for o in observations])
    rows = problem.owns[:, stays].any(axis=1)
    if not rows.any():
        return None
    whole = result.evidence
    part = Evidence(
        whole.jacobian[rows], whole.prior_var, whole.noise[rows], whole.owns[np.ix_(rows, stays)], whole.scatter_var[stays]
    )  # fmt: skip
    trials = problem.configurations[1:]
    left = posterior(part, result.innovation[rows], result.gradients[: len(trials)], origins.tolist(), freedom)
    theta = problem.prior_mean + whole.prior_var * (part.jacobian.T @ (left.inverse @ left.innovation))
    move = theta - solution.theta
    if float(np.abs(part.jacobian @ move).max()) > LINEAR:
        return None
    if float(np.abs(left.gradients @ move).max(initial=0.0)) > LINEAR_EFFECT:
        return None
    return {
        name: Effect(name, float(left.weights @ left.means[:, i]), left.weights, left.means[:, i], left.sds[:, i])
        for i, name in enumerate(trials)
    }

"""The most probable values of the unknowns: damped Gauss-Newton, every step of which makes them more probable.

The negative logarithm of the posterior,

    φ(θ) = ½ (y − f(θ))ᵀ N⁻¹ (y − f(θ)) + ½ (θ − μ)ᵀ S⁻¹ (θ − μ),

is made smaller by each step: the Gauss-Newton step is a descent direction, and it is halved until it keeps a fair part
of what the linearised problem promised (Armijo's rule). Where no step of any length helps, or the steps run out, the
solution says that it did not settle, and nobody believes it.

References
----------
.. [1] J. Nocedal, S. J. Wright, "Numerical Optimization", 2nd ed. (2006), sections 3.1 and 10.3 (from memory).
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.inference import priors
from fairmargin.core.inference.problem import Linearised, Problem
from fairmargin.core.inference.rows import Rows

Array = NDArray[np.float64]

MOST_STEPS: Final = 30
MOST_HALVINGS: Final = 8
SETTLED: Final = 1e-4  # a step that moves no reading by more: a hundredth of a per cent
ARMIJO: Final = 1e-3  # share of the promised gain that a step must keep


@dataclass(frozen=True, eq=False, slots=True)
class Solution:
    """The most probable values, the problem linearised there, and the noise of one kilometre of a logged leg."""

    theta: Array
    at: Linearised
    segment_share: float
    settled: bool = True  # whether the last step moved nothing any more
    steps: int = 0


@dataclass(frozen=True, eq=False, slots=True)
class _Noise:
    """What scatters the readings by itself, factored once."""

    cov: Array
    inverse: Array

    @classmethod
    def of(cls, problem: Problem, share: float) -> _Noise:
        """The noise at one size of the segments' own."""
        block = (problem.owns * problem.scatter_var) @ problem.owns.T
        cov = np.diag(problem.rows.noise(share)) + block
        return cls(cov, np.asarray(np.linalg.inv(cov)))


def negative_log_posterior(problem: Problem, noise: Array, theta: Array, predicted: Array) -> float:
    """Negative logarithm of the posterior but for a constant, from the inverse of the readings' own noise."""
    left = problem.rows.measured - predicted
    off = theta - problem.prior_mean
    return 0.5 * float(left @ noise @ left) + 0.5 * float(off @ (off / problem.prior_var))


def solve(
    problem: Problem, theta: Array | None = None, segment_share: float | None = None, at: Linearised | None = None
) -> Solution:
    """Find the most probable values of the unknowns [1]_.

    Parameters
    ----------
    problem : Problem
    theta : numpy.ndarray, optional
        Where to begin; the prior means when absent, or when it belongs to other unknowns.
    segment_share : float, optional
        Known noise of segments; learned from what the segments leave over when absent.
    at : Linearised, optional
        The problem at the prior means, where it is at hand.

    Returns
    -------
    Solution
    """
    if theta is None or len(theta) != len(problem.prior_mean):
        theta = problem.prior_mean
    else:
        at = None
    at = problem.linearise(theta) if at is None else at
    if segment_share is not None or not problem.rows.segmented:
        return _descend(problem, theta, at, segment_share or priors.SEGMENT_SHARE)
    # The noise of segments first from what the prior leaves over, so that no step chases it; then from the solution.
    solution = Solution(theta, at, priors.SEGMENT_SHARE)
    steps = 0
    for _ in range(2):
        share = _learned(problem, solution)
        solution = _descend(problem, solution.theta, solution.at, share)
        steps += solution.steps
    return replace(solution, steps=steps)


def _learned(problem: Problem, solution: Solution) -> float:
    evidence = problem.evidence(solution.at, solution.segment_share)
    innovation = problem.innovation(solution.at, solution.theta)
    cov = evidence.base + evidence.block
    return learned_segment_share(solution.segment_share, cov, problem.rows, innovation)


def _descend(problem: Problem, theta: Array, at: Linearised, share: float) -> Solution:
    noise = _Noise.of(problem, share)
    phi = negative_log_posterior(problem, noise.inverse, theta, at.predicted)
    for step in range(1, MOST_STEPS + 1):
        signal = (at.jacobian * problem.prior_var) @ at.jacobian.T
        weighed = np.linalg.solve(signal + noise.cov, problem.innovation(at, theta))
        move = problem.prior_mean + problem.prior_var * (at.jacobian.T @ weighed) - theta
        shift = at.jacobian @ move
        if float(np.max(np.abs(shift), initial=0.0)) < SETTLED:
            return Solution(theta, at, share, True, step)  # the linearised posterior takes this last step itself
        promised = phi - negative_log_posterior(problem, noise.inverse, theta + move, at.predicted + shift)
        length = 1.0
        for _ in range(MOST_HALVINGS):
            trial = theta + length * move
            there = problem.linearise(trial)
            reached = negative_log_posterior(problem, noise.inverse, trial, there.predicted)
            if math.isfinite(reached) and phi - reached >= ARMIJO * length * promised:
                break
            length *= 0.5
        else:
            return Solution(theta, at, share, False, step)
        theta, at, phi = trial, there, reached
    return Solution(theta, at, share, False, MOST_STEPS)


def learned_segment_share(share: float, cov: Array, rows: Rows, innovation: Array) -> float:
    """Noise of a one-kilometre segment, from what the segments leave over (evidence fixed point).

    References
    ----------
    D. J. C. MacKay, "Bayesian interpolation", Neural Computation 4 (1992) 415 (from memory).
    """
    on = rows.unit > 0
    for _ in range(3):
        inverse = np.linalg.inv(cov)
        noise = (share * rows.unit) ** 2
        left = (noise * (inverse @ innovation))[on] / rows.unit[on]
        freedom = float((noise * np.diag(inverse))[on].sum())
        squares = priors.SEGMENT_FREEDOM * priors.SEGMENT_SHARE**2 + float(left @ left)
        new = math.sqrt(squares / (priors.SEGMENT_FREEDOM + freedom))
        cov = cov + np.diag(np.where(on, (new**2 - share**2) * rows.unit**2, 0.0))
        share = new
    return share

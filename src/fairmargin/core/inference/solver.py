"""Gauss-Newton: the most probable values of the unknowns, and the noise of segments on the way."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.inference import priors
from fairmargin.core.inference.problem import Linearised, Problem
from fairmargin.core.inference.rows import Rows

Array = NDArray[np.float64]

MOST_STEPS: Final = 9
SETTLED: Final = 2e-4  # a step that moves no reading by more: two hundredths of a per cent


@dataclass(frozen=True, eq=False, slots=True)
class Solution:
    """The most probable values, the problem linearised there, and the noise of one kilometre of a logged leg."""

    theta: Array
    at: Linearised
    segment_share: float


def solve(problem: Problem, theta: Array | None = None, segment_share: float | None = None) -> Solution:
    """Find the most probable values of the unknowns.

    Parameters
    ----------
    problem : Problem
    theta : numpy.ndarray, optional
        Where to begin; the prior means when absent, or when it belongs to other unknowns.
    segment_share : float, optional
        Known noise of segments; learned from what the segments leave over when absent.

    Returns
    -------
    Solution
    """
    rows, prior_mean, prior_var = problem.rows, problem.prior_mean, problem.prior_var
    if theta is None or len(theta) != len(prior_mean):
        theta = prior_mean
    settled = segment_share is not None or not rows.segmented
    share = priors.SEGMENT_SHARE if segment_share is None else segment_share
    at = problem.linearise(theta)
    for _ in range(MOST_STEPS):
        evidence, innovation = problem.evidence(at, share), problem.innovation(at, theta)
        cov = evidence.base + evidence.block
        new = prior_mean + prior_var * (at.jacobian.T @ np.linalg.solve(cov, innovation))
        step = float(np.max(np.abs(at.jacobian @ (new - theta)), initial=0.0))
        theta = new
        if step < SETTLED:
            if settled:
                break
            settled = True
            share = learned_segment_share(share, cov, rows, innovation)
        at = problem.linearise(theta)
    return Solution(theta, at, share)


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

"""What days differ by: of an uncertain size, which days that are replicated tell of.

Three days of each configuration that agree say that this road's days are alike; three that do not, say the opposite. So the
size of what a day does to all its legs is integrated over as that of the reports' errors is, and what one study tells of it
is kept for the tester's others, beside the scatter.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.conditions.causes import Group
from fairmargin.core.inference.problem import Linearised, Problem
from fairmargin.core.inference.scatter import DAY_SHARES, DAY_SIZES
from fairmargin.core.inference.size_evidence import size_evidence

Array = NDArray[np.float64]


def day_evidence(problem: Problem, at: Linearised, segment_share: float, freedom: float) -> Array:
    """Log likelihood of each of `DAY_SIZES`, shape (sizes,); all zero where one day was driven; parameters as for `size_evidence`."""
    days = _days(problem)
    if days.sum() < 2:
        return np.zeros(len(DAY_SIZES))
    return size_evidence(problem, at, days, DAY_SIZES, segment_share, freedom)


def size_of(log_likelihood: Array) -> float:
    """Root mean square of the size after so much evidence (this study's and others'), shape (sizes,); about one after none.

    Examples
    --------
    >>> round(size_of(np.zeros(4)), 2), round(size_of(np.array([-9.0, -6.0, -2.0, 0.0])), 2)
    (1.01, 1.94)
    """
    log_p = np.log(DAY_SHARES) + log_likelihood
    weights = np.exp(log_p - log_p.max())
    return float(np.sqrt(weights @ DAY_SIZES**2 / weights.sum()))


def as_days_differ(problem: Problem, size: float) -> Problem:
    """The problem with days that differ by so much, over what they were thought to."""
    if size == 1.0:
        return problem
    return replace(problem, prior_var=np.where(_days(problem), problem.prior_var * size**2, problem.prior_var))


def _days(problem: Problem) -> NDArray[np.bool_]:
    return np.array([u.group == Group.DAY for u in problem.unknowns])

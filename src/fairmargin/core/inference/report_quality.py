"""How far the reports of the wind are to be believed, as far as the readings tell.

A report may be of another hour, of another valley, in another unit. The drives say so where they are there and back: they
differ by directions, and the reports say by how much they should. So the errors of the reports have an uncertain size, as
the scatter has; what the readings make of it is taken into the priors before the fit is solved. Where reports explain
nothing, what they correct shrinks towards what was read.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.conditions.design import WIND_AXES
from fairmargin.core.inference.problem import Linearised, Problem
from fairmargin.core.inference.size_evidence import size_evidence

Array = NDArray[np.float64]

#: Sizes of the reports' errors, over the usual, and how many days in a hundred have them; common practice.
SIZES: Final = np.array([1.0, 2.0, 4.0])
SHARES: Final = np.array([0.85, 0.11, 0.04])


@dataclass(frozen=True, eq=False, slots=True)
class ReportQuality:
    """Weights of `SIZES` as the readings leave them; the prior's own where nothing was reported."""

    weights: Array

    @property
    def multiple(self) -> float:
        """Root mean square of the size."""
        return float(np.sqrt(self.weights @ SIZES**2))

    @property
    def contradicted(self) -> float:
        """Probability that the reports were off by more than reports usually are."""
        return float(self.weights[1:].sum())


def report_quality(problem: Problem, at: Linearised, segment_share: float, freedom: float) -> ReportQuality:
    """What the readings say of the size of the reports' errors; parameters as for `size_evidence`."""
    wind = np.isin(problem.parameters, WIND_AXES)
    log_p = np.log(SHARES) + size_evidence(problem, at, wind, SIZES, segment_share, freedom)
    weights = np.exp(log_p - log_p.max())
    return ReportQuality(weights / weights.sum())


def as_believed(problem: Problem, multiple: float) -> Problem:
    """The problem with the errors of its reports so many times as large as usual."""
    if multiple == 1.0:
        return problem
    wind = np.isin(problem.parameters, WIND_AXES)
    return replace(problem, prior_var=np.where(wind, problem.prior_var * multiple**2, problem.prior_var))

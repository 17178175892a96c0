"""What the readings say of the size of one kind of unknowns, the size of the scatter integrated out.

References
----------
.. [1] D. J. C. MacKay, "Bayesian interpolation", Neural Computation 4 (1992) 415: the evidence for the size of a prior (from
   memory).
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.inference.posterior import log_evidence
from fairmargin.core.inference.problem import Linearised, Problem

Array = NDArray[np.float64]


def size_evidence(
    problem: Problem, at: Linearised, which: NDArray[np.bool_], sizes: Array, segment_share: float, freedom: float
) -> Array:
    """Log likelihood of each size of some unknowns' priors [1]_, shape (sizes,).

    Parameters
    ----------
    problem : Problem
    at : Linearised
        The problem at the priors' means.
    which : numpy.ndarray of bool, shape (unknowns,)
        Whose size is asked for.
    sizes : numpy.ndarray, shape (sizes,)
        Over the prior's.
    segment_share : float
        Noise of one kilometre of a logged leg.
    freedom : float
        Degrees of freedom of the scatter's prior.
    """
    evidence = problem.evidence(at, segment_share)
    innovation = problem.rows.measured - at.predicted
    jacobian = at.jacobian[:, which]
    own = (jacobian * problem.prior_var[which]) @ jacobian.T
    bases = evidence.base + (np.asarray(sizes)[:, None, None] ** 2 - 1.0) * own
    return log_evidence(bases, evidence.owns, evidence.scatter_var, innovation, freedom)

"""Each drive foretold from all the others: what its reading should have been, with a band, and how unlikely what it was is.

A check of a procedure is whether it foretells what it has not seen. The reading is held out, the scatter's size is weighed anew
without it, and the model with its conditions says what it should be.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.evidence.reading import Observation
from fairmargin.core.inference.posterior import ROOT_HALF, SCATTER_SIZES, Posterior, mixture_quantile
from fairmargin.core.inference.problem import Problem

Array = NDArray[np.float64]
LEAST_DRIVES: Final = 4  # fewer foretell nothing worth a look


@dataclass(frozen=True, eq=False, slots=True)
class Foretold:
    """What the other drives foretell of one; logarithms of read over foretold.

    Attributes
    ----------
    legs : tuple of str
        Of the drive.
    off : float
        Read over the middle of what is foretold.
    weights, means, sds : numpy.ndarray, shape (k,)
        Mixture, over the scatter, of what read over foretold should be around: `off` less each size's own mean.
    tail : float
        Probability of a reading at least so far off, on either side.
    """

    legs: tuple[str, ...]
    off: float
    weights: Array
    means: Array
    sds: Array
    tail: float

    def band(self, confidence: float) -> tuple[float, float]:
        """Ends of the band of what the reading should have been, over what it was; logarithms."""
        side = (1.0 - confidence) / 2.0
        low, high = (mixture_quantile(self.weights, self.means, self.sds, q) for q in (side, 1.0 - side))
        return low, high


def foretell(problem: Problem, result: Posterior, observations: Sequence[Observation]) -> tuple[Foretold, ...]:
    """Foretell every drive from the others; none where there are fewer than four.

    With K the diagonal of the inverse covariance of the readings and α that inverse times their innovation, a reading held out
    lies α/K from what the others predict, with variance 1/K (C. E. Rasmussen, C. K. I. Williams, "Gaussian Processes for Machine
    Learning" (2006), eq. 5.12; from memory). Each size of the scatter weighs by what it was worth without the reading: its weight
    over the density that it gives to it (importance weights of leave-one-out; A. Gelman et al., "Bayesian Data Analysis", 3rd ed.
    (2013), ch. 7.2; from memory).

    Parameters
    ----------
    problem : Problem
    result : Posterior
        Of the same problem.
    observations : sequence of Observation

    Returns
    -------
    tuple of Foretold
        One for each observation, in their order.
    """
    if len(observations) < LEAST_DRIVES:
        return ()
    e = result.evidence
    # Segments of a logged leg count together, by the energy that they took.
    gather = problem.owns.T * np.exp(problem.rows.measured)
    gather /= gather.sum(axis=1, keepdims=True)
    base, block = gather @ e.base @ gather.T, gather @ e.block @ gather.T
    inverse = np.linalg.inv(base + SCATTER_SIZES[:, None, None] ** 2 * block)
    k = np.diagonal(inverse, axis1=1, axis2=2)  # (sizes, drives)
    off = (inverse @ (gather @ result.innovation)) / k
    log_density = 0.5 * np.log(k) - 0.5 * off**2 * k
    log_weights = np.log(np.maximum(result.weights, 1e-300))[:, None] - log_density
    weights = np.exp(log_weights - log_weights.max(axis=0))
    weights /= weights.sum(axis=0)
    return tuple(
        _foretold(o.legs, weights[:, j], off[:, j], 1.0 / np.sqrt(k[:, j])) for j, o in enumerate(observations)
    )


def _foretold(legs: tuple[str, ...], weights: Array, off: Array, sds: Array) -> Foretold:
    above = sum(
        w * 0.5 * math.erfc(-x / s * ROOT_HALF)
        for w, x, s in zip(weights.tolist(), off.tolist(), sds.tolist(), strict=True)
    )
    return Foretold(legs, float(weights @ off), weights, -off, sds, 2.0 * min(above, 1.0 - above))

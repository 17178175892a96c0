"""The tester's own scatter, learned from every study driven so far.

Each study's fit leaves a likelihood over a grid of scatter sizes; their product, times the common-practice
prior, is what is known of this tester. Few studies leave it close to the prior, many make it their own.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from fairmargin.core.inference.posterior import SCATTER_SIZES, scatter_weights
from fairmargin.core.inference.priors import SCATTER_FREEDOM, SCATTER_SHARE

MOST_FREEDOM = 60.0  # however many studies: the next day may still be another


@dataclass(frozen=True, slots=True)
class ScatterPrior:
    """Run-to-run scatter of a 30 km leg, as a share, its degrees of freedom, and how many studies it rests on."""

    share: float = SCATTER_SHARE
    freedom: float = SCATTER_FREEDOM
    studies: int = 0


def learned_scatter(evidence: Sequence[Sequence[float]]) -> ScatterPrior:
    """Combine the scatter evidence of earlier studies with the common-practice prior.

    Parameters
    ----------
    evidence : sequence of sequences of float
        Log likelihood of each of `SCATTER_SIZES` times the common-practice scatter, one per study.

    Returns
    -------
    ScatterPrior
        A scaled inverse χ² with the mean of ln σ and the spread of ln σ of the product.

    Raises
    ------
    ValueError
        If a study's evidence has the wrong length.
    """
    from scipy.special import digamma  # the import costs more than the sum

    kept = [np.asarray(e, dtype=float) for e in evidence]
    if any(e.shape != SCATTER_SIZES.shape for e in kept):
        raise ValueError(f"expected {len(SCATTER_SIZES)} log likelihoods from each study")
    if not kept:
        return ScatterPrior()
    log_size = np.log(SCATTER_SIZES)
    p = scatter_weights(np.sum(kept, axis=0), SCATTER_FREEDOM)
    mean = float(p @ log_size)
    spread = float(p @ (log_size - mean) ** 2)
    # ln σ of a scaled inverse χ² has variance about 1/(2ν): fit ν, then the scale from the mean of ln σ.
    freedom = float(np.clip(0.5 / max(spread, 1e-4), SCATTER_FREEDOM, MOST_FREEDOM))
    offset = 0.5 * (np.log(freedom / 2.0) - digamma(freedom / 2.0))
    return ScatterPrior(SCATTER_SHARE * float(np.exp(mean - offset)), freedom, len(kept))

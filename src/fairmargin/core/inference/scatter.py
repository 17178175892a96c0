"""The tester's own scatter, and what his days differ by, learned from every study driven so far.

Each study's fit leaves a likelihood over a grid of scatter sizes, and over sizes of what days differ by; their product, times
the common-practice prior, is what is known of this tester. Few studies leave it close to the prior, many make it their own.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.inference.posterior import SCATTER_SIZES, scatter_weights
from fairmargin.core.inference.priors import SCATTER_FREEDOM, SCATTER_SHARE
from fairmargin.core.study.remembered import Learned

MOST_FREEDOM = 60.0  # however many studies: the next day may still be another
STUDY_FREEDOM = 4.0  # degrees that a study usually adds
SHARE_STEP = 0.04  # of the logarithm of the share
FREEDOM_STEP = 4.0
#: Sizes of what days differ by, over the usual, and their shares: mostly somewhat less, at times more than twice as much; the
#: mean square is the usual. Common practice.
DAY_SIZES = np.array([0.35, 0.7, 1.4, 2.25])
DAY_SHARES = np.array([0.2, 0.5, 0.25, 0.05])
DAYS_STEP = 0.5  # of the log likelihoods of what days differ by
#: Log likelihoods that a study leaves: of each of `SCATTER_SIZES`, then of each of `DAY_SIZES`.
EVIDENCE = len(SCATTER_SIZES) + len(DAY_SIZES)


@dataclass(frozen=True, slots=True)
class ScatterPrior:
    """Run-to-run scatter of a 30 km leg, as a share, its degrees of freedom, and how many studies it rests on."""

    share: float = SCATTER_SHARE
    freedom: float = SCATTER_FREEDOM
    studies: int = 0
    days: tuple[float, ...] = ()  # log likelihoods of each of `DAY_SIZES`, in steps; empty where no study told any
    travelled: bool = False  # with the package, not from a logbook at hand

    @property
    def figures(self) -> tuple[float, ...]:
        """Share, freedom and days as they are kept beside a result that rests on them."""
        return round(self.share, 7), round(self.freedom, 2), *self.days


def scatter_of(learned: Learned) -> ScatterPrior:
    """The scatter that travelled with a package.

    A writer that says no weight of it has each study count for what a study of eight legs usually does.
    """
    usual = min(SCATTER_FREEDOM + STUDY_FREEDOM * learned.studies, MOST_FREEDOM)
    freedom = usual if learned.freedom is None else float(learned.freedom)
    days = learned.days if len(learned.days) == len(DAY_SIZES) else ()
    share = learned.scatter_percent_30km / 100.0
    return ScatterPrior(share, freedom, learned.studies, days, travelled=True)


def as_learned(scatter: ScatterPrior) -> Learned | None:
    """What a package takes along of a tester's scatter; None where no study told any."""
    if not scatter.studies:
        return None
    return Learned(
        scatter_percent_30km=round(100.0 * scatter.share, 6),
        studies=scatter.studies,
        freedom=scatter.freedom,
        days=scatter.days,
    )


def learned_scatter(evidence: Sequence[Sequence[float]]) -> ScatterPrior:
    """Combine the scatter evidence of earlier studies with the common-practice prior.

    Parameters
    ----------
    evidence : sequence of sequences of float
        Log likelihoods of the sizes of scatter and days, over common practice, `EVIDENCE` of them for each study.

    Returns
    -------
    ScatterPrior
        A scaled inverse χ² with the mean of ln σ and the spread of ln σ of the product.

    Raises
    ------
    ValueError
        If a study's evidence has the wrong length.
    """
    kept = [np.asarray(e, dtype=float) for e in evidence]
    if any(e.shape != (EVIDENCE,) for e in kept):
        raise ValueError(f"expected {EVIDENCE} log likelihoods from each study")
    if not kept:
        return ScatterPrior()
    return learned_from_sum(np.sum(kept, axis=0), len(kept))


def learned_from_sum(summed: NDArray[np.float64], studies: int) -> ScatterPrior:
    """The same from the sum of the studies' log likelihoods.

    Share and freedom move in steps, so that the next study anywhere in the logbook does not move every other's figures.
    """
    from scipy.special import digamma  # the import costs more than the sum

    log_size = np.log(SCATTER_SIZES)
    p = scatter_weights(summed[: len(SCATTER_SIZES)], SCATTER_FREEDOM, rough_share=0.0)  # the tester's usual days
    mean = float(p @ log_size)
    spread = float(p @ (log_size - mean) ** 2)
    # ln σ of a scaled inverse χ² has variance about 1/(2ν): fit ν, then the scale from the mean of ln σ.
    freedom = float(np.clip(0.5 / max(spread, 1e-4), SCATTER_FREEDOM, MOST_FREEDOM))
    offset = 0.5 * (np.log(freedom / 2.0) - digamma(freedom / 2.0))
    share = SHARE_STEP * round((mean - offset) / SHARE_STEP)
    more = FREEDOM_STEP * round((freedom - SCATTER_FREEDOM) / FREEDOM_STEP)
    told = summed[len(SCATTER_SIZES) :]
    days = DAYS_STEP * np.round((told - told.max()) / DAYS_STEP) + 0.0
    return ScatterPrior(
        SCATTER_SHARE * math.exp(share), SCATTER_FREEDOM + more, studies, tuple(days.tolist()) if days.any() else ()
    )

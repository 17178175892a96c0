"""What like drives differ by, and the margin that their spread alone asks for.

A fit may lay the spread of its readings on causes that nobody recorded, each as far as its prior lets it. What the
recorded causes explain is taken out here; what is left between drives that should be alike is scatter, of its own size.
No margin is narrower than that spread allows: a t interval, drawn in by what is usual where there are few drives.

References
----------
.. [1] A. Gelman et al., "Bayesian Data Analysis", 3rd ed. (2013), sec. 3.2 and 5.4: normal data with unknown variance,
   and groups of them (from memory).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.conditions.day import DAY
from fairmargin.core.evidence.conditions import Conditions
from fairmargin.core.figures import Size
from fairmargin.core.inference.posterior import mixture_quantile, scatter_weights

Array = NDArray[np.float64]

#: Sizes of the scatter that are integrated over, as multiples of the prior's: a reading typed tenfold is a scatter too.
SIZES: Final = np.geomspace(0.35, 150.0, 50)

SPREAD_FREEDOM: Final = Size(3.0, "degrees of freedom", "weight of what is usual, where drives say what they differ by")
#: Share of rough days there, for each degree of freedom beyond the first: what is only a floor may doubt that a day was
#: careful, as far as drives that can be set against each other give a reason to; a single difference gives none. At most.
SPREAD_ROUGH: Final = (0.08, 0.4)
DAY_FREEDOM: Final = Size(4.0, "degrees of freedom", "weight of what days usually differ by")
FEWEST_DAYS: Final = 2  # of each side, for days to say what they differ by


@dataclass(frozen=True, eq=False, slots=True)
class Spread:
    """The error of a difference by the spread of like drives alone: a mixture of normals around nought."""

    weights: Array
    sds: Array

    def half_width(self, confidence: float) -> float:
        """Half of its interval, as a logarithm."""
        return mixture_quantile(self.weights, np.zeros(len(self.sds)), self.sds, 0.5 + confidence / 2.0)


def sizes_of(design: Array, values: Array, unit_var: Array, fixed: Array, freedom: float) -> Array:
    """Weights of the scatter's sizes, from what a design leaves over of values [1]_.

    Parameters
    ----------
    design : numpy.ndarray, shape (n, columns)
        What drives may differ by: level, change, direction, moments.
    values : numpy.ndarray, shape (n,)
    unit_var : numpy.ndarray, shape (n,)
        Variance of the scatter at its usual size.
    fixed : numpy.ndarray, shape (n,)
        Variance that is not of the scatter.
    freedom : float
        Weight of what is usual, in degrees of freedom.

    Returns
    -------
    numpy.ndarray, shape (sizes,)
    """
    if not len(values):
        return scatter_weights(np.zeros(len(SIZES)), freedom, SIZES)
    fitted, _, rank, _ = np.linalg.lstsq(design, values, rcond=None)
    squares = float(np.sum((values - design @ fitted) ** 2))
    variance = float(np.mean(unit_var)) * SIZES**2 + float(np.mean(fixed))
    log_likelihood = -0.5 * ((len(values) - rank) * np.log(variance) + squares / variance)
    each, most = SPREAD_ROUGH
    return scatter_weights(log_likelihood, freedom, SIZES, min(each * max(len(values) - int(rank) - 1, 0), most))


def by_drives(design: Array, left: Array, weights: Array, unit_var: Array, reading: Array, freedom: float) -> Spread:
    """The margin that the spread of drives asks for; parameters as for `sizes_of`, `weights` of each in the difference."""
    sizes = sizes_of(design, left, unit_var, reading, min(freedom, SPREAD_FREEDOM))
    square = weights**2
    return Spread(sizes, np.sqrt(float(square @ reading) + float(square @ unit_var) * SIZES**2))


def by_days(conditions: Sequence[Conditions], left: Array, fixed: Array) -> Spread | None:
    """The same where each of two configurations had days of its own: the days are what is replicated; else None.

    Parameters
    ----------
    conditions : sequence of Conditions, n
    left : numpy.ndarray, shape (n,)
        Logarithm of what was read, or of what is left of it.
    fixed : numpy.ndarray, shape (n,)
        Variance of each drive by itself.
    """
    days: dict[tuple[str, int], list[int]] = {}
    for i, c in enumerate(conditions):
        if not c.day_told:
            return None
        days.setdefault((c.configuration, c.day), []).append(i)
    sides = list(dict.fromkeys(configuration for configuration, _ in days))
    own = [{day for side, day in days if side == name} for name in sides]
    if len(sides) != 2 or own[0] & own[1] or min(map(len, own)) < FEWEST_DAYS:
        return None
    means = np.array([float(np.mean(left[members])) for members in days.values()])
    noise = np.array([float(np.mean(fixed[members])) / len(members) for members in days.values()])
    change = np.array([float(side == sides[1]) for side, _ in days])
    share = np.where(change > 0, 1.0 / len(own[1]), 1.0 / len(own[0]))
    design = np.stack([np.ones(len(means)), change], axis=1)
    return by_drives(design, means, share, np.full(len(means), DAY.sd**2), noise, DAY_FREEDOM)

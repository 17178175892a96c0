"""What each reading should have been about, before any comparison: by the vehicle's class, the road and the other legs.

A wrong digit is no scatter: no margin covers it. Every reading is held against what all the others and the priors predict for
its leg, with a change no larger than its kind makes (common practice). What lies far outside was most likely not read so.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.conditions.causes import Group
from fairmargin.core.evidence.reading import Observation
from fairmargin.core.figures import Size
from fairmargin.core.inference.problem import Linearised, Problem
from fairmargin.core.study import Study

LEVEL_SD: Final = Size(
    0.30, "log", "consumption of a vehicle of its class, over the model's with the class's constants"
)
#: What a change does to the whole consumption, most often, where not a state of the vehicle is the change. [log; common practice]
SUBJECT_SD: Final[Mapping[str, float]] = {"road": 0.15, "speed": 0.30, "vehicle": 0.35}
SCATTER_TIMES: Final = Size(1.5, "of the usual scatter", "that of legs whose driver's care nobody knows")
#: A reading is doubted from so many standard deviations, and from so large a share, off what the others say.
DOUBT_Z: Final = 3.5
PAIR_LEGS: Final = 4
LEAST_OFF: Final = (
    0.06  # of one pair there and back; of n legs √(n/4) times that: the more there are, the less one weighs
)


@dataclass(frozen=True, slots=True)
class Doubted:
    """A reading that cannot well be: which, over what is expected, and how far off."""

    legs: tuple[str, ...]
    over_expected: float  # ratio
    z: float


@dataclass(frozen=True, eq=False, slots=True)
class Plausible:
    """Each observation against all the others and the priors; arrays of one value an observation."""

    off: NDArray[np.float64]  # log of read over expected
    sd: NDArray[np.float64]
    alone: NDArray[np.float64]  # deviates from the priors alone

    def worst(self, observations: Sequence[Observation], may_be: Callable[[Observation], bool]) -> Doubted | None:
        """The reading that is doubted most, of those that `may_be`; None where there is none."""
        if len(observations) < 2:
            z, off = self.alone, self.off
        else:
            z, off = self.off / self.sd, self.off
        open_to = np.array([may_be(o) for o in observations])
        least = LEAST_OFF * math.sqrt(max(len(observations), PAIR_LEGS) / PAIR_LEGS)
        odd = np.flatnonzero(open_to & (np.abs(z) > DOUBT_Z) & (np.abs(off) > least))
        if not odd.size:
            return None
        # Of two that contradict each other the one less like the vehicle's class.
        near = odd[np.abs(z[odd]) > 0.8 * np.abs(z[odd]).max()]
        i = int(near[np.argmax(np.abs(self.alone[near]))])
        return Doubted(observations[i].legs, math.exp(off[i]), float(z[i]))


def effect_sd(study: Study) -> float:
    """How large an effect of the study's change is, most often. [log of the whole consumption]"""
    change = study.change
    own: float = change.about.usual_effect
    if change.subject != "configuration":  # and, beside it, a state of the vehicle where that is told
        beside = 0.0 if change.kind == "other" else own
        own = math.hypot(SUBJECT_SD[change.subject], beside)
    expected = abs(float(change.prediction_percent or 0.0)) / 100.0
    return max(own, expected)


def plausible(study: Study, problem: Problem, at: Linearised | None = None) -> Plausible:
    """Hold every observation against the others.

    The leave-one-out residual of a linear Gaussian model and its variance are α/K and 1/K, with K the diagonal of the
    inverse of the readings' prior covariance and α that inverse times what they have over the prior mean (C. E. Rasmussen,
    C. K. I. Williams, "Gaussian Processes for Machine Learning" (2006), eq. 5.12; from memory).

    Parameters
    ----------
    study : Study
    problem : Problem
    at : Linearised, optional
        The problem at the prior means, where it is at hand.

    Returns
    -------
    Plausible
    """
    at = problem.linearise(problem.prior_mean) if at is None else at
    var = problem.prior_var.copy()
    is_change = np.array([u.group is Group.CHANGE for u in problem.unknowns])
    share = np.abs(at.jacobian).max(axis=0)
    for i, u in enumerate(problem.unknowns):
        if is_change[i] and share[i] > 0:
            # The same energy through whichever parameter, shared among the mechanisms of one trial.
            var[i] = min(var[i], (effect_sd(study) / share[i]) ** 2)
        elif u.name == "level":
            var[i] = min(var[i], LEVEL_SD**2)
    noise = problem.rows.reading_var + (problem.owns**2) @ (SCATTER_TIMES**2 * problem.scatter_var)
    covariance = (at.jacobian * var) @ at.jacobian.T + np.diag(noise)
    innovation = problem.rows.measured - at.predicted
    # Segments of a logged leg count together.
    gather = problem.owns / problem.owns.sum(axis=0)
    c, y = gather.T @ covariance @ gather, gather.T @ innovation
    inverse = np.linalg.inv(c)
    k = np.diag(inverse)
    return Plausible((inverse @ y) / k, 1.0 / np.sqrt(k), y / np.sqrt(np.diag(c)))

"""What a result owes to its priors: each halved, doubled, and its mean moved by one standard deviation either way.

The posterior is taken again around the point of the fit, with one family of priors changed; nothing is refitted, which moves no
figure beyond what the model bends between the two points.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.inference.posterior import Evidence, Posterior, posterior
from fairmargin.core.inference.problem import Problem

Array = NDArray[np.float64]

#: How a prior is changed, and by what: factor on its size, and how many of its standard deviations its mean moves.
CHANGES: Final = (("halved", 0.5, 0.0), ("doubled", 2.0, 0.0), ("mean up", 1.0, 1.0), ("mean down", 1.0, -1.0))
SCATTER: Final = "run-to-run scatter"


@dataclass(frozen=True, eq=False, slots=True)
class Moved:
    """The posterior with one family of priors changed."""

    prior: str
    change: str
    result: Posterior


def family(name: str) -> str:
    """What an unknown is called without the leg, run, day or configuration that it is of.

    Examples
    --------
    >>> family("wind of day 2"), family("B: aerodynamic"), family("run R3"), family("height factor")
    ('wind of day', 'the change: aerodynamic', 'run', 'height factor')
    """
    bare = re.sub(r"^[^:]+: ", "the change: ", name)
    return re.sub(r"\s+(of )?\S*\d\S*$", "", bare) if not bare.startswith("the change") else bare


def moved(
    problem: Problem, result: Posterior, theta: Array, origins: Sequence[float], freedom: float
) -> tuple[Moved, ...]:
    """The posterior of the effects with each family of priors changed in turn.

    Parameters
    ----------
    problem : Problem
    result : Posterior
        Of the problem as it is.
    theta : numpy.ndarray, shape (u,)
        Point of the fit.
    origins : sequence of float, one per effect
        Effects at that point.
    freedom : float
        Degrees of freedom of the scatter's prior.

    Returns
    -------
    tuple of Moved
    """
    families: dict[str, list[int]] = {}
    for i, u in enumerate(problem.unknowns):
        if u.prior_sd > 0:
            families.setdefault(family(u.name), []).append(i)
    e, sd = result.evidence, np.sqrt(problem.prior_var)
    # Measured less predicted at the point of the fit, whatever the prior means.
    at_point = result.innovation - e.jacobian @ (theta - problem.prior_mean)
    out = []
    for name, members in families.items():
        for words, factor, steps in CHANGES:
            var, mean = problem.prior_var.copy(), problem.prior_mean.copy()
            var[members] *= factor**2
            mean[members] += steps * sd[members]
            out.append(Moved(name, words, _again(e, at_point, var, mean, theta, result, origins, freedom)))
    for words, factor, _ in CHANGES[:2]:
        scattered = replace(e, scatter_var=e.scatter_var * factor**2)
        again = _again(scattered, at_point, problem.prior_var, problem.prior_mean, theta, result, origins, freedom)
        out.append(Moved(SCATTER, words, again))
    return tuple(out)


def _again(
    e: Evidence, at_point: Array, var: Array, mean: Array, theta: Array, result: Posterior, origins: Sequence[float],
    freedom: float,
) -> Posterior:  # fmt: skip
    evidence = Evidence(e.jacobian, var, e.noise, e.owns, e.scatter_var)
    innovation = at_point + e.jacobian @ (theta - mean)
    values = np.asarray(origins) + result.gradients @ (mean - theta)
    return posterior(evidence, innovation, result.gradients, values.tolist(), freedom)

"""Is a fit to be believed? Asked before anything is said: did it settle, and does it explain what was read?

Each question compares what was found with what the priors allow. A fit that fails one of them is not used: the plain
paired difference is said instead (`plain`).
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Final

import numpy as np

from fairmargin.core.conditions.causes import Group
from fairmargin.core.inference.plain_difference import Plain
from fairmargin.core.inference.posterior import Posterior
from fairmargin.core.inference.problem import Problem
from fairmargin.core.inference.solver import Solution

#: How far off is too far, in standard deviations. Chosen so that none of some hundred unknowns and readings of an honest
#: day comes there by accident (one study in a thousand), as measured by `benchmarks/coverage.py`.
NUISANCE_Z: Final = 4.5
MISFIT_Z: Final = 5.0
STRAIN_Z: Final = 2.5
#: Probability that the reports of the wind were not this road's from which nothing is corrected by them; none of 420
#: simulated honest days comes there.
CONTRADICTED: Final = 0.9


@dataclass(frozen=True, slots=True)
class Criticism:
    """What speaks against a fit; all in standard deviations."""

    settled: bool
    misfit_z: float  # of all readings together, against the priors' prediction
    nuisance: str  # the unknown that was bent the most ...
    nuisance_z: float  # ... and by how much
    strain_z: Mapping[str, float]  # by trial: the effect against the plain one with the recorded conditions taken out
    reports_contradicted: float = (
        0.0  # probability that the reports of the wind were off by more than reports usually are
    )

    outside: str = ""  # what its own corrected pairs say against it; "" where they do not

    @property
    def reasons(self) -> tuple[str, ...]:
        """Why the fit is not to be believed; empty when it is."""
        found = []
        if not self.settled:
            found.append("the fit found no best values")
        if self.misfit_z > MISFIT_Z:
            found.append(f"the readings contradict each other as no day does ({self.misfit_z:.0f} standard deviations)")
        if abs(self.nuisance_z) > NUISANCE_Z:
            found.append(f"it would need a {self.nuisance} {abs(self.nuisance_z):.0f} standard deviations off")
        if self.reports_contradicted > CONTRADICTED:
            found.append("out and back, the drives speak of another wind than the reports")
        worst = max(self.strain_z.values(), key=abs, default=0.0)
        if abs(worst) > STRAIN_Z:
            found.append(f"it is {abs(worst):.0f} standard deviations from what was read and what was noted explain")
        return tuple(filter(None, (*found, self.outside)))


def criticise(
    problem: Problem,
    solution: Solution,
    result: Posterior,
    plain: Mapping[str, Plain],
    reports_contradicted: float = 0.0,
) -> Criticism:
    """Ask a fit what speaks against it.

    Parameters
    ----------
    problem : Problem
    solution : Solution
    result : Posterior
    plain : mapping of trial to Plain
    reports_contradicted : float, optional
        See `report_quality.ReportQuality`.

    Returns
    -------
    Criticism

    References
    ----------
    A. Gelman et al., "Bayesian Data Analysis", 3rd ed. (2013), ch. 6: posterior predictive checks. The normal deviate of
    a χ² is E. B. Wilson, M. M. Hilferty, Proc. Natl. Acad. Sci. 17 (1931) 684 (both from memory).
    """
    off = (solution.theta - problem.prior_mean) / np.sqrt(problem.prior_var)
    off[[u.group is Group.CHANGE for u in problem.unknowns]] = 0.0
    worst = int(np.argmax(np.abs(off)))
    n = len(result.innovation)
    squares = float(result.innovation @ result.inverse @ result.innovation)
    spread = 2.0 / (9.0 * n)
    strain = {}
    for i, trial in enumerate(problem.configurations[1:]):
        p = plain[trial]
        if p.own_variance > 0 and p.told:
            difference = float(result.weights @ result.means[:, i]) - p.corrected
            strain[trial] = difference / math.sqrt(p.own_variance)
    return Criticism(
        settled=solution.settled,
        misfit_z=((squares / n) ** (1.0 / 3.0) - (1.0 - spread)) / math.sqrt(spread),
        nuisance=problem.unknowns[worst].name,
        nuisance_z=float(off[worst]),
        strain_z=strain,
        reports_contradicted=reports_contradicted,
    )

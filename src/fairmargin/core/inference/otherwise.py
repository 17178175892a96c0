"""What a fit would say had its drives gone otherwise: without some of them, or held up by nothing; read from the fit itself.

Near a solution the problem is linear: leaving drives out takes their rows from it, and a leg that is laid on the road otherwise
moves its own innovation. Where that would move what the others let expect by more than a linear problem can tell, nothing is
said, and whoever asks fits everything afresh.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence, Set
from dataclasses import dataclass, replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.evidence.conditions import Conditions
from fairmargin.core.evidence.logs import Logs
from fairmargin.core.evidence.reading import Observation
from fairmargin.core.inference.options import FitOptions
from fairmargin.core.inference.posterior import Effect, Evidence, Posterior, posterior
from fairmargin.core.inference.problem import Problem
from fairmargin.core.inference.rows import lay_rows
from fairmargin.core.inference.solver import Solution
from fairmargin.core.model.paths import join
from fairmargin.core.study import Study

Array = NDArray[np.float64]

#: Moves up to which a problem counts as linear, as logarithms: of an expected reading, its square is 0.04 %; of an effect.
LINEAR: Final = 0.02
LINEAR_EFFECT: Final = 0.05
#: And by how much an effect may bend on such a move, along what the readings hardly tell apart.
STRAIGHT: Final = 3e-4


@dataclass(frozen=True, eq=False, slots=True)
class Otherwise:
    """A fit that can be asked what it would say had its drives gone otherwise.

    Attributes
    ----------
    study : Study
    conditions : sequence of Conditions
    observations : sequence of Observation
    logs : Logs
    options : FitOptions
    problem : Problem
    solution : Solution
    result : Posterior
        Its first effects are those of the trials.
    log_levels : numpy.ndarray, shape (configurations,)
    """

    study: Study
    conditions: Sequence[Conditions]
    observations: Sequence[Observation]
    logs: Logs
    options: FitOptions
    problem: Problem
    solution: Solution
    result: Posterior
    log_levels: Array

    def without(self, legs: Set[str]) -> Mapping[str, Effect] | None:
        """Every trial's effect without the drives of some legs; None where only another fit can tell.

        Parameters
        ----------
        legs : set of str
            Left out, with the whole run where a run counts as one.
        """
        stays = np.array([not legs & set(o.legs) for o in self.observations])
        rows = self.problem.owns[:, stays].any(axis=1)
        if not rows.any():
            return None
        whole = self.result.evidence
        part = Evidence(
            whole.jacobian[rows], whole.prior_var, whole.noise[rows], whole.owns[np.ix_(rows, stays)],
            whole.scatter_var[stays],
        )  # fmt: skip
        return self._read(part, self.result.innovation[rows])

    def held_up_by_nothing(self, free: Sequence[Conditions]) -> Mapping[str, Effect] | None:
        """Every trial's effect with some legs as free as is said, and none with any event; None where only another fit can tell.

        Parameters
        ----------
        free : sequence of Conditions
            Of legs that went otherwise than they did.
        """
        problem, theta = self.problem, self.solution.theta
        told, changed = {e.leg for e in self.study.events}, {c.leg: c for c in free}
        now = [changed.get(c.leg, c) for c in self.conditions]
        moved = told | set(changed)
        concerned = [j for j, o in enumerate(self.observations) if moved & set(o.legs)]
        if not concerned:
            return None
        entries = np.flatnonzero(np.isin(problem.rows.owner, concerned))
        own = np.flatnonzero(np.isin(problem.rows.entry, entries))
        rows = lay_rows(self.study, problem.road, now, [self.observations[j] for j in concerned], self.logs, False)
        if len(rows.measured) != len(entries) or not np.array_equal(rows.leg, problem.rows.leg[own]):
            return None  # cut otherwise
        legs = problem.model.legs.of_rows(own)
        model = replace(
            problem.model,
            paths=join(rows.stretches, list(rows.stops)),
            legs=replace(legs, cold_share=rows.cold_share, stopped_s=rows.stopped_s),
            configuration_mass_kg=problem.model.configuration_mass_kg[own],
        )
        wh = model.energies(problem.local_of(problem.weights[own], theta), derivatives=False).wh
        whole = np.add.reduceat(wh, rows.first)
        if float(whole.min()) <= 0.0:
            return None
        innovation = self.result.innovation.copy()
        innovation[entries] += self.solution.at.predicted[entries] - np.log(whole)
        return self._read(self.result.evidence, innovation)

    def _read(self, part: Evidence, innovation: Array) -> Mapping[str, Effect] | None:
        """Every trial's effect by other evidence of the same unknowns; None where that moves more than a linear problem can tell."""
        problem = self.problem
        trials = problem.configurations[1:]
        gradients = self.result.gradients[: len(trials)]
        origins = self.log_levels[1:] - self.log_levels[0] + gradients @ (problem.prior_mean - self.solution.theta)
        left = posterior(part, innovation, gradients, origins.tolist(), self.options.scatter_freedom)
        theta = problem.prior_mean + part.prior_var * (part.jacobian.T @ (left.inverse @ left.innovation))
        move = theta - self.solution.theta
        if float(np.abs(part.jacobian @ move).max()) > LINEAR:
            return None
        shift = left.gradients @ move
        if float(np.abs(shift).max(initial=0.0)) > LINEAR_EFFECT:
            return None
        there = problem.log_levels_at(theta)
        bent = there[1:] - there[0] - (self.log_levels[1:] - self.log_levels[0]) - shift
        if float(np.abs(bent).max(initial=0.0)) > STRAIGHT:
            return None
        return {
            name: Effect(name, float(left.weights @ left.means[:, i]), left.weights, left.means[:, i], left.sds[:, i])
            for i, name in enumerate(trials)
        }

"""The solver makes the unknowns more probable at every step, settles, and finds what another optimiser finds."""

import numpy as np
import pytest
from scipy.optimize import minimize
from tests.conftest import driven_study

from fairmargin.core.evidence.gathered import gather
from fairmargin.core.inference import solver
from fairmargin.core.inference.options import FitOptions
from fairmargin.core.inference.problem import prepare
from fairmargin.core.inference.solver import _Noise, negative_log_posterior, solve


@pytest.fixture
def problem():
    """A windy there-and-back day with a large change."""
    values = [165, 140, 240, 190, 236, 196, 166, 142]
    study = driven_study("ABBA", values=values, kind="towing")
    study = study.with_legs(leg.with_(wind_speed_ms=7.0, wind_from_deg=20 * i) for i, leg in enumerate(study.legs))
    found = gather(study, {})
    return prepare(study, list(found.conditions.values()), found.observations, found.logs[""], FitOptions())


def phi(problem, theta):
    noise = _Noise.of(problem, 0.02).inverse
    return negative_log_posterior(problem, noise, theta, problem.linearise(theta).predicted)


def test_every_step_is_more_probable_than_the_last(problem, monkeypatch):
    seen = []
    kept = solver.negative_log_posterior

    def watched(p, noise, theta, predicted):
        seen.append(kept(p, noise, theta, predicted))
        return seen[-1]

    monkeypatch.setattr(solver, "negative_log_posterior", watched)
    found = solve(problem)
    assert found.settled and 1 < found.steps < 20
    assert phi(problem, found.theta) <= min(seen[0], phi(problem, problem.prior_mean))


def test_it_finds_what_a_general_optimiser_finds(problem):
    """scipy's BFGS (Nocedal and Wright, ch. 6) on the same negative log posterior, unknowns in units of their priors."""
    scale = np.sqrt(problem.prior_var)
    noise = _Noise.of(problem, 0.02).inverse

    def value(z):
        theta = problem.prior_mean + scale * z
        at = problem.linearise(theta)
        left = problem.rows.measured - at.predicted
        gradient = -(at.jacobian.T @ (noise @ left)) + z / scale
        return negative_log_posterior(problem, noise, theta, at.predicted), gradient * scale

    found = solve(problem)
    other = minimize(value, np.zeros(scale.size), jac=True, method="BFGS", options={"gtol": 1e-7})
    assert phi(problem, found.theta) == pytest.approx(other.fun, abs=1e-3)
    ours = problem.linearise(found.theta).predicted
    theirs = problem.linearise(problem.prior_mean + scale * other.x).predicted
    assert ours == pytest.approx(theirs, abs=3e-4)


def test_it_ends_at_the_same_place_from_elsewhere(problem):
    rng = np.random.default_rng(1)
    start = problem.prior_mean + np.sqrt(problem.prior_var) * rng.normal(0, 1.5, problem.prior_var.size)
    a, b = solve(problem), solve(problem, start)
    assert b.settled
    assert b.at.predicted == pytest.approx(a.at.predicted, abs=5e-4)


def test_steps_that_run_out_are_told(problem, monkeypatch):
    monkeypatch.setattr(solver, "MOST_STEPS", 1)
    assert not solve(problem).settled

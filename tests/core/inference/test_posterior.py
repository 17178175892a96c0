"""The posterior against brute force and closed forms."""

import numpy as np
import pytest
from scipy import stats

from fairmargin.core.analysis import analyse
from fairmargin.core.inference.posterior import (
    SCATTER_SIZES,
    Evidence,
    Weighed,
    log_evidence,
    mixture_quantile,
    posterior,
)


def only(study, **kwargs):
    return analyse(study, **kwargs).comparisons[0]


def test_mixture_quantile_of_one_normal():
    one = np.array([1.0])
    assert mixture_quantile(one, np.array([2.0]), np.array([3.0]), 0.975) == pytest.approx(2 + 3 * 1.959964, abs=1e-5)


def linear(scatter=1.0, freedom=8.0, seed=3):
    """Six readings of three drives (two segments each), four unknowns; the effect is the last one."""
    rng = np.random.default_rng(seed)
    jacobian = rng.normal(size=(6, 4))
    owns = np.repeat(np.eye(3), 2, axis=0)
    evidence = Evidence(
        jacobian, np.array([0.04, 0.01, 0.02, 0.25]), np.full(6, 1e-4), owns, np.array([1.0, 1.5, 0.7]) * 1e-3 * scatter
    )
    innovation = rng.normal(0, 0.2, 6)
    gradient = np.array([[0.0, 0.0, 0.0, 1.0]])
    return evidence, innovation, gradient, posterior(evidence, innovation, gradient, [0.0], freedom)


def at(evidence, innovation, size):
    """Mean and variance of the last unknown by the information form, at one size of the scatter."""
    noise = np.diag(evidence.noise) + (evidence.owns * evidence.scatter_var * size**2) @ evidence.owns.T
    precision = np.diag(1 / evidence.prior_var) + evidence.jacobian.T @ np.linalg.solve(noise, evidence.jacobian)
    cov = np.linalg.inv(precision)
    mean = cov @ evidence.jacobian.T @ np.linalg.solve(noise, innovation)
    whole = noise + (evidence.jacobian * evidence.prior_var) @ evidence.jacobian.T
    log_likelihood = -0.5 * innovation @ np.linalg.solve(whole, innovation) - 0.5 * np.linalg.slogdet(whole)[1]
    return mean[3], cov[3, 3], log_likelihood


def test_every_size_of_the_scatter_is_a_linear_gaussian_posterior():
    # Brute force: the information form (precisions added) against the covariance form of the code.
    evidence, innovation, _, found = linear()
    for k, size in enumerate(SCATTER_SIZES):
        mean, variance, _ = at(evidence, innovation, size)
        assert found.means[k, 0] == pytest.approx(mean, rel=1e-8)
        assert found.sds[k, 0] ** 2 == pytest.approx(variance, rel=1e-8)


def test_sizes_are_weighed_by_likelihood_and_prior():
    # In ln σ a scaled inverse χ² of ν degrees of freedom around one, (ν/2)^(ν/2) / Γ(ν/2) · σ^−ν exp(−ν / 2σ²); with it,
    # four days in a hundred, any size from 1.5 to 40 times, flat in ln σ. scipy.stats has the density of σ² itself: times 2 σ².
    def density(size, freedom):
        return 2 * size**2 * stats.invgamma.pdf(size**2, freedom / 2, scale=freedom / 2)

    evidence, innovation, _, found = linear(freedom=8.0)
    prior = 0.96 * density(SCATTER_SIZES, 8.0) + 0.04 * (SCATTER_SIZES > 1.5) / np.log(40.0 / 1.5)
    log_p = np.array([at(evidence, innovation, s)[2] for s in SCATTER_SIZES]) + np.log(prior)
    weights = np.exp(log_p - log_p.max())
    assert found.weights == pytest.approx(weights / weights.sum(), rel=1e-8)


def test_what_varies_along_a_column_needs_no_new_factorisation():
    # Against the covariances themselves, each written out and factored: after one column was let vary more, cases of another.
    evidence, innovation, _, _ = linear()
    columns = np.concatenate([evidence.jacobian[:, 1:3], innovation[:, None]], axis=1)
    found = Weighed.of(evidence.base, evidence.owns, evidence.scatter_var, columns)
    found.vary(0, -0.004)
    base = evidence.base - 0.004 * np.outer(columns[:, 0], columns[:, 0])
    more, measured = np.array([-0.015, 0.0, 0.3]), np.array([[0.1, -0.2, 1.0], [0.0, 0.0, 1.0], [0.05, 0.1, 1.0]])
    every = np.array([base + m * np.outer(columns[:, 1], columns[:, 1]) for m in more])
    known = log_evidence(every, evidence.owns, evidence.scatter_var, measured @ columns.T, 8.0)
    assert found.log_evidence(1, more, measured, 8.0) == pytest.approx(known, rel=1e-9)
    assert np.ptp(known) > 0.5  # and the cases do differ


def test_readings_that_disagree_make_the_scatter_large():
    evidence, innovation, gradient, found = linear()
    calm = posterior(evidence, innovation * 0.05, gradient, [0.0], 8.0)
    assert calm.scatter_multiple < 1.0 < 1.05 < found.scatter_multiple


def test_parts_of_a_margin_add_up_to_it():
    # g S g − g S Jᵀ C⁻¹ J S g is the sum of what unknowns leave open, what scatters, and what each reading errs.
    evidence, _, _, found = linear()
    noise = float((found.estimators[:, 0] ** 2) @ evidence.noise)
    parts = found.variance_by_parameter[0].sum() + found.scatter_part(0) + noise
    crosses = evidence.crosses(found.gradients)[:, 0]
    whole = 0.25 - crosses @ found.inverse @ crosses
    assert parts == pytest.approx(whole, rel=1e-8)


def test_leaving_a_drive_out_moves_the_effect_as_its_influence_says():
    # Closed form against really leaving it out, at the same size of the scatter.
    evidence, innovation, _, found = linear()
    size = found.scatter_multiple
    whole = at(evidence, innovation, size)[0]
    for j, shift in enumerate(found.influence(0)):
        kept = evidence.owns[:, j] == 0
        less = Evidence(
            evidence.jacobian[kept], evidence.prior_var, evidence.noise[kept], evidence.owns[kept], evidence.scatter_var
        )  # fmt: skip
        assert shift == pytest.approx(at(less, innovation[kept], size)[0] - whole, rel=1e-6)

"""The tester's own scatter, learned across studies."""

import numpy as np
import pytest
from tests.conftest import driven_study

from fairmargin.core.analysis import analyse
from fairmargin.core.inference.priors import SCATTER_FREEDOM, SCATTER_SHARE
from fairmargin.core.inference.scatter import EVIDENCE, learned_scatter


def evidence(sigma, seed, order="ABBAABBA"):
    """What one calm study tells whose legs scatter by `sigma` (share)."""
    rng = np.random.default_rng(seed)
    study = driven_study(order)
    values = [170.0 * (0.95 if leg.configuration == "B" else 1.0) * (1 + sigma * rng.normal()) for leg in study.legs]
    return analyse(driven_study(order, values=values)).scatter_evidence


def test_nothing_driven_is_common_practice():
    prior = learned_scatter([])
    assert (prior.share, prior.freedom, prior.studies) == (SCATTER_SHARE, SCATTER_FREEDOM, 0)


def test_flat_evidence_changes_nothing():
    prior = learned_scatter([np.zeros(EVIDENCE)])
    assert prior.share == pytest.approx(SCATTER_SHARE, rel=0.05)
    assert prior.freedom == pytest.approx(SCATTER_FREEDOM, rel=0.25) and prior.days == ()


@pytest.mark.parametrize("sigma", [0.006, 0.022])
def test_many_studies_make_it_their_own_and_few_stay_close(sigma):
    many = [evidence(sigma, seed) for seed in range(10)]
    at_30_km = sigma / np.sqrt(30 / 18.4)  # scatter falls with the root of the distance
    one, ten = learned_scatter(many[:1]), learned_scatter(many)
    assert abs(np.log(ten.share / at_30_km)) < 0.2
    assert ten.freedom > 2 * SCATTER_FREEDOM
    assert abs(np.log(one.share / SCATTER_SHARE)) < abs(np.log(ten.share / SCATTER_SHARE)) + 0.1


def test_a_steady_tester_earns_a_narrower_margin():
    steady = learned_scatter([evidence(0.003, seed) for seed in range(8)])
    study = driven_study("AB")
    with_own = analyse(study, scatter=steady).comparisons[0]
    common = analyse(study).comparisons[0]
    assert with_own.half_width_percent < 0.85 * common.half_width_percent
    assert with_own.effect_percent == pytest.approx(common.effect_percent, abs=0.3)


def test_evidence_does_not_depend_on_the_prior_it_was_gathered_under():
    study = driven_study("ABBA", values=[170, 171, 163, 160, 162, 161, 169, 172])
    steady = learned_scatter([evidence(0.004, seed) for seed in range(6)])
    plain, own = analyse(study), analyse(study, scatter=steady)
    # Beyond the sizes that both grids hold, the smaller grid's ends are repeated.
    inner = slice(4, 12)
    assert np.array(own.scatter_evidence)[inner] == pytest.approx(np.array(plain.scatter_evidence)[inner], abs=0.6)


def test_evidence_of_another_length_is_refused():
    with pytest.raises(ValueError, match="33 log likelihoods"):
        learned_scatter([[0.0, 1.0]])

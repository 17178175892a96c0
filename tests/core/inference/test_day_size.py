"""What days differ by: of an uncertain size that replicated days, and other studies, tell of."""

from dataclasses import replace
from datetime import timedelta

import numpy as np
import pytest
from tests.conftest import driven_study
from tests.prepared import prepared

from fairmargin.core.analysis import analyse
from fairmargin.core.conditions.causes import Group
from fairmargin.core.inference.day_size import as_days_differ, day_evidence, size_of
from fairmargin.core.inference.scatter import DAY_SHARES, DAY_SIZES, SCATTER_SIZES, ScatterPrior, learned_scatter


def on_days(spread, order="ABABAB", seed=3):
    """A pair a day, out and back; each day does its own to all its legs, each leg scatters by 0.4 %."""
    rng = np.random.default_rng(seed)
    days = spread * rng.normal(size=len(order))
    values = [170.0 * np.exp(d + 0.004 * rng.normal()) for d in days for _ in (0, 1)]
    study = driven_study(order, [round(v, 2) for v in values])
    return study.with_legs(
        leg.with_(started_at=leg.started_at + timedelta(days=i // 2), average_step=0.01, driven_before_s=3600)
        for i, leg in enumerate(study.legs)
    )


def evidence_of(study):
    problem = prepared(study)
    return day_evidence(problem, problem.linearise(problem.prior_mean), 0.02, 6.0)


def test_one_day_says_nothing_and_a_day_for_each_configuration_next_to_nothing():
    assert evidence_of(driven_study("ABBA")).tolist() == [0.0] * 4
    two = evidence_of(on_days(0.0, order="AB"))
    assert np.ptp(two) < 0.5
    assert DAY_SHARES.sum() == pytest.approx(1.0) and pytest.approx(1.0, abs=0.02) == DAY_SHARES @ DAY_SIZES**2


def test_days_that_agree_are_alike_and_days_that_do_not_are_not():
    alike, apart = size_of(evidence_of(on_days(0.001))), size_of(evidence_of(on_days(0.03)))
    assert alike < 0.8 and apart > 1.5
    narrow, wide = (analyse(on_days(s)).comparisons[0].half_width_percent for s in (0.001, 0.03))
    # Common practice: days differ by 1.2 %; three of each with 3 % are a t interval of some ±6 %.
    assert narrow < 2.6 and wide > 2.2 * narrow


def test_only_days_grow():
    problem = prepared(on_days(0.0))
    larger = as_days_differ(problem, 2.0)
    days = np.array([u.group == Group.DAY for u in problem.unknowns])
    assert days.sum() == 6
    assert larger.prior_var[days] == pytest.approx(4 * problem.prior_var[days])
    assert (larger.prior_var[~days] == problem.prior_var[~days]).all()


def test_what_a_testers_days_differ_by_is_learned_over_studies():
    told = [analyse(on_days(0.001, seed=s)).scatter_evidence for s in range(4)]
    prior = learned_scatter(told)
    assert len(prior.days) == len(DAY_SIZES) and max(prior.days) == 0.0 and prior.days[0] > prior.days[-1]
    assert all(float(v * 2).is_integer() for v in prior.days) and prior.figures[2:] == prior.days
    apart = on_days(0.0, order="AB", seed=9)  # a day for each configuration: the day is what decides
    usual, own = (
        analyse(apart, scatter=p).comparisons[0] for p in (ScatterPrior(), replace(ScatterPrior(), days=prior.days))
    )
    parts = [next(x.half_width_percent for x in c.margin if x.source == "day") for c in (usual, own)]
    # By hand: 1.2 % for each of two days, ±1.96 · √2 · 1.2 %.
    assert parts[0] == pytest.approx(3.33, abs=0.15) and parts[1] < 0.75 * parts[0]
    rough = learned_scatter([analyse(on_days(0.03, seed=s)).scatter_evidence for s in range(4)])
    assert size_of(np.array(rough.days)) > 1.5


def test_one_days_study_tells_a_logbook_nothing_of_days():
    told = analyse(driven_study("ABBA")).scatter_evidence
    assert told[len(SCATTER_SIZES) :] == (0.0,) * 4 and learned_scatter([told]).days == ()

"""What the readings say of sizes before a fit is solved, and that a fit which prices something begins with the same."""

from datetime import timedelta

import numpy as np
import pytest
from tests.conftest import driven_study
from tests.core.inference.test_plain import turned
from tests.unlike import calm

from fairmargin.core.conditions.causes import Group
from fairmargin.core.evidence.gathered import gather
from fairmargin.core.inference.beliefs import NO_DAYS, Beliefs, as_they_are, beliefs_of
from fairmargin.core.inference.fit import fit_study
from fairmargin.core.inference.options import FitOptions
from fairmargin.core.inference.problem import prepare


def begun(study, options=None):
    found = gather(study, {})
    options = options or FitOptions()
    conditions = list(found.conditions.values())
    problem = prepare(study, conditions, found.observations, found.logs[""], options)
    return problem, conditions, beliefs_of(problem, conditions, options, 0.02)[0]


def test_nothing_to_ask_is_nothing_believed():
    study = driven_study("ABBA")
    bare = study.with_legs(leg.with_(wind_speed_ms=None, wind_from_deg=None) for leg in study.legs)
    problem, conditions, found = begun(bare)
    assert found == Beliefs() and as_they_are(problem, found, conditions) is problem
    assert begun(study, FitOptions(ignore=frozenset({"wind"})))[2] == Beliefs()


def test_each_question_is_asked_where_it_has_an_answer():
    found = begun(turned(calm("ABBA")))[2]
    assert found.contradicted > 0.9 and found.reports > 2.0 and found.slower == {} and found.day_evidence == NO_DAYS
    slower = begun(driven_study("ABBA").with_leg("L03", duration_s=800))[2]
    assert set(slower.slower) == {"L03"}
    study = driven_study("ABAB")
    apart = study.with_legs(
        leg.with_(started_at=leg.started_at + timedelta(days=i // 2)) for i, leg in enumerate(study.legs)
    )
    days = begun(apart)[2]
    assert max(days.day_evidence) == 0.0 and min(days.day_evidence) < -0.1 and days.days != 1.0


def test_what_other_studies_say_of_days_counts_on_one_day_too():
    problem, conditions, found = begun(driven_study("AB"), FitOptions(days=(0.0, -2.0, -6.0, -9.0)))
    assert found.days < 0.6
    on_days = np.array([u.group == Group.DAY for u in problem.unknowns])
    after = as_they_are(problem, found, conditions)
    assert after.prior_var[on_days] == pytest.approx(found.days**2 * problem.prior_var[on_days])


def test_a_fit_that_prices_begins_with_the_same_unless_it_asks_afresh():
    study = turned(calm("ABBA"))
    found = gather(study, {})
    conditions = list(found.conditions.values())
    fit = fit_study(study, conditions, found.observations, found.logs[""], FitOptions())
    right = gather(calm("ABBA"), {})
    same = fit_study(
        study, list(right.conditions.values()), right.observations, right.logs[""], FitOptions(), start=fit
    )
    assert same.beliefs is fit.beliefs
    afresh = FitOptions(afresh=True)
    asked = fit_study(study, list(right.conditions.values()), right.observations, right.logs[""], afresh, start=fit)
    assert asked.beliefs.contradicted < 0.3 < fit.beliefs.contradicted

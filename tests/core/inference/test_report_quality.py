"""How far the reports of the wind are believed: by hand where one size explains the readings, and over whole studies."""

import numpy as np
import pytest
from tests.core.inference.test_plain import turned
from tests.prepared import prepared
from tests.unlike import calm

from fairmargin.core.analysis import analyse
from fairmargin.core.conditions.design import WIND_AXES
from fairmargin.core.inference.report_quality import SHARES, SIZES, ReportQuality, as_believed, report_quality


def quality_of(study):
    problem = prepared(study)
    return report_quality(problem, problem.linearise(problem.prior_mean), 0.02, 6.0)


def test_the_size_and_the_doubt_follow_from_the_weights():
    # By hand: √(0.5 · 1 + 0.25 · 4 + 0.25 · 16) = 2.345; half of it was more than usual.
    found = ReportQuality(np.array([0.5, 0.25, 0.25]))
    assert found.multiple == pytest.approx(5.5**0.5) and found.contradicted == pytest.approx(0.5)
    assert SHARES.sum() == pytest.approx(1.0) and SIZES[0] == 1.0


def test_reports_that_the_drives_bear_out_are_believed():
    study = calm("ABBA")
    assert quality_of(study).contradicted < 0.2
    assert quality_of(turned(study)).contradicted > 0.95


def test_one_leg_says_nothing_of_the_reports():
    """Nothing to set against each other leaves what is usual."""
    study = calm("A", method="one-way")
    assert quality_of(study).weights == pytest.approx(SHARES, abs=0.1)


def test_only_the_winds_errors_grow_and_none_shrinks():
    problem = prepared(calm("ABBA"))
    doubted = as_believed(problem, ReportQuality(np.array([0.0, 0.0, 1.0])).multiple)
    wind = np.isin(problem.parameters, WIND_AXES)
    assert doubted.prior_var[wind] == pytest.approx(16 * problem.prior_var[wind])
    assert (doubted.prior_var[~wind] == problem.prior_var[~wind]).all()
    assert as_believed(problem, ReportQuality(np.array([1.0, 0.0, 0.0])).multiple) is problem


def test_the_other_side_is_named_and_a_right_report_is_not():
    study = turned(calm("ABBA"))
    told = {c.code: c for c in analyse(study).concerns}
    assert "where the wind blows to" in told["wind-contradicted"].next_step
    other_way = study.with_legs(leg.with_(wind_from_deg=(leg.wind_from_deg + 180) % 360) for leg in study.legs)
    assert "wind-contradicted" not in {c.code for c in analyse(other_way).concerns}

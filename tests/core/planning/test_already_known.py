"""What was read already, as a plan takes it."""

import pytest
from tests.conftest import driven_study

from fairmargin.core.planning.already_known import known_factors, known_wh_per_km, read_by, reading_step_wh_per_km

VALUES = [170, 172, 162, 164, 162, 164, 170, 172]  # Wh/km


def test_every_study_is_answered_by_its_own_readings():
    # By hand: the mean of the baseline's 170 and 172 Wh/km is 171, of the trial's 162 and 164 it is 163.
    study = driven_study("ABBA", VALUES)
    other = study.with_leg("L01", average_shown=190.0)
    for _ in range(2):  # in turn: what was found of the one is not said of the other
        assert known_wh_per_km(study) == pytest.approx(171.0, abs=0.1)
        assert known_wh_per_km(other) == pytest.approx(171.0 + 20.0 / 4, abs=0.1)
        assert known_factors(study)["B"] == pytest.approx(163.0 / 171.0, abs=1e-3)
        assert known_factors(other)["B"] == pytest.approx(163.0 / 176.0, abs=1e-3)
    assert known_wh_per_km(study.with_leg("L01", included=False, reason="wrong turn")) > known_wh_per_km(study)


def test_the_step_is_that_of_the_readings():
    study = driven_study("ABBA", VALUES)
    assert read_by(study) == "trip average"
    assert reading_step_wh_per_km(study) == pytest.approx(0.1, abs=0.005)  # [Wh/km]

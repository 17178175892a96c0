"""What kind of driving a leg was, and what its repeats scatter by."""

import numpy as np
import pytest
from tests.conftest import driven_study

from fairmargin.core.evidence.conditions import leg_conditions
from fairmargin.core.evidence.driving import SCATTER_OF, kind_of_driving
from fairmargin.core.evidence.gathered import gather
from fairmargin.core.inference.problem import scatter_units
from fairmargin.core.study import Event


def kinds(study):
    return [kind_of_driving(study, c) for c in leg_conditions(study, {}).values()]


def test_the_roughest_that_is_known_of_a_leg_counts():
    study = driven_study("AB")
    assert kinds(study) == ["careful"] * 4
    held = study.with_legs(leg.with_(speed_held="cruise") for leg in study.legs)
    assert kinds(held) == ["cruise control"] * 4
    assert kinds(study.with_legs(leg.with_(speed_held="foot") for leg in study.legs)) == ["careful"] * 4
    busy = held.with_(events=(Event(leg="L02", kind="slow-traffic"),))
    assert kinds(busy) == ["cruise control", "in traffic", "cruise control", "cruise control"]
    assert kinds(driven_study("AB", kind="towing")) == ["careful", "careful", "towing", "towing"]
    assert kinds(driven_study("AB", method="laps")) == ["town", "town"]
    slow = study.with_legs(leg.with_(duration_s=1800) for leg in study.legs)  # 18.4 km in half an hour
    assert kinds(slow) == ["town"] * 4


def test_the_scatter_of_a_drive_goes_with_its_kind_and_length():
    # By hand: 18.4 km scatter by √(30/18.4) of what 30 km do; a cruise control takes 15 % off, a town adds a quarter.
    study = driven_study("AB")
    found = gather(study, {})
    conditions = list(found.conditions.values())
    plain = scatter_units(study, conditions, found.observations)
    assert plain == pytest.approx([(30 / 18.4) ** 0.5] * 4, rel=0.01)
    held = study.with_legs(leg.with_(speed_held="cruise") for leg in study.legs)
    assert scatter_units(held, conditions, found.observations) == pytest.approx(SCATTER_OF["cruise control"] * plain)
    assert np.all(np.array(list(SCATTER_OF.values())) > 0.5) and SCATTER_OF["careful"] == 1.0

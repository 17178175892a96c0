"""Where the speed is what is compared, legs are meant to differ in it: none of them was held up."""

import pytest
from benchmarks.planned_days import PlannedShape, driven

from fairmargin.core.analysis import analyse
from fairmargin.core.evidence.conditions import leg_conditions

TWO_SPEEDS = PlannedShape(aim="speed", speeds_kmh=(70.0, 110.0))


@pytest.mark.parametrize("target", [None, 70.0, 110.0])
def test_two_speeds_come_out_alike_whatever_the_study_aims_at(target):
    study = driven(1, TWO_SPEEDS).with_(target_speed_kmh=target)
    found = analyse(study).comparisons[0]
    # Drag alone makes 110 against 70 km/h more than a third dearer; as read it is +53 %.
    assert found.as_measured_percent == pytest.approx(53.5, abs=0.5)
    assert abs(found.effect_percent - found.as_measured_percent) < 3
    assert found.half_width_percent < 8
    assert not [c for c in found.concerns if c.code == "slower-leg"]


def test_speeds_timed_to_the_minute_are_not_drawn_to_each_other():
    study = driven(1, TWO_SPEEDS)
    study = study.with_legs([x.with_(duration_s=60.0 * round(x.duration_s / 60.0)) for x in study.legs])
    speeds = {name: 3.6 * c.speed_m_s for name, c in leg_conditions(study, {}).items()}
    for leg in study.legs:
        assert speeds[leg.leg] == pytest.approx(70.0 if leg.configuration == "A" else 110.0, rel=0.03)


def test_a_leg_really_held_up_is_still_seen():
    study = driven(1, TWO_SPEEDS)
    slow = study.legs[2]
    study = study.with_leg(slow.leg, duration_s=1.3 * slow.duration_s)
    codes = {c.code: c for c in analyse(study).comparisons[0].concerns}
    assert codes["slower-leg"].legs == (slow.leg,)

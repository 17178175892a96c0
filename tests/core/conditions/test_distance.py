"""Other wheels roll further or less: what tells it, what it does to distance and speed, and what stays open."""

import pytest
from tests.conftest import driven_study
from tests.core.result.test_corrections import wh_per_km

from fairmargin.core.analysis import analyse
from fairmargin.core.evidence.conditions import leg_conditions
from fairmargin.core.evidence.distances import TurnToldBy, turn_told_by

TURN = 0.02


def wheels(turn=0.0, stated=False, timed=True, kind="tyres"):
    """A null of other wheels in a car that holds its own speedometer: truly faster by the turn, and counting less."""
    study = driven_study("ABBA", kind=kind, route=())
    a, b = study.configurations
    if stated:
        study = study.with_(configurations=(a, b.with_(circumference_change_percent=100 * turn)))
    faster = wh_per_km(90 * (1 + turn)) / wh_per_km()
    for leg in study.legs:
        on = leg.configuration == "B"
        # the energy per true distance rises with the speed; the car divides it by fewer kilometres
        shown = 170.0 * (faster * (1 + turn) if on else 1.0)
        study = study.with_leg(
            leg.leg,
            average_shown=round(shown, 2),
            average_step=0.01,
            distance_km=18.4 / (1 + turn) if on else 18.4,
            driven_before_s=3600.0,
            duration_s=(736.0 / (1 + turn) if on else 736.0) if timed else None,
        )
    return study


def only(study):
    (comparison,) = analyse(study).comparisons
    return comparison


@pytest.mark.parametrize("timed", [True, False])
@pytest.mark.parametrize("turn", [-TURN, TURN])
def test_a_stated_turn_is_taken_off_distance_and_speed(turn, timed):
    c = only(wheels(turn, stated=True, timed=timed))
    assert c.as_measured_percent == pytest.approx(turn * 210, abs=0.5)  # distance once, speed a little more
    assert c.effect_percent == pytest.approx(0.0, abs=0.6)


def test_an_untimed_leg_on_larger_wheels_was_driven_faster():
    found = leg_conditions(wheels(TURN, stated=True, timed=False), {})
    assert found["L03"].speed_m_s / found["L01"].speed_m_s == pytest.approx(1 + TURN)
    timed = leg_conditions(wheels(TURN, stated=True), {})
    assert timed["L03"].speed_m_s / timed["L01"].speed_m_s == pytest.approx(1 + TURN)


@pytest.mark.parametrize("timed", [True, False])
def test_a_turn_that_nobody_told_is_in_the_margin(timed):
    c = only(wheels(0.01, timed=timed))
    assert c.effect_percent == pytest.approx(2.1, abs=0.4)
    assert c.interval_percent[0] < 0.0 < c.interval_percent[1]
    # one per cent of distance, and what one per cent of speed takes
    takes = 100 * (wh_per_km(90.9) / wh_per_km() - 1)
    assert dict(c.margin_budget)["circumference"] == pytest.approx(1.96 * (1.0 + takes), rel=0.06)


def test_a_stated_size_leaves_tread_and_pressure():
    halves = [dict(only(wheels(turn, stated=bool(turn))).margin_budget)["circumference"] for turn in (0.0, 0.01)]
    assert halves[1] == pytest.approx(halves[0] / 2, rel=0.03)


def test_gps_on_one_configuration_alone_tells_nothing():
    study = wheels()
    assert turn_told_by(study) == {"B": TurnToldBy.NOTHING}
    one = study.with_legs(x.with_(gps_distance_km=18.4) if x.configuration == "B" else x for x in study.legs)
    assert turn_told_by(one) == {"B": TurnToldBy.NOTHING}
    both = study.with_leg("L01", gps_distance_km=18.4).with_leg("L03", gps_distance_km=18.4)
    assert turn_told_by(both) == {"B": TurnToldBy.GPS}
    assert "circumference" not in dict(only(both).margin_budget)


def test_wheels_that_stay_on_roll_alike():
    assert "circumference" not in dict(only(driven_study("ABBA")).margin_budget)

"""Stops, wakes and water by hand."""

import math

import pytest

from fairmargin.core.laws import disturbance


def test_a_stop_costs_what_braking_does_not_give_back():
    # By hand: ½ · 1710 · 1.04 · 25² / 3600 = 154.375 Wh of motion; drawn at 88 %, 60 % given back: · (1.13636 − 0.6).
    lost = disturbance.regained_wh(1710.0, 25.0, 0.0, 0.88, 0.6)
    assert float(lost) == pytest.approx(154.375 * (1 / 0.88 - 0.6), rel=1e-5)
    assert float(lost) == pytest.approx(82.80, abs=0.01)


def test_slowing_down_costs_less_than_stopping_and_speeding_up_nothing():
    # By hand: from 25 to 20 m/s, (625 − 400)/625 = 36 % of a stop.
    stop = float(disturbance.regained_wh(1710.0, 25.0, 0.0, 0.88, 0.6))
    assert float(disturbance.regained_wh(1710.0, 25.0, 20.0, 0.88, 0.6)) == pytest.approx(0.36 * stop)
    assert float(disturbance.regained_wh(1710.0, 25.0, 30.0, 0.88, 0.6)) == 0.0


def test_without_regeneration_all_of_it_is_lost():
    assert float(disturbance.regained_wh(1710.0, 25.0, 0.0, 1.0, 0.0)) == pytest.approx(154.375)


@pytest.mark.parametrize("road, share", [("dry", 0.0), ("", 0.0), ("damp", 0.02), ("wet", 0.06), ("snow", 0.12)])
def test_water_costs(road, share):
    assert disturbance.road_share(road) == share


def test_forces_of_slope_and_acceleration():
    # By hand: 1710 kg on 2 %: 335.4 N; 0.5 m/s² with 4 % of rotating mass: 889.2 N.
    assert float(disturbance.climb_n(1710.0, 0.02)) == pytest.approx(335.39, abs=0.01)
    assert float(disturbance.climb_n(1710.0, math.sin(-0.02))) < 0
    assert float(disturbance.inertia_n(1710.0, 0.5)) == pytest.approx(889.2)

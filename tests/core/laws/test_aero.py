"""Aerodynamic force by hand, and its derivatives on oblique winds."""

import numpy as np
import pytest

from fairmargin.core.laws import aero


def test_pure_head_wind_by_hand():
    # By hand: 25 m/s with 5 m/s against: ½ · 1.2 · (25 + 5)² = 540 N per m² of drag area, no yaw, no gusts.
    term = aero.aero_term(25.0, 5.0, 0.0, 0.0, 1.2, 0.012)
    assert float(term.value) == pytest.approx(540.0, rel=1e-4)


def test_cross_wind_raises_drag_with_the_square_of_the_yaw():
    # By hand: √(25² + 3²) = 25.179 m/s at 6.843°: 6.843²/10 = 4.682 degrees' worth of growth.
    term = aero.aero_term(25.0, 0.0, 3.0, 0.0, 1.2, 0.012)
    assert float(term.value) == pytest.approx(0.6 * 25.179 * 25 * (1 + 0.012 * 4.682), rel=1e-4)
    # Twice the angle is four times the growth below 10° (SAE J1252, from memory: near a parabola).
    small, twice = (aero.aero_term(25.0, 0.0, 25 * np.tan(np.radians(x)), 0.0, 1.2, 1.0) for x in (4.0, 8.0))
    bare = [aero.aero_term(25.0, 0.0, 25 * np.tan(np.radians(x)), 0.0, 1.2, 0.0) for x in (4.0, 8.0)]
    grown = [float(a.value / b.value) - 1 for a, b in zip((small, twice), bare, strict=True)]
    assert grown[1] / grown[0] == pytest.approx(4.0, rel=1e-3)


def test_the_growth_by_yaw_bends_over_without_a_kink():
    # By hand at 11.31°: 10 + 2 · 1.31 − 1.31²/5 = 12.277 degrees' worth.
    term = aero.aero_term(25.0, 0.0, 5.0, 0.0, 1.2, 0.012)
    assert float(term.value) == pytest.approx(0.6 * 25.495 * 25 * (1 + 0.012 * 12.277), rel=1e-4)
    at = {x: float(aero.aero_term(25.0, 0.0, 25 * np.tan(np.radians(x)), 0.0, 1.2, 1.0).by_cross) for x in (9.999, 10.001)}  # fmt: skip
    assert at[9.999] == pytest.approx(at[10.001], rel=1e-3)


@pytest.mark.parametrize("head, cross", [(0.0, 3.0), (4.0, -2.0), (-6.0, 1.0), (1.0, 5.5), (1.0, 12.0)])
def test_aero_derivatives_match_finite_differences(head, cross):
    def value(h, c, s):
        return float(aero.aero_term(27.0, h, c, 0.8, 1.2, s).value)

    term = aero.aero_term(27.0, head, cross, 0.8, 1.2, 0.012)
    d = 1e-5
    assert float(term.by_head) == pytest.approx(
        (value(head + d, cross, 0.012) - value(head - d, cross, 0.012)) / 2 / d, rel=2e-3
    )
    assert float(term.by_cross) == pytest.approx(
        (value(head, cross + d, 0.012) - value(head, cross - d, 0.012)) / 2 / d, rel=2e-3, abs=0.02
    )
    assert float(term.by_yaw_slope) == pytest.approx(
        (value(head, cross, 0.0121) - value(head, cross, 0.0119)) / 2e-4, rel=1e-4
    )


def test_gusts_add_their_variance_to_the_square_of_the_air_speed():
    # By hand, without yaw: ½ · 1.2 · (25² + 2²) = 377.4 N/m², against 375 N/m² in a steady wind.
    assert float(aero.aero_term(25.0, 0.0, 0.0, 2.0, 1.2, 0.0).value) == pytest.approx(377.4, rel=1e-6)
    assert float(aero.aero_term(25.0, 0.0, 0.0, 0.0, 1.2, 0.0).value) == pytest.approx(375.0, rel=1e-6)


def test_gusts_from_the_side_have_a_yaw_of_their_own():
    # By hand: 2 m/s across at 25 m/s is 4.574° of yaw; 0.012 of 4.574²/10 is 2.51 %.
    with_yaw = float(aero.aero_term(25.0, 0.0, 0.0, 2.0, 1.2, 0.012).value)
    assert with_yaw / 377.4 - 1 == pytest.approx(0.012 * 4.574**2 / 10, rel=1e-3)
    # The mean over gusts drawn one by one (no gust along the road, so that only the yaw is asked).
    across = 2.0 * np.random.default_rng(1).normal(size=200_000)
    one_by_one = aero.aero_term(25.0, 0.0, across, 0.0, 1.2, 0.012).value / aero.aero_term(25.0, 0.0, across, 0.0, 1.2, 0.0).value  # fmt: skip
    assert float(np.mean(one_by_one)) - 1 == pytest.approx(with_yaw / 377.4 - 1, rel=0.05)


def test_yaw_stops_growing_at_fifteen_degrees():
    # By hand: 12 m/s across at 25 m/s is 25.6°, of which 15 count; √(25² + 12²) = 27.73 m/s.
    term = aero.aero_term(25.0, 0.0, 12.0, 0.0, 1.2, 0.012)
    assert float(term.value) == pytest.approx(0.6 * 27.731 * 25 * (1 + 0.012 * 15), rel=1e-4)
    assert float(term.by_yaw_slope) == pytest.approx(0.6 * 27.731 * 25 * 15, rel=1e-4)


def test_cross_wind_costs_the_same_from_either_side():
    left, right = (aero.aero_term(25.0, 1.0, c, 0.5, 1.2, 0.012) for c in (-4.0, 4.0))
    assert float(left.value) == pytest.approx(float(right.value))
    assert float(left.by_cross) == pytest.approx(-float(right.by_cross))
    assert float(right.by_cross) > 0


def test_a_tail_wind_faster_than_the_car_pushes():
    assert float(aero.aero_term(5.0, -9.0, 0.0, 0.0, 1.2, 0.0).value) == pytest.approx(-0.6 * 16, rel=1e-4)


def test_a_box_beside_the_cab():
    # Common practice: a coefficient of about 0.5 on 0.3 m² is 0.15 m² of drag area.
    assert aero.box_drag_area_m2(0.3) == pytest.approx(0.15)

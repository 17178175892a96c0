"""Rolling resistance by hand: warmth, pressure, cold tyres, with the derivatives that the fit takes."""

import math

import numpy as np
import pytest

from fairmargin.core.laws import rolling

STEP = 1e-6


def test_colder_tyres_roll_harder():
    # By hand: exp(0.006 · 10) = 1.0618 at 10 °C over 20 °C, and its inverse at 30 °C.
    assert rolling.temperature_factor([10.0, 20.0, 30.0]).value == pytest.approx([1.06184, 1.0, 0.94176], rel=1e-5)


def test_harder_tyres_roll_easier():
    # By hand: (300/260)^−0.4 = exp(−0.4 · 0.14310) = 0.94437; the other way round its inverse.
    assert rolling.pressure_factor([300 / 260, 260 / 300]).value == pytest.approx([0.94437, 1.05891], rel=1e-5)


def test_cold_tyres_by_their_share():
    assert rolling.warm_up_factor([0.0, 0.5, 1.0], 0.04).value == pytest.approx([1.0, 1.02, 1.04])


@pytest.mark.parametrize(
    "law, at, coefficient",
    [
        (rolling.temperature_factor, 5.0, rolling.TEMPERATURE_PER_K),
        (rolling.pressure_factor, 240 / 280, rolling.PRESSURE_EXPONENT),
        (rolling.warm_up_factor, 0.7, 0.05),
    ],
)
def test_derivatives_match_finite_differences(law, at, coefficient):
    up, down = (math.log(float(law(at, coefficient + s).value)) for s in (STEP, -STEP))
    assert float(law(at, coefficient).log_by_coefficient) == pytest.approx((up - down) / (2 * STEP), rel=1e-6)


def test_force_on_a_slope():
    # By hand: 1710 kg · 9.80665 · 0.0095 · cos(3°) = 159.1 N.
    assert float(rolling.force_n(1710.0, 0.0095, math.cos(math.radians(3)))) == pytest.approx(159.09, abs=0.01)


def test_tyres_warm_while_driving_and_cool_while_standing():
    # By hand: after 700 s a share of 1/e is left; after an hour's pause 1 − 1/e of what was warm is cold again.
    assert rolling.cold_share_after(1.0, 700.0) == pytest.approx(1 / math.e)
    assert rolling.cold_share_mean(1.0, 700.0) == pytest.approx(1 - 1 / math.e)
    assert rolling.cold_share_rested(0.0, 3600.0) == pytest.approx(1 - 1 / math.e)
    assert rolling.cold_share_rested(0.4, 0.0) == pytest.approx(0.4)


def test_mean_cold_share_is_that_of_its_parts():
    whole = rolling.cold_share_mean(0.8, 1000.0)
    parts = [rolling.cold_share_between(0.8, t, t + 250.0) for t in (0.0, 250.0, 500.0, 750.0)]
    assert np.mean(parts) == pytest.approx(whole)
    assert parts == sorted(parts, reverse=True)
    assert rolling.cold_share_at_start(whole, 1000.0) == pytest.approx(0.8)


def test_a_tyre_set_once_follows_the_temperature():
    # By hand: (250 + 101.3) · 278.15 / 293.15 − 101.3 = 232.0 kPa; about a tenth of a bar for ten kelvin (common practice).
    assert rolling.pressure_at_kpa(250.0, 20.0, 5.0) == pytest.approx(232.0, abs=0.1)
    assert rolling.pressure_at_kpa(250.0, 10.0, 20.0) - 250.0 == pytest.approx(12.4, abs=0.1)
    assert rolling.pressure_at_kpa(250.0, 15.0, 15.0) == pytest.approx(250.0)

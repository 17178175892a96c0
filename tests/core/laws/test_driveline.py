"""What cold costs between battery and wheel, by hand."""

import math

import pytest

from fairmargin.core.laws import driveline


def test_cold_air_costs_the_driveline():
    # By hand: 20 K below 15 °C at 0.07 % per kelvin is 1.41 %; 20 K above saves as much.
    assert driveline.temperature_factor([-5.0, 15.0, 35.0]).value == pytest.approx([1.014098, 1.0, 0.986098], rel=1e-6)


def test_its_derivative():
    up, down = (math.log(float(driveline.temperature_factor(-3.0, 0.0007 + s).value)) for s in (1e-7, -1e-7))
    assert float(driveline.temperature_factor(-3.0).log_by_coefficient) == pytest.approx((up - down) / 2e-7, rel=1e-6)


def test_a_warm_battery_uses_less():
    # Common practice: about 0.1 % per kelvin: 14 K colder costs 1.4 %.
    assert driveline.battery_share(-14.0) == pytest.approx(0.014)
    assert driveline.battery_share(5.0) == pytest.approx(-0.005)

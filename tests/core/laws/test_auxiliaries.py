"""Cabin, sun and standing by hand."""

import pytest

from fairmargin.core.laws import auxiliaries


def test_cabin_by_the_kelvin():
    # By hand: 21 °C inside, 5 °C outside: 16 K · 55 W/K = 880 W on top of 300 W; cooling counts the same.
    assert auxiliaries.climate_k(21.0, 5.0) == auxiliaries.climate_k(21.0, 37.0) == 16.0
    assert float(auxiliaries.power_w(300.0, auxiliaries.CLIMATE_W_PER_K, 16.0)) == pytest.approx(1180.0)


def test_standing_with_the_car_on():
    # By hand: 300 W for a minute are 5 Wh.
    assert auxiliaries.energy_wh(300.0, 60.0) == pytest.approx(5.0)


@pytest.mark.parametrize("hour, height", [(0, 0.0), (6, 0.0), (9, 0.70711), (12, 1.0), (18, 0.0), (22, 0.0)])
def test_the_sun_is_up_from_six_to_six(hour, height):
    assert auxiliaries.sun_height(3600.0 * hour) == pytest.approx(height, abs=1e-5)

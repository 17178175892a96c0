"""Charging times: by hand, against a numerical integral, and the limits."""

from __future__ import annotations

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.integrate import quad

from fairmargin.core.laws.charging import Taper, hours_to_level


def hours(a: float, b: float, capacity: float, taper: Taper, kw: float) -> float:
    begin, end = hours_to_level([a, b], capacity, taper, kw).tolist()
    return end - begin


def test_constant_power_and_its_fall_by_hand() -> None:
    taper = Taper(150.0, from_level=0.5, full_share=0.2)
    # 80 kWh, 10 to 50 % at 150 kW: 32 kWh in 12.8 minutes.
    assert 60 * hours(0.1, 0.5, 80, taper, 300) == pytest.approx(12.8)
    # From 50 % on the power falls by 240 kW for each of full: t = C / k ln(P1 / P2), 150 to 78 kW at 80 %.
    assert hours(0.5, 0.8, 80, taper, 300) == pytest.approx(80 / 240 * math.log(150 / 78))
    # A charger of 50 kW is slower than the battery up to 91.7 %, and the battery then slower than it.
    assert hours(0.5, 0.9, 80, taper, 50) == pytest.approx(80 * 0.4 / 50)
    assert hours(0.9, 1.0, 80, taper, 50) > 80 * 0.1 / 50


@given(st.floats(0, 1), st.floats(0, 1), st.floats(5, 200), st.floats(20, 400), st.floats(0.1, 0.95), st.floats(3, 400))
def test_times_are_the_integral_of_capacity_over_power(
    a: float, b: float, capacity: float, peak: float, from_level: float, kw: float
) -> None:
    taper = Taper(peak, from_level)
    low, high = sorted((a, b))
    expected = quad(lambda x: capacity / min(kw, float(taper.power_kw(x))), low, high, points=[from_level], limit=200)[
        0
    ]
    assert hours(low, high, capacity, taper, kw) == pytest.approx(expected, rel=1e-4, abs=1e-6)


def test_nothing_charges_without_power() -> None:
    with pytest.raises(ValueError, match="above 0"):
        hours_to_level([0.5], 50, Taper(100), 0)

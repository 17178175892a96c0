"""Tyre sizes."""

import math

import pytest

from fairmargin.core.planning.tyres import ROLLING_SHARE, circumference_change_percent, tyre_size


def test_diameter_is_that_of_the_standard():
    # ISO 4000-1 / ETRTO (from memory): 17 in · 25.4 + 2 · 225 mm · 0.55 = 679.3 mm; 195/65R15: 634.5 mm.
    assert tyre_size("225/55R17").diameter_mm == pytest.approx(679.3)
    assert tyre_size("195/65R15").diameter_mm == pytest.approx(634.5)
    assert tyre_size("195/65R15").circumference_mm == pytest.approx(math.pi * 634.5 * ROLLING_SHARE)


@pytest.mark.parametrize("text", ["225/55R17", " 225/55 R 17 97W", "225/55zr17", "225/55R17C", "225/55-17"])
def test_spellings(text):
    assert tyre_size(text) == tyre_size("225/55R17")


@pytest.mark.parametrize("text", ["", "wide ones", "225/55", "999/55R17", "225/5R17", "225/55R99"])
def test_what_is_no_tyre_is_said(text):
    with pytest.raises(ValueError, match=r"225/55R17|cannot be"):
        tyre_size(text)


def test_a_larger_wheel_makes_the_odometer_read_less():
    # Common practice: 215/60R16 (664.4 mm) against 205/55R16 (631.9 mm) is 5.1 % more.
    assert circumference_change_percent("205/55R16", "215/60R16") == pytest.approx((664.4 / 631.9 - 1) * 100)
    assert circumference_change_percent("205/55R16", "205/55R16") == 0

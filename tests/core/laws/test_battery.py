"""What a battery gives: by hand."""

import math

import pytest

from fairmargin.core.laws.battery import capacity_sd


@pytest.mark.parametrize(
    "air_c, share", [(30.0, 0.03), (15.0, 0.03), (5.0, math.hypot(0.03, 0.04)), (-10.0, math.hypot(0.03, 0.10))]
)
def test_the_colder_the_wider(air_c, share):
    # 0.4 % for each kelvin below 15 °C beside 3 %, in squares (common practice: a tenth less at -10 °C).
    assert capacity_sd(air_c) == pytest.approx(share)

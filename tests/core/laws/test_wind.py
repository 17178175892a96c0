"""Wind from the mast to the car, along and across the road, and its gusts."""

import numpy as np
import pytest

from fairmargin.core.laws import wind


def test_height_factor_is_the_logarithmic_profile():
    # By hand at 1.2 m, with the roughness of open grass and of hedged fields (Wieringa 1992, from memory): ln 40 / ln 333.3
    # = 0.635, ln 8 / ln 66.7 = 0.495; woods and houses, ln 2.4 / ln 20 = 0.292.
    assert wind.height_factor(10, "open") == pytest.approx(0.635, abs=0.001)
    assert wind.height_factor(10, "hedges") == pytest.approx(0.495, abs=0.001)
    assert wind.height_factor(10, "forest") == wind.height_factor(10, "built-up") == pytest.approx(0.292, abs=0.001)
    assert wind.height_factor(1.2, "open") == pytest.approx(1.0)
    # Common practice for open land is 0.67 ± 0.08: inside of what a road may stray by.
    assert abs(np.log(0.67 / wind.height_factor(10, "open"))) < wind.HEIGHT_FACTOR_SD
    with pytest.raises(ValueError, match="must be above"):
        wind.height_factor(0.05, "open")


@pytest.mark.parametrize(
    "from_deg, heading_deg, head, cross", [(0, 0, 5, 0), (180, 0, -5, 0), (90, 0, 0, 5), (45, 45, 5, 0), (0, 90, 0, -5)]
)
def test_wind_is_resolved_along_and_across(from_deg, heading_deg, head, cross):
    north, east = wind.from_vector(5.0, from_deg)
    along, across = wind.along_and_across(north, east, np.radians(heading_deg))
    assert (float(along), float(across)) == pytest.approx((head, cross), abs=1e-12)


def test_resolved_wind_on_an_oblique_road():
    # By hand: driving at 50°, wind of 5 m/s from 110°: 60° to the right of the nose, 2.5 against, 4.33 from the right.
    north, east = wind.from_vector(5.0, 110.0)
    head, cross = wind.resolved(north, east, np.cos(np.radians(50)), np.sin(np.radians(50)))
    assert (float(head), float(cross)) == pytest.approx((2.5, 4.3301), abs=1e-4)
    assert wind.along_and_across(north, east, np.radians(50)) == (head, cross)
    # From the other side the cross wind changes its sign, the head wind does not.
    north, east = wind.from_vector(5.0, -10.0)
    assert [float(x) for x in wind.along_and_across(north, east, np.radians(50))] == pytest.approx([2.5, -4.3301], abs=1e-4)  # fmt: skip


@pytest.mark.parametrize(
    "speed, gust, sigma",
    [(0.0, None, 0.3), (1.0, None, 0.3), (5.0, None, 0.9), (5.0, 7.0, 0.9), (5.0, 11.0, 2.0), (0.0, 9.0, 3.0)],
)
def test_gusts_have_the_spread_that_the_trade_gives_them(speed, gust, sigma):
    # Common practice: 18 % of the mean wind, at least 0.3 m/s; a reported gust lies three spreads above the mean.
    assert float(wind.turbulence_m_s(speed, gust)) == pytest.approx(sigma)


def test_turbulence_of_many_winds_at_once():
    assert wind.turbulence_m_s(np.array([0.0, 5.0, 10.0])) == pytest.approx([0.3, 0.9, 1.8])

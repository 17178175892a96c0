"""What a leg that was slower than its like counts as, before its reading is looked at."""

import pytest

from fairmargin.core.evidence.hold_ups import ALL_OF_THEM, BOTH, Explanation, explanations, moments


def of(slower, metres=25_000.0, others=(0.0, 0.0, 0.0)):
    return {e.what: e for e in explanations(slower, metres, others)}


def test_shares_are_one_and_nobody_misses_an_aim_by_much():
    for slower in (0.015, 0.03, 0.06, 0.2):
        assert sum(e.share for e in of(slower).values()) == pytest.approx(1.0)
    # By hand: six of ten at 1.5 % slower, one of ten from 6 %, in between along a line.
    assert [of(s)["slower all the way"].share for s in (0.015, 0.0375, 0.06, 0.3)] == pytest.approx(
        [0.6, 0.35, 0.1, 0.1]
    )
    assert of(0.2)["stood"].share == pytest.approx(0.75 * 0.9)
    # Where all of a configuration were slower, most likely that was the way it was driven; less so by much, and of two.
    whole = [of(s, others=(0.06,) * k)["slower all the way"].share for k in (3, 1) for s in (0.0151, 0.2)]
    assert whole == pytest.approx([0.9, 0.15, 0.75, 0.1], abs=0.002)
    assert (ALL_OF_THEM[0], ALL_OF_THEM[-1], BOTH[0], BOTH[-1]) == (0.9, 0.15, 0.75, 0.1)
    assert of(0.03, others=())["slower all the way"].share < 0.6


def test_what_each_way_counts_as():
    # One stop from 90 km/h takes 67 Wh (1.9 t, from its own ramps): 1.6 % of 25 km at 170 Wh/km, as 1.2 % of speed.
    found = of(0.08)
    assert found["stood"].off == pytest.approx(0.08 + 0.012)
    assert found["a slow stretch"].off == pytest.approx(0.04)
    assert found["slower all the way"].off == 0.0 and found["slower all the way"].sd == pytest.approx(0.008)
    assert of(0.08, metres=3_000.0)["stood"].off == pytest.approx(0.08 + 0.1)


def test_mean_and_spread_of_a_mixture():
    # By hand: 0.5 · 0.1 = 0.05; 0.5 · (0.02² + 0.05²) + 0.5 · (0 + 0.05²) = 0.0027.
    ways = (Explanation("a", 0.5, 0.1, 0.02), Explanation("b", 0.5, 0.0, 0.0))
    assert moments(ways) == pytest.approx((0.05, 0.0027**0.5))
    assert moments(ways, [1.0, 0.0]) == pytest.approx((0.1, 0.02))

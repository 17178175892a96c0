"""The verdict says no more than interval and concerns carry."""

import math

import numpy as np
import pytest

from fairmargin.core.analysis import analyse
from fairmargin.core.result import verdict


def only(study, **kwargs):
    return analyse(study, **kwargs).comparisons[0]


def test_a_wide_interval_is_never_no_difference():
    assert verdict.word(0.0, (-3, 3), 1.0, False, 0.0) == "not settled"
    assert verdict.word(0.0, (-0.5, 0.5), 1.0, True, 0.0) == "not a fair comparison"
    assert verdict.word(4.0, (2, 6), 1.0, False, 3.0) == "not settled"
    assert verdict.word(4.0, (2, 6), 1.0, False, 5.0) == "not a fair comparison"


def test_pairs_needed_is_power_arithmetic():
    # statsmodels TTestPower with a known spread is the normal formula n = ((z + z_power) σ / δ)².
    from statsmodels.stats.power import NormalIndPower

    n = NormalIndPower(ddof=0).solve_power(effect_size=2.0 / 3.0, power=0.8, alpha=0.05, ratio=0)
    assert verdict.pairs_needed(1, 2.0, 0.0, 3.0, 1.0, 1.959964) == math.ceil(n)
    assert verdict.pairs_needed(4, 2.0, 1.5, 3.0, 1.0, 1.96) is None  # what limits it does not average out


def test_what_hangs_on_the_order_is_taken_back_by_the_next_pair():
    """One pair of 3 % by order and 2 % by scatter: as scatter 41 pairs, of which order leaves after two a quarter."""
    by_scatter = verdict.pairs_needed(1, 2.0, 0.0, math.hypot(2.0, 3.0), 1.0, 1.959964)
    by_order = verdict.pairs_needed(1, 2.0, 0.0, 2.0, 1.0, 1.959964, 3.0)
    room = (2.0 / (1.959964 + 0.8416)) ** 2
    assert by_scatter == math.ceil(13.0 / room) == 26
    assert by_order == min(n for n in range(1, 99) if 4.0 / n + 9.0 / n**2 <= room) == 10
    assert verdict.pairs_needed(1, 2.0, 1.0, 0.5, 1.0, 1.96, 3.0) is None


@pytest.mark.parametrize("effect", [0.0, 0.3, 0.6])
def test_equivalence_is_settled_as_often_as_it_says(effect):
    """Simulated: estimates around the effect, each with its interval; four of five lie wholly inside of ± 1 %."""
    sd = verdict.equivalence_sd(effect, 1.0, 1.96)
    found = effect + sd * np.random.default_rng(7).normal(size=40_000)
    inside = (found - 1.96 * sd > -1.0) & (found + 1.96 * sd < 1.0)
    assert float(inside.mean()) == pytest.approx(0.8, abs=0.01)
    # By hand at no effect: 1 / (1.96 + 1.2816) of the smallest that matters; one pair of 1 % wants 11 (0.84 said 8).
    assert verdict.equivalence_sd(0.0, 1.0, 1.96) == pytest.approx(1 / 3.2416, rel=1e-4)
    assert verdict.pairs_needed(1, 0.0, 0.0, 1.0, 1.0, 1.96) == 11
    assert verdict.equivalence_sd(1.2, 1.0, 1.96) == 0.0


@pytest.mark.parametrize(
    "effect, interval, blocked, open_charge, word",
    [
        (-4.0, (-5.0, -3.0), False, 0.0, "uses less"),
        (4.0, (3.0, 5.0), False, 0.0, "uses more"),
        (0.1, (-0.6, 0.8), False, 0.0, "no difference that matters"),
        (0.5, (-0.6, 1.6), False, 0.0, "not settled"),
        (-4.0, (-5.0, -3.0), True, 0.0, "not a fair comparison"),
        (-4.0, (-5.0, -3.0), False, 4.5, "not a fair comparison"),  # more than the effect itself
        (-4.0, (-5.0, -3.0), False, 3.5, "not settled"),  # −3 + 3.5 crosses zero
        (-4.0, (-5.0, -3.0), False, 2.0, "uses less"),  # −3 + 2 does not
        (0.1, (-0.6, 0.8), False, 0.3, "not settled"),  # 0.8 + 0.3 may matter
    ],
)
def test_the_word_by_hand(effect, interval, blocked, open_charge, word):
    assert verdict.word(effect, interval, 1.0, blocked, open_charge) == word


def test_open_charges_widen_to_both_sides():
    up = verdict.word(4.0, (3.0, 5.0), 1.0, False, 3.5)
    down = verdict.word(-4.0, (-5.0, -3.0), 1.0, False, 3.5)
    assert up == down == "not settled"


def test_pairs_needed_is_none_where_scatter_is_not_what_limits():
    assert verdict.pairs_needed(2, 1.0, 2.0, 0.5, 1.0, 1.96) is None  # 2 % common to all pairs
    assert verdict.pairs_needed(0, 1.0, 0.0, 0.5, 1.0, 1.96) is None
    assert verdict.pairs_needed(2, 10.0, 0.1, 0.5, 1.0, 1.96) == 1

"""The verdict says no more than interval and concerns carry."""

import math

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

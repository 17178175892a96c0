"""Pairs and their t interval against Student and statsmodels."""

import math
from dataclasses import replace

import numpy as np
import pytest
from scipy import stats
from statsmodels.stats.weightstats import ttost_paired
from tests.conftest import driven_study
from tests.unlike import unlike

from fairmargin.core.analysis import analyse
from fairmargin.core.result import verdict
from fairmargin.core.result.pairs import Drive, make_pairs, paired_interval


def only(study, **kwargs):
    return analyse(study, **kwargs).comparisons[0]


def test_paired_interval_of_students_sleep_data():
    # Student, Biometrika 6 (1908): extra sleep with two drugs; t = 4.06 on 9 degrees of freedom.
    first = [0.7, -1.6, -0.2, -1.2, -0.1, 3.4, 3.7, 0.8, 0.0, 2.0]
    second = [1.9, 0.8, 1.1, 0.1, -0.1, 4.4, 5.5, 1.6, 4.6, 3.4]
    difference = [b - a for a, b in zip(first, second, strict=True)]
    mean, low, high = paired_interval(difference, 0.95)
    assert mean == pytest.approx(1.58)
    reference = stats.ttest_rel(second, first)
    assert reference.statistic == pytest.approx(4.06, abs=0.005)
    assert (low, high) == pytest.approx(tuple(reference.confidence_interval(0.95)))
    assert paired_interval([1.0], 0.95) is None


@pytest.mark.parametrize("shift", [0.0, 0.3, 0.9])
def test_equivalence_is_tested_as_such(shift):
    # statsmodels ttost_paired: equivalence at 2.5 % each side is the 95 % interval inside ± the bound.
    x = np.random.default_rng(4).normal(shift, 0.5, 12)
    p_value = ttost_paired(x, np.zeros(12), -1.0, 1.0)[0]
    mean, low, high = paired_interval(x.tolist(), 0.95)
    said = verdict.word(mean, (low, high), 1.0, False, 0.0) == "no difference that matters"
    assert said == (p_value < 0.025)


def drive(
    leg, configuration, order, measured, corrected=None, block="1", direction="out", included=True, reason="", day=0
):
    return Drive(leg, leg, day, block, configuration, direction, order, included, reason, measured, corrected, 0.01)


def test_drives_pair_within_their_block_first():
    # ABBA: the second trial drive belongs to the second baseline drive; differences are of the baseline's own figure.
    drives = [drive("L1", "A", 1, 200.0), drive("L2", "B", 2, 190.0), drive("L3", "B", 3, 193.0), drive("L4", "A", 4, 202.0)]  # fmt: skip
    pairs = make_pairs(drives, "A", "B", 1.96)
    assert [(p.baseline_leg, p.trial_leg) for p in pairs] == [("L1", "L2"), ("L4", "L3")]
    assert [p.measured_percent for p in pairs] == pytest.approx([-5.0, 100 * (193 / 202 - 1)])
    # By hand: two drives of 1 % each differ by √2 %, at 95 % times 1.96.
    assert pairs[0].half_width_percent == pytest.approx(1.96 * math.sqrt(2))
    assert pairs[0].corrected_percent is None


def test_directions_are_paired_apart_and_numbered_together():
    drives = [
        drive("L1", "A", 1, 200.0, 198.0),
        drive("L2", "A", 2, 180.0, 181.0, direction="back"),
        drive("L3", "B", 3, 190.0, 191.0),
        drive("L4", "B", 4, 171.0, 172.0, direction="back"),
    ]
    pairs = make_pairs(drives, "A", "B", 1.96)
    assert [(p.number, p.direction) for p in pairs] == [(1, "out"), (1, "back")]
    assert [p.corrected_percent for p in pairs] == pytest.approx([100 * (191 / 198 - 1), 100 * (172 / 181 - 1)])


def test_what_is_left_over_in_a_block_pairs_across_blocks():
    drives = [drive("L1", "A", 1, 200.0), drive("L2", "B", 2, 190.0, block="2")]
    assert len(make_pairs(drives, "A", "B", 1.96)) == 1


def test_no_pair_reaches_from_one_day_to_another_where_a_day_had_both():
    """ABBA over two days with a drive too many on each: what is over stays alone; two days of one each pair across."""
    first = [drive("L1", "A", 1, 200.0), drive("L2", "B", 2, 190.0), drive("L3", "B", 3, 191.0)]
    second = [
        drive("L4", "A", 4, 205.0, block="2", day=1), drive("L5", "A", 5, 204.0, block="2", day=1),
        drive("L6", "B", 6, 195.0, block="2", day=1),
    ]  # fmt: skip
    pairs = make_pairs([*first, *second], "A", "B", 1.96)
    assert [(p.baseline_leg, p.trial_leg) for p in pairs] == [("L1", "L2"), ("L4", "L6")]
    # One block over both days, as rows are pasted, is no reason to pair across them either.
    pasted = [replace(d, block="1") for d in (*first, *second)]
    assert [(p.baseline_leg, p.trial_leg) for p in make_pairs(pasted, "A", "B", 1.96)] == [("L1", "L2"), ("L4", "L6")]
    apart = [drive("L1", "A", 1, 200.0), drive("L2", "B", 2, 190.0, day=21)]
    assert len(make_pairs(apart, "A", "B", 1.96)) == 1


def test_a_pair_is_no_surer_than_what_all_pairs_share():
    (pair,) = make_pairs([drive("L1", "A", 1, 200.0), drive("L2", "B", 2, 190.0)], "A", "B", 1.96, shared_sd=0.03)
    assert pair.half_width_percent == pytest.approx(1.96 * math.sqrt(2 * 1.0 + 9.0))


def test_a_single_pair_has_the_effects_own_interval():
    """One round of each: the bar of its pair and the bar of the effect are the same thing, within a sixth of their width."""
    c = only(driven_study("AB", method="loop", values=[200.0, 190.0]))
    (pair,) = c.pair_list
    assert pair.half_width_percent == pytest.approx(c.half_width_percent, rel=0.17)


def test_the_whole_lies_among_its_directions():
    """Whatever the day: the effect is never less or more than both of what it is made of."""
    for name, (study, traces) in unlike().items():
        for c in analyse(study, traces).comparisons:
            if len(c.directions) == 2:
                low, high = sorted(d.effect_percent for d in c.directions)
                assert low - 1e-6 <= c.effect_percent <= high + 1e-6, name
                for d in c.directions:
                    assert d.interval_percent[0] < d.effect_percent < d.interval_percent[1]


def test_a_pair_with_a_left_out_drive_is_left_out_with_its_reason():
    drives = [drive("L1", "A", 1, 200.0), drive("L2", "B", 2, 190.0, included=False, reason="queue")]
    (pair,) = make_pairs(drives, "A", "B", 1.96)
    assert not pair.included and pair.reason == "queue"

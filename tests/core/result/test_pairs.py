"""Pairs and their t interval against Student and statsmodels."""

import math

import numpy as np
import pytest
from scipy import stats
from statsmodels.stats.weightstats import ttost_paired

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


def drive(leg, configuration, order, measured, corrected=None, block="1", direction="out", included=True, reason=""):
    return Drive(leg, leg, block, configuration, direction, order, included, reason, measured, corrected, 0.01)


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


def test_a_pair_with_a_left_out_drive_is_left_out_with_its_reason():
    drives = [drive("L1", "A", 1, 200.0), drive("L2", "B", 2, 190.0, included=False, reason="queue")]
    (pair,) = make_pairs(drives, "A", "B", 1.96)
    assert not pair.included and pair.reason == "queue"

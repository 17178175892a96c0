"""Practice: the interval score is proper, calibration says what it can, and nobody wins by saying nothing."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy.stats import binomtest, norm

from fairmargin.core.memory.practice import (
    Answer,
    Beside,
    Solution,
    answer_to,
    as_record,
    calibration,
    carried_by,
    first_answers,
    from_record,
    interval_score,
    over_time,
    unread_half,
    wilson,
)

SOLUTION = Solution(-3.0, "following", ("not settled",), ("L03",))


def said(case="case-01", low=-5.0, high=-1.0, truth=-3.0, **more) -> Answer:
    return Answer(
        case, "2026-01-01T10:00:00+00:00", "not settled", "none", low, high, truth, "none", ("not settled",), **more
    )


def test_the_interval_score_by_hand():
    """Width, and 2/α of what is missed: α is 0.2 (Gneiting and Raftery 2007, eq. 43)."""
    assert interval_score(-5, -1, -3) == 4
    assert interval_score(-5, -1, -6) == pytest.approx(4 + 10 * 1)
    assert interval_score(-5, -1, 0.5) == pytest.approx(4 + 10 * 1.5)
    assert interval_score(-5, -1, 0.5, confidence=0.5) == pytest.approx(4 + 4 * 1.5)
    with pytest.raises(ValueError, match="from low to high"):
        interval_score(1, -1, 0)
    with pytest.raises(ValueError, match="from low to high"):
        interval_score(math.nan, 1, 0)


def test_nobody_gains_by_another_interval_than_he_believes():
    """Over a normal truth the mean score is least at the 10 and 90 per cent quantiles: the rule is proper."""
    truths = norm(1.0, 2.0).ppf((np.arange(4000) + 0.5) / 4000)
    honest = norm.ppf(0.9) * 2.0

    def mean(half: float, shift: float = 0.0) -> float:
        return float(np.mean([interval_score(1.0 + shift - half, 1.0 + shift + half, t) for t in truths]))

    best = mean(honest)
    for other in (0.7 * honest, 0.9 * honest, 1.1 * honest, 1.5 * honest):
        assert mean(other) > best
    assert mean(honest, 0.5) > best


def test_calibration_says_narrow_wide_or_not_told():
    """Eleven of twenty are too narrow; twenty of twenty are wider than need be; four of five tell nothing."""

    def many(held: int, of: int, miss: float = 1.6) -> list[Answer]:
        return [said(f"c{i}", truth=-3.0 + (0.5 if i < held else 2.0 * miss)) for i in range(of)]

    found = calibration(many(9, 20))
    assert found.share == 0.45
    assert "too narrow: make them about 1.6 times as wide" in found.words
    assert found.widen == pytest.approx(1.6)
    assert "0.2 times as wide would do" in calibration(many(30, 30)).words
    assert "do not tell them from 80 %" in calibration(many(4, 5)).words
    assert "A few more cases" in calibration(many(1, 2)).words
    assert calibration([]).words == "No case answered yet."
    assert over_time(many(1, 4)) == [1.0, 0.5, pytest.approx(1 / 3), 0.25]
    assert calibration(many(9, 20)).mean_score == pytest.approx((9 * 4 + 11 * (4 + 10 * 1.2)) / 20)


@pytest.mark.parametrize(("k", "n"), [(11, 20), (0, 6), (6, 6), (3, 40)])
def test_the_interval_of_a_share_is_that_of_a_reference_library(k, n):
    low, high = binomtest(k, n).proportion_ci(method="wilson")
    assert wilson(k, n) == pytest.approx((low, high), abs=1e-9)


def test_only_the_first_answer_to_a_case_counts():
    answers = [said("a", -1, 0), said("b"), said("a", -9, 9)]
    assert [a.case for a in first_answers(answers)] == ["a", "b"]
    assert calibration(answers).holding == 1


def test_an_answer_is_held_against_the_truth_and_kept():
    a = answer_to("case-05", SOLUTION, "2026-01-01", "uses less", "none", -4.0, -3.5)
    assert (a.holds, a.right_flaw, a.right_verdict) == (False, False, False)
    assert a.score == pytest.approx(0.5 + 10 * 0.5)
    assert from_record(as_record(a)) == a
    good = answer_to("case-05", SOLUTION, "2026-01-01", "not settled", "following", -6.0, 0.0)
    assert (good.holds, good.right_flaw, good.right_verdict) == (True, True, True)
    for bad, words in (
        (("maybe", "none", 0, 1), "not a verdict"),
        (("not settled", "ghosts", 0, 1), "not a flaw"),
        (("not settled", "none", 2, 1), "from low to high"),
    ):
        with pytest.raises(ValueError, match=words):
            answer_to("x", SOLUTION, "", *bad)
    with pytest.raises((ValueError, KeyError)):
        from_record(as_record(a) | {"flaw": "ghosts"})


def test_what_a_case_carries():
    assert carried_by("none", "uses more", 4.0, 1.0) == ("uses more",)
    assert carried_by("none", "uses more", 0.2, 1.0) == ("not settled",), "a claim that is not true is not carried"
    assert carried_by("cold first leg", "uses less", -3.0, 1.0) == ("uses less",)
    assert carried_by("coarse display", "not a fair comparison", -3.0, 1.0) == ("not a fair comparison", "not settled")
    assert "uses more" not in carried_by("following", "uses more", 2.0, 1.0)
    assert "uses more" in carried_by("following", "uses more", 12.0, 1.0), "no lorry turns twelve per cent"


def test_an_interval_that_says_nothing_cannot_win():
    """−100 to 100 holds every truth and scores 200; whoever reads no leg scores 16, the program 6: it is no well said answer."""
    beside = Beside(-6.0, 0.0, "not settled", 8.0)
    wide = [said(f"c{i}", -100.0, 100.0, beside=beside) for i in range(12)]
    assert all(a.holds and a.right_flaw for a in wide)
    assert not any(a.well_said for a in wide)
    found = calibration(wide)
    assert (found.mean_score, found.program_score, found.unread_score) == (200.0, 6.0, 16.0)
    assert "Mean score 200.0; the program's own 6.0, without reading a leg 16.0" in found.words
    assert "no more than whoever reads no leg" in found.words
    narrow = [said(f"c{i}", beside=beside) for i in range(12)]
    assert all(a.well_said for a in narrow)
    assert "no more than" not in calibration(narrow).words
    # Answers of before it was kept: nothing is said of the program.
    assert calibration([*narrow, said("old")]).program_score is None


def test_what_is_said_without_reading_a_leg():
    """80 % of a normal lie within 1.2816 deviations: 6 % of usual effect give ±8.0 %."""
    assert unread_half(0.06) == pytest.approx(100 * math.expm1(0.06 * norm.ppf(0.9)))
    kept = said(beside=Beside(-6.0, 0.0, "uses less", 8.0))
    assert from_record(as_record(kept)) == kept
    with pytest.raises(ValueError, match="from low to high"):
        from_record(as_record(kept) | {"beside": {"low": 1, "high": 0, "verdict": "uses less", "unread": 8}})

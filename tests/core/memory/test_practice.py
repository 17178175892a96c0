"""Practice: the interval score is proper, calibration says what it can, and the shipped cases are those of their seeds."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from scipy.stats import binomtest, norm

from fairmargin.core.memory.practice import (
    FLAWS,
    PRACTISED,
    Answer,
    Solution,
    answer_to,
    as_record,
    calibration,
    carried_by,
    first_answers,
    from_record,
    interval_score,
    over_time,
    wilson,
)
from fairmargin.practice import generated, shipped
from fairmargin.practice.cases import as_file

SOLUTION = Solution(-3.0, "following", ("not settled",), "A lorry.")


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


def test_twenty_cases_ship_and_are_those_of_their_seeds():
    cases = shipped()
    assert len(cases) == 20
    assert [c.id for c in cases] == [f"case-{i:02d}" for i in range(1, 21)]
    assert {c.solution.flaw for c in cases} == set(FLAWS)
    grades = [("easy", "middle", "hard").index(c.grade) for c in cases]
    assert grades == sorted(grades)
    for c in cases:
        assert c.solution.carried
        assert not any(word in c.study.model_dump_json() for word in ("truth", c.solution.explained)), (
            "the study does not tell"
        )
    again = generated(105, "following", "easy")
    assert replace(again, id="case-05") == cases[4]
    assert as_file([again]).count('"seed-105"') == 1


@pytest.mark.parametrize("flaw", FLAWS)
def test_every_flaw_can_be_made_from_chance(flaw):
    case = generated(4711, flaw, "middle")
    assert case.solution.flaw == flaw
    assert case.study.legs
    assert PRACTISED == 0.8


def test_a_flaw_is_really_in_the_readings():
    """The same seed without the flaw: the lee takes 8 % off one trial leg, a failed reset makes a leg the mean of two, other pressures cost."""
    clean = generated(105, "none", "middle").study
    lee = generated(105, "following", "middle").study
    moved = {
        x.leg: x.average_shown / y.average_shown
        for x, y in zip(lee.legs, clean.legs, strict=True)
        if x.average_shown != y.average_shown
    }
    assert len(moved) == 1
    assert next(iter(moved.values())) == pytest.approx(0.92, abs=0.005)
    reset = generated(105, "reset did not take", "middle").study
    (at,) = [
        i for i, (x, y) in enumerate(zip(reset.legs, clean.legs, strict=True)) if x.average_shown != y.average_shown
    ]
    assert reset.legs[at].average_shown == pytest.approx(
        (clean.legs[at].average_shown + clean.legs[at - 1].average_shown) / 2, abs=0.051
    )
    assert clean.legs[at].configuration != clean.legs[at - 1].configuration
    two = generated(105, "two changes", "middle").study
    ratio = {
        c: sum(x.average_shown for x in two.legs if x.configuration == c)
        / sum(y.average_shown for y in clean.legs if y.configuration == c)
        for c in "AB"
    }
    assert ratio["A"] == pytest.approx(1.0, abs=0.003)
    # 14 % less pressure: 3 to 5 % of rolling for each 10 % (common practice), rolling being about half.
    assert 1.02 < ratio["B"] < 1.04

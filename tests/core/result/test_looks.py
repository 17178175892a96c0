"""Looking on the way: published boundaries, what it costs, and what a sealed number of pairs does to the interval."""

from datetime import datetime

import numpy as np
import pytest
from tests.conftest import driven_study

from fairmargin.core import intervals
from fairmargin.core.analysis import analyse
from fairmargin.core.result.looks import LOOKED_EACH_TIME, boundaries, level_at, spent, wrong_when_looked
from fairmargin.core.study.registration import seal_of


@pytest.mark.parametrize(
    ("pairs", "published"),
    [
        # Lan and DeMets (1983) with O'Brien and Fleming's kind of spending, two-sided 5 %, equal parts (from memory)
        (2, (2.9626, 1.9686)),
        (4, (4.3326, 2.9631, 2.3590, 2.0141)),
        (5, (4.8769, 3.3569, 2.6803, 2.2898, 2.0310)),
    ],
)
def test_boundaries_as_published(pairs, published):
    assert boundaries(pairs, 0.95) == pytest.approx(published, abs=2e-3)


def test_all_is_spent_at_the_end():
    assert spent(1.0, 0.05) == pytest.approx(0.05) and spent(0.25, 0.05) == pytest.approx(1.5e-5, rel=0.05)


def test_looks_at_a_walk_that_leads_nowhere():
    """Nulls looked at after each of four parts: 5 % wrong by the boundaries, 12.6 % by 1.96 each time (Armitage et al. 1969)."""
    steps = np.random.default_rng(5).normal(size=(200_000, 5))
    z = np.cumsum(steps, axis=1) / np.sqrt(np.arange(1, 6))
    for pairs in (2, 4, 5):
        wrong = np.mean(np.any(np.abs(z[:, :pairs]) > _scaled(pairs), axis=1))
        assert wrong == pytest.approx(0.05, abs=0.003)
        each = np.mean(np.any(np.abs(z[:, :pairs]) > 1.96, axis=1))
        assert (
            each == pytest.approx(LOOKED_EACH_TIME[pairs], abs=0.003)
            and wrong_when_looked(pairs) == LOOKED_EACH_TIME[pairs]
        )


def _scaled(pairs):
    return np.array(boundaries(pairs, 0.95))


def test_many_pairs_and_other_levels_have_boundaries_too():
    for pairs, level in ((1, 0.95), (40, 0.95), (200, 0.95), (4, 0.8), (4, 0.99)):
        found = boundaries(pairs, level)
        assert len(found) == pairs and all(a >= b for a, b in zip(found, found[1:], strict=False))
        assert found[-1] == pytest.approx(intervals.deviate(level), rel=0.2)


def test_an_interval_before_the_sealed_number_is_wider_and_then_the_ordinary_one():
    study = driven_study("ABBAABBA", effect=0.96)
    whole = study.with_legs(study.legs)
    seal = seal_of(study, datetime(2026, 5, 2, 7), 4)
    half = whole.with_legs(whole.legs[:8])
    plain, looked = (analyse(s).comparisons[0] for s in (half, half.with_(registration=seal)))
    assert looked.look is not None and (looked.look.pairs, looked.look.of_pairs) == (2, 4)
    assert looked.look.level == pytest.approx(0.99695, abs=2e-5)
    # 2.963 instead of 1.960 deviates, and more where the scatter is not known well
    assert 1.5 < looked.half_width_percent / plain.half_width_percent < 2.2
    assert looked.effect_percent == plain.effect_percent and looked.confidence == 0.95
    assert "2 of 4 sealed pairs" in looked.reason and looked.level_words == "99.70 %, 2 of 4 pairs"
    at_end = [analyse(s).comparisons[0] for s in (whole, whole.with_(registration=seal))]
    assert at_end[0].interval_percent == at_end[1].interval_percent and at_end[1].look is None
    # its parts are told at the level of the interval: in squares half of its width
    squares = sum(line.half_width_percent**2 for line in looked.margin) ** 0.5
    assert squares == pytest.approx(looked.half_width_percent, rel=0.03)


def test_no_seal_and_no_number_change_nothing():
    study = driven_study("ABBA", effect=0.96)
    unnumbered = study.with_(registration=seal_of(study, datetime(2026, 5, 2, 7), None))
    assert level_at(study, 1) == level_at(unnumbered, 1) == 0.95

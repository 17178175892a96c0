"""One statement about pairs: what more of them would do."""

from __future__ import annotations

import pytest

from fairmargin.core.result.verdict import VerdictWord, pairs_words


@pytest.mark.parametrize(
    ("said", "pairs", "needed", "words"),
    [
        ("not settled", 2, 5, "About 3 more pairs would settle it."),
        ("not settled", 4, 5, "About 1 more pair would settle it."),
        ("not settled", 5, 5, "One more pair may settle it."),
        ("uses more", 4, 4, "It is settled: no more pairs are needed."),
        ("no difference that matters", 4, 2, "It is settled: no more pairs are needed."),
        ("not a fair comparison", 4, 2, "More pairs like these would not make it fair."),
    ],
)
def test_pairs_driven_and_needed(said: VerdictWord, pairs: int, needed: int, words: str) -> None:
    assert pairs_words(said, pairs, needed) == words


def test_what_limits_the_margin_is_named_with_its_remedy() -> None:
    words = pairs_words("not settled", 2, None, "the days differ", "Drive on one day.")
    assert words == (
        "More pairs like these cannot settle it: what limits the margin is that the days differ. Drive on one day."
    )
    assert pairs_words("not settled", 2, None).endswith("scatter is not what limits it.")

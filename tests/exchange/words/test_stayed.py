"""Whether an effect stayed, in words: a wide interval around nothing is no proof that it did."""

import pytest

from fairmargin.core.memory.network import Apart
from fairmargin.exchange.words.across import pair_words, stayed_words, verdict_of


@pytest.mark.parametrize(
    "interval, words",
    [
        ((-1.4, 6.0), "it is not settled whether it stayed so."),
        ((-0.8, 0.9), "it stayed so."),
        ((-0.8, 1.2), "it is not settled whether it stayed so."),
        ((0.3, 0.9), "it did not stay so."),
        ((-7.0, -0.1), "it did not stay so."),
    ],
)
def test_three_answers(interval, words):
    assert stayed_words(interval) == words


def test_a_pair_that_is_apart_by_itself_and_not_among_many_has_its_reason():
    apart = Apart("Discs", "Rings", 1.4, (0.2, 2.6), told_apart=False, direct=True)
    assert pair_words(apart, 15) == (
        "Rings against Discs: +1.4 % (+0.2 to +2.6), by itself uses more; among 15 pairs at once that is not enough to tell them apart"
    )
    open_pair = Apart("Discs", "Rings", 0.4, (-0.8, 1.6), told_apart=False, direct=False)
    assert pair_words(open_pair, 15).endswith("with), not told apart")


@pytest.mark.parametrize(
    ("interval", "word"),
    [((0.2, 3.0), "uses more"), ((-3.0, -0.1), "uses less"), ((-0.4, 0.9), "no difference that matters"), ((-2.0, 3.0), "not settled")],
)  # fmt: skip
def test_verdict_words_of_an_interval(interval, word):
    assert verdict_of(interval) == word

"""Whether an effect stayed, in words: a wide interval around nothing is no proof that it did."""

import pytest

from fairmargin.exchange.words.across import stayed_words


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

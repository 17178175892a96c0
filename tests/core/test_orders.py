"""Orders of runs: what of a steady drift they keep, and what has to be added to be rid of it."""

import itertools

import pytest

from fairmargin.core.orders import KEPT, drift_left, mended


@pytest.mark.parametrize("order", ["".join(x) for n in (2, 3, 4) for x in itertools.product("AB", repeat=n) if len(set(x)) == 2])  # fmt: skip
def test_what_is_added_takes_a_steady_drift_back(order):
    """Every order of up to four runs: a drift laid on by hand is gone from the difference of the means."""
    whole = mended(order)
    assert whole.startswith(order) and len(whole) <= 2 * len(order) + 4
    assert abs(drift_left(whole)) <= KEPT
    drift = {"A": [], "B": []}
    for hour, letter in enumerate(whole):
        drift[letter].append(1.0 * hour)
    a, b = (sum(x) / len(x) for x in drift.values())
    assert abs(b - a) <= KEPT * (len(whole) - 1) + 1e-9


def test_what_cancels_already_is_left_as_it_is():
    assert [mended(x) for x in ("ABBA", "BAAB", "ABBABAAB")] == ["ABBA", "BAAB", "ABBABAAB"]

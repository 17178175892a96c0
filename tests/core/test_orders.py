"""Orders of runs: what of a steady drift they keep, and what has to be added to be rid of it."""

import itertools

import pytest

from fairmargin.core.orders import KEPT, ORDERS, drift_left, mended, offered


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


@pytest.mark.parametrize("sides", [3, 4, 5])
def test_orders_for_several_trials_are_balanced(sides):
    """By hand: a drift of one unit a run leaves the same mean with every side; every pair is driven both ways round."""
    assert offered(2) == ORDERS
    *kept, once = offered(sides)
    letters = "ABCDE"[:sides]
    assert once == letters
    for order in kept:
        middle = (len(order) - 1) / 2
        for letter in letters:
            places = [i for i, x in enumerate(order) if x == letter]
            assert sum(places) / len(places) == pytest.approx(middle)
        assert [drift_left(order, x) for x in letters[1:]] == pytest.approx([0.0] * (sides - 1))
        for a, b in itertools.permutations(letters, 2):
            assert order.index(a) < len(order) - 1 - order[::-1].index(b)
    # Once each keeps more of a drift the later a trial is driven: by hand, 1/2 and 2/2 of it with three.
    assert drift_left("ABC") == 0.5 and drift_left("ABC", "C") == 1.0
    with pytest.raises(ValueError, match="one A and one D"):
        drift_left("ABC", "D")

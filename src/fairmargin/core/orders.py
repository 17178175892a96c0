"""Before the drive: orders of runs, and legs long enough for the display."""

from __future__ import annotations

import itertools
import math
from typing import Final

from fairmargin.core import intervals

#: Orders of runs offered, with what each is good for.
ORDERS: Final[dict[str, str]] = {
    "ABBA": "cancels a steady drift of the day; the one to prefer",
    "BAAB": "the same with the trial first: for a vehicle that arrives with the change on",
    "ABBAABBA": "two such blocks: the margin shrinks by about a third",
    "ABAB": "simple, but four runs keep a third of a steady drift",
    "AABB": "four runs keep two thirds of a steady drift: only when a swap takes hours",
}


def drift_left(order: str) -> float:
    """Share of a steady drift over the whole day that stays in trial minus baseline.

    The difference of the mean positions of the letters, on 0 to 1.

    Examples
    --------
    >>> [round(drift_left(order), 3) for order in ("ABBA", "ABAB", "AABB", "ABABABAB")]
    [0.0, 0.333, 0.667, 0.143]

    Raises
    ------
    ValueError
        If the order lacks an A or a B.
    """
    a = [i for i, letter in enumerate(order) if letter == "A"]
    b = [i for i, letter in enumerate(order) if letter == "B"]
    if not a or not b:
        raise ValueError(f'"{order}" needs at least one A and one B')
    return (sum(b) / len(b) - sum(a) / len(a)) / max(len(order) - 1, 1)


#: Of a steady drift, what an order may keep and still count as mended.
KEPT: Final = 0.05
MOST_ADDED: Final = 6  # runs that are looked through; longer orders are mirrored


def mended(order: str) -> str:
    """Return an order with the fewest runs added so that a steady drift cancels and both sides have as many runs.

    Parameters
    ----------
    order : str
        Runs as driven, of A and B.

    Examples
    --------
    >>> [mended(order) for order in ("AB", "BA", "ABAB", "AABB", "AAB", "ABBA")]
    ['ABBA', 'BAAB', 'ABABBABA', 'AABBBBAA', 'AABBBBAA', 'ABBA']
    """
    for count in range(MOST_ADDED + 1):
        tried = (order + "".join(added) for added in itertools.product("AB", repeat=count))
        found = [x for x in tried if x.count("A") == x.count("B") and abs(drift_left(x)) <= KEPT]
        if found:
            return min(found, key=lambda x: abs(drift_left(x)))
    return order + order[::-1]


def display_noise_percent(step_share: float, legs_per_configuration: int, confidence: float = intervals.USUAL) -> float:
    """What rounding alone is worth in the effect, for displays of a step relative to the value.

    Means over n legs shrink it by √n.

    Raises
    ------
    ValueError
        If there is no leg.
    """
    if legs_per_configuration < 1:
        raise ValueError("expected at least one leg per configuration")
    return 100.0 * step_share * intervals.rounding_half_width(confidence) / math.sqrt(legs_per_configuration)

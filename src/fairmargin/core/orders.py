"""Before the drive: orders of runs, and legs long enough for the display."""

from __future__ import annotations

import itertools
import math
from string import ascii_uppercase
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


#: Of two vehicles that drive at once: the letter is what the first of them carries.
AT_ONCE: Final[dict[str, str]] = {
    "AB": "one swap; one run each way round",
    "AABB": "one swap, half way: two runs each way round",
    "ABBA": "two swaps: for vehicles that change over the day",
}
#: Of one configuration.
ALONE: Final[dict[str, str]] = {
    "A": "one run: its scatter is taken as usual",
    "AA": "two runs, whose scatter is seen",
    "AAA": "three runs",
    "AAAA": "four runs",
}


def offered(sides: int, *, at_once: bool = False) -> dict[str, str]:
    """Orders of runs to offer for so many sides, the baseline among them, with what each is good for.

    With three and more, every pair of them is driven both ways round and a steady drift cancels between any two.
    `at_once`: two vehicles drive side by side.

    Examples
    --------
    >>> list(offered(3))
    ['ABCCBA', 'ABCCBABCAACB', 'ABACACABA', 'ABC']
    """
    if at_once:
        return AT_ONCE
    if sides <= 2:
        return ORDERS if sides == 2 else ALONE
    names = ascii_uppercase[:sides]
    turned = names[1:] + names[0]
    between = "A" + "".join(f"{trial}A" for trial in names[1:])
    return {
        names + names[::-1]: "cancels a steady drift between any two; the one to prefer",
        names + names[::-1] + turned + turned[::-1]: "two blocks, and not always the same one at the ends of a block",
        between + between[-2::-1]: "the baseline after every trial: for days that change, with twice the swaps",
        names: "once each: no scatter is seen, and a drift of the day stays",
    }


def drift_left(order: str, trial: str = "B") -> float:
    """Share of a steady drift over the whole day that stays in trial minus baseline.

    The difference of the mean positions of the letters, on 0 to 1.

    Examples
    --------
    >>> [round(drift_left(order), 3) for order in ("ABBA", "ABAB", "AABB", "ABABABAB")]
    [0.0, 0.333, 0.667, 0.143]

    Raises
    ------
    ValueError
        If the order lacks an A or the trial's letter.
    """
    a = [i for i, letter in enumerate(order) if letter == "A"]
    b = [i for i, letter in enumerate(order) if letter == trial]
    if not a or not b:
        raise ValueError(f'"{order}" needs at least one A and one {trial}')
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

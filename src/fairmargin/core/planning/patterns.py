"""Patterns of runs, written out to a number of runs."""

from __future__ import annotations

from string import ascii_uppercase
from typing import Final

import numpy as np

#: Patterns of two sides, as blocks that are repeated; "random" shuffles each pair by lot.
PATTERNS: Final = {
    "ABBA": "a steady drift of the day cancels within each block",
    "BAAB": "the same, the trial first",
    "ABAB": "simple; a part of a steady drift stays",
    "AABB": "one swap only; half the drift and more stays",
    "random": "pairs in an order drawn by lot: fair on average, not on each day",
}
#: Of three sides and more: each round has every side once.
OF_SEVERAL: Final = {
    "mirrored": "every other round the other way: a steady drift cancels between any two",
    "mirrored, last first": "the same, the last trial first",
    "in turn": "round after round alike; a part of a steady drift stays",
    "one after another": "fewest swaps; the drift stays, most of it between the first and the last",
    "random": "each round in an order drawn by lot: fair on average, not on each day",
}
#: Of two vehicles that drive at once: every run is a pair, and only which of them carries the change is in question.
SIDE_BY_SIDE: Final = {
    "ABBA": "the change swapped twice: what the vehicles differ by cancels, and a drift of that too",
    "AABB": "one swap, half way: what the vehicles differ by cancels",
    "ABAB": "a swap after every run",
}


def patterns_for(sides: int, *, at_once: bool = False) -> dict[str, str]:
    """Patterns to compare for so many sides, with what each is good for.

    Parameters
    ----------
    sides : int
        Configurations or vehicles, the baseline among them.
    at_once : bool
        Whether two vehicles drive side by side.
    """
    if at_once:
        return SIDE_BY_SIDE
    return PATTERNS if sides <= 2 else OF_SEVERAL


def order_of(pattern: str, runs: int, rng: np.random.Generator | None = None, *, sides: int = 2) -> str:
    """Write a pattern out to a number of runs, every side as often as any other.

    Examples
    --------
    >>> order_of("ABBA", 6), order_of("mirrored", 6, sides=3), order_of("one after another", 6, sides=3)
    ('ABBAAB', 'ABCCBA', 'AABBCC')

    Raises
    ------
    ValueError
        If the pattern is not known, or `runs` cannot be shared out among the sides.
    """
    if runs < sides or runs % sides:
        expected = "an even number from 2" if sides == 2 else f"a multiple of {sides}"
        raise ValueError(f"{runs} runs cannot be paired; expected {expected}")
    if sides > 2:
        return _of_several(pattern, runs // sides, ascii_uppercase[:sides], rng or np.random.default_rng(0))
    half = runs // 2
    if pattern == "AABB":
        return "A" * half + "B" * half
    if pattern == "random":
        rng = rng or np.random.default_rng(0)
        return "".join("AB" if rng.random() < 0.5 else "BA" for _ in range(half))
    if pattern not in PATTERNS:
        raise ValueError(f'"{pattern}" is not a pattern; expected one of {", ".join(PATTERNS)}')
    if pattern == "ABAB":
        return "AB" * half
    text = (pattern * (runs // 4 + 1))[:runs]
    if text.count("A") != half:  # an odd number of pairs: the last block is one pair
        text = (pattern * (runs // 4))[: runs - runs % 4] + ("AB" if pattern[0] == "A" else "BA")
    return text


def _of_several(pattern: str, rounds: int, names: str, rng: np.random.Generator) -> str:
    """Rounds of all sides."""
    if pattern == "one after another":
        return "".join(letter * rounds for letter in names)
    if pattern == "random":
        return "".join("".join(rng.permutation(list(names))) for _ in range(rounds))
    if pattern == "in turn":
        return names * rounds
    if pattern not in OF_SEVERAL:
        raise ValueError(f'"{pattern}" is not a pattern; expected one of {", ".join(OF_SEVERAL)}')
    first = names if pattern == "mirrored" else names[::-1]
    return "".join(first if i % 2 == 0 else first[::-1] for i in range(rounds))

"""Patterns of runs, written out to a number of runs."""

from __future__ import annotations

from typing import Final

import numpy as np

#: Patterns compared, as blocks that are repeated; "random" shuffles each pair by lot.
PATTERNS: Final = {
    "ABBA": "a steady drift of the day cancels within each block",
    "BAAB": "the same, the trial first",
    "ABAB": "simple; a part of a steady drift stays",
    "AABB": "one swap only; half the drift and more stays",
    "random": "pairs in an order drawn by lot: fair on average, not on each day",
}


def order_of(pattern: str, runs: int, rng: np.random.Generator | None = None) -> str:
    """Write a pattern out to a number of runs (even).

    Raises
    ------
    ValueError
        If the pattern is not known or `runs` is odd or below 2.
    """
    if runs < 2 or runs % 2:
        raise ValueError(f"{runs} runs cannot be paired; expected an even number from 2")
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

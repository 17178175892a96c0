"""What may be said: the verdict from the interval, the smallest effect that matters and the concerns."""

from __future__ import annotations

import math
from typing import Final, Literal

VerdictWord = Literal[
    "uses more", "uses less", "no difference that matters", "not settled", "not a fair comparison"
]
POWER_DEVIATE: Final = 0.8416  # normal deviate of 80 % power
MAX_PAIRS: Final = 200


def word(
    effect_percent: float,
    interval_percent: tuple[float, float],
    smallest_percent: float,
    blocked: bool,
    open_charge_percent: float,
) -> VerdictWord:
    """Judge an effect.

    "No difference that matters" is an equivalence test: the whole interval must lie inside ± the smallest
    effect (two one-sided tests, D. J. Schuirmann, J. Pharmacokinet. Biopharm. 15 (1987) 657, from memory).
    `open_charge_percent` is what concerns that no correction and no margin covers may be worth together:
    it widens the interval on both sides, and beyond the effect's own size the comparison is not fair.
    """
    low, high = interval_percent
    if blocked or (open_charge_percent > max(abs(effect_percent), smallest_percent)):
        return "not a fair comparison"
    low, high = low - open_charge_percent, high + open_charge_percent
    if -smallest_percent < low and high < smallest_percent:
        return "no difference that matters"
    if low > 0:
        return "uses more"
    if high < 0:
        return "uses less"
    return "not settled"


def pairs_needed(
    pairs: int,
    effect_percent: float,
    systematic_sd_percent: float,
    random_sd_percent: float,
    smallest_percent: float,
    deviate: float,
) -> int | None:
    """Pairs in all that would settle the question with 80 % power at the scatter seen.

    More pairs shrink the random part by 1/√n and leave the systematic part (days apart, constants) alone.
    An effect counts as settled when it can be told from zero, or told to be smaller than what matters,
    whichever is easier. None when no number up to 200 pairs is enough.
    """
    if pairs < 1:
        return None
    size = abs(effect_percent)
    wanted_sd = max(size, smallest_percent - size) / (deviate + POWER_DEVIATE)
    room = wanted_sd**2 - systematic_sd_percent**2
    if room <= 0:
        return None
    needed = math.ceil(pairs * random_sd_percent**2 / room - 1e-9)
    return max(needed, 1) if needed <= MAX_PAIRS else None

"""What a battery gives: less in the cold, by how much is open."""

from __future__ import annotations

from typing import Final

from fairmargin.core.figures import Size

MILD_C: Final = 15.0  # above it what a battery gives hardly changes; common practice
SURE_SHARE: Final = Size(0.03, "of it", "usable capacity that nobody measured")
COLD_SHARE_PER_K: Final = Size(0.004, "of it per K", "what a battery gives, below 15 °C: up to a tenth less at −10 °C")


def capacity_sd(temperature_c: float) -> float:
    """How far what a battery gives may lie off the capacity stated, as a share.

    The cold takes from it; whether the stated one was told warm or cold nobody says, so that the stated one stays the middle.

    Examples
    --------
    >>> [round(capacity_sd(t), 3) for t in (25.0, 15.0, 5.0, -10.0)]
    [0.03, 0.03, 0.05, 0.104]
    """
    return float((SURE_SHARE**2 + (COLD_SHARE_PER_K * max(MILD_C - temperature_c, 0.0)) ** 2) ** 0.5)

"""From standard deviations to half-widths at a confidence: the one place where 95 % becomes 1.96."""

from __future__ import annotations

import math
from statistics import NormalDist
from typing import Final

USUAL: Final = 0.95  # confidence where no study states one


def deviate(confidence: float) -> float:
    """Normal deviate whose interval on both sides holds a share `confidence`.

    Examples
    --------
    >>> round(deviate(0.95), 4), round(deviate(0.9), 4)
    (1.96, 1.6449)
    """
    return NormalDist().inv_cdf(0.5 + confidence / 2.0)


def half_width_percent(variance: float, confidence: float) -> float:
    """Half-width, in per cent, that a log variance has alone."""
    return 100.0 * deviate(confidence) * math.sqrt(variance)


def log_interval_percent(log_ratio: float, sd: float, confidence: float) -> tuple[float, float]:
    """Interval, in per cent, of a ratio whose logarithm is normal."""
    half = deviate(confidence) * sd
    return 100.0 * math.expm1(log_ratio - half), 100.0 * math.expm1(log_ratio + half)


def rounding_half_width(confidence: float) -> float:
    """Half-width, in steps, of the difference of two readings that were each rounded to one step.

    The difference of two uniform errors is triangular: it stays within 1 − √(1 − confidence) steps
    (JCGM 100:2008, 4.3.9 has the triangular distribution).
    """
    return 1.0 - math.sqrt(1.0 - confidence)

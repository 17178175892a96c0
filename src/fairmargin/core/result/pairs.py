"""Pairs: one baseline drive and one trial drive, set against each other per direction.

References
----------
.. [1] Student, "The probable error of a mean", Biometrika 6 (1908) 1: the paired t interval.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np


@dataclass(frozen=True, slots=True)
class Drive:
    """One drive as pairing sees it."""

    leg: str
    run: str
    day: int
    block: str
    configuration: str
    direction: str
    order: float
    included: bool
    reason: str
    measured: float
    corrected: float | None
    sd_share: float


@dataclass(frozen=True, slots=True)
class Pair:
    """Differences of one pair, per cent of the baseline drive."""

    number: int
    direction: str
    baseline_leg: str
    trial_leg: str
    measured_percent: float
    corrected_percent: float | None
    half_width_percent: float
    included: bool
    reason: str


@dataclass(frozen=True, slots=True)
class PairRow:
    """A pair as a chart shows it, per cent: `corrected` and `interval` only where the pair counts."""

    label: str
    read: float
    corrected: float | None
    interval: tuple[float, float] | None
    left_out: str

    @property
    def reach(self) -> tuple[float, ...]:
        """Every value the chart must have room for."""
        return (self.read, *(self.interval or ()))


def pair_row(pair: Pair) -> PairRow:
    """Say what a chart draws of a pair: the same in the window and in the report."""
    label = f"{pair.number}  {pair.direction}"
    if not pair.included:
        return PairRow(label, pair.measured_percent, None, None, f"left out: {pair.reason or 'no reason given'}")
    middle, half = pair.corrected_percent, pair.half_width_percent
    interval = None if middle is None else (middle - half, middle + half)
    return PairRow(label, pair.measured_percent, middle, interval, "")


def make_pairs(
    drives: Sequence[Drive], baseline: str, trial: str, deviate: float, shared_sd: float = 0.0
) -> list[Pair]:
    """Pair drives in time order: within their block, then within their day; across days only where no day had both.

    `shared_sd` is what all pairs share and none has alone: a single pair is as sure as the effect that rests on it.
    """
    pairs: list[Pair] = []
    both = {d.day for d in drives if d.configuration == baseline} & {d.day for d in drives if d.configuration == trial}
    for direction in dict.fromkeys(d.direction for d in drives):
        here = sorted((d for d in drives if d.direction == direction), key=lambda d: d.order)
        left_a: list[Drive] = []
        left_b: list[Drive] = []
        matched: list[tuple[Drive, Drive]] = []
        for day, block in dict.fromkeys((d.day, d.block) for d in here):
            own = [d for d in here if (d.day, d.block) == (day, block)]
            matched += _matched(own, baseline, trial, left_a, left_b)
        if both:
            over, left_a, left_b = [*left_a, *left_b], [], []
            for day in dict.fromkeys(d.day for d in over):
                matched += _matched([d for d in over if d.day == day], baseline, trial, left_a, left_b)
        else:
            matched += list(zip(left_a, left_b, strict=False))
        matched.sort(key=lambda ab: min(ab[0].order, ab[1].order))
        for number, (a_drive, b_drive) in enumerate(matched, start=1):
            corrected = None
            if a_drive.corrected and b_drive.corrected:
                corrected = (b_drive.corrected / a_drive.corrected - 1) * 100
            out = [d.reason for d in (a_drive, b_drive) if not d.included]
            pairs.append(
                Pair(
                    number,
                    direction,
                    a_drive.leg,
                    b_drive.leg,
                    (b_drive.measured / a_drive.measured - 1) * 100,
                    corrected,
                    100 * deviate * math.hypot(a_drive.sd_share, b_drive.sd_share, shared_sd),
                    not out,
                    "; ".join(r for r in out if r),
                )
            )
    order = {d: i for i, d in enumerate(dict.fromkeys(x.direction for x in drives))}
    return sorted(pairs, key=lambda p: (p.number, order[p.direction]))


def _matched(
    own: Sequence[Drive], baseline: str, trial: str, left_a: list[Drive], left_b: list[Drive]
) -> list[tuple[Drive, Drive]]:
    """Pairs of one block or day, in time order; what is over goes to the left-over lists."""
    a = [d for d in own if d.configuration == baseline]
    b = [d for d in own if d.configuration == trial]
    k = min(len(a), len(b))
    left_a += a[k:]
    left_b += b[k:]
    return list(zip(a, b, strict=False))


def paired_interval(differences: Sequence[float], confidence: float) -> tuple[float, float, float] | None:
    """Mean of paired differences and its t interval [1]_; None with fewer than two."""
    if len(differences) < 2:
        return None
    d = np.asarray(differences, dtype=float)
    from scipy.special import stdtrit  # only where shown; the import costs more than the sum

    half = float(stdtrit(len(d) - 1, 0.5 + confidence / 2)) * float(d.std(ddof=1)) / math.sqrt(len(d))
    mean = float(d.mean())
    return mean, mean - half, mean + half

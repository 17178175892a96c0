"""What stands beside an effect: time on the road, and energy from the wall."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np

from fairmargin.core import intervals
from fairmargin.core.evidence.reading import Observation
from fairmargin.core.inference import priors
from fairmargin.core.result.types import GridEnergy, TripTime

if TYPE_CHECKING:
    from fairmargin.core.result.comparison import Sides


def trip_time(sides: Sides) -> TripTime | None:
    """Minutes per 100 km of each configuration; None unless every leg's time is known."""

    def minutes(side: Sequence[Observation]) -> float | None:
        time = 0.0
        for name in (name for o in side for name in o.legs):
            leg = sides.study.leg(name)
            if leg.duration_s is None and sides.results[name].instrument != "logger":
                return None
            time += float(leg.duration_s or sides.conditions[name].duration_s)
        km = sum(o.true_km for o in side)
        return time / 60.0 / km * 100.0 if km > 0 else None

    times = minutes(sides.baseline), minutes(sides.trial)
    return TripTime(times[0], times[1]) if times[0] and times[1] else None


def _per_leg(read: Sequence[float], other: Sequence[float]) -> tuple[float, float]:
    """Wall energy of a leg [Wh] and its variance; where a side read none, anything up to what the other's legs took."""
    if read:
        return float(np.mean(read)), float(np.var(read, ddof=1)) if len(read) > 1 else 0.0
    most = max(other)
    return most / 2, most**2 / 12  # uniform, JCGM 100:2008, 4.3.7


def with_grid(sides: Sides, percent: float, interval: tuple[float, float]) -> GridEnergy | None:
    """Drive and wall energy together; None where no leg has any from the wall."""
    km = [sum(o.true_km for o in side) for side in sides.both]
    wall = [[sides.study.leg(name).grid_kwh for o in side for name in o.legs] for side in sides.both]
    known = [[1000.0 * w for w in side if w is not None] for side in wall]
    if not known[0] and not known[1]:
        return None
    level = sum(o.energy_wh for o in sides.baseline) / km[0]
    per_km, spread = [], 0.0
    for side, other, every, d in zip(known, known[::-1], wall, km, strict=True):
        mean, scatter = _per_leg(side, other)
        per_km.append(mean * len(every) / d)
        meter = (priors.WALL_METER * mean * len(every)) ** 2
        untold = len(every) - len(side)
        spread += ((len(side) + untold**2) * scatter + meter) / d**2
    whole = float(level + per_km[0])
    extra = intervals.half_width_percent(spread, sides.study.confidence) / whole

    def with_wall(effect: float) -> float:
        return float((level * (1 + effect / 100) + per_km[1]) / whole - 1) * 100

    middle = with_wall(percent)
    below, above = middle - with_wall(interval[0]), with_wall(interval[1]) - middle
    ends = (middle - math.hypot(below, extra), middle + math.hypot(above, extra))
    unread = tuple(
        name for o in (*sides.baseline, *sides.trial) for name in o.legs if sides.study.leg(name).grid_kwh is None
    )
    if not unread:
        return GridEnergy(per_km[0], per_km[1], middle, ends)
    usual = float(np.mean([*known[0], *known[1]]))

    def as_read(each_wh: float) -> float:
        totals = [
            sum(o.energy_wh for o in side) + sum(own) + each_wh * (len(every) - len(own))
            for side, own, every in zip(sides.both, known, wall, strict=True)
        ]
        return float(totals[1] / km[1] / (totals[0] / km[0]) - 1.0) * 100

    return GridEnergy(per_km[0], per_km[1], middle, ends, unread, as_read(0.0), as_read(usual), usual / 1000.0)

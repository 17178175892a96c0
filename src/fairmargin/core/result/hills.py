"""A hill driven both ways by one configuration: each way's energy, what the level road takes, and what the hill costs."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Final

from fairmargin.core import intervals
from fairmargin.core.evidence.climb import is_down
from fairmargin.core.evidence.indirect import scale_told
from fairmargin.core.evidence.readings import signed_readings
from fairmargin.core.laws.rolling import GRAVITY_M_S2
from fairmargin.core.result.results import WHOLE, Result
from fairmargin.core.study import Leg, Study, Trace
from fairmargin.core.study.cells import one_configuration

#: Ways that differ by less than this share of their mean are not called a hill unless somebody said it is one.
HILL: Final = 0.5

#: Ends of a road that differ by less are level. [m]
LEAST_RISE_M: Final = 20.0

Interval = tuple[float, float]


@dataclass(frozen=True, slots=True)
class Way:
    """All legs one way: what they took (negative where energy came back), over what distance."""

    legs: tuple[str, ...]
    wh: float
    sd_wh: float
    km: float

    @property
    def wh_per_km(self) -> float:
        """Energy over distance."""
        return self.wh / self.km


@dataclass(frozen=True, slots=True)
class Hill:
    """Up and down by one configuration, beside the level road at the reference conditions.

    `costs_wh` is what the way up took beyond the level road, `comes_back_wh` by how much less the way down took than the level
    road: charge that came back counts, and so does what had not to be drawn. Their share cannot pass 100 %.
    """

    vehicle: str
    configuration: str
    up: Way
    down: Way
    level_wh_per_km: float | None = None
    level_interval: Interval | None = None
    costs_wh: float | None = None
    comes_back_wh: float | None = None
    share_percent: float | None = None
    share_interval_percent: Interval | None = None
    lift_wh: float | None = None  # mass times height, where somebody gave the road's heights
    rise_m: float | None = None

    @property
    def both_wh(self) -> float:
        """What both ways took together."""
        return self.up.wh + self.down.wh

    @property
    def lost_wh(self) -> float | None:
        """Of what the hill cost, what did not come back."""
        if self.costs_wh is None or self.comes_back_wh is None:
            return None
        return self.costs_wh - self.comes_back_wh


def hills(study: Study, traces: Mapping[str, Trace], results: Sequence[Result], vehicle: str = "") -> tuple[Hill, ...]:
    """State what a hill costs, of each configuration that was read both ways.

    Parameters
    ----------
    study : Study
        Of one vehicle. Every configuration of a climb; of other studies the one that is not compared, where its ways differ.
    traces : mapping of leg name to Trace
    results : sequence of Result
        Of that vehicle; the level road is theirs at the reference conditions.
    vehicle : str, optional
        Its id.

    Returns
    -------
    tuple of Hill
        None where no distance, or no energy, is known.
    """
    wanted = study.configurations if study.method == "climb" else ()
    alone = one_configuration(study)
    if not wanted and alone is not None:
        wanted = (alone,)
    found = []
    for configuration in wanted:
        ways = _ways(study, configuration.id, traces)
        if ways is None:
            continue
        up, down = ways
        if study.method != "climb" and up.wh_per_km - down.wh_per_km < HILL * (up.wh_per_km + down.wh_per_km) / 2:
            continue
        own = [r for r in results if r.configuration == configuration.id and r.sector != WHOLE]
        level = own[0] if len(own) == 1 else None
        found.append(_hill(study, vehicle, configuration.id, up, down, level))
    return tuple(found)


def _ways(study: Study, configuration: str, traces: Mapping[str, Trace]) -> tuple[Way, Way] | None:
    """Up and down, as read; None where one way is missing, or what nobody can tell as energy."""
    legs = [x for x in study.legs if x.included and x.configuration == configuration and x.direction != "loop"]
    read = signed_readings(study, legs, traces)
    if not all(scale_told(study.vehicle, r.instrument) for r in read.values()):
        return None
    sides: dict[bool, list[Leg]] = {False: [], True: []}
    for leg in legs:
        if leg.leg in read and (leg.distance_km or leg.gps_distance_km):
            sides[is_down(leg, read[leg.leg].energy_wh)].append(leg)

    def way(own: Sequence[Leg]) -> Way:
        each = [read[x.leg] for x in own]
        km = sum(float(x.gps_distance_km or x.distance_km or 0.0) for x in own)
        return Way(tuple(x.leg for x in own), sum(r.energy_wh for r in each), math.hypot(*(r.sd_wh for r in each)), km)

    if not all(sides.values()):
        return None
    one, other = way(sides[False]), way(sides[True])
    # On a road that nobody called a climb, "out" may be the way down.
    return (one, other) if study.method == "climb" or one.wh_per_km >= other.wh_per_km else (other, one)


def _hill(study: Study, vehicle: str, configuration: str, up: Way, down: Way, level: Result | None) -> Hill:
    """One hill; beside the level road where the model says what that takes."""
    lift, rise = _lift(study, len(up.legs))
    if level is None or level.wh_per_km is None or level.interval_wh_per_km is None or level.method != "model":
        return Hill(vehicle, configuration, up, down, lift_wh=lift, rise_m=rise)
    flat = level.wh_per_km
    costs, back = up.wh - flat * up.km, flat * down.km - down.wh
    share = interval = None
    if costs > 0 and back > 0:
        share = min(back / costs, 1.0)
        # The level's own error beside that of its readings: it moves both ends, one up and one down.
        flat_sd = level.share_alike * flat
        by_level = flat_sd * (down.km * costs + back * up.km) / costs**2
        sd = math.hypot(by_level, down.sd_wh / costs, back * up.sd_wh / costs**2)
        half = intervals.deviate(study.confidence) * sd
        interval = (100 * max(share - half, 0.0), 100 * min(share + half, 1.0))
    return Hill(
        vehicle, configuration, up, down, flat, level.interval_wh_per_km, costs, back,
        None if share is None else 100 * share, interval, lift, rise,
    )  # fmt: skip


def _lift(study: Study, times: int) -> tuple[float | None, float | None]:
    """Energy that lifting the vehicle takes, and by how much it is lifted; None where nobody gave heights. [Wh, m]"""
    heights = [p.elevation_m for p in study.route if p.elevation_m is not None]
    if len(heights) < 2:
        return None, None
    rise = abs(float(heights[-1]) - float(heights[0]))
    if rise < LEAST_RISE_M:
        return None, None
    mass = float(study.vehicle.constants().mass_kg)
    return mass * GRAVITY_M_S2 * rise / 3600.0 * times, rise

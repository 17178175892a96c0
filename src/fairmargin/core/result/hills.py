"""A hill driven both ways by one configuration: each way's energy, what the level road takes, and what the hill costs."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Final, Literal

from fairmargin.core import intervals
from fairmargin.core.conditions.vehicle import REGENERATION
from fairmargin.core.evidence.climb import is_down
from fairmargin.core.evidence.indirect import scale_told
from fairmargin.core.evidence.readings import SCATTER_KM, signed_readings
from fairmargin.core.figures import Size
from fairmargin.core.inference.priors import SCATTER_SHARE
from fairmargin.core.laws.rolling import GRAVITY_M_S2
from fairmargin.core.study import Leg, Study, Trace
from fairmargin.core.study.cells import one_configuration

#: Ways that differ by less than this share of their mean are not called a hill unless somebody said it is one.
HILL: Final = 0.5

#: Ends of a road that differ by less are level. [m]
LEAST_RISE_M: Final = 20.0

#: How far a mass may be off, as a share: as told, and of the class. Common practice.
MASS_TOLD: Final = Size(0.02, "of the mass", "a mass that somebody told, as it was driven")
MASS_ASSUMED: Final = Size(0.08, "of the mass", "that of its class")

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
class Level:
    """What the level road takes, and where that is from.

    "read": legs of the same study that begin and end at one height; "heights": the way up less what lifting took; "usual": from
    the two ways, with usual efficiencies.
    """

    wh_per_km: float
    sd_wh_per_km: float
    source: Literal["read", "heights", "usual"]
    legs: tuple[str, ...] = ()
    share: float = 0.0  # of a descent at the wheels that a usual drive gives back and spends again
    efficiency: float = 0.0  # of the drive
    between: Interval | None = None  # braked all along, and one slope; of "usual" [Wh/km]

    def interval(self, deviate: float) -> Interval:
        """Ends at so many standard deviations of its logarithm: no level road gives energy back. [Wh/km]"""
        factor = math.exp(deviate * self.sd_wh_per_km / self.wh_per_km)
        return self.wh_per_km / factor, self.wh_per_km * factor


@dataclass(frozen=True, slots=True)
class Hill:
    """Up and down by one configuration, beside the level road as it would have taken then.

    `costs_wh` is what the way up took beyond the level road, `comes_back_wh` by how much less the way down took than the level
    road: charge that came back counts, and so does what had not to be drawn. Their share cannot pass 100 %.
    """

    vehicle: str
    configuration: str
    up: Way
    down: Way
    level: Level | None = None
    level_interval: Interval | None = None
    share_interval_percent: Interval | None = None
    lift_wh: float | None = None  # mass times height, where somebody gave the road's heights
    rise_m: float | None = None

    @property
    def costs_wh(self) -> float | None:
        """What the way up took beyond the level road."""
        return None if self.level is None else self.up.wh - self.level.wh_per_km * self.up.km

    @property
    def comes_back_wh(self) -> float | None:
        """By how much less than the level road the way down took."""
        return None if self.level is None else self.level.wh_per_km * self.down.km - self.down.wh

    @property
    def share_percent(self) -> float | None:
        """How much of what the hill cost came back; None where it cost nothing, or nothing came."""
        costs, back = self.costs_wh, self.comes_back_wh
        return None if costs is None or back is None or costs <= 0 or back <= 0 else 100 * min(back / costs, 1.0)

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


def hills(study: Study, traces: Mapping[str, Trace], vehicle: str = "") -> tuple[Hill, ...]:
    """State what a hill costs, of each configuration that was read both ways.

    Parameters
    ----------
    study : Study
        Of one vehicle. Every configuration of a climb; of other studies the one that is not compared, where its ways differ.
    traces : mapping of leg name to Trace
    vehicle : str, optional
        Its id.

    Returns
    -------
    tuple of Hill
        None where no distance, or no energy, is known.
    """
    alone = one_configuration(study)
    wanted = study.configurations if study.method == "climb" else () if alone is None else (alone,)
    found = []
    for configuration in wanted:
        ways = _ways(study, configuration.id, traces)
        if ways is None:
            continue
        up, down, flat = ways
        if study.method != "climb" and up.wh_per_km - down.wh_per_km < HILL * (up.wh_per_km + down.wh_per_km) / 2:
            continue
        found.append(_hill(study, vehicle, configuration.id, up, down, flat))
    return tuple(found)


def _ways(study: Study, configuration: str, traces: Mapping[str, Trace]) -> tuple[Way, Way, Way | None] | None:
    """Up, down and level, as read; None where up or down is missing, or what nobody can tell as energy."""
    legs = [x for x in study.legs if x.included and x.configuration == configuration]
    read = signed_readings(study, legs, traces)
    if not all(scale_told(study.vehicle, r.instrument) for r in read.values()):
        return None
    sides: dict[str, list[Leg]] = {"up": [], "down": [], "level": []}
    for leg in legs:
        if leg.leg in read and (leg.distance_km or leg.gps_distance_km):
            down = is_down(leg, read[leg.leg].energy_wh)
            sides["level" if leg.direction == "loop" else "down" if down else "up"].append(leg)

    def way(own: Sequence[Leg]) -> Way:
        each = [read[x.leg] for x in own]
        km = sum(float(x.gps_distance_km or x.distance_km or 0.0) for x in own)
        return Way(tuple(x.leg for x in own), sum(r.energy_wh for r in each), math.hypot(*(r.sd_wh for r in each)), km)

    if not sides["up"] or not sides["down"]:
        return None
    one, other = way(sides["up"]), way(sides["down"])
    flat = way(sides["level"]) if sides["level"] else None
    # On a road that nobody called a climb, "out" may be the way down.
    ordered = study.method == "climb" or one.wh_per_km >= other.wh_per_km
    return (one, other, flat) if ordered else (other, one, flat)


def _hill(study: Study, vehicle: str, configuration: str, up: Way, down: Way, flat: Way | None) -> Hill:
    """One hill, beside the level road as far as anything tells of it."""
    lift, rise = _lift(study, len(up.legs))
    level = _level(study, up, down, flat, lift)
    if level is None or level.wh_per_km <= 0:
        return Hill(vehicle, configuration, up, down, lift_wh=lift, rise_m=rise)
    deviate = intervals.deviate(study.confidence)
    made = Hill(vehicle, configuration, up, down, level, level.interval(deviate), None, lift, rise)
    costs, back = made.costs_wh, made.comes_back_wh
    if costs is None or back is None or costs <= 0 or back <= 0:
        return made
    # The level moves both ends, one up and one down; the ways' own steps beside it.
    by_level = level.sd_wh_per_km * (down.km * costs + back * up.km) / costs**2
    half = deviate * math.hypot(by_level, down.sd_wh / costs, back * up.sd_wh / costs**2)
    share = min(back / costs, 1.0)
    return replace(made, share_interval_percent=(100 * max(share - half, 0.0), 100 * min(share + half, 1.0)))


def _level(study: Study, up: Way, down: Way, flat: Way | None, lift_wh: float | None) -> Level | None:
    """What the level road takes: as read; by what lifting took; or from the two ways, with usual efficiencies."""
    k = study.vehicle.constants()
    drive, off = k.drive_efficiency, k.drive_efficiency_sd / k.drive_efficiency
    if flat is not None:
        sd = math.hypot(
            flat.sd_wh, scatter_sd(flat.wh, flat.km), scatter_sd(flat.wh_per_km * up.km, up.km) * flat.km / up.km
        )
        return Level(flat.wh_per_km, sd / flat.km, "read", flat.legs)
    if lift_wh is not None:
        mass_off = MASS_ASSUMED if "mass_kg" in k.assumed else MASS_TOLD
        flat_wh = up.wh - lift_wh / drive
        sd = math.hypot(up.sd_wh, lift_wh / drive * math.hypot(off, mass_off), scatter_sd(flat_wh, up.km))
        return Level(flat_wh / up.km, sd / up.km, "heights", efficiency=drive)
    return _by_both_ways(up, down, drive * k.regen_efficiency, math.hypot(off, REGENERATION.sd))


def _by_both_ways(up: Way, down: Way, share: float, share_sd: float) -> Level | None:
    """What the level road takes, by two ways of which nobody knows how steep they were where.

    On one slope all the way the wheels give, on the way down, what the hill gives less what the level road takes: back = (up
    \u2212 both level ways) \u00d7 share; where nothing comes back on the whole nothing was braked, and the level road is the mean. The
    more the slope changes, the more is braked and spent again: at most all that the hill gives. Between these.
    """
    km = up.km + down.km
    mean, half = (up.wh + down.wh) / km, (up.wh_per_km - down.wh_per_km) / 2
    low = mean - half * (1 - share) / (1 + share)
    high, by_share, by_down = mean, 0.0, down.sd_wh
    if down.wh < 0:
        if share <= 0:
            return None
        high = (up.wh + down.wh / share) / km
        by_share, by_down = -down.wh / share * share_sd, down.sd_wh / share
    level = (low + high) / 2
    own = scatter_sd(level * km, km)
    sd = math.hypot((high - low) / math.sqrt(12.0), math.hypot(up.sd_wh, by_down, by_share, own) / km)
    return Level(level, sd, "usual", share=share, between=(low, high))


def scatter_sd(wh: float, km: float) -> float:
    """What like drives of a way differ by, of its level energy. [Wh]"""
    return SCATTER_SHARE * math.sqrt(SCATTER_KM / km) * abs(wh)


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

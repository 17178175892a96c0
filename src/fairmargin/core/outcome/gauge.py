"""What the car's gauge promised, and what came: trip by trip, and what that says of the gauge."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from typing import Final

from fairmargin.core.laws.rolling import GRAVITY_M_S2
from fairmargin.core.result.pairs import paired_interval
from fairmargin.core.study import Leg, Study
from fairmargin.core.study.cells import vehicle_of
from fairmargin.core.words import signed

ENOUGH: Final = 3  # trips of which an interval is said
LEAST_USE: Final = 5.0  # per cent of the battery that a trip must be promised to take, for a share of it to be said


@dataclass(frozen=True, slots=True)
class Promise:
    """One trip: charge promised for its end and found there, per cent of full."""

    title: str
    leg: str
    day: date | None
    km: float | None
    start_percent: float | None
    promised_percent: float
    found_percent: float
    kwh_short: float | None  # energy that was taken beyond what was promised; None where no capacity is known
    climb_kwh: float | None  # of all that was taken, what lifting the vehicle took; None where no heights are known

    @property
    def short_percent(self) -> float:
        """How much less was found than was promised."""
        return self.promised_percent - self.found_percent

    @property
    def share_percent(self) -> float | None:
        """How much more was taken than was promised to be, per cent of the promise; None where little was."""
        if self.start_percent is None:
            return None
        promised = self.start_percent - self.promised_percent
        return None if promised < LEAST_USE else 100.0 * self.short_percent / promised


@dataclass(frozen=True, slots=True)
class Expected:
    """Charge to expect at the end of one trip more, per cent of full, and its interval."""

    percent: float
    interval_percent: tuple[float, float]
    trips: int

    def words(self, confidence: float = 0.95) -> str:
        """In one sentence."""
        low, high = self.interval_percent
        return (
            f"Expect about {self.percent:.0f} % at the end ({max(low, 0.0):.0f} to {high:.0f} %, {100 * confidence:g} %), by "
            f"{self.trips} trips before."
            + (" It may not be enough: charge on the way, or leave with more." if low <= 0 else "")
        )


@dataclass(frozen=True, slots=True)
class GaugeRecord:
    """Every promise of one vehicle's gauge, and what they say together."""

    promises: tuple[Promise, ...]
    mean_percent: float | None = None
    interval_percent: tuple[float, float] | None = None  # t interval of the mean, trips taken as independent
    share_percent: float | None = None
    share_interval: tuple[float, float] | None = None

    def expected(self, start_percent: float, promised_percent: float, confidence: float = 0.95) -> Expected | None:
        """What to expect at the end of a trip, by how far the gauge was off before; None while too little is known.

        The mean share that trips took beyond the promise, and the t interval of one trip more [1]_.

        References
        ----------
        .. [1] G. E. P. Box, J. S. Hunter, W. G. Hunter, "Statistics for Experimenters", 2nd ed. (2005), sec. 3 (from memory):
           ȳ ± t s √(1 + 1/n) for the next observation.
        """
        shares = [p.share_percent for p in self.promises if p.share_percent is not None]
        takes = start_percent - promised_percent
        found = paired_interval(shares, confidence) if len(shares) >= ENOUGH else None
        if found is None or takes <= 0:
            return None
        mean, low, high = found
        half = (high - low) / 2.0 * math.sqrt(len(shares) + 1.0)

        def left(share: float) -> float:
            return start_percent - takes * (1.0 + share / 100.0)

        return Expected(left(mean), (left(mean + half), left(mean - half)), len(shares))

    def words(self) -> str:
        """What may be said of the gauge."""
        n = len(self.promises)
        if not n:
            return "No trip has a forecast and what was found: note the charge that the car promises before a trip, and its charge at the end."
        if self.interval_percent is None or self.mean_percent is None:
            return f"{n} trip{'s' if n > 1 else ''}: of at least {ENOUGH} something can be said of the gauge."
        low, high = self.interval_percent
        text = f"Over {n} trips the gauge promised {abs(self.mean_percent):.1f} % of the battery too {'much' if self.mean_percent > 0 else 'little'} ({signed(low)} to {signed(high)})"
        if self.share_percent is not None and self.share_interval is not None:
            a, b = self.share_interval
            text += f": a trip takes {signed(self.share_percent, 0)} % against what it says ({signed(a, 0)} to {signed(b, 0)} %)"
        if low <= 0 <= high:
            text += ". It may as well be right on average"
        return text + "."


def promises_of(study: Study) -> tuple[Promise, ...]:
    """Legs of a study whose end was forecast and read."""
    return tuple(
        _promise(study, leg)
        for leg in study.legs
        if leg.included and leg.forecast_end_percent is not None and leg.soc_end_percent is not None
    )


def _promise(study: Study, leg: Leg) -> Promise:
    capacity = vehicle_of(study, leg.vehicle).capacity_kwh
    promised, found = float(leg.forecast_end_percent or 0.0), float(leg.soc_end_percent or 0.0)
    return Promise(
        title=study.title,
        leg=leg.leg,
        day=leg.started_at.date() if leg.started_at else None,
        km=leg.gps_distance_km or leg.distance_km,
        start_percent=leg.soc_start_percent,
        promised_percent=promised,
        found_percent=found,
        kwh_short=None if capacity is None else (promised - found) * float(capacity) / 100.0,
        climb_kwh=climb_kwh(study, leg),
    )


def climb_kwh(study: Study, leg: Leg) -> float | None:
    """Energy from the battery for the height gained on a leg, negative for what a descent can give back. [kWh]

    m g h over the driveline up, times the share of regeneration down.
    """
    heights = [p.elevation_m for p in study.route if p.elevation_m is not None]
    if len(heights) < 2 or leg.direction not in {"out", "back"}:
        return None
    gained = float(heights[-1]) - float(heights[0])
    if leg.direction == "back":
        gained = -gained
    k = vehicle_of(study, leg.vehicle).constants()
    mass = (
        k.mass_kg + float(study.configuration(leg.configuration).mass_delta_kg or 0.0) + float(leg.mass_delta_kg or 0.0)
    )
    lifted = mass * GRAVITY_M_S2 * gained / 3.6e6
    return lifted / k.drive_efficiency if gained > 0 else lifted * k.regen_efficiency


def gauge_record(studies: Sequence[Study], vehicle: str, confidence: float = 0.95) -> GaugeRecord:
    """What the gauge of a vehicle promised over all studies, and what came.

    Parameters
    ----------
    studies : sequence of Study
    vehicle : str
        Its name.
    confidence : float
    """
    found = []
    for study in studies:
        for promise in promises_of(study):
            if vehicle_of(study, study.leg(promise.leg).vehicle).name == vehicle:
                found.append(promise)
    found.sort(key=lambda p: (p.day or date.min, p.title, p.leg))
    if len(found) < ENOUGH:
        return GaugeRecord(tuple(found))
    mean, low, high = paired_interval([p.short_percent for p in found], confidence) or (0.0, 0.0, 0.0)
    shares = [p.share_percent for p in found if p.share_percent is not None]
    share = paired_interval(shares, confidence) if len(shares) >= ENOUGH else None
    return GaugeRecord(
        tuple(found), mean, (low, high),
        None if share is None else share[0], None if share is None else (share[1], share[2]),
    )  # fmt: skip

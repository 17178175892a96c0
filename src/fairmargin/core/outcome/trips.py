"""A trip: its stops, how long it takes, what it costs, and with what charge one arrives.

Charging goes to a level, read off the gauge, so that what is uncertain of an arrival is what was used since the last stop.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core import intervals
from fairmargin.core.inference.prediction import Band
from fairmargin.core.laws.charging import hours_to_level
from fairmargin.core.outcome.asking import Askable
from fairmargin.core.outcome.charging_stops import (
    CannotArrive,
    Chosen,
    charger_kw,
    efficiency,
    overhead_h,
    pauses_h,
    quickest,
    unhitch_min,
)
from fairmargin.core.outcome.way import Way, driving_h, way_of
from fairmargin.core.study import Study
from fairmargin.core.study.trip import Charger, Trip
from fairmargin.core.units import said

Array = NDArray[np.float64]

BAND: Final = 0.9  # of arrivals lie within the band that is drawn
PROFILE_POINTS: Final = 121
REFUEL_MIN: Final = 8.0  # a stop for fuel; common practice


@dataclass(frozen=True, slots=True)
class Arrival:
    """Charge on arrival, per cent of full, and the chances of what was wished for and of arriving at all."""

    percent: float
    interval: tuple[float, float]
    chance: float
    chance_at_all: float


@dataclass(frozen=True, slots=True)
class Stop:
    """A stop to charge: levels in per cent of full, times in minutes."""

    charger: Charger
    arrival: Arrival
    leave_percent: float
    charging_min: float
    other_min: float  # parking, unhitching
    waiting_min: float  # expected
    kwh: float  # dispensed
    cost: float | None
    at_h: float  # since setting off


@dataclass(frozen=True, eq=False, slots=True)
class Profile:
    """Charge along the way, with its band; a stop is two points at one place."""

    km: Array
    percent: Array
    low: Array
    high: Array


@dataclass(frozen=True, eq=False, slots=True)
class TripPlan:
    """A planned trip."""

    trip: Trip
    configuration: str
    stops: tuple[Stop, ...]
    arrival: Arrival
    profile: Profile
    driving_h: float
    charging_h: float
    pauses_h: float
    waiting_h: float  # expected
    other_h: float
    total_h: float
    late_h: float  # total, were there a queue at every stop
    kwh: float  # used on the way
    kwh_interval: tuple[float, float]
    wh_per_km: float
    cost: float | None  # of what the way used and its roads
    cost_interval: tuple[float, float] | None
    missing: tuple[str, ...]  # prices that are not known
    home_kwh: float  # of what the way used, what was in the battery before
    home_wall_kwh: float  # and what the wall gave for it
    home_price: float | None
    roads_cost: float
    open_by: tuple[
        tuple[str, float], ...
    ]  # what leaves the energy of the way open, half nine times in ten [% of it], the most first
    not_driven: tuple[str, ...]

    def arrival_at(self) -> datetime | None:
        """When one arrives."""
        return None if self.trip.depart_at is None else self.trip.depart_at + timedelta(hours=self.total_h)


def plan_trip(study: Study, asking: Askable, trip: Trip) -> TripPlan:
    """Plan a trip.

    Parameters
    ----------
    study : Study
    asking : Asking
        Of the vehicle, see `asking.askings`.
    trip : Trip
        With stops chosen by hand, these are made; else the quickest are found.

    Raises
    ------
    CannotArrive
        If no choice of stops brings the vehicle there with the reserves wished for.
    ValueError
        As `way_of`.
    """
    return plan_way(way_of(study, asking, trip))


def plan_way(way: Way) -> TripPlan:
    """Plan a trip whose stretches were asked already; errors as `plan_trip`."""
    driven = _Driven(way)
    for c in quickest(way):
        driven.stop(c)
    return driven.told()


class _Driven:
    """A trip driven on paper, from stop to stop."""

    def __init__(self, way: Way) -> None:
        self.way, self.trip = way, way.trip
        self.full_wh = 1000.0 * way.capacity_kwh
        self.level, self.at_km, self.now_h = way.trip.start_percent / 100.0, 0.0, 0.0
        self.pauses_h = self.charging_h = 0.0
        self.stops: list[Stop] = []
        self.points: list[tuple[float, float, float, float]] = []

    def drive(self, km: float, floor: float) -> Arrival:
        """Drive on to a place; a level to arrive with is wished for."""
        count = max(2, round(PROFILE_POINTS * (km - self.at_km) / self.trip.km))
        ends = np.linspace(self.at_km, km, count)[1:]
        band = self.way.band(self.at_km, ends.tolist())
        tail, last = (1.0 - BAND) / 2.0, len(ends) - 1
        self.points.append((self.at_km, self.level, self.level, self.level))
        least, most = band.about(BAND)
        levels = self.level - np.stack([band.wh, most, least]) / self.full_wh
        levels[:, -1] = [
            self.level - wh / self.full_wh
            for wh in (float(band.wh[last]), band.quantile(last, 1 - tail), band.quantile(last, tail))
        ]
        self.points += [(x, *triple) for x, triple in zip(ends.tolist(), levels.T.tolist(), strict=True)]
        begin, end = self.way.driving_h(np.array([self.at_km, km])).tolist()
        rest = float(pauses_h(self.trip, end - begin))
        self.pauses_h += rest
        self.now_h += end - begin + rest
        _, middle, low, high = self.points[-1]
        arrival = Arrival(
            percent=100 * middle,
            interval=(100 * low, 100 * high),
            chance=band.chance_within(last, (self.level - floor) * self.full_wh),
            chance_at_all=band.chance_within(last, self.level * self.full_wh),
        )
        self.level, self.at_km = middle, km
        return arrival

    def stop(self, c: Chosen) -> None:
        """Drive to a charger and charge there."""
        trip, way = self.trip, self.way
        arrival = self.drive(c.charger.at_km, trip.reserve_percent / 100.0)
        leave = max(c.leave, self.level)
        levels = [max(self.level, 0.0), leave]
        begin, end = hours_to_level(levels, way.capacity_kwh, way.taper, charger_kw(trip, c.charger)).tolist()
        kwh = (leave - self.level) * way.capacity_kwh / efficiency(trip)
        price = c.charger.price_per_kwh if c.charger.price_per_kwh is not None else trip.price_per_kwh
        self.stops.append(
            Stop(
                charger=c.charger,
                arrival=arrival,
                leave_percent=100 * leave,
                charging_min=60 * (end - begin),
                other_min=trip.stop_min + unhitch_min(trip, c.charger),
                waiting_min=trip.queue_chance * trip.queue_min,
                kwh=kwh,
                cost=None if price is None else kwh * float(price),
                at_h=self.now_h,
            )
        )
        self.now_h += end - begin + overhead_h(trip, c.charger)
        self.charging_h += end - begin
        self.level = leave

    def told(self) -> TripPlan:
        """Drive to the end, and say everything there is to say."""
        trip, way, stopped = self.trip, self.way, len(self.stops)
        arrival = self.drive(trip.km, trip.arrive_percent / 100.0)
        whole = way.band(0.0, [trip.km])
        low, high = whole.interval(0, BAND)
        wh = float(whole.wh[0])
        missing = self._missing(wh)
        cost, spread = (None, None) if missing else self._cost(wh, (low, high))
        profile = 100 * np.array(self.points) / [100, 1, 1, 1]
        queueing = (1.0 - trip.queue_chance) * trip.queue_min / 60.0 if trip.queue_chance else 0.0
        return TripPlan(
            trip=trip,
            configuration=way.configuration,
            stops=tuple(self.stops),
            arrival=arrival,
            profile=Profile(*profile.T),
            driving_h=float(way.driving_h(np.array([trip.km]))[0]),
            charging_h=self.charging_h,
            pauses_h=self.pauses_h,
            waiting_h=stopped * trip.queue_chance * trip.queue_min / 60.0,
            other_h=sum(s.other_min for s in self.stops) / 60.0,
            total_h=self.now_h,
            late_h=self.now_h + stopped * queueing,
            kwh=wh / 1000.0,
            kwh_interval=(low / 1000.0, high / 1000.0),
            wh_per_km=wh / trip.km,
            cost=cost,
            cost_interval=spread,
            missing=missing,
            home_kwh=self._at_home_kwh(wh),
            home_wall_kwh=self._at_home_kwh(wh) / self._home_efficiency,
            home_price=self._home_price,
            roads_cost=trip.road_price_per_km * trip.km,
            open_by=_open_by(whole),
            not_driven=tuple(dict.fromkeys(w for a in way.asked for w in way.asking.not_driven(a))),
        )

    def _at_home_kwh(self, wh: float) -> float:
        """Of what the way uses, what was not charged on it."""
        return max(wh / 1000.0 - sum(s.kwh for s in self.stops) * efficiency(self.trip), 0.0)

    @property
    def _home_efficiency(self) -> float:
        return float(self.way.vehicle.constants().charging_efficiency)

    @property
    def _home_price(self) -> float | None:
        trip = self.trip
        price = trip.price_per_kwh if trip.home_price_per_kwh is None else trip.home_price_per_kwh
        return None if price is None else float(price)

    def _missing(self, wh: float) -> tuple[str, ...]:
        """Prices that are needed and not known."""
        found = []
        if any(s.cost is None for s in self.stops):
            found.append("the price per kWh at the chargers")
        if self._at_home_kwh(wh) > 0 and self._home_price is None:
            found.append("the price per kWh at home")
        return tuple(found)

    def _cost(self, wh: float, interval: tuple[float, float]) -> tuple[float, tuple[float, float]]:
        """What the way's energy and roads cost; more or less of it is bought at the mean of what was paid."""
        at_home = float(self._home_price or 0.0) / self._home_efficiency
        roads = self.trip.road_price_per_km * self.trip.km
        energy = sum(float(s.cost or 0.0) for s in self.stops) + self._at_home_kwh(wh) * at_home
        low, high = (roads + energy * e / wh for e in interval)
        return roads + energy, (low, high)


def _open_by(whole: Band) -> tuple[tuple[str, float], ...]:
    """What leaves the energy of a whole way open, by source, the most first. [%]"""
    deviate = intervals.deviate(BAND)
    each = {name: 100.0 * deviate * math.sqrt(float(v[0])) for name, v in whole.sources.items()}
    return tuple(sorted(each.items(), key=lambda x: -x[1]))


# ---------------------------------------------------------------- beside it


@dataclass(frozen=True, slots=True)
class Fuelled:
    """The same way in a vehicle that burns fuel."""

    litres: float
    stops: int
    total_h: float
    cost: float | None


def fuelled(trip: Trip) -> Fuelled | None:
    """The way in a fuel vehicle whose consumption was given; None where it was not. Of a trip whose speeds are told."""
    if trip.fuel_l_per_100km is None or not trip.stretches:
        return None
    litres = float(trip.fuel_l_per_100km) * trip.km / 100.0
    tank = float(trip.fuel_tank_l) if trip.fuel_tank_l else math.inf
    stops = max(math.ceil(litres / (0.9 * tank)) - 1, 0) if math.isfinite(tank) else 0
    driving = driving_h(trip)
    hours = driving + trip.fuel_pauses * trip.pause_min / 60.0 + stops * REFUEL_MIN / 60.0
    price = trip.fuel_price_per_l
    cost = None if price is None else litres * float(price) + trip.fuel_road_price_per_km * trip.km
    return Fuelled(litres, stops, hours, cost)


@dataclass(frozen=True, slots=True)
class WhatIf:
    """The same trip in another case: how much later, how much more; or why it cannot be done."""

    name: str
    later_h: float | None
    more_kwh: float | None
    more_cost: float | None
    stops: int | None
    why_not: str = ""


HEAD_WIND_MS: Final = 5.0
COLDER_K: Final = 15.0
SLOWER_KMH: Final = 10.0


def what_ifs(study: Study, asking: Askable, plan: TripPlan) -> tuple[WhatIf, ...]:
    """What a head wind, cold, rain, a slower drive, and its most used charger out of order would do to a plan."""
    trip = plan.trip.with_(stop_at_km=())
    usual = asking.reference_c if trip.temperature_c is None else float(trip.temperature_c)
    cases: list[tuple[str, Trip]] = [
        (f"{said(HEAD_WIND_MS, 'm/s')} more head wind", trip.with_(head_wind_ms=trip.head_wind_ms + HEAD_WIND_MS)),
        (f"{said(COLDER_K, 'K')} colder", trip.with_(temperature_c=max(usual - COLDER_K, -40.0))),
        ("rain", trip.with_(road="wet")),
        (
            f"{said(SLOWER_KMH, 'km/h')} slower",
            trip.with_(
                stretches=tuple(
                    s.with_(speed_kmh=max((s.speed_kmh or SLOWER_KMH) - SLOWER_KMH, 20.0)) for s in trip.stretches
                )
            ),
        ),
    ]
    if plan.stops:
        most = max(plan.stops, key=lambda s: s.kwh).charger
        out = tuple(c.with_(working=c.working and c.at_km != most.at_km) for c in trip.chargers)
        cases.append((f"{most.label} out of order", trip.with_(chargers=out)))
    found = []
    for name, case in cases:
        try:
            other = plan_trip(study, asking, case.with_(configuration=plan.configuration))
        except CannotArrive as why:
            found.append(WhatIf(name, None, None, None, None, str(why)))
            continue
        more = None if other.cost is None or plan.cost is None else other.cost - plan.cost
        found.append(WhatIf(name, other.total_h - plan.total_h, other.kwh - plan.kwh, more, len(other.stops)))
    return tuple(found)


def returning(trip: Trip) -> Trip:
    """The way back: stretches, climbs and chargers turned round, and the wind with them."""
    whole = trip.km
    return trip.with_(
        name=f"{trip.name}, back" if trip.name else "back",
        stretches=tuple(s.with_(climb_m=-s.climb_m) for s in reversed(trip.stretches)),
        chargers=tuple(c.with_(at_km=round(whole - c.at_km, 3)) for c in reversed(trip.chargers)),
        stop_at_km=(),
        head_wind_ms=-trip.head_wind_ms,
        depart_at=None,
    )


def with_stop_moved(plan: TripPlan, which: int, to_km: float) -> Trip:
    """The trip with one stop moved to the charger nearest a place; the others stay as they are."""
    chargers = plan.trip.chargers
    taken = [s.charger.at_km for s in plan.stops]
    others = [km for i, km in enumerate(taken) if i != which]
    free = [c.at_km for c in chargers if c.working and c.at_km not in others]
    nearest = min(free, key=lambda km: abs(km - to_km)) if free else taken[which]
    return plan.trip.with_(stop_at_km=tuple(sorted([*others, nearest])))

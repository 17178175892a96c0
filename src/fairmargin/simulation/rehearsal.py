"""A rehearsal: a virtual car that drives a planned study when told to, with a truth nobody sees beforehand.

The whole day is simulated at the start (`fairmargin.simulation.day`); the car then plays it leg by leg
against the drive's clock, and its trip meter is reset and read like a real one.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime, time
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.study import Leg, RoutePoint, Study, Trace, Vehicle
from fairmargin.core.study.cells import held_kmh, vehicle_of
from fairmargin.core.study.layout import as_planned, sectors_read, ways
from fairmargin.core.study.sectors import marked
from fairmargin.simulation.day import DayPlan, simulate
from fairmargin.simulation.drive import cumulated
from fairmargin.simulation.mishaps import NOTHING, Beset, Mishap, MishapKind, Sight, beset
from fairmargin.simulation.road import road_of, straight_road
from fairmargin.simulation.sealed import MISHAPS, ORDER, SEED

Array = NDArray[np.float64]

METHODS: Final = ("out-and-back", "one-way", "loop", "laps")
RUN_OUT_S: Final = 3.0
PACK_V: Final = 355.0
SPARE: Final = "AB"  # sides that at least have a run beyond the plan, for legs that are driven again
USUAL_KMH: Final = 80.0  # where the study aims at none


@dataclass(frozen=True, slots=True)
class Dashboard:
    """What a virtual vehicle has behind its display."""

    capacity_kwh: float
    odometer: float  # shown over true distance
    speed_error_percent: float


def _dashboard(vehicle: Vehicle) -> Dashboard:
    return Dashboard(
        vehicle.usable_capacity_kwh or 52.0,
        1.0 + (vehicle.distance_error_percent or 0.0) / 100.0,
        vehicle.speed_error_percent or 0.0,
    )


@dataclass(frozen=True, slots=True)
class Rehearsal:
    """A day to be driven at the desk, and its sealed truth."""

    seed: int
    legs: Mapping[str, Trace]
    weather: Mapping[str, Leg]  # what the station reports while that leg is driven
    route: tuple[RoutePoint, ...]
    truth_percent: float | None  # of the first trial, or the second vehicle; None where nothing is compared
    truths_percent: Mapping[str, float]  # of every trial or further vehicle, by its configuration or id
    sectors_percent: Mapping[tuple[str, str], float]  # the same of each sector
    truth_wh_per_km: float  # of the baseline, at reference
    deaf_reset: str  # leg whose first reset does not take; "" = none
    cars: Mapping[str, Dashboard]  # by the vehicle that legs name
    vehicle_of: Mapping[str, str]  # of every leg
    charge_percent: float
    step: float  # of the trip average, kWh/100 km
    mishaps: tuple[Mishap, ...] = ()  # beside the deaf reset
    sights: tuple[Sight, ...] = ()
    looks_out: bool = False  # whether something is seen out of the window

    def truth_of(self, trial: str, sector: str = "") -> float | None:
        """Truth of a trial in a sector, by its configuration or vehicle; of the first where it is no trial. [%]"""
        return self.sectors_percent.get((trial, sector), self.truths_percent.get(trial, self.truth_percent))

    def car(self, leg: str) -> Dashboard:
        """The dashboard of the vehicle that drives a leg; the first's where there is no such leg."""
        return self.cars[self.vehicle_of.get(leg, next(iter(self.cars)))]


def is_repeat(study: Study, leg: Leg) -> bool:
    """Whether a leg is another one driven again (its name with .2 and so on behind)."""
    stem, dot, number = leg.leg.rpartition(".")
    return bool(dot) and number.isdigit() and any(x.leg == stem for x in study.legs)


def prepared(study: Study, seed: int, today: date, mishaps: bool = False) -> Study:
    """Copy a planned study for a rehearsal: nothing driven yet, a road to drive, gates, the seed kept.

    With `mishaps` something may go wrong on some of its legs (`simulation.mishaps`).

    Raises
    ------
    ValueError
        If it cannot be rehearsed, in words.
    """
    loop = study.method in {"loop", "laps"}
    sectors = sectors_read(study)
    blank = [as_planned(leg) for leg in study.legs if not is_repeat(study, leg)]
    route = study.route
    try:
        road_of(route)
    except ValueError:
        route = straight_road(np.random.default_rng([seed, 78]), 6200.0 if loop else 18_400.0, loop).points
    if len(sectors) > 1 and tuple(dict.fromkeys(marked(route))) != sectors:
        route = _in_equal_parts(route, sectors)
    plan = study.plan
    whole = route[-1].distance_m - route[0].distance_m
    if not loop and len(sectors) == 1 and (plan.gate_start_m is None or plan.gate_end_m is None):
        # The virtual driver turns on ramps up to 700 m long and lifts off up to 450 m before.
        plan = plan.with_(gate_start_m=1100.0, gate_end_m=whole - 1250.0)
    plan = plan.with_(
        day=plan.day or today, details={**plan.details, SEED: str(seed), **({MISHAPS: "hidden"} if mishaps else {})}
    )
    copy = study.with_(
        title=f"{study.title or 'Study'} (rehearsal)", legs=(), events=(), weather=(), route=(), plan=plan
    )
    details = {**plan.details, ORDER: ",".join(leg.leg for leg in blank)}
    copy = copy.with_(legs=tuple(blank), route=route, plan=plan.with_(details=details))
    rehearse(copy, seed)
    return copy


def _in_equal_parts(route: Sequence[RoutePoint], sectors: Sequence[str]) -> tuple[RoutePoint, ...]:
    """The route with its sectors marked: nobody said where they begin."""
    first, whole = route[0].distance_m, route[-1].distance_m - route[0].distance_m
    last = len(sectors) - 1
    return tuple(p.with_(sector=sectors[min(int(len(sectors) * (p.distance_m - first) / whole), last)]) for p in route)


def _as_sealed(study: Study) -> Study:
    """The study with the legs that were sealed, in their order: runs that were swapped or added on the road move no truth."""
    names = study.plan.details.get(ORDER, "").split(",")
    by_name = {leg.leg: leg for leg in study.legs}
    if all(name in by_name for name in names):
        return study.with_legs(by_name[name] for name in names)
    return study.with_legs(leg for leg in study.legs if not is_repeat(study, leg))


def _refuse_what_cannot_be(study: Study) -> None:
    if study.method not in METHODS:
        raise ValueError(f"{study.method} studies cannot be rehearsed; expected {', '.join(METHODS)}")
    if not study.vehicles_take_turns and any(leg.vehicle for leg in study.legs):
        raise ValueError("vehicles that drive at once cannot be rehearsed at one desk; those that take turns can")
    if any(vehicle_of(study, name).energy != "electric" for name in {leg.vehicle for leg in study.legs} | {""}):
        raise ValueError("only an electric vehicle can be rehearsed")
    if not study.legs:
        raise ValueError("no legs are planned; lay the runs out in Plan first")


_Run = tuple[str, float]  # letter of an order, speed to hold [km/h]


def _planned_runs(study: Study) -> tuple[list[_Run], list[_Run]]:
    """Runs of the plan; and beyond them one of each kind, for legs that are driven again."""
    runs = [
        (letter, held_kmh(study, legs[0]) or USUAL_KMH)
        for letter, (_, legs) in zip(study.order, study.runs(), strict=True)
    ]
    one_speed = len({v for _, v in runs}) == 1
    spare = [x for x in SPARE if x in study.lettered]
    kinds = {*runs, *((letter, runs[0][1]) for letter in spare)} if one_speed else set(runs)
    return runs, sorted(kinds)


def _day_of(study: Study, seed: int, runs: Sequence[_Run], rng: np.random.Generator) -> DayPlan:
    """The virtual day: what each trial does, drawn by lot, and the weather."""
    # One rehearsal in five has nothing to find.
    effect = 0.0 if rng.random() < 0.2 else float(rng.choice([-1, 1]) * rng.uniform(2.0, 8.0))
    speeds = tuple(v for _, v in runs)
    as_speed = study.change.subject in {"speed", "vehicle"}  # then nothing is worn, and the speed or vehicle is all
    more = np.random.default_rng([seed, 79])
    day = study.plan.day
    return DayPlan(
        kind=study.change.kind,
        effect_percent=effect if abs(effect) > 0.01 and not as_speed else 0.0001,
        further_percent=tuple(0.0001 if as_speed else float(more.uniform(-8.0, 8.0)) for _ in list(study.lettered)[2:]),
        order="".join(letter for letter, _ in runs),
        method=study.method,
        speed_kmh=speeds[0],
        speeds_kmh=speeds if len(set(speeds)) > 1 else (),
        wind=("calm", "mixed")[int(rng.integers(0, 2))],
        samples=True,
        step=study.plan.display_step_kwh_per_100km,
        sectors=sectors_read(study),
        start=datetime.combine(day, study.plan.start) if day else datetime.combine(datetime(2026, 5, 2), time(9)),
    )


def _stand_ins(study: Study, planned: Sequence[Leg], driven: Sequence[Leg], spares: Sequence[_Run]) -> dict[str, str]:
    """Which virtual leg stands for each leg of the study; one driven again or added has one of a run beyond the plan."""
    each = len(ways(study.method)) * len(sectors_read(study))
    spare = len(spares) * each
    if len(driven) - spare != len(planned):
        raise ValueError(
            f"{len(planned)} legs are planned where {len(driven) - spare} would be driven; lay the runs out again"
        )
    found = {leg.leg: made.leg for leg, made in zip(planned, driven[:-spare], strict=True)}
    letter_of = {side: letter for letter, side in study.lettered.items()}
    for leg in study.legs:
        if leg.leg not in found:
            side = leg.vehicle if study.vehicles_take_turns else leg.configuration
            at = spares.index((letter_of[side], held_kmh(study, leg) or USUAL_KMH))
            own = driven[len(driven) - spare + at * each :][:each]
            found[leg.leg] = next(
                x.leg for x in own if each == 1 or (x.direction, x.sector) == (leg.direction, leg.sector)
            )
    return found


def _past_the_line(trace: Trace) -> Trace:
    """The same drive, held on for a moment where the leg ends on the open road: nobody brakes on the line."""
    columns = trace.columns()
    step = float(trace.time_s[-1] - trace.time_s[-2])
    more = np.arange(1, 1 + math.ceil(RUN_OUT_S / step))
    along = {"time_s", "latitude", "longitude"}
    return Trace(
        **{
            name: np.concatenate([x, x[-1] + more * (x[-1] - x[-2] if name in along else 0.0)])
            for name, x in columns.items()
        }
    )


def rehearse(study: Study, seed: int) -> Rehearsal:
    """Make a rehearsal of a planned study.

    Raises
    ------
    ValueError
        If the study cannot be rehearsed, in words.
    """
    _refuse_what_cannot_be(study)
    rng = np.random.default_rng([seed, 77])
    sealed = _as_sealed(study)
    runs, spares = _planned_runs(sealed)
    loop = study.method in {"loop", "laps"}
    try:
        road = road_of(study.route)
    except ValueError:
        road = straight_road(np.random.default_rng([seed, 78]), 6200.0 if loop else 18_400.0, loop)
    fleet = study.vehicles if study.vehicles_take_turns else ()
    known = fleet[0] if fleet else study.vehicle
    made = simulate(seed, _day_of(study, seed, (*runs, *spares), rng), road, known=known, fleet=fleet)
    of = _stand_ins(study, sealed.legs, made.study.legs, spares)
    names = [leg.leg for leg in sealed.legs]
    sides = study.lettered
    truths: Mapping[str, float] = made.truth["effects_percent"]  # type: ignore[assignment]
    by_sector: Mapping[str, Mapping[str, float]] = made.truth["sectors_percent"]  # type: ignore[assignment]
    ramps = not loop and len(sectors_read(sealed)) == 1
    legs = {name: made.traces[was] if ramps else _past_the_line(made.traces[was]) for name, was in of.items()}
    wanted = MISHAPS in study.plan.details
    happened = beset(legs, names, seed) if wanted else Beset(legs, (), ())
    return Rehearsal(
        seed=seed,
        legs=happened.legs,
        weather={name: made.study.leg(was) for name, was in of.items()},
        route=road.points,
        truth_percent=truths["B"] if "B" in sides else None,
        truths_percent={sides[x]: percent for x, percent in truths.items() if x in sides},
        sectors_percent={
            (sides[x], sector): percent for sector, own in by_sector.items() for x, percent in own.items() if x in sides
        },
        truth_wh_per_km=float(str(made.truth["baseline_wh_per_km"])),
        deaf_reset=str(rng.choice(names)) if rng.random() < 0.5 else "",
        cars={v.id: _dashboard(v) for v in fleet} if fleet else {"": _dashboard(study.vehicle)},
        vehicle_of={leg.leg: leg.vehicle if fleet else "" for leg in study.legs},
        charge_percent=study.plan.charge_start_percent,
        step=study.plan.display_step_kwh_per_100km,
        mishaps=happened.mishaps,
        sights=happened.sights,
        looks_out=wanted,
    )


@dataclass(frozen=True, slots=True)
class CarState:
    """The virtual car at a moment; speed and position are true, power positive when drawn."""

    driving: bool
    leg: str
    speed_kmh: float
    power_kw: float
    latitude: float
    longitude: float
    elevation_m: float
    soc_percent: float
    temperature_c: float


@dataclass(frozen=True, slots=True)
class Display:
    """What the car shows its driver."""

    trip_km: float
    average_kwh_per_100km: float
    soc_percent: int
    speed_kmh: int


@dataclass(frozen=True, eq=False, slots=True)
class _Drive:
    leg: str
    begun: float
    trace: Trace
    km: Array  # cumulated
    kwh: Array


class VirtualCar:
    """Drives the legs of a rehearsal when told to, by the seconds of the drive's clock."""

    def __init__(self, rehearsal: Rehearsal) -> None:
        self.rehearsal = rehearsal
        self._done: list[_Drive] = []
        self._reset: dict[str, tuple[float, float]] = {}  # of each vehicle: km and kWh shown as zero
        self._presses: dict[str, int] = {}
        self._charged: dict[str, float] = {}  # of each: kWh put back between runs

    def depart(self, leg: str, at: float) -> None:
        """Begin a leg, again if need be (KeyError if there is no such leg)."""
        trace = self.rehearsal.legs[leg]
        km, kwh = cumulated(trace)
        drawn = self._totals(at, leg)[1]
        if self._soc(drawn, leg) - 100.0 * kwh[-1] / self.rehearsal.car(leg).capacity_kwh < 20.0:
            self._charged[self._vehicle(leg)] = drawn  # charged while it stood
        cut = self._cut(at)
        self._done = [*self._done[:-1], cut] if cut is not None else self._done
        self._done = [*self._done, _Drive(leg, at, trace, km, kwh)]

    def has_driven(self, legs: Iterable[tuple[str, float]]) -> None:
        """Stand where a day that was broken off left the car: its place, its charge, its distance.

        Parameters
        ----------
        legs
            Names and ends [s] of the legs driven before, in the order they were driven.
        """
        for leg, end in legs:
            if leg in self.rehearsal.legs:
                self.depart(leg, end - float(self.rehearsal.legs[leg].time_s[-1]))

    def _cut(self, at: float) -> _Drive | None:
        """The drive under way, ended here: a leg given up half way counts for what was driven of it."""
        last = self._done[-1] if self._done else None
        if last is None or at - last.begun >= last.trace.time_s[-1]:
            return None
        t = at - last.begun
        n = max(2, int(np.searchsorted(last.trace.time_s, t)))
        columns = {name: values[:n] for name, values in last.trace.columns().items()}
        return _Drive(last.leg, last.begun, Trace(**columns), last.km[:n], last.kwh[:n])

    def reset(self, at: float) -> None:
        """Press the trip meter's reset; once in a rehearsal it may not take."""
        last = self._done[-1] if self._done else None
        leg = last.leg if last else ""
        self._presses[leg] = self._presses.get(leg, 0) + 1
        if leg and leg == self.rehearsal.deaf_reset and self._presses[leg] == 1:
            return
        self._reset[self._vehicle(leg)] = self._totals(at, leg)

    def _vehicle(self, leg: str) -> str:
        return self.rehearsal.vehicle_of.get(leg, next(iter(self.rehearsal.cars)))

    def _totals(self, at: float, leg: str) -> tuple[float, float]:
        """What the vehicle of a leg has driven and drawn. [km, kWh]"""
        km = kwh = 0.0
        for drive in [d for d in self._done if self._vehicle(d.leg) == self._vehicle(leg)]:
            t = at - drive.begun
            km += float(np.interp(t, drive.trace.time_s, drive.km))
            kwh += float(np.interp(t, drive.trace.time_s, drive.kwh))
        return km, kwh

    def _soc(self, kwh: float, leg: str) -> float:
        whole, drawn = self.rehearsal.charge_percent, kwh - self._charged.get(self._vehicle(leg), 0.0)
        return max(0.0, whole - 100.0 * drawn / self.rehearsal.car(leg).capacity_kwh)

    @property
    def _leg(self) -> str:
        """The leg that was driven last; empty before any."""
        return self._done[-1].leg if self._done else ""

    @property
    def speed_error_percent(self) -> float:
        """Of the speedometer of the vehicle that is driven."""
        return self.rehearsal.car(self._leg).speed_error_percent

    def state(self, at: float) -> CarState:
        """Where the car is and what it does."""
        done = list(self._done)
        if not done:
            first = next(iter(self.rehearsal.legs.values()))
            return self._standing("", first, 0, 0.0)
        last = done[-1]
        t = at - last.begun
        kwh = self._totals(at, last.leg)[1]
        if t >= last.trace.time_s[-1]:
            return self._standing(last.leg, last.trace, -1, kwh)
        trace = last.trace

        def now(column: Array | None) -> float:
            return 0.0 if column is None else float(np.interp(t, trace.time_s, column))

        return CarState(
            True, last.leg, now(trace.speed_kmh), now(trace.power_kw), now(trace.latitude), now(trace.longitude),
            now(trace.elevation_m), self._soc(kwh, last.leg), self._temperature(last.leg),
        )  # fmt: skip

    def _under_way(self, at: float) -> tuple[str, float] | None:
        """Leg that is being driven and the seconds since it set off; None where the car stands."""
        last = self._done[-1] if self._done else None
        if last is None or not 0.0 <= at - last.begun < last.trace.time_s[-1]:
            return None
        return last.leg, at - last.begun

    def sight(self, at: float) -> str:
        """What is seen out of the window; empty where nobody looks out."""
        if not self.rehearsal.looks_out:
            return ""
        now = self._under_way(at)
        if now is None:
            return "where you stopped"
        leg, t = now
        return next((s.words for s in self.rehearsal.sights if s.leg == leg and s.from_s <= t <= s.to_s), NOTHING)

    def _mishap(self, kind: MishapKind, at: float) -> Mishap | None:
        now = self._under_way(at)
        if now is None:
            return None
        leg, t = now
        return next(
            (m for m in self.rehearsal.mishaps if (m.kind, m.leg) == (kind, leg) and m.from_s <= t <= m.to_s), None
        )

    def seen_by_gps(self, at: float) -> CarState:
        """What a GPS receiver makes of it: while it is frozen the place and speed of the moment it froze."""
        frozen = self._mishap("frozen GPS", at)
        return self.state(at if frozen is None else self._done[-1].begun + frozen.from_s)

    def rains(self, at: float) -> bool:
        """Whether it rains where the car is."""
        return self._mishap("rain", at) is not None

    def _standing(self, leg: str, trace: Trace, index: int, kwh: float) -> CarState:
        def there(column: Array | None) -> float:
            return 0.0 if column is None else float(column[index])

        return CarState(
            False, leg, 0.0, 0.3, there(trace.latitude), there(trace.longitude), there(trace.elevation_m),
            self._soc(kwh, leg), self._temperature(leg),
        )  # fmt: skip

    def _temperature(self, leg: str) -> float:
        known = self.rehearsal.weather.get(leg) or next(iter(self.rehearsal.weather.values()))
        return float(known.temperature_c or 15.0)

    def display(self, at: float) -> Display:
        """What stands on the car's display: rounded as displays round, by the car's own distance."""
        leg = self._leg
        km, kwh = self._totals(at, leg)
        zero_km, zero_kwh = self._reset.get(self._vehicle(leg), (0.0, 0.0))
        shown = max(0.0, (km - zero_km) * self.rehearsal.car(leg).odometer)
        step = self.rehearsal.step
        average = 100.0 * (kwh - zero_kwh) / shown if shown > 0.02 else 0.0
        state = self.state(at)
        return Display(
            round(shown, 1),
            round(round(average / step) * step, 4),
            math.floor(self._soc(kwh, leg)),
            round(state.speed_kmh * (1 + self.speed_error_percent / 100.0)),
        )

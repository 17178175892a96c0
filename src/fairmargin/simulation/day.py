"""A virtual test day.

A van is driven second by second over a road by a driver who holds the speed imperfectly, in a wind that
wanders (mean-reverting, minutes), gusts (seconds) and is reported by a station that rounds and errs, while
the day warms, tyres warm up, traffic holds it up now and then, and the display rounds. The truth of the
change is computed by driving the same van over the same road at reference conditions, without noise.

Nothing here is shared with the correction: own road load, own air (ideal mixture), own wind profile
(power law), own tyre thermal model, own driveline loss (a loss polynomial, not an efficiency).
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta
from string import ascii_uppercase
from typing import Any, Final

import numpy as np

from fairmargin.core.kinds import change_kind
from fairmargin.core.study import Change, Configuration, Event, Leg, Study, Trace, Vehicle
from fairmargin.simulation.drive import Course, Drive, drive_leg, trace_of, true_wh_per_km
from fairmargin.simulation.road import TrueRoad, parts_of, straight_road
from fairmargin.simulation.sky import Report, Sky, air_density, reported
from fairmargin.simulation.vehicle import TrueEffect, TrueVehicle, around, true_van, van_as_known

#: Mean wind, and how far it wanders. [m/s]
WINDS: Final = {"calm": (1.2, 0.5), "mixed": (3.6, 1.0), "windy": (7.0, 1.5)}
#: Share of the mast's wind that is left at the car's height.
CAR_SHARES: Final = (0.55, 0.8)
#: A stretch driven slowly: from where [m], for how long [s], how fast [m/s].
HoldUp = tuple[float, float, float]


@dataclass(frozen=True, slots=True)
class DayPlan:
    """What is driven, and in what weather."""

    kind: str = "aero covers"
    effect_percent: float = -4.0
    further_percent: tuple[float, ...] = ()  # of the trials after the first: C, D and so on
    order: str = "ABBA"
    speeds_kmh: tuple[float, ...] = ()  # of each run, where they differ
    method: str = "out-and-back"
    speed_kmh: float = 90.0
    wind: str = "mixed"  # calm, mixed, windy
    days: int = 1  # trial runs on the last day when more than one
    day_gap: int = 1
    step: float = 0.1  # display step, kWh/100 km
    instrument: str = "average"  # average, energy, charge-back, soc, logger
    samples: bool = False
    traffic: float = 0.12  # chance of a hold-up per leg
    warm_up_drive: bool = True
    wet_day: int | None = None
    scatter: float = 0.008  # typical of 18 km; each study's own is drawn around it
    start: datetime = datetime(2026, 4, 18, 8, 40)
    sample_rate_hz: float = 1.0
    temperature_c: float = 10.0
    day_warmer_k: float = 0.0  # each later day
    reported_gusts: bool = True
    swap_minutes: float = 12.0
    ramps: bool = True  # logged legs begin on one ramp and end on another, wherever the driver turned
    sectors: tuple[str, ...] = ("",)  # of the road, in its order; each is a leg of its own


@dataclass(frozen=True, slots=True)
class SimulatedStudy:
    """A study with the truth that made it."""

    study: Study
    traces: Mapping[str, Trace]
    truth: Mapping[str, object] = field(default_factory=dict)


def simulate(
    seed: int,
    plan: DayPlan,
    road: TrueRoad | None = None,
    title: str = "",
    known: Vehicle | None = None,
    van: TrueVehicle | None = None,
    fleet: Sequence[Vehicle] = (),
) -> SimulatedStudy:
    """Drive the plan and write down what the instruments would have shown.

    Parameters
    ----------
    seed : int
        Everything random follows from it.
    plan : DayPlan
    road : TrueRoad, optional
        A road to drive; one of 18.4 km is made when absent.
    title : str
    known : Vehicle, optional
        A vehicle as its owner knows it; the true one is drawn around it. Else a van.
    van : TrueVehicle, optional
        The true vehicle, where an earlier day has had it already.
    fleet : sequence of Vehicle
        Vehicles that the letters stand for, where they take turns; they wear nothing.

    Returns
    -------
    SimulatedStudy
        The study as its owner would have it, traces when asked for, and the truth.

    Raises
    ------
    ValueError
        If the order holds a letter without an effect, speeds are not one a run, or the wind word is unknown.
    """
    letters = _letters(plan)
    if plan.wind not in WINDS:
        raise ValueError(f'wind "{plan.wind}": expected one of {", ".join(WINDS)}')
    rng = np.random.default_rng(seed)
    if road is None:
        road = straight_road(rng, 6200.0 if _is_loop(plan) else 18_400.0, _is_loop(plan))
    drawn = true_van(rng)
    if van is None:
        van = drawn if known is None else around(known, drawn, rng)
    known = known or van_as_known(van, rng)
    vans = [van, *(around(v, true_van(own), own) for k, v in enumerate(fleet[1:], 1) for own in [_apart(seed, k)])]
    days = _Days(plan, road, vans, rng)
    for i in days.drive_order:
        days.drive_run(i)

    level = days.levels(letters, road)
    order = {run: k for k, run in enumerate(f"R{i + 1}" for i in days.drive_order)}
    study = Study(
        title=title or f"Simulated {plan.kind}, {plan.effect_percent:+g} %",
        change=Change(kind=plan.kind, mechanism=_declared(plan)),
        vehicle=known,
        configurations=(
            Configuration(id="A", name="Baseline", baseline=True),
            Configuration(id="B", name="Trial", mass_delta_kg=round(days.change.mass_kg, 1)),
            *(
                Configuration(id=x, name=f"Trial {x}", mass_delta_kg=round(days.worn(x).mass_kg, 1))
                for x in letters[2:]
            ),
        ),
        method=plan.method,
        target_speed_kmh=plan.speed_kmh,
        legs=tuple(sorted(days.legs, key=lambda leg: order[leg.run])),
        route=road.points,
        events=tuple(days.events),
    )
    truth = {
        "seed": seed,
        "effect_percent": (level["B"] / level["A"] - 1) * 100,
        "baseline_wh_per_km": level["A"],
        "trial_wh_per_km": level["B"],
        "effects_percent": _over_the_baseline(level),
        "sectors_percent": {
            sector: _over_the_baseline(days.levels(letters, own)) for sector, own in days.parts.items() if sector
        },
        "car_share_of_wind": days.car_share,
        "scatter": days.scatter,
        "vehicle": {name: getattr(van, name) for name in van.__dataclass_fields__},
    }
    return SimulatedStudy(study, days.traces, truth)


def _letters(plan: DayPlan) -> str:
    """Letters that have an effect, the baseline's first; ValueError where the plan asks for others, or for too few speeds."""
    letters = ascii_uppercase[: 2 + len(plan.further_percent)]
    if set(plan.order) - set(letters) or not plan.order:
        raise ValueError(f'order "{plan.order}": expected the letters {" and ".join(letters)}, such as ABBA')
    if plan.speeds_kmh and len(plan.speeds_kmh) != len(plan.order):
        raise ValueError(f"{len(plan.speeds_kmh)} speeds for {len(plan.order)} runs; expected one each")
    return letters


def _over_the_baseline(level: Mapping[str, float]) -> dict[str, float]:
    """What every other letter takes over A. [%]"""
    return {x: (own / level["A"] - 1) * 100 for x, own in level.items() if x != "A"}


def _apart(seed: int, number: int) -> np.random.Generator:
    """A further vehicle's own lot, so that it moves nothing else of the day."""
    return np.random.default_rng([seed, 81, number])


def _is_loop(plan: DayPlan) -> bool:
    return plan.method in {"loop", "laps"}


class _Days:
    """The days of a plan as they are driven: clock, sky and tyres move on with every leg."""

    def __init__(self, plan: DayPlan, road: TrueRoad, vans: Sequence[TrueVehicle], rng: np.random.Generator) -> None:
        van = vans[0]
        self.plan, self.road, self.vans, self.rng = plan, road, vans, rng
        self.parts = parts_of(road, plan.sectors)
        drawn = float(rng.uniform(*CAR_SHARES))
        self.car_share = drawn if road.car_share is None else road.car_share
        self.directions = [False] if _is_loop(plan) or plan.method == "one-way" else [False, True]
        self.change = effect_for(plan, van, road, self.directions)
        self.changes = {"A": TrueEffect(), "B": self.change}
        for letter, percent in zip(ascii_uppercase[2:], plan.further_percent, strict=False):
            self.changes[letter] = effect_for(replace(plan, effect_percent=percent), van, road, self.directions)
        if len(vans) > 1:
            self.changes = dict.fromkeys(ascii_uppercase[: len(vans)], TrueEffect())
        self.odometer = 1.0 + 0.002 * rng.normal()
        # Some testers are steadier than others, short drives less so than long ones; days weeks or a night apart are seldom alike.
        self.scatter = plan.scatter * math.exp(0.3 * float(rng.normal())) * math.sqrt(18_400.0 / road.length_m)
        self.windier = [float(np.clip(rng.weibull(2.0) / 0.886, 0.35, 2.0)) for _ in range(plan.days)]
        self.day_of_run = [0 if plan.days == 1 or letter == "A" else plan.days - 1 for letter in plan.order]
        self.drive_order = sorted(range(len(plan.order)), key=lambda i: (self.day_of_run[i], i))
        self.legs: list[Leg] = []
        self.traces: dict[str, Trace] = {}
        self.events: list[Event] = []
        self.clock, self.today = plan.start, -1
        self.calm, self.day_factor, self.tyre_cold = WINDS[plan.wind][0], 1.0, 0.0
        self.set_on = ""  # which wheels or tyres, and how cold the others lie: share and since when
        self.lain: dict[str, tuple[float, datetime]] = {}
        self.cold_at_first, self.began = 0.0, plan.start
        self.station_bias = (0.0, 0.0)
        self.sky: Sky | None = None
        self.report: Report | None = None

    def worn(self, letter: str) -> TrueEffect:
        """What the van wears in the runs of a letter."""
        return self.changes[letter]

    def van(self, letter: str) -> TrueVehicle:
        """Which vehicle drives the runs of a letter."""
        return self.vans[ascii_uppercase.index(letter)] if len(self.vans) > 1 else self.vans[0]

    def speed_kmh(self, letter: str) -> float:
        """Speed that a letter is driven at, first."""
        speeds = self.plan.speeds_kmh
        return speeds[self.plan.order.index(letter)] if speeds and letter in self.plan.order else self.plan.speed_kmh

    def levels(self, letters: str, road: TrueRoad) -> dict[str, float]:
        """What each letter truly takes on a road, at the speed it is driven at first. [Wh/km]"""
        return {
            x: true_wh_per_km(self.van(x), self.worn(x), road, self.directions, self.speed_kmh(x) / 3.6)
            for x in letters
        }

    def _speed_of_run(self, i: int) -> float:
        return self.plan.speeds_kmh[i] if self.plan.speeds_kmh else self.plan.speed_kmh

    def drive_run(self, i: int) -> None:
        """Drive one run, both ways where the plan has them, and swap."""
        if self.day_of_run[i] != self.today:
            self._new_day(self.day_of_run[i])
        self.report = None
        self._put_on(self.plan.order[i])
        for back in self.directions:
            for number, sector in enumerate(self.plan.sectors[::-1] if back else self.plan.sectors):
                self._drive_leg(i, back, sector, number > 0)
        assert self.sky is not None
        self.clock += timedelta(minutes=self.plan.swap_minutes)
        self.sky.advance(self.plan.swap_minutes * 60, self.calm)
        self.tyre_cold = min(self.van(self.plan.order[i]).cold_tyre_share, self.tyre_cold + 0.015)

    def _put_on(self, letter: str) -> None:
        """Other wheels or tyres have lain beside the car, and come on cold; those taken off cool in about an hour.

        A vehicle that waits for its turn has stood on its own, after a warm-up drive like the first's.
        """
        whole = self.van(letter).cold_tyre_share
        fleet = len(self.vans) > 1
        if (fleet or change_kind(self.plan.kind).turns_wheels) and self.set_on not in {"", letter}:
            self.lain[self.set_on] = (self.tyre_cold, self.clock)
            share, since = self.lain.get(letter, (self.cold_at_first, self.began) if fleet else (whole, self.clock))
            cooled = math.exp(-(self.clock - since).total_seconds() / 3600.0)
            self.tyre_cold = whole + (share - whole) * cooled
        self.set_on = letter

    def _new_day(self, today: int) -> None:
        plan, rng = self.plan, self.rng
        self.today = today
        late = float(rng.integers(0, 40))
        self.clock = plan.start + timedelta(days=today * plan.day_gap, minutes=late)
        spread = float(rng.uniform(0.7, 1.3)) if plan.days == 1 else self.windier[today]
        mean_wind, wander = WINDS[plan.wind]
        self.calm = max(0.3, mean_wind * spread)
        angle = float(rng.uniform(0, 2 * math.pi))
        swing = (3.0 if plan.days == 1 else 4.5) * float(rng.normal())
        temperature = plan.temperature_c + today * plan.day_warmer_k + swing
        self.sky = Sky(self.calm, angle, temperature, 1013.0 + 8 * float(rng.normal()), wander, rng)
        self.day_factor = 1 + (0.006 * float(rng.normal()) if plan.days > 1 else 0.0)
        self.station_bias = (0.35 * float(rng.normal()), 0.35 * float(rng.normal()))
        self.tyre_cold = self.vans[0].cold_tyre_share * (0.12 if plan.warm_up_drive else 1.0)
        self.set_on, self.lain = "", {}
        self.cold_at_first, self.began = self.tyre_cold, self.clock

    def _drive_leg(self, i: int, back: bool, sector: str, goes_on: bool) -> None:
        plan, rng, sky, road = self.plan, self.rng, self.sky, self.parts[sector]
        van = self.van(plan.order[i])
        assert sky is not None
        before_s = 0.0 if goes_on else 180.0  # from one sector to the next nobody turns
        sky.advance(before_s, self.calm)
        north, east = sky.speed * math.cos(sky.angle), sky.speed * math.sin(sky.angle)
        if self.report is None or rng.random() < 0.85:
            self.report = reported(sky, north, east, self.station_bias, rng)
        holdup = self._holdup(self._speed_of_run(i), road)
        held = self._speed_of_run(i) / 3.6 * (1 + 0.006 * rng.normal())
        course = self._course()
        drive = drive_leg(
            van,
            self.worn(plan.order[i]),
            road,
            back,
            held,
            sky.temperature,
            air_density(sky.temperature, sky.pressure_hpa),
            north,
            east,
            0.17 * sky.speed,
            self.car_share,
            self.tyre_cold,
            rng,
            holdup,
            course,
        )
        wet = plan.wet_day is not None and plan.wet_day == self.today
        scatter = self.scatter * math.sqrt(self.road.length_m / road.length_m)
        factor = (1 + scatter * rng.normal()) * self.day_factor * (1.07 if wet else 1.0)
        self.tyre_cold *= math.exp(-drive.duration_s / van.tyre_warm_s)
        leg = self._written_down(i, back, sector, drive, factor, course, self.report, wet)
        self.legs.append(leg)
        if holdup is not None:
            # One that began on the way to the start has begun where the leg does.
            begin = max(0.0, holdup[0] - (course.start_m if course else 0.0))
            self.events.append(
                Event(
                    leg=leg.leg,
                    at_km=round(begin / 1000, 1),
                    duration_s=round(holdup[1], -1),
                    kind="slow-traffic",
                    speed_kmh=round(holdup[2] * 3.6),
                )
            )
        if plan.samples:
            self.traces[leg.leg] = trace_of(drive, road, back, factor, rng, plan.sample_rate_hz)
        sky.advance(drive.duration_s, self.calm)
        self.clock += timedelta(seconds=drive.duration_s + before_s)

    def _holdup(self, speed_kmh: float, road: TrueRoad) -> HoldUp | None:
        """Now and then traffic holds the van up."""
        rng = self.rng
        if rng.random() >= self.plan.traffic:
            return None
        lasting, slow = float(rng.uniform(40, 110)), speed_kmh / 3.6 * float(rng.uniform(0.75, 0.9))
        return float(rng.uniform(0.1, 0.7)) * road.length_m, lasting, slow

    def _course(self) -> Course | None:
        """Logged legs begin on one ramp and end on another, wherever the driver turned."""
        if not self.plan.samples or not self.plan.ramps or _is_loop(self.plan) or len(self.parts) > 1:
            return None
        ends = self.rng.uniform(100, 700, 2)
        lift = float(self.rng.uniform(150, 450))
        end = self.road.length_m - float(ends[1])
        return Course(float(ends[0]), self.road.length_m - float(ends[1]) - lift, end)

    def _written_down(
        self,
        i: int,
        back: bool,
        sector: str,
        drive: Drive,
        factor: float,
        course: Course | None,
        report: Report,
        wet: bool,
    ) -> Leg:
        """The leg as the tester notes it."""
        plan = self.plan
        km = (self.parts[sector].length_m if course is None else course.end_m - course.start_m) / 1000.0
        count = len(self.legs) + 1
        reading = self._reading(drive.energy_wh * factor, km, count)
        gust = round((report.wind_speed_ms * 1.5) * 2) / 2 if plan.reported_gusts else None
        return Leg(
            leg=f"L{count:02d}",
            run=f"R{i + 1}",
            block=str(i // 4 + 1) if plan.days == 1 else str(self.today + 1),
            configuration=plan.order[i],
            sector=sector,
            direction="loop" if _is_loop(plan) else ("back" if back else "out"),
            started_at=self.clock.replace(second=0, microsecond=0),
            duration_s=round(drive.duration_s),
            distance_km=round(km * self.odometer, 1),
            gps_distance_km=round(km + 0.01 * self.rng.normal(), 2),
            temperature_c=report.temperature_c,
            pressure_hpa=report.pressure_hpa,
            humidity_percent=65,
            wind_speed_ms=report.wind_speed_ms,
            wind_gust_ms=gust,
            wind_from_deg=report.wind_from_deg,
            road="wet" if wet else "dry",
            climate="off",
            **reading,
        )

    def _reading(self, energy_wh: float, km: float, count: int) -> dict[str, Any]:
        """What the plan's instrument shows of an energy; nothing where only the log has it."""
        plan = self.plan
        if plan.instrument == "energy":
            return {"energy_kwh": round(energy_wh / 1000, 2), "energy_step_kwh": 0.01}
        if plan.instrument == "charge-back":
            return {"charger_kwh": round(energy_wh / 1000 / 0.9 + 0.03 * self.rng.normal(), 2)}
        if plan.instrument == "soc":
            start = 80 - 8 * (count % 6)
            end = start - round(energy_wh / 520.0)
            return {"soc_start_percent": start, "soc_end_percent": end, "soc_step_percent": 1.0}
        if plan.instrument in {"average", "logger"} and not (plan.samples and plan.instrument == "logger"):
            per_100 = energy_wh / 10.0 / km
            shown = round(round(per_100 / self.odometer / plan.step) * plan.step, 4)
            return {"average_shown": shown, "average_unit": "kWh/100km", "average_step": plan.step}
        return {}


def effect_for(plan: DayPlan, van: TrueVehicle, road: TrueRoad, back: Sequence[bool]) -> TrueEffect:
    """Find the size of the mechanism that gives the wanted effect, by the secant method on the truth."""
    wanted = 1 + plan.effect_percent / 100.0
    speed = plan.speed_kmh / 3.6
    base = true_wh_per_km(van, TrueEffect(), road, back, speed)

    def make(x: float) -> TrueEffect:
        worn = change_kind(plan.kind).wear(x)
        return TrueEffect(worn.drag, worn.rolling, worn.mass_kg + worn.mass_share * van.mass_kg, worn.total)

    low, high = 0.0, 2.0 * plan.effect_percent / 100.0
    f_low = true_wh_per_km(van, make(low), road, back, speed) / base - wanted
    for _ in range(12):
        f_high = true_wh_per_km(van, make(high), road, back, speed) / base - wanted
        if abs(f_high) < 1e-6 or f_high == f_low:
            break
        low, high, f_low = high, high - f_high * (high - low) / (f_high - f_low), f_high
    return make(high)


def _declared(plan: DayPlan) -> str | tuple[str, ...]:
    kind = change_kind(plan.kind)
    return kind.wears_as or kind.mechanism

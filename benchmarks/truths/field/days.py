"""Field days: paired runs as testers drive them, written down as testers write."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta
from typing import Any, Final

import numpy as np

from fairmargin.core.kinds import change_kind
from fairmargin.core.study import Change, Configuration, Event, Leg, RoutePoint, Study, Trace

from .driving import CALM, Air, Driven, Habits, drive
from .machines import HEATING_VALUE, Alteration, Machine, altered, as_its_owner_knows, draw_machine
from .roads import CELL_M, FieldRoad, as_noted, draw_road

#: Mean wind of a day. [m/s]
WINDS: Final = {"calm": 1.1, "mixed": 3.6, "windy": 6.8, "strong": 8.0, "stormy": 11.0}
#: What a report's mean over two or ten minutes misses of the quarter of an hour around it, of the wind (turbulence of 0.15
#: to 0.2 over some forty seconds; from memory).
REPORT_SHARE: Final = (0.05, 0.13)
#: What a tester may leave unnoted.
NOTES: Final = (
    "wind", "temperature", "pressure", "clock", "times", "route", "gps", "climate", "traffic", "rain", "vehicle",
)  # fmt: skip
EVERYTHING: Final = frozenset(NOTES)


@dataclass(frozen=True, slots=True)
class FieldDay:
    """What is driven, in what weather, and what of it is noted."""

    sort: str = "car"
    kind: str = "aero covers"
    effect_percent: float = -4.0
    order: str = "ABBA"
    method: str = "out-and-back"
    speed_kmh: float = 95.0
    length_km: float = 20.0
    relief_m: float = 25.0
    climb_m: float = 0.0
    town: bool = False
    wind: str = "mixed"
    days: int = 1
    day_gap: int = 1
    warmer_k: float = 0.0  # the last day
    temperature_c: float = 12.0
    heating_c: float | None = None  # what the cabin is set to
    warm_up_drive: bool = True
    station_km: float = 6.0
    tells_station: bool = False  # notes how far off it stands
    report_minutes_late: float = 0.0  # the report of so long after the leg is noted as the leg's
    traffic: float = 0.1  # chance of a hold-up per leg
    halts: float = 0.0  # chance per leg of standing half a minute to three that nobody notes
    trial_stop_s: float = 0.0  # a stop in every trial leg
    notes_stop: bool = True  # and its standing time
    rain_last_day: float = 0.0  # share of rolling and drag
    rain_trial: float = 0.0  # the same, in every trial run of one day: the road is wet whenever it is driven
    turn: float = 0.0  # by what share the trial's wheels roll further
    tells_turn: bool = False  # states it
    fitting_sd: float = 0.0  # share by which one fitting of the change, or one run, differs from the next
    by_direction: float = 0.0  # share that the change takes more out than on the way back, half of it either way
    wild: float = 0.0  # share that one trial leg of the day takes more, for a reason that nobody saw
    trial_yaw: float = 1.0  # the trial's growth of drag over yaw, against the baseline's
    instrument: str = "average"  # average, energy, soc, charge, fuel, logger
    step: float = 0.1  # kWh/100 km, or L/100 km
    truncates: bool = False
    scatter: float = 0.010  # of 20 km; one to two per cent is common practice
    forget: frozenset[str] = frozenset()
    to_the_minute: bool = False


@dataclass(frozen=True, slots=True)
class FieldStudy:
    """A study, its logs, and what is true."""

    study: Study
    traces: Mapping[str, Trace]
    truth_percent: float
    truth: Mapping[str, Any] = field(default_factory=dict)


def field_day(seed: int, plan: FieldDay) -> FieldStudy:
    """Drive a plan and write down what this tester would."""
    rng = np.random.default_rng([seed, 4242])
    loop = plan.method in {"loop", "laps"}
    road = draw_road(rng, 1000 * plan.length_km, plan.relief_m, loop, plan.town, plan.climb_m)
    machine = draw_machine(plan.sort, rng)
    ways = [False] if loop or plan.method == "one-way" else [False, True]
    change = sized(plan, machine, road, ways, rng)
    day = _Day(plan, machine, change, road, ways, rng)
    for i in sorted(range(len(plan.order)), key=lambda i: (day.day_of[i], i)):
        day.run(i)
    vehicle = as_its_owner_knows(machine, plan.sort, rng)
    route: tuple[RoutePoint, ...] = as_noted(road, rng)
    if "route" in plan.forget:
        route = ()
    if "vehicle" in plan.forget:
        vehicle = vehicle.with_(mass_kg=None, drag_area_m2=None, rolling_coefficient=None)
    declared = round(change.mass_kg * (1 + 0.02 * rng.normal()))
    study = Study(
        title=f"{plan.kind}, seed {seed}",
        change=Change(kind=plan.kind, mechanism=change_kind(plan.kind).mechanism),
        vehicle=vehicle,
        configurations=(
            Configuration(id="A", name="Without", baseline=True),
            Configuration(
                id="B",
                name="With",
                mass_delta_kg=declared,
                circumference_change_percent=round(100 * plan.turn, 2) if plan.tells_turn else 0.0,
            ),
        ),
        method=plan.method,
        target_speed_kmh=None if plan.town else plan.speed_kmh,
        legs=tuple(sorted(day.legs, key=lambda leg: int(leg.run[1:]))),
        route=route,
        events=tuple(day.events),
    )
    if plan.tells_station:
        study = study.with_(wind=study.wind.with_(station_km=plan.station_km))
    return FieldStudy(study, day.traces, truth_of(plan, machine, change, road, ways), {"change": change})


def truth_of(plan: FieldDay, machine: Machine, change: Alteration, road: FieldRoad, ways: Sequence[bool]) -> float:
    """Effect at 15 °C in a calm on warm tyres, driven as planned, per cent of baseline consumption."""
    habits = Habits(plan.speed_kmh / 3.6)

    def energy(c: Alteration) -> float:
        return sum(drive(machine, c, road.turned() if w else road, CALM, habits, None).energy_wh for w in ways)

    return (energy(change) / energy(Alteration()) - 1) * 100


def sized(
    plan: FieldDay, machine: Machine, road: FieldRoad, ways: Sequence[bool], rng: np.random.Generator
) -> Alteration:
    """The change that has the wanted effect, by halving."""
    state = rng.bit_generator.state

    def made(size: float) -> Alteration:
        rng.bit_generator.state = state
        return altered(plan.kind, size, machine, rng)

    wanted = plan.effect_percent
    if wanted == 0:
        return Alteration()
    far = 0.02 * wanted
    while abs(truth_of(plan, machine, made(far), road, ways)) < abs(wanted) and abs(far) < 6:
        far *= 1.6
    near = 0.0
    for _ in range(18):
        middle = (near + far) / 2
        if abs(truth_of(plan, machine, made(middle), road, ways)) < abs(wanted):
            near = middle
        else:
            far = middle
    return made((near + far) / 2)


class _Day:
    """The days as they go: clock, weather, tyres, cabin."""

    def __init__(
        self,
        plan: FieldDay,
        machine: Machine,
        change: Alteration,
        road: FieldRoad,
        ways: list[bool],
        rng: np.random.Generator,
    ) -> None:
        self.plan, self.machine, self.change, self.rng = plan, machine, change, rng
        self.roads, self.ways = {False: road, True: road.turned()}, ways
        self.share = float(rng.uniform(0.5, 0.8))
        self.gust = float(rng.uniform(0.1, 0.26))
        self.scatter = plan.scatter * math.exp(0.3 * rng.normal()) * math.sqrt(20.0 / plan.length_km)
        self.odometer = 1 + 0.012 * rng.normal()
        self.speedometer = 1 + 0.008 * rng.normal()  # one driver misses the speed alike all day
        self.legs: list[Leg] = []
        self.events: list[Event] = []
        self.traces: dict[str, Trace] = {}
        last = plan.days - 1
        self.day_of = [0 if plan.days == 1 or x == "A" else last for x in plan.order]
        self.today = -1
        self.clock = datetime(2026, 4, 11, 8, 30)
        self.wind = np.zeros(2)
        self.mean_wind = np.zeros(2)
        self.set_on = ""
        self.lain: dict[str, tuple[float, datetime]] = {}
        self.temperature = self.pressure = self.cold = self.running_min = 0.0
        self.warming = self.factor = self.station_t = 0.0
        self.station = np.zeros(2)
        self.report_share = float(rng.spawn(1)[0].uniform(*REPORT_SHARE))  # leaves the other draws as they were
        self.rain = self.load_kg = 0.0
        self.rolling = 1.0
        # Other wheels have pressures of their own; nobody here notes any.
        self.swapped = 1 + (0.01 * float(rng.normal()) if plan.kind in {"wheels", "tyres"} else 0.0)
        self.fitting = 1.0
        self.fittings = rng.spawn(1)[0]
        # What nobody notes varies: half of those who do not say have the cabin heated or cooled.
        self.heating_c = plan.heating_c
        if self.heating_c is None and "climate" in plan.forget and rng.random() < 0.5:
            self.heating_c = float(rng.integers(19, 23))

    def run(self, i: int) -> None:
        """Drive one run."""
        if self.day_of[i] != self.today:
            self._morning(self.day_of[i])
        self._put_on(self.plan.order[i])
        self.fitting = 1.0 + self.plan.fitting_sd * float(self.fittings.normal())
        self.load_kg = 7.0 * float(self.rng.normal())  # luggage, fluids, a passenger's bag
        for back in self.ways:
            self._leg(i, back)
        self._wait(float(self.rng.uniform(5, 20)))

    def _put_on(self, letter: str) -> None:
        """Other wheels or tyres come on as cold as they lay; those taken off are cold again within an hour or two."""
        if self.plan.kind in {"wheels", "tyres"} and self.set_on not in {"", letter}:
            self.lain[self.set_on] = (self.cold, self.clock)
            share, since = self.lain.get(letter, (1.0, self.clock))
            self.cold = 1.0 - (1.0 - share) * math.exp(-(self.clock - since).total_seconds() / 4000.0)
        self.set_on = letter

    def _morning(self, today: int) -> None:
        plan, rng = self.plan, self.rng
        self.today = today
        self.clock = datetime(2026, 4, 11, 8, 30) + timedelta(
            days=today * plan.day_gap, minutes=float(rng.integers(0, 90))
        )
        speed = WINDS[plan.wind] * (
            float(np.clip(rng.weibull(2.0) / 0.886, 0.3, 2.0)) if plan.days > 1 else rng.uniform(0.7, 1.3)
        )
        angle = rng.uniform(0, 2 * math.pi)
        self.mean_wind = speed * np.array([math.cos(angle), math.sin(angle)])
        self.wind = self.mean_wind + rng.normal(0, 0.25 * speed, 2)
        self.temperature = plan.temperature_c + (plan.warmer_k if today else 0.0)
        self.temperature += (1.5 if plan.days == 1 else 3.5) * float(rng.normal())
        self.warming = float(rng.uniform(0.0, 1.6))
        self.pressure = 1013 + 9 * float(rng.normal())
        self.factor = 1 + (0.006 * float(rng.normal()) if plan.days > 1 else 0.0)
        self.station = rng.normal(0, 0.3 + 0.03 * plan.station_km, 2)
        self.station_t = (0.3 + 0.03 * plan.station_km) * float(rng.normal())
        self.rolling = 1 + 0.008 * float(rng.normal())  # tyre pressures of the day
        self.rain = plan.rain_last_day if plan.days > 1 and today else 0.0
        if "rain" in plan.forget and not plan.rain_last_day and rng.random() < 0.15:
            self.rain = float(rng.uniform(0.01, 0.05))
        self.cold = 0.15 if plan.warm_up_drive else 1.0
        self.set_on, self.lain = "", {}
        self.running_min = 20.0 if plan.warm_up_drive else 0.0

    def _wait(self, minutes: float) -> None:
        k = math.exp(-minutes / 45.0)
        spread = 0.28 * math.hypot(*self.mean_wind) + 0.15
        noise = math.sqrt(1 - k * k) * spread * self.rng.normal(0, 1, 2)
        self.wind = self.mean_wind + (self.wind - self.mean_wind) * k + noise
        self.temperature += self.warming * minutes / 60.0
        self.clock += timedelta(minutes=minutes)

    def _leg(self, i: int, back: bool) -> None:
        plan, rng = self.plan, self.rng
        self._wait(float(rng.uniform(2, 5)))
        slow, halts = self._slow(), (*self._halt(), *self._trial_stop(plan.order[i]))
        trial = plan.order[i] == "B"
        aim = plan.speed_kmh / 3.6 / self.speedometer * (1 + 0.004 * float(rng.normal()))
        if trial:
            aim *= 1 + plan.turn
        north, east = self.wind.tolist()
        air = Air(self.temperature, self.pressure, north, east, self.share, self.gust)
        habits = Habits(
            aim,
            slow=slow,
            halts=halts,
            setting_c=self.heating_c,
            driven_before_min=self.running_min,
            cold=self.cold,
            wet=self._wet(trial),
        )
        change = self.change if trial else Alteration()
        change = replace(
            change,
            mass_kg=change.mass_kg + self.load_kg,
            rolling=change.rolling * self.rolling * (self.swapped if trial else 1.0),
            yaw=plan.trial_yaw if trial else 1.0,
        )
        driven = drive(self.machine, change, self.roads[back], air, habits, rng)
        factor = self.factor * (1 + self.scatter * float(rng.normal())) * self.fitting
        if trial:
            factor *= 1 + plan.by_direction * (-0.5 if back else 0.5)
        if trial and plan.wild and len(self.legs) == plan.order.index("B") * len(self.ways):
            factor *= 1 + plan.wild
        self.cold *= math.exp(-driven.duration_s / self.machine.warm_s)
        self.running_min += driven.duration_s / 60.0
        leg = self._noted(i, back, driven, factor)
        self.legs.append(leg)
        if slow and "traffic" not in plan.forget:
            begin, length, v = slow[0]
            self.events.append(
                Event(leg=leg.leg, kind="slow-traffic", at_km=round(begin / 1000, 1), speed_kmh=round(3.6 * v),
                      duration_s=round(length / v, -1))
            )  # fmt: skip
        if plan.instrument == "logger":
            self.traces[leg.leg] = self._trace(driven, factor, back)
        self._wait(driven.duration_s / 60.0)

    def _slow(self) -> tuple[tuple[float, float, float], ...]:
        plan, rng = self.plan, self.rng
        if rng.random() >= plan.traffic:
            return ()
        v = plan.speed_kmh / 3.6 * float(rng.uniform(0.55, 0.88))
        whole = 1000 * plan.length_km
        return ((float(rng.uniform(0.1, 0.7)) * whole, min(v * float(rng.uniform(40, 150)), 0.25 * whole), v),)

    def _trial_stop(self, letter: str) -> tuple[tuple[float, float], ...]:
        plan = self.plan
        return ((500.0 * plan.length_km, plan.trial_stop_s),) if plan.trial_stop_s and letter == "B" else ()

    def _reported(self) -> Any:
        """The wind that the report noted for this leg tells of."""
        late = self.plan.report_minutes_late
        if not late:
            return self.wind
        k = math.exp(-late / 45.0)
        spread = 0.28 * math.hypot(*self.mean_wind) + 0.15
        veered = math.radians(12.0 * late / 60.0)  # a front or a sea breeze turns it
        turn = np.array([[math.cos(veered), -math.sin(veered)], [math.sin(veered), math.cos(veered)]])
        moved = math.sqrt(1 - k * k) * spread * self.rng.normal(0, 1, 2)
        return turn @ self.mean_wind + (self.wind - self.mean_wind) * k + moved

    def _halt(self) -> tuple[tuple[float, float], ...]:
        """Standing at one place: a light, a gate, a call."""
        plan, rng = self.plan, self.rng
        if not plan.halts or rng.random() >= plan.halts:
            return ()
        return ((float(rng.uniform(0.1, 0.9)) * 1000 * plan.length_km, float(rng.uniform(30.0, 180.0))),)

    def _noted(self, i: int, back: bool, driven: Driven, factor: float) -> Leg:
        plan, rng = self.plan, self.rng
        known = {note: note not in plan.forget for note in NOTES}
        km = plan.length_km
        error = math.hypot(0.35 + 0.02 * plan.station_km, self.report_share * math.hypot(*self.mean_wind))
        seen = self._reported() + self.station + rng.normal(0, error, 2)
        gps = round(km + 0.01 * float(rng.normal()), 2)
        wind: dict[str, Any] = {}
        if known["wind"]:
            speed = round(2 * math.hypot(*seen)) / 2
            wind = {
                "wind_speed_ms": speed,
                "wind_from_deg": int(round(math.degrees(math.atan2(seen[1], seen[0])) / 10) * 10) % 360,
            }
        loop = plan.method in {"loop", "laps"}
        whole = driven.duration_s
        duration = round(whole / 60) * 60 if plan.to_the_minute else round(whole)
        climate = "off" if plan.heating_c is None else f"{plan.heating_c:g}"
        return Leg(
            leg=f"L{len(self.legs) + 1:02d}",
            run=f"R{i + 1}",
            block=str(i // 4 + 1) if plan.days == 1 else str(self.today + 1),
            configuration=plan.order[i],
            direction="loop" if loop else ("back" if back else "out"),
            started_at=self.clock.replace(second=0, microsecond=0) if known["clock"] else None,
            duration_s=duration if known["times"] else None,
            stopped_s=self._stood(i, driven) if known["times"] else None,
            distance_km=round(km * self._odometer(plan.order[i]), 1),
            gps_distance_km=gps if known["gps"] else None,
            temperature_c=round(2 * (self.temperature + self.station_t)) / 2 if known["temperature"] else None,
            pressure_hpa=round(self.pressure) if known["pressure"] else None,
            road=("wet" if self._wet(plan.order[i] == "B") else "dry") if known["rain"] else "",
            climate=climate if known["climate"] else "",
            **wind,
            **self._reading(driven.energy_wh * factor, km * self._odometer(plan.order[i])),
        )

    def _odometer(self, letter: str) -> float:
        """Distance as the car shows it, over the true one."""
        return self.odometer / (1 + self.plan.turn) if letter == "B" else self.odometer

    def _wet(self, trial: bool) -> float:
        """What water adds."""
        return self.plan.rain_trial if self.plan.rain_trial and trial else self.rain

    def _stood(self, i: int, driven: Driven) -> float | None:
        """Standing time as it is noted: always in a town, else where somebody counted it."""
        plan = self.plan
        if plan.trial_stop_s and plan.notes_stop:
            return plan.trial_stop_s if plan.order[i] == "B" else 0.0
        return round(driven.stopped_s) if plan.town else None

    def _reading(self, wh: float, shown_km: float) -> dict[str, Any]:
        plan, rng = self.plan, self.rng
        if plan.instrument == "logger":
            return {}
        if plan.instrument == "energy":
            return {"energy_kwh": round(wh / 1000, 1), "energy_step_kwh": 0.1}
        if plan.instrument == "soc":
            start = float(rng.uniform(60, 90))
            return {
                "soc_start_percent": round(start),
                "soc_end_percent": round(start - wh / 600.0),
                "soc_step_percent": 1.0,
            }
        if plan.instrument == "charge":
            return {"charger_kwh": round(wh / 900 + 0.05 * float(rng.normal()), 2)}
        fuel = self.machine.energy != "electric"
        value = wh / (HEATING_VALUE[self.machine.energy] if fuel else 1000.0)
        if plan.instrument == "fuel":
            return {"fuel_l": round(value + 0.08 * float(rng.normal()), 2)}
        per_100 = value / shown_km * 100
        steps = math.floor(per_100 / plan.step) if plan.truncates else round(per_100 / plan.step)
        return {
            "average_shown": round(steps * plan.step, 4),
            "average_unit": "L/100km" if fuel else "kWh/100km",
            "average_step": plan.step,
        }

    def _trace(self, driven: Driven, factor: float, back: bool) -> Trace:
        rng, road = self.rng, self.roads[back]
        ends = np.concatenate([[0.0], driven.time_s])
        t = np.arange(0.0, ends[-1], 1.0)
        at = np.interp(t, ends, np.arange(len(ends)) * CELL_M)
        # The logger's power is the mean over its second: a point of it would miss what lies between.
        used = np.concatenate([[0.0], np.cumsum(driven.power_w * np.diff(ends))])
        before, after = (np.clip(t + half, 0.0, ends[-1]) for half in (-0.5, 0.5))
        power = (np.interp(after, ends, used) - np.interp(before, ends, used)) / (after - before) * factor / 1000
        north = np.concatenate([[0.0], np.cumsum(np.cos(self.roads[False].heading)) * CELL_M]) / 111_230.0
        east = np.concatenate([[0.0], np.cumsum(np.sin(self.roads[False].heading)) * CELL_M])
        east = east / (111_320.0 * math.cos(math.radians(51.0)))
        along = road.length_m - at if back else at
        nodes = np.arange(len(north)) * CELL_M
        return Trace(
            time_s=t,
            speed_kmh=np.asarray(
                np.round(np.maximum(np.gradient(at, t) * 3.6 + rng.normal(0, 0.15, len(t)), 0), 2), dtype=np.float64
            ),
            power_kw=np.round(power + rng.normal(0, 0.1, len(t)), 3),
            latitude=np.round(51.0 + np.interp(along, nodes, north), 6),
            longitude=np.round(5.0 + np.interp(along, nodes, east), 6),
        )

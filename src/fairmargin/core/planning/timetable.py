"""The day as a timetable: arrival, cold pressures, warm-up, runs, swaps, charging, pauses, return."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, date, datetime, time, timedelta
from typing import Final, Literal

from fairmargin.core.kinds import change_kind
from fairmargin.core.laws.charging import hours_to_level, taper_of
from fairmargin.core.planning.planned_runs import PlannedRun
from fairmargin.core.study.plan import Plan
from fairmargin.core.study.trip import Trip

Kind = Literal["travel", "cold pressures", "warm-up", "run", "turn", "swap", "charge", "pause"]

PRESSURES_MIN: Final = 10.0


@dataclass(frozen=True, slots=True)
class Step:
    """One entry of the timetable."""

    kind: Kind
    start: datetime
    end: datetime
    words: str
    run: str = ""
    configuration: str = ""
    charge_percent: float | None = None  # at its end, where known

    @property
    def minutes(self) -> float:
        """How long it takes. [min]"""
        return (self.end - self.start).total_seconds() / 60.0


@dataclass(frozen=True, slots=True)
class Daylight:
    """Sunrise and sunset as the clock at the place shows them; None where the sun does not rise or set."""

    sunrise: datetime | None
    sunset: datetime | None
    never_dark: bool = False  # polar day; without it, no sunrise and no sunset are polar night

    def holds(self, start: datetime, end: datetime) -> bool:
        """Whether it is light all the while."""
        if self.sunrise is None and self.sunset is None:
            return self.never_dark
        return (self.sunrise is None or start >= self.sunrise) and (self.sunset is None or end <= self.sunset)


@dataclass(frozen=True, slots=True)
class Timetable:
    """The day's steps in order, and what does not fit."""

    steps: tuple[Step, ...]
    daylight: Daylight | None
    warnings: tuple[str, ...]
    energy_kwh: float

    @property
    def end(self) -> datetime:
        """When everybody is back."""
        return self.steps[-1].end

    def worded(self, words: Callable[[str], str]) -> Timetable:
        """The same with its sentences written in somebody's units."""
        steps = tuple(replace(s, words=words(s.words)) for s in self.steps)
        return replace(self, steps=steps, warnings=tuple(words(w) for w in self.warnings))

    @property
    def days(self) -> dict[date, tuple[Step, ...]]:
        """Steps of every day, in order; mornings are several."""
        found: dict[date, list[Step]] = {}
        for step in self.steps:
            found.setdefault(
                step.start.date() if step.kind == "cold pressures" else next(reversed(found), step.start.date()), []
            ).append(step)
        return {day: tuple(own) for day, own in found.items()}

    @property
    def hours(self) -> float:
        """From leaving to being back, over all days. [h]"""
        return sum((own[-1].end - own[0].start).total_seconds() for own in self.days.values()) / 3600.0


def daylight(day: date, latitude: float, longitude: float, utc_offset: timedelta) -> Daylight:
    """Sunrise and sunset (package astral) of a day as the place has it, in local time without an offset.

    The almanac counts days by UTC: far from Greenwich the evening of a day is in its next one, or the morning in the one before.
    A sun that sets after midnight sets on the day it rose.
    """
    from astral import Observer
    from astral.sun import elevation, sunrise, sunset

    observer = Observer(latitude, longitude)

    def every(function: Callable[..., datetime]) -> list[datetime]:
        found = []
        for shift in (-1, 0, 1, 2):
            try:
                moment = function(observer, date=day + timedelta(days=shift))
            except ValueError:
                continue  # polar day or night
            found.append((moment.replace(tzinfo=None) + utc_offset).replace(microsecond=0))
        return sorted(found)

    rises = [m for m in every(sunrise) if m.date() == day]
    if not rises:
        sets = next((m for m in every(sunset) if m.date() == day), None)
        noon = datetime.combine(day, time(12), tzinfo=UTC) - utc_offset
        return Daylight(None, sets, sets is None and elevation(observer, noon) > 0.0)
    return Daylight(rises[0], next((m for m in every(sunset) if timedelta(0) < m - rises[0] < timedelta(days=1)), None))


def swap_minutes(plan: Plan, kind: str) -> float:
    """Time for one swap: the plan's own, else what the kind usually takes. [min]"""
    return float(plan.swap_min) if plan.swap_min is not None else change_kind(kind).swap_min


def charge_minutes(from_percent: float, to_percent: float, capacity_kwh: float, charger_kw: float, trip: Trip) -> float:
    """Charging time by the law that a trip is reckoned with: what the battery takes, and what arrives of the charger's. [min]

    Parameters
    ----------
    from_percent, to_percent : float
    capacity_kwh : float
    charger_kw : float
        As it stands on the charger.
    trip : Trip
        The study's trip, for the battery's peak, where it takes less, and what is lost; one as usual where it has none.
    """
    levels = [from_percent / 100.0, max(to_percent, from_percent) / 100.0]
    taper = taper_of(capacity_kwh, trip.peak_kw, trip.taper_from_percent / 100.0)
    arrives = charger_kw * trip.charger_efficiency_percent / 100.0
    begin, end = hours_to_level(levels, capacity_kwh, taper, arrives).tolist()
    return 60.0 * float(end - begin)


@dataclass(frozen=True, slots=True)
class Fleet:
    """The vehicles of a day: what each is called, what its battery holds, what it takes on the way there and back."""

    names: Mapping[str, str]  # by id; "" where there is one only
    capacity_kwh: Mapping[str, float | None]  # None where nobody said, or where it burns fuel
    wh_per_km: float
    speed_kmh: float
    trip: Trip
    capacity_unknown: bool = False  # of a vehicle that is driven on a battery


def timetable(
    plan: Plan,
    *,
    day: date,
    kind: str,
    runs: Sequence[PlannedRun],
    fleet: Fleet,
    light: Callable[[date], Daylight | None] = lambda _: None,
    late_min: float = 0.0,
    each_cold: bool = False,
    done_runs: int = 0,
    now: datetime | None = None,
) -> Timetable:
    """Lay the day out, or the mornings.

    Parameters
    ----------
    plan : Plan
    day : date
    kind : str
        Kind of change, for the swap time.
    runs : sequence of PlannedRun
        In the order to be driven.
    fleet : Fleet
    light : callable, optional
        Sunrise and sunset of a day; None where no place is known.
    late_min : float
        How late the day started. [min]
    each_cold : bool
        Whether every run begins with a vehicle that stood overnight: one a morning, and no warm-up drive.
    done_runs : int
        Runs already driven; with `now`, what is left starts then.
    now : datetime, optional

    Returns
    -------
    Timetable
    """
    made = _Day(plan, fleet, datetime.combine(day, plan.start) + timedelta(minutes=late_min))
    if each_cold:
        made.mornings(runs, done_runs, now)
    else:
        if done_runs and now is not None:
            made.clock = now
        else:
            made.morning()
        made.drive(runs, kind, done_runs)
    if fleet.capacity_unknown:
        made.warnings.append("No usable capacity is known: charging is not in these times. Enter it with the vehicle.")
    elif any(s.kind == "charge" for s in made.steps) and plan.charger_away_min is None and not each_cold:
        made.warnings.append("How far the charger is nobody said: the way there and back is not in these times.")
    lights = {s.start.date(): light(s.start.date()) for s in made.steps}
    warnings = (*made.warnings, *_by_the_light(made.steps, day, lights, several=each_cold))
    return Timetable(tuple(made.steps), lights[made.steps[0].start.date()], warnings, made.used_kwh)


class _Day:
    """A day as it is laid out: the clock and the charge of every vehicle move on with every step."""

    def __init__(self, plan: Plan, fleet: Fleet, clock: datetime) -> None:
        self.plan, self.fleet, self.clock = plan, fleet, clock
        self.charge_percent = dict.fromkeys(fleet.names, plan.charge_start_percent)
        self.used_kwh = 0.0
        self.steps: list[Step] = []
        self.warnings: list[str] = []
        self.at = next(iter(fleet.names))  # the vehicle whose charge is told

    def add(self, what: Kind, minutes: float, words: str, run: str = "", configuration: str = "") -> None:
        """Add a step; the clock moves on."""
        end = self.clock + timedelta(minutes=minutes)
        level = round(self.charge_percent[self.at], 1) if self.fleet.capacity_kwh.get(self.at) else None
        self.steps.append(Step(what, self.clock, end, words, run, configuration, level))
        self.clock = end

    def spend(self, kwh: Sequence[tuple[str, float]]) -> None:
        """Take energy out of batteries."""
        for vehicle, used in kwh:
            self.used_kwh += used
            self.charge_percent[vehicle] -= self.percent(vehicle, used)

    def percent(self, vehicle: str, kwh: float) -> float:
        """What an energy is of a battery; 0 where nothing is said of it. [per cent]"""
        capacity = self.fleet.capacity_kwh.get(vehicle)
        return 100.0 * kwh / capacity if capacity else 0.0

    def everyone(self, kwh: float) -> list[tuple[str, float]]:
        """An energy that every vehicle takes."""
        return [(vehicle, kwh) for vehicle in self.fleet.names]

    @property
    def home_kwh(self) -> float:
        """What the way to the start, or home, takes a vehicle, at about 60 km/h. [kWh]"""
        return self.plan.travel_min * self.fleet.wh_per_km / 1000.0

    def morning(self) -> None:
        """All before the first run. Pressures are cold pressures: before the wheels have turned."""
        self.add("cold pressures", PRESSURES_MIN, "Tyre pressures, cold; load and weigh; kit aboard")
        self.spend(self.everyone(self.home_kwh))
        self.add("travel", self.plan.travel_min, "To the start")
        if self.plan.warm_up_min > 0:
            self.spend(
                self.everyone(self.plan.warm_up_min / 60.0 * self.fleet.speed_kmh * self.fleet.wh_per_km / 1000.0)
            )
            self.add("warm-up", self.plan.warm_up_min, "Warm-up drive: tyres, driveline, cabin")

    def drive(self, runs: Sequence[PlannedRun], kind: str, done_runs: int) -> None:
        """Every run with its swap, its charging, the traffic it waits for, its way back; and home."""
        before = runs[done_runs - 1].side if 0 < done_runs <= len(runs) else None
        for number, run in enumerate(runs[done_runs:], start=done_runs + 1):
            if run.swap and before is not None and run.side != before:
                self.add("swap", swap_minutes(self.plan, kind), f"Change to {run.label}")
            before = run.side
            last = self.home_kwh if number == len(runs) else 0.0
            back = dict(run.back_kwh)
            self.at = run.kwh[0][0]
            for vehicle, kwh in run.kwh:
                self.charge_for(vehicle, kwh + back.get(vehicle, 0.0) + last)
            self.wait_out_traffic(run.minutes)
            self.one(run)
            if run.back_min:
                self.spend(run.back_kwh)
                self.add("travel", run.back_min, "Back to the start")
        self.spend(self.everyone(self.home_kwh))
        self.add("travel", self.plan.travel_min, "Home")

    def one(self, run: PlannedRun) -> None:
        """One run, and its reading."""
        self.spend(run.kwh)
        self.add("run", run.minutes, f"Run {run.run}, {run.label}", run.run, run.side)
        self.add("turn", self.plan.turn_min, "Read off, write down, turn")

    def mornings(self, runs: Sequence[PlannedRun], done_runs: int, now: datetime | None) -> None:
        """One run each morning, from cold: the vehicle stood overnight, and is charged back while it stands."""
        first = self.clock
        if done_runs and now is not None:
            first = datetime.combine(now.date(), self.plan.start)
            first += timedelta(days=1) if first < now else timedelta()
        for number, run in enumerate(runs[done_runs:]):
            self.clock = first + timedelta(days=number)
            self.charge_percent = dict.fromkeys(self.fleet.names, self.plan.charge_start_percent)
            self.add("cold pressures", PRESSURES_MIN, f"Before the cold start, {run.label}: meter, temperatures")
            self.wait_out_traffic(run.minutes)
            self.one(run)
            if run.back_min:
                self.spend(run.back_kwh)
                self.add("travel", run.back_min, "Back to the start")

    def charge_for(self, vehicle: str, kwh: float) -> None:
        """Charge a vehicle back when its next run would leave the charge band."""
        plan, capacity, reserve = self.plan, self.fleet.capacity_kwh.get(vehicle), self.percent(vehicle, kwh)
        level = self.charge_percent[vehicle]
        if not capacity or level - reserve >= plan.charge_low_percent:
            return
        wanted = plan.charge_start_percent
        if wanted - reserve < plan.charge_low_percent:
            self.warnings.append(
                f"One run takes {reserve:.0f} % of the battery: it does not fit the charge band "
                f"{plan.charge_low_percent:.0f} to {plan.charge_start_percent:.0f} %."
            )
        away, self.at = plan.charger_away_min or 0.0, vehicle
        there = [(vehicle, away * self.fleet.wh_per_km / 1000.0)]
        name = f" {self.fleet.names[vehicle]}" if len(self.fleet.names) > 1 else ""
        if away:
            self.spend(there)
            self.add("travel", away, f"To the charger{name}")
        minutes = charge_minutes(self.charge_percent[vehicle], wanted, capacity, plan.charger_kw, self.fleet.trip)
        self.charge_percent[vehicle] = wanted
        self.add("charge", minutes, f"Charge{name} back to {wanted:.0f} %")
        if away:
            self.spend(there)
            self.add("travel", away, f"Back from the charger{name}")

    def wait_out_traffic(self, minutes: float) -> None:
        """Pause where a run of that length would fall into hours to avoid."""
        for begin, end in sorted(self.plan.avoid):
            window = [datetime.combine(self.clock.date(), t) for t in (begin, end)]
            if self.clock < window[1] and self.clock + timedelta(minutes=minutes) > window[0]:
                wait = (window[1] - self.clock).total_seconds() / 60.0
                self.add("pause", wait, f"Wait out the traffic until {end:%H:%M}")


def _by_the_light(
    steps: Sequence[Step], day: date, lights: Mapping[date, Daylight | None], *, several: bool
) -> list[str]:
    """What of the day falls into the dark, or into the next day."""
    warnings: list[str] = []
    runs = [(s, lights[s.start.date()]) for s in steps if s.kind == "run"]
    dark = [
        light.sunset for s, light in runs if light is not None and light.sunset is not None and s.end > light.sunset
    ]
    if dark:
        way_out = (
            "start earlier."
            if several
            else "start earlier, drive fewer, or take a second day with whole blocks on each."
        )
        warnings.append(
            f"{len(dark)} run{'s' if len(dark) != 1 else ''} would end after sunset ({dark[0]:%H:%M}): {way_out}"
        )
    first = lights[steps[0].start.date()]
    sunrise = first.sunrise if first is not None else None
    if sunrise is not None and steps[0].start < sunrise - timedelta(minutes=30):
        warnings.append(f"The day begins in the dark (sunrise {sunrise:%H:%M}).")
    polar = [light for _, light in runs if light is not None and light.sunrise is None and light.sunset is None]
    if polar and not polar[0].never_dark:
        warnings.append("The sun does not rise there on that day.")
    if not several and steps[-1].end.date() > day:
        warnings.append("The day does not end before midnight.")
    return warnings

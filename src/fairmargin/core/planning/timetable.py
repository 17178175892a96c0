"""The day as a timetable: arrival, cold pressures, warm-up, runs, swaps, charging, pauses, return."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta
from typing import Final, Literal

from fairmargin.core.kinds import change_kind
from fairmargin.core.study.plan import Plan

Kind = Literal["travel", "cold pressures", "warm-up", "run", "turn", "swap", "charge", "pause"]

PRESSURES_MIN: Final = 10.0
TAPER_PERCENT: Final = 80.0  # charging slows beyond; common practice
TAPER_SHARE: Final = 0.4


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

    @property
    def hours(self) -> float:
        """From leaving to being back. [h]"""
        return (self.end - self.steps[0].start).total_seconds() / 3600.0


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


def charge_minutes(from_percent: float, to_percent: float, capacity_kwh: float, charger_kw: float) -> float:
    """Charging time with a taper beyond 80 %. [min]"""
    below = max(0.0, min(to_percent, TAPER_PERCENT) - from_percent)
    above = max(0.0, to_percent - max(from_percent, TAPER_PERCENT))
    return 0.6 * capacity_kwh * (below + above / TAPER_SHARE) / charger_kw


def timetable(
    plan: Plan,
    *,
    day: date,
    kind: str,
    runs: Sequence[tuple[str, str]],
    legs_per_run: int,
    leg_km: float,
    speed_kmh: float,
    wh_per_km: float,
    capacity_kwh: float | None,
    names: dict[str, str],
    factors: dict[str, float] | None = None,
    light: Daylight | None = None,
    late_min: float = 0.0,
    swaps: bool = True,
    done_runs: int = 0,
    now: datetime | None = None,
) -> Timetable:
    """Lay the day out.

    Parameters
    ----------
    plan : Plan
    day : date
    kind : str
        Kind of change, for the swap time.
    runs : sequence of (run, configuration)
        In the order to be driven.
    legs_per_run : int
    leg_km, speed_kmh : float
    wh_per_km : float
        Expected consumption, for the charge plan.
    capacity_kwh : float or None
        Usable capacity; without it nothing is said of charging.
    names : dict
        Configuration id to the name people use.
    factors : dict, optional
        Configuration id to its consumption over `wh_per_km`.
    light : Daylight, optional
    late_min : float
        How late the day started. [min]
    swaps : bool
        Whether something is swapped between different sides; two vehicles only take turns.
    done_runs : int
        Runs already driven; with `now`, what is left starts then.
    now : datetime, optional

    Returns
    -------
    Timetable
    """
    made = _Day(plan, capacity_kwh, datetime.combine(day, plan.start) + timedelta(minutes=late_min))
    if done_runs and now is not None:
        made.clock = now
    else:
        made.morning(speed_kmh, wh_per_km)
    run_kwh = legs_per_run * leg_km * wh_per_km / 1000.0
    minutes = legs_per_run * 60.0 * leg_km / speed_kmh + max(0, legs_per_run - 1) * plan.turn_min
    home_kwh = plan.travel_min * wh_per_km / 1000.0  # at about 60 km/h
    before = runs[done_runs - 1][1] if 0 < done_runs <= len(runs) else None
    for number, (run, configuration) in enumerate(runs[done_runs:], start=done_runs + 1):
        name = names.get(configuration, configuration)
        if swaps and before is not None and configuration != before:
            made.add("swap", swap_minutes(plan, kind), f"Change to {name}")
        before = configuration
        kwh = run_kwh * (factors or {}).get(configuration, 1.0)
        made.charge_for(kwh + (home_kwh if number == len(runs) else 0.0))
        made.wait_out_traffic(minutes)
        made.spend(kwh)
        made.add("run", minutes, f"Run {run}, {name}", run, configuration)
        made.add("turn", plan.turn_min, "Read off, write down, turn")
    made.spend(home_kwh)
    made.add("travel", plan.travel_min, "Home")
    warnings = (*made.warnings, *_by_the_light(made.steps, day, light))
    return Timetable(tuple(made.steps), light, warnings, made.used_kwh)


class _Day:
    """A day as it is laid out: the clock and the charge move on with every step."""

    def __init__(self, plan: Plan, capacity_kwh: float | None, clock: datetime) -> None:
        self.plan, self.capacity_kwh, self.clock = plan, capacity_kwh, clock
        self.charge_percent = plan.charge_start_percent
        self.used_kwh = 0.0
        self.steps: list[Step] = []
        self.warnings: list[str] = []

    def add(self, what: Kind, minutes: float, words: str, run: str = "", configuration: str = "") -> None:
        """Add a step; the clock moves on."""
        end = self.clock + timedelta(minutes=minutes)
        level = round(self.charge_percent, 1) if self.capacity_kwh else None
        self.steps.append(Step(what, self.clock, end, words, run, configuration, level))
        self.clock = end

    def spend(self, kwh: float) -> None:
        """Take energy out of the battery."""
        self.used_kwh += kwh
        self.charge_percent -= self.percent(kwh)

    def percent(self, kwh: float) -> float:
        """What an energy is of the battery; 0 where nothing is said of it. [per cent]"""
        return 100.0 * kwh / self.capacity_kwh if self.capacity_kwh else 0.0

    def morning(self, speed_kmh: float, wh_per_km: float) -> None:
        """All before the first run. Pressures are cold pressures: before the wheels have turned."""
        self.add("cold pressures", PRESSURES_MIN, "Tyre pressures, cold; load and weigh; kit aboard")
        self.spend(self.plan.travel_min * wh_per_km / 1000.0)
        self.add("travel", self.plan.travel_min, "To the start")
        if self.plan.warm_up_min > 0:
            self.spend(self.plan.warm_up_min / 60.0 * speed_kmh * wh_per_km / 1000.0)
            self.add("warm-up", self.plan.warm_up_min, "Warm-up drive: tyres, driveline, cabin")

    def charge_for(self, kwh: float) -> None:
        """Charge back when the next run would leave the charge band."""
        plan, reserve = self.plan, self.percent(kwh)
        if not self.capacity_kwh or self.charge_percent - reserve >= plan.charge_low_percent:
            return
        wanted = plan.charge_start_percent
        if wanted - reserve < plan.charge_low_percent:
            self.warnings.append(
                f"One run takes {reserve:.0f} % of the battery: it does not fit the charge band "
                f"{plan.charge_low_percent:.0f} to {plan.charge_start_percent:.0f} %."
            )
        minutes = charge_minutes(self.charge_percent, wanted, self.capacity_kwh, plan.charger_kw)
        self.charge_percent = wanted
        self.add("charge", minutes, f"Charge back to {wanted:.0f} %")

    def wait_out_traffic(self, minutes: float) -> None:
        """Pause where a run of that length would fall into hours to avoid."""
        for begin, end in sorted(self.plan.avoid):
            window = [datetime.combine(self.clock.date(), t) for t in (begin, end)]
            if self.clock < window[1] and self.clock + timedelta(minutes=minutes) > window[0]:
                wait = (window[1] - self.clock).total_seconds() / 60.0
                self.add("pause", wait, f"Wait out the traffic until {end:%H:%M}")


def _by_the_light(steps: Sequence[Step], day: date, light: Daylight | None) -> list[str]:
    """What of the day falls into the dark, or into the next day."""
    warnings: list[str] = []
    if light is not None and light.sunset is not None:
        dark = [s for s in steps if s.kind == "run" and s.end > light.sunset]
        if dark:
            warnings.append(
                f"{len(dark)} run{'s' if len(dark) != 1 else ''} would end after sunset ({light.sunset:%H:%M}): "
                "start earlier, drive fewer, or take a second day with whole blocks on each."
            )
    sunrise = light.sunrise if light is not None else None
    if sunrise is not None and steps[0].start < sunrise - timedelta(minutes=30):
        warnings.append(f"The day begins in the dark (sunrise {sunrise:%H:%M}).")
    if steps[-1].end.date() > day:
        warnings.append("The day does not end before midnight.")
    return warnings

"""The day as a timetable: arrival, cold pressures, warm-up, runs, swaps, charging, pauses, return."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from typing import Final, Literal

from fairmargin.core.study.plan import Plan

Kind = Literal["travel", "cold pressures", "warm-up", "run", "turn", "swap", "charge", "pause"]

#: Time to change from one configuration to the other, by kind of change. Common practice. [min]
SWAP_MIN: Final = {
    "wheels": 45.0,
    "aero covers": 12.0,
    "tyres": 60.0,
    "cargo": 15.0,
    "payload": 25.0,
    "towing": 15.0,
    "preconditioning": 45.0,
    "technique": 3.0,
    "other": 15.0,
}
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
    """Sunrise and sunset (package astral), in local time without an offset."""
    from astral import Observer
    from astral.sun import sunrise, sunset

    observer = Observer(latitude, longitude)

    def local(function: Callable[..., datetime]) -> datetime | None:
        try:
            moment = function(observer, date=day)
        except ValueError:
            return None  # polar day or night
        return (moment.replace(tzinfo=None) + utc_offset).replace(microsecond=0)

    return Daylight(local(sunrise), local(sunset))


def swap_minutes(plan: Plan, kind: str) -> float:
    """Time for one swap: the plan's own, else what the kind usually takes. [min]"""
    return float(plan.swap_min) if plan.swap_min is not None else SWAP_MIN.get(kind, 15.0)


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
    done_runs : int
        Runs already driven; with `now`, what is left starts then.
    now : datetime, optional

    Returns
    -------
    Timetable
    """
    steps: list[Step] = []
    warnings: list[str] = []
    clock = datetime.combine(day, plan.start) + timedelta(minutes=late_min)
    charge = plan.charge_start_percent
    run_kwh = legs_per_run * leg_km * wh_per_km / 1000.0
    used = 0.0

    def add(what: Kind, minutes: float, words: str, run: str = "", configuration: str = "") -> None:
        nonlocal clock
        end = clock + timedelta(minutes=minutes)
        level = round(charge, 1) if capacity_kwh else None
        steps.append(Step(what, clock, end, words, run, configuration, level))
        clock = end

    def spend(kwh: float) -> None:
        nonlocal charge, used
        used += kwh
        if capacity_kwh:
            charge -= 100.0 * kwh / capacity_kwh

    if done_runs and now is not None:
        clock = now
    else:
        # Pressures are cold pressures: before the wheels have turned.
        add("cold pressures", PRESSURES_MIN, "Tyre pressures, cold; load and weigh; kit aboard")
        spend(plan.travel_min * wh_per_km / 1000.0)
        add("travel", plan.travel_min, "To the start")
        if plan.warm_up_min > 0:
            spend(plan.warm_up_min / 60.0 * speed_kmh * wh_per_km / 1000.0)
            add("warm-up", plan.warm_up_min, "Warm-up drive: tyres, driveline, cabin")
    leg_min = 60.0 * leg_km / speed_kmh
    before = runs[done_runs - 1][1] if 0 < done_runs <= len(runs) else None
    home = plan.travel_min * wh_per_km / 1000.0  # at about 60 km/h
    home_percent = 100.0 * home / capacity_kwh if capacity_kwh else 0.0
    for number, (run, configuration) in enumerate(runs[done_runs:], start=done_runs + 1):
        if before is not None and configuration != before:
            add("swap", swap_minutes(plan, kind), f"Change to {names.get(configuration, configuration)}")
        before = configuration
        factor = (factors or {}).get(configuration, 1.0)
        reserve = 100.0 * run_kwh * factor / capacity_kwh if capacity_kwh else 0.0
        if number == len(runs):
            reserve += home_percent
        if capacity_kwh and charge - reserve < plan.charge_low_percent:
            wanted = plan.charge_start_percent
            minutes = charge_minutes(charge, wanted, capacity_kwh, plan.charger_kw)
            if wanted - reserve < plan.charge_low_percent:
                warnings.append(
                    f"One run takes {reserve:.0f} % of the battery: it does not fit the charge band "
                    f"{plan.charge_low_percent:.0f} to {plan.charge_start_percent:.0f} %."
                )
            charge = wanted
            add("charge", minutes, f"Charge back to {wanted:.0f} %")
        length = legs_per_run * leg_min + max(0, legs_per_run - 1) * plan.turn_min
        for begin, end in sorted(plan.avoid):
            window = datetime.combine(clock.date(), begin), datetime.combine(clock.date(), end)
            if clock < window[1] and clock + timedelta(minutes=length) > window[0]:
                add(
                    "pause",
                    (window[1] - clock).total_seconds() / 60.0,
                    f"Wait out the traffic until {end:%H:%M}",
                )
        spend(run_kwh * factor)
        add("run", length, f"Run {run}, {names.get(configuration, configuration)}", run, configuration)
        add("turn", plan.turn_min, "Read off, write down, turn")
    spend(home)
    add("travel", plan.travel_min, "Home")
    if light is not None and light.sunset is not None:
        dark = [s for s in steps if s.kind == "run" and s.end > light.sunset]
        if dark:
            warnings.append(
                f"{len(dark)} run{'s' if len(dark) != 1 else ''} would end after sunset ({light.sunset:%H:%M}): "
                "start earlier, drive fewer, or take a second day with whole blocks on each."
            )
    if (
        light is not None
        and light.sunrise is not None
        and steps[0].start < light.sunrise - timedelta(minutes=30)
    ):
        warnings.append(f"The day begins in the dark (sunrise {light.sunrise:%H:%M}).")
    if steps[-1].end.date() > day:
        warnings.append("The day does not end before midnight.")
    return Timetable(tuple(steps), light, tuple(warnings), used)

"""Hours of a forecast against the day's length and the tester's limits: when to go, of the days ahead."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from typing import Final

from fairmargin.core.planning.go import Answer, go_or_wait
from fairmargin.core.planning.timetable import Daylight
from fairmargin.core.study.plan import Forecast, HourForecast, Limits

_RANK: Final = {"go": 0, "wait": 1, "no-go": 2}
FIRST_HOUR: Final = 5  # nobody begins a test before, or ends it after
LAST_HOUR: Final = 22
#: What wind and gusts weigh against a change of temperature, to choose among windows alike: m/s a kelvin.
KELVIN_M_S: Final = 0.5


@dataclass(frozen=True, slots=True)
class Window:
    """A stretch of hours as long as the day, and what is expected in it."""

    start: datetime
    end: datetime
    answer: Answer
    forecast: Forecast  # the worst of its hours
    reason: str

    @property
    def burden(self) -> float:
        """What chooses among windows with the same answer: wind, gusts beyond it, change of temperature."""
        f = self.forecast
        wind = f.wind_speed_ms or 0.0
        gusts = max((f.wind_gust_ms or 0.0) - wind, 0.0)
        hours = (self.end - self.start).total_seconds() / 3600.0
        return float(wind + 0.5 * gusts + KELVIN_M_S * abs(f.warming_k_per_h or 0.0) * hours)


def windows(
    hours: Sequence[HourForecast],
    limits: Limits,
    day_hours: float | Callable[[datetime], float],
    light: Callable[[date], Daylight | None] = lambda _: None,
) -> tuple[Window, ...]:
    """Every start that leaves room for the day in daylight, the best first; between 5 and 22 h where no place tells it.

    A road that was rained on counts as wet until it has dried.

    Parameters
    ----------
    hours : sequence of HourForecast
        In any order; hours without a forecast are bridged.
    limits : Limits
    day_hours : float or callable
        Length of the day, or that of a day that begins at a time: what is waited for in traffic belongs to it. [h]
    light : callable, optional
        Sunrise and sunset of a day; None where no place is known.

    Returns
    -------
    tuple of Window
    """
    known = sorted(hours, key=lambda h: h.time)
    found = []
    for first in known:
        length = day_hours(first.time) if callable(day_hours) else day_hours
        end = first.time + timedelta(hours=length)
        inside = [h for h in known if first.time <= h.time <= end]
        if end > known[-1].time + timedelta(hours=1.5) or first.time.hour < FIRST_HOUR:
            continue
        if end.date() != first.time.date() or end.hour + end.minute / 60.0 > LAST_HOUR:
            continue
        sun = light(first.time.date())
        if sun is not None and not sun.holds(first.time, end):
            continue
        worst = _worst(inside, length)
        said = go_or_wait(worst, limits, length)
        answer, reason, wet = said.answer, said.reason, wet_until(known, limits, first.time)
        if wet is not None and not worst.rain:
            answer, reason = "no-go", f"The road is wet from rain before, until about {wet:%H:%M}."
        found.append(Window(first.time, end, answer, worst, reason))
    return tuple(sorted(found, key=lambda w: (_RANK[w.answer], w.burden, w.start)))


def wet_until(hours: Sequence[HourForecast], limits: Limits, moment: datetime) -> datetime | None:
    """Until when the road is wet from rain before a moment; None where it is dry then, or wet roads are accepted."""
    if limits.rain:
        return None
    rained = [h.time + timedelta(hours=1) for h in hours if h.rain and h.time < moment]
    dry = max(rained) + timedelta(hours=float(limits.dries_h)) if rained else moment
    return dry if dry > moment else None


@dataclass(frozen=True, slots=True)
class Hour:
    """One hour of a forecast against everything that a test asks for, and what speaks against it."""

    time: datetime
    answer: Answer
    reason: str


def by_the_hour(
    hours: Sequence[HourForecast],
    limits: Limits,
    light: Callable[[date], Daylight | None] = lambda _: None,
    avoid: Sequence[tuple[time, time]] = (),
) -> tuple[Hour, ...]:
    """Each hour against every limit at once: wind, gusts, cold, rain and what it leaves, daylight, traffic.

    Parameters
    ----------
    hours : sequence of HourForecast
    limits : Limits
    light : callable, optional
        Sunrise and sunset of a day; None where no place is known.
    avoid : sequence of (time, time)
        Traffic windows in which nobody drives.

    Returns
    -------
    tuple of Hour
        In order; the reason is empty where nothing speaks against the hour.
    """
    known = sorted(hours, key=lambda h: h.time)
    found = []
    for h in known:
        end = h.time + timedelta(minutes=59)
        sun = light(h.time.date())
        dark = not sun.holds(h.time, end) if sun is not None else not FIRST_HOUR <= h.time.hour < LAST_HOUR
        busy = [a for a, b in avoid if h.time.time() < b and end.time() > a]
        wet = wet_until(known, limits, h.time)
        if dark:
            found.append(Hour(h.time, "no-go", "dark" if sun is not None else "night"))
        elif busy:
            found.append(Hour(h.time, "no-go", "traffic"))
        elif wet is not None and not h.rain:
            found.append(Hour(h.time, "no-go", "wet road"))
        else:
            said = go_or_wait(_worst([h], 1.0), limits, 1.0)
            worst = next((c for c in said.conditions if c.answer == said.answer), None)
            reason = "" if said.answer == "go" or worst is None else _SHORT.get(worst.name, worst.name)
            found.append(Hour(h.time, said.answer, reason))
    return tuple(found)


_SHORT: Final = {"temperature": "cold", "wind": "wind", "gusts": "gusts", "rain": "rain"}


def spans_of(hours: Sequence[Hour]) -> tuple[tuple[datetime, datetime, Answer, str], ...]:
    """Hours in a row with one answer and reason, of each day: begin, end, answer, reason."""
    made: list[tuple[datetime, datetime, Answer, str]] = []
    for h in hours:
        end = h.time + timedelta(hours=1)
        if (
            made
            and made[-1][1] == h.time
            and made[-1][2:] == (h.answer, h.reason)
            and made[-1][0].date() == h.time.date()
        ):
            made[-1] = (made[-1][0], end, h.answer, h.reason)
        else:
            made.append((h.time, end, h.answer, h.reason))
    return tuple(made)


def weather_of_day(hours: Sequence[HourForecast], start: datetime, day_hours: float) -> Forecast | None:
    """The worst of the hours that a planned day takes; None where the forecast does not reach it."""
    end = start + timedelta(hours=day_hours)
    inside = [h for h in sorted(hours, key=lambda h: h.time) if start - timedelta(minutes=59) <= h.time <= end]
    return _worst(inside, day_hours) if inside else None


def _worst(inside: Sequence[HourForecast], day_hours: float) -> Forecast:
    """The strongest wind and gust, the coldest hour, rain in any, and how fast it warms."""
    winds = [h.wind_speed_ms for h in inside if h.wind_speed_ms is not None]
    gusts = [h.wind_gust_ms for h in inside if h.wind_gust_ms is not None]
    warm = [h.temperature_c for h in inside if h.temperature_c is not None]
    strongest = max(inside, key=lambda h: h.wind_speed_ms or 0.0)
    pressures = [h.pressure_hpa for h in inside if h.pressure_hpa is not None]
    return Forecast(
        wind_speed_ms=max(winds) if winds else None,
        wind_gust_ms=max(gusts) if gusts else None,
        wind_from_deg=strongest.wind_from_deg,
        temperature_c=min(warm) if warm else None,
        warming_k_per_h=round((max(warm) - min(warm)) / max(day_hours, 1.0), 2) if len(warm) > 1 else None,
        pressure_hpa=round(sum(pressures) / len(pressures), 1) if pressures else None,
        rain=any(h.rain for h in inside),
        source=f"hours from {inside[0].time:%Y-%m-%d %H:%M}",
    )


def best_of_days(found: Sequence[Window]) -> tuple[Window, ...]:
    """The best window of each day, in the order of the days."""
    best: dict[object, Window] = {}
    for window in found:
        best.setdefault(window.start.date(), window)
    return tuple(best[day] for day in sorted(best, key=str))

"""Hours of a forecast against the day's length and the tester's limits: when to go, of the days ahead."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta
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
    day_hours: float,
    light: Callable[[date], Daylight | None] = lambda _: None,
) -> tuple[Window, ...]:
    """Every start that leaves room for the day in daylight, the best first; between 5 and 22 h where no place tells it.

    Parameters
    ----------
    hours : sequence of HourForecast
        In any order; hours without a forecast are bridged.
    limits : Limits
    day_hours : float
        Length of the day. [h]
    light : callable, optional
        Sunrise and sunset of a day; None where no place is known.

    Returns
    -------
    tuple of Window
    """
    known = sorted(hours, key=lambda h: h.time)
    found = []
    for first in known:
        end = first.time + timedelta(hours=day_hours)
        inside = [h for h in known if first.time <= h.time <= end]
        if end > known[-1].time + timedelta(hours=1.5) or first.time.hour < FIRST_HOUR:
            continue
        if end.date() != first.time.date() or end.hour + end.minute / 60.0 > LAST_HOUR:
            continue
        sun = light(first.time.date())
        if sun is not None and not sun.holds(first.time, end):
            continue
        worst = _worst(inside, day_hours)
        said = go_or_wait(worst, limits, day_hours)
        found.append(Window(first.time, end, said.answer, worst, said.reason))
    return tuple(sorted(found, key=lambda w: (_RANK[w.answer], w.burden, w.start)))


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

"""Go, wait or no-go: each condition of a forecast or an observation against the tester's limits."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from fairmargin.core.study.plan import Forecast, Limits
from fairmargin.core.units import said

Answer = Literal["go", "wait", "no-go"]


@dataclass(frozen=True, slots=True)
class Condition:
    """One condition against its limit."""

    name: str
    answer: Answer
    words: str


@dataclass(frozen=True, slots=True)
class GoNoGo:
    """The answer, why, and each condition."""

    answer: Answer
    reason: str
    conditions: tuple[Condition, ...]


def _telling(value: float, limit: float) -> int:
    """As many decimals as tell a value from its limit."""
    apart = abs(value - limit)
    return 0 if apart >= 1.0 else 1 if apart >= 0.1 else 2


def go_or_wait(forecast: Forecast, limits: Limits, hours: float) -> GoNoGo:
    """Hold a forecast against limits.

    Parameters
    ----------
    forecast : Forecast
    limits : Limits
    hours : float
        Length of the day, for how much the temperature will change.

    Returns
    -------
    GoNoGo
        "no-go" when something is far outside (half as much again, or rain on a dry plan), "wait" when outside, "go" else.
    """
    found: list[Condition] = []

    def upper(name: str, value: float | None, limit: float, unit: str) -> None:
        if value is None:
            found.append(Condition(name, "wait", f"{name} not known; look it up before leaving"))
        elif value <= limit:
            found.append(Condition(name, "go", f"{name} {said(value, unit)}, limit {said(limit, unit)}"))
        else:
            answer: Answer = "no-go" if value > 1.5 * limit else "wait"
            decimals = _telling(value, limit)
            words = f"{name} {said(value, unit, decimals)}, above your limit of {said(limit, unit, decimals)}"
            found.append(Condition(name, answer, words))

    upper("wind", forecast.wind_speed_ms, limits.wind_ms, "m/s")
    if forecast.wind_gust_ms is not None:
        upper("gusts", forecast.wind_gust_ms, limits.gust_ms, "m/s")
    if forecast.warming_k_per_h is not None:
        upper(
            "temperature change over the day", abs(forecast.warming_k_per_h) * hours, limits.temperature_spread_k, "K"
        )
    if forecast.temperature_c is None:
        found.append(Condition("temperature", "wait", "temperature not known; look it up before leaving"))
    elif forecast.temperature_c < limits.coldest_c:
        colder: Answer = "no-go" if forecast.temperature_c < limits.coldest_c - 5 else "wait"
        cold, limit = float(forecast.temperature_c), float(limits.coldest_c)
        decimals = _telling(cold, limit)
        words = f"{said(cold, '°C', decimals)}, colder than your limit of {said(limit, '°C', decimals)}"
        found.append(Condition("temperature", colder, words))
    else:
        found.append(Condition("temperature", "go", f"temperature {said(forecast.temperature_c, '°C')}"))
    if forecast.rain and not limits.rain:
        found.append(
            Condition("rain", "no-go", "rain: costs about 10 % when heavy (common practice), and is not corrected")
        )
    else:
        found.append(Condition("rain", "go", "rain expected, and accepted" if forecast.rain else "no rain expected"))
    worst: Answer = "go"
    ranks: tuple[Answer, ...] = ("wait", "no-go")
    for answer in ranks:
        if any(c.answer == answer for c in found):
            worst = answer
    against = [c.words for c in found if c.answer == worst] if worst != "go" else []
    reason = "; ".join(against) if against else "everything is inside your limits"
    return GoNoGo(worst, reason[0].upper() + reason[1:] + ".", tuple(found))

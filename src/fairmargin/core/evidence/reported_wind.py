"""What the reports say of the wind on each leg: smoothed over the day, with what they leave open.

A report is the wind of its moment plus an error of its own, the larger the further off its station stands; the wind itself
wanders over an hour or so around the day's mean. A leg's wind is therefore better known from all reports of its day than
from its own alone, and the less from a report the older it is.

References
----------
.. [1] C. E. Rasmussen, C. K. I. Williams, "Gaussian Processes for Machine Learning" (2006), eq. 2.23-2.24
   (from memory).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.evidence.conditions import Conditions
from fairmargin.core.figures import Size

Array = NDArray[np.float64]

DAY_MEAN_M_S: Final = Size(5.0, "m/s", "either component of a day's wind, before any report")
UNREPORTED_M_S: Final = Size(3.0, "m/s", "the same where nobody reported anything all day: 3 to 6 m/s over open land")
UNREPORTED_MEAN_M_S: Final = Size(4.5, "m/s", "mean wind of such a day, by which it wanders")
WANDER_M_S: Final = Size(0.25, "m/s", "by what the wind wanders around its day's mean, in still air")
WANDER_SHARE: Final = Size(0.17, "of the day's wind", "on top of it")
WANDER_S: Final = Size(3600.0, "s", "over which it does")
SAME_WEATHER_S: Final = Size(72_000.0, "s", "over which the day's mean wind itself becomes another")
REPORT_M_S: Final = Size(0.35, "m/s", "error of a report at its own moment and place: a mean over minutes, rounded")
APART_M_S: Final = Size(0.3, "m/s", "the same by the way from the station to the road, at `USUAL_STATION_KM`")
UNTOLD_AGE_M_S: Final = Size(0.38, "m/s", "the same where nobody said how old it was: up to half an hour")
USUAL_STATION_KM: Final = Size(9.0, "km", "from the road to a station of which nobody said how far off it stands")
AT_THE_ROAD: Final = Size(0.5, "of the usual errors", "those of a mast beside the road")
SAME_RUN: Final = Size(0.5, "of a report's error", "that the run's other report repeats")


@dataclass(frozen=True, eq=False, slots=True)
class WindBelief:
    """Wind at the mast on each leg: middle, and factors L with L Lᵀ the covariance of either component."""

    from_north: Array  # (n,)
    from_east: Array
    factor: Array  # (n, n)
    unlaid: Array  # (n,) mean square of either component of a wind that no report lays along the road, else 0
    told: NDArray[np.bool_]  # (n,) whether its speed at least was noted


def afar(station_km: float | None) -> float:
    """Errors by the way from a station to the road, over those at the usual distance; they grow with it.

    Parameters
    ----------
    station_km : float or None
        From the road; None where nobody said.

    Examples
    --------
    >>> [round(afar(km), 2) for km in (None, 0.0, 8.0, 20.0)]
    [1.0, 0.5, 1.02, 2.28]
    """
    return 1.0 if station_km is None else math.hypot(AT_THE_ROAD, station_km / USUAL_STATION_KM)


def wind_belief(
    conditions: Sequence[Conditions], usable: NDArray[np.bool_], growth: float, station_km: float | None = None
) -> WindBelief:
    """Smooth the reported winds of each day [1]_.

    Parameters
    ----------
    conditions : sequence of Conditions
    usable : numpy.ndarray of bool, shape (n,)
        Whether a leg's report can be laid along its road.
    growth : float
        How much larger than usual the errors are (they grow with the wind).
    station_km : float, optional
        From the road, where anybody said.

    Returns
    -------
    WindBelief
    """
    n = len(conditions)
    north, east = np.zeros(n), np.zeros(n)
    cov = np.zeros((n, n))
    unlaid, told = np.zeros(n), np.zeros(n, dtype=bool)
    for day in {c.day for c in conditions}:
        own = [c for c in conditions if c.day == day]
        index = np.flatnonzero([c.day == day for c in conditions])
        t = np.array([c.placed_s + c.duration_s / 2 for c in own])
        seen = usable[index]
        laid = [c.wind_speed for c, s in zip(own, seen, strict=True) if s]
        # A wind whose speed alone was noted wanders as such a wind does, from whatever side.
        spoken = [c.wind_noted_m_s for c in own if c.wind_noted_m_s is not None]
        mean = float(np.mean(laid or spoken or [UNREPORTED_MEAN_M_S]))
        wander = WANDER_M_S + WANDER_SHARE * mean
        moved = wander**2 * np.exp(-np.abs(t[:, None] - t) / WANDER_S)
        if not seen.any():
            square, told[index] = _strength(own)
            unlaid[index] = square
            cov[np.ix_(index, index)] = float(square.mean()) + moved
            continue
        prior = _alike(wander, t, t)
        reports = [c for c, s in zip(own, seen, strict=True) if s]
        reported = t[seen] - np.array([c.wind_age_s or 0.0 for c in reports])
        sd = growth * np.array([_report_error(c, station_km) for c in reports])
        noise = _report_noise(reports) * np.outer(sd, sd)
        to_reports, of_reports = (_alike(wander, moments, reported) for moments in (t, reported))
        gain = np.linalg.solve(of_reports + noise, to_reports.T).T
        north[index] = gain @ np.array([c.from_north for c in reports])
        east[index] = gain @ np.array([c.from_east for c in reports])
        cov[np.ix_(index, index)] = prior - gain @ to_reports.T
    values, vectors = np.linalg.eigh(cov)
    return WindBelief(north, east, vectors * np.sqrt(np.maximum(values, 0.0)), unlaid, told)


def wandered_m_s(c: Conditions, after_s: float) -> float:
    """How far either component of a leg's wind has moved after a while. [m/s]"""
    noted = c.wind_speed if c.wind_known else c.wind_noted_m_s
    wander = WANDER_M_S + WANDER_SHARE * (UNREPORTED_MEAN_M_S if noted is None else noted)
    return float(wander * math.sqrt(2.0 * (1.0 - math.exp(-after_s / WANDER_S))))


def _alike(wander_m_s: float, a: Array, b: Array) -> Array:
    """Covariance of either component of the wind between moments. [m²/s²]"""
    apart = np.abs(a[:, None] - b)
    weather = DAY_MEAN_M_S**2 * np.exp(-0.5 * (apart / SAME_WEATHER_S) ** 2)
    return np.asarray(weather + wander_m_s**2 * np.exp(-apart / WANDER_S))


def _report_error(c: Conditions, station_km: float | None) -> float:
    """Of one report, in a usual wind. [m/s]"""
    return math.hypot(REPORT_M_S, APART_M_S * afar(station_km), UNTOLD_AGE_M_S if c.wind_age_s is None else 0.0)


def _strength(day: Sequence[Conditions]) -> tuple[Array, NDArray[np.bool_]]:
    """Mean square of either component on the legs of a day without a usable direction, and whether it was noted."""
    noted = [c.wind_noted_m_s for c in day]
    known = [v for v in noted if v is not None]
    usual = float(np.mean(np.square(known))) / 2 if known else UNREPORTED_M_S**2
    square = np.array([usual if v is None else v**2 / 2 for v in noted])
    return square, np.full(len(day), bool(known))


def _report_noise(conditions: Sequence[Conditions]) -> Array:
    """Correlation of the reports' errors: one report may serve several legs, one observer a whole run."""
    report: list[int] = []
    run: list[str] = []
    previous: Conditions | None = None
    for c in conditions:
        repeated = (
            previous is not None
            and (c.from_north, c.from_east) == (previous.from_north, previous.from_east)
            and c.placed_s - previous.placed_s < 5400.0
        )
        report.append(report[-1] if repeated else len(report))
        run.append(run[-1] if repeated else c.run)
        previous = c
    same_report = np.equal.outer(report, report).astype(float)
    same_run = np.array([[a == b for b in run] for a in run], dtype=float)
    return np.asarray(SAME_RUN * same_run + (0.99 - SAME_RUN) * same_report + 0.01 * np.eye(len(run)))

"""What the reports say of the wind on each leg: smoothed over the day, with what they leave open.

A report is the wind of its moment plus an error of its own; the wind itself wanders over an hour or so around
the day's mean. A leg's wind is therefore better known from all reports of its day than from its own alone.

References
----------
.. [1] C. E. Rasmussen, C. K. I. Williams, "Gaussian Processes for Machine Learning" (2006), eq. 2.23-2.24
   (from memory).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.evidence.conditions import Conditions

Array = NDArray[np.float64]

DAY_MEAN_M_S: Final = 5.0  # either component, before any report
UNREPORTED_M_S: Final = 2.8  # the same where nobody reported anything all day
WANDER_M_S: Final = (0.25, 0.17)  # plus this share of the day's wind
WANDER_S: Final = 3600.0
REPORT_M_S: Final = 0.6  # error of one report
SAME_RUN: Final = 0.5  # share of a report's error that the run's other report repeats


@dataclass(frozen=True, eq=False, slots=True)
class WindBelief:
    """Wind at the mast on each leg: middle, and factors L with L Lᵀ the covariance of either component."""

    from_north: Array  # (n,)
    from_east: Array
    factor: Array  # (n, n)
    unlaid: Array  # (n,) mean square of either component of a wind that no report lays along the road, else 0
    told: NDArray[np.bool_]  # (n,) whether its speed at least was noted


def wind_belief(conditions: Sequence[Conditions], usable: NDArray[np.bool_], growth: float) -> WindBelief:
    """Smooth the reported winds of each day [1]_.

    Parameters
    ----------
    conditions : sequence of Conditions
    usable : numpy.ndarray of bool, shape (n,)
        Whether a leg's report can be laid along its road.
    growth : float
        How much larger than usual the errors are (they grow with the wind).

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
        mean = float(np.mean([c.wind_speed for c, s in zip(own, seen, strict=True) if s] or [4.0]))
        wander = WANDER_M_S[0] + WANDER_M_S[1] * mean
        moved = wander**2 * np.exp(-np.abs(t[:, None] - t) / WANDER_S)
        if not seen.any():
            square, told[index] = _strength(own)
            unlaid[index] = square
            cov[np.ix_(index, index)] = float(square.mean()) + moved
            continue
        prior = DAY_MEAN_M_S**2 + moved
        reports = [c for c, s in zip(own, seen, strict=True) if s]
        noise = _report_noise(reports) * (REPORT_M_S * growth) ** 2
        to_reports = prior[:, seen]
        gain = np.linalg.solve(prior[np.ix_(seen, seen)] + noise, to_reports.T).T
        north[index] = gain @ np.array([c.from_north for c in reports])
        east[index] = gain @ np.array([c.from_east for c in reports])
        cov[np.ix_(index, index)] = prior - gain @ to_reports.T
    values, vectors = np.linalg.eigh(cov)
    return WindBelief(north, east, vectors * np.sqrt(np.maximum(values, 0.0)), unlaid, told)


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

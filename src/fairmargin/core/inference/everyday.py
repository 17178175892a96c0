"""Everyday logs: weeks of trips with and without, regressed on speed, temperature and trip length.

The logarithm of each trip's consumption is a sum of a level, the change, and what speed, temperature and the
trip's length usually do (priors from common practice, so that a few trips do not invent a slope); trips of one
day share what the day did. Scatter is unknown and integrated over, as in the road-load fit.

References
----------
.. [1] A. Gelman et al., "Bayesian Data Analysis", 3rd ed. (2013), ch. 14: regression with informative
   priors (from memory).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.evidence.conditions import Conditions
from fairmargin.core.evidence.readings import Observation
from fairmargin.core.inference.fit import SCATTER_SIZES, Effect, scatter_grid, scatter_weights
from fairmargin.core.study import Study

Array = NDArray[np.float64]

TRIP_SCATTER: Final = 0.06  # of a 10 km trip; common practice
TRIP_FREEDOM: Final = 6.0
DAY_SD: Final = 0.025
#: Regressors: middle and standard deviation of their slopes. Common practice.
WARMER_PER_K: Final = (-0.006, 0.006)
FROST_PER_K: Final = (0.008, 0.010)  # on top, for each kelvin below FROST_C
FROST_C: Final = 8.0
SPEED_SQUARED: Final = (0.30, 0.30)  # per (90 km/h)²
SHORT_TRIP_KM: Final = (0.6, 0.8)  # a trip of L km uses this over L more


@dataclass(frozen=True, eq=False, slots=True)
class EverydayFit:
    """Effects, and what each trip is corrected by (shares, by ledger line)."""

    effects: dict[str, Effect]
    corrections: dict[str, dict[str, float]]  # leg → line → log correction
    scatter_share: float
    trip_sd: dict[str, float]
    slopes: dict[str, float]


def fit_everyday(
    study: Study,
    conditions: Sequence[Conditions],
    observations: Sequence[Observation],
    temperature_c: float,
    speed_m_s: float,
    without: frozenset[str] = frozenset(),
) -> EverydayFit:
    """Regress trips [1]_.

    Parameters
    ----------
    study : Study
    conditions : sequence of Conditions
        One per observation, in their order.
    observations : sequence of Observation
    temperature_c, speed_m_s : float
        What the trips are corrected to.
    without : frozenset of str
        Lines left out of the regression (temperature, speed, trip_length), for pricing them.

    Returns
    -------
    EverydayFit

    Raises
    ------
    ValueError
        If there is no trip.
    """
    if not observations:
        raise ValueError("a regression needs at least one trip with a reading")
    n = len(observations)
    km = np.array([o.true_km for o in observations])
    measured = np.log(np.array([o.true_wh_per_km for o in observations]))
    t = np.array([c.temperature_c for c in conditions])
    v = np.array([c.speed_m_s for c in conditions]) * 3.6 / 90.0
    mean_km = float(km.sum() / n)
    columns: list[tuple[str, Array, float, float]] = [
        ("temperature", t - temperature_c, *WARMER_PER_K),
        (
            "temperature",
            np.maximum(FROST_C - t, 0.0) - max(FROST_C - temperature_c, 0.0),
            *FROST_PER_K,
        ),
        ("speed", v**2 - (speed_m_s * 3.6 / 90.0) ** 2, *SPEED_SQUARED),
        ("trip_length", 1.0 / km - 1.0 / mean_km, *SHORT_TRIP_KM),
    ]
    columns = [c for c in columns if c[0] not in without]
    trials = [x.id for x in study.trials if any(c.configuration == x.id for c in conditions)]
    design = [np.ones(n), *[np.array([float(c.configuration == x) for c in conditions]) for x in trials]]
    middle, sd = [float(measured.mean()), *[0.0] * len(trials)], [1.0, *[0.5] * len(trials)]
    for _, values, m, s in columns:
        design.append(values)
        middle.append(m)
        sd.append(s)
    for day in sorted({c.day for c in conditions}):
        design.append(np.array([float(c.day == day) for c in conditions]))
        middle.append(0.0)
        sd.append(DAY_SD)
    x = np.stack(design, axis=1)
    mu, var = np.array(middle), np.array(sd) ** 2
    reading_var = np.array([o.relative_sd for o in observations]) ** 2
    scatter_var = TRIP_SCATTER**2 * np.clip(10.0 / km, 0.3, 4.0)
    innovation = measured - x @ mu
    base = (x * var) @ x.T + np.diag(reading_var)
    gradients = np.zeros((len(trials), len(mu)))
    for i in range(len(trials)):
        gradients[i, 1 + i] = 1.0
    crosses = x @ (var * gradients).T
    grid = scatter_grid(base, np.eye(n), scatter_var, innovation, crosses)
    mix = scatter_weights(grid.log_likelihood, TRIP_FREEDOM)
    multiple = float(mix @ SCATTER_SIZES)
    cov = base + np.diag(scatter_var * multiple**2)
    inverse = np.linalg.inv(cov)
    slopes = mu + var * (x.T @ (inverse @ innovation))
    level = float(np.exp(slopes[0]))
    effects = {}
    for i, name in enumerate(trials):
        prior_q = float(gradients[i] @ (var * gradients[i]))
        estimator = inverse @ crosses[:, i]
        leak = (gradients[i] - estimator @ x) ** 2 * var
        scatter = float(estimator**2 @ scatter_var) * multiple**2
        rounding = float(estimator**2 @ reading_var)
        first_day = 1 + len(trials) + len(columns)
        days = float(leak[first_day:].sum())
        groups = {"scatter": scatter, "display step": rounding, "day": days}
        for (line, *_), value in zip(columns, leak[1 + len(trials) : first_day].tolist(), strict=True):
            groups[line] = groups.get(line, 0.0) + value
        weighted = inverse @ innovation
        effects[name] = Effect(
            trial=name,
            log_ratio=float(mix @ grid.gain[:, i]),
            weights=mix,
            means=grid.gain[:, i],
            sds=np.sqrt(np.maximum(prior_q - grid.known[:, i], 1e-12)),
            systematic_variance=float(leak[:first_day].sum()),
            random_variance=scatter + rounding + days,
            budget=tuple(sorted(groups.items(), key=lambda kv: -kv[1])),
            baseline_wh_per_km=level,
            trial_wh_per_km=level * math.exp(slopes[1 + i]),
            influence={
                o.legs[0]: -float(estimator[j] * weighted[j] / inverse[j, j])
                for j, o in enumerate(observations)
            },
        )
    corrections: dict[str, dict[str, float]] = {o.legs[0]: {} for o in observations}
    for k, (line, values, _, _) in enumerate(columns):
        slope = float(slopes[1 + len(trials) + k])
        for o, value in zip(observations, values.tolist(), strict=True):
            own = corrections[o.legs[0]]
            own[line] = own.get(line, 0.0) - slope * value
    return EverydayFit(
        effects,
        corrections,
        TRIP_SCATTER * multiple,
        {
            o.legs[0]: float(math.sqrt(scatter_var[j] * multiple**2 + reading_var[j]))
            for j, o in enumerate(observations)
        },
        {line: float(slopes[1 + len(trials) + k]) for k, (line, *_) in enumerate(columns)},
    )

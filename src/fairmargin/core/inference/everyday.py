"""Everyday logs: weeks of trips with and without, regressed on speed, temperature and trip length.

The logarithm of each trip's consumption is a sum of a level, the change, and what speed, temperature and the
trip's length usually do (priors from common practice, so that a few trips do not invent a slope); trips of one
day share what the day did, days of a week what the week did, and each direction has a level of its own. Scatter is unknown and integrated over, as in the road-load fit.

References
----------
.. [1] A. Gelman et al., "Bayesian Data Analysis", 3rd ed. (2013), ch. 14: regression with informative
   priors (from memory).
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.conditions.causes import Group, Regressor
from fairmargin.core.evidence.conditions import Conditions
from fairmargin.core.evidence.reading import Observation
from fairmargin.core.figures import Prior, Size
from fairmargin.core.inference.posterior import Effect, Evidence, Posterior, posterior
from fairmargin.core.study import Study

Array = NDArray[np.float64]

TRIP_SCATTER: Final = Size(0.05, "log", "what everyday trips of `TRIP_KM` scatter by")
TRIP_KM: Final = Size(10.0, "km", "way of such a trip")
TRIP_REACH: Final = (0.3, 4.0)  # of its variance, for long and short trips
TRIP_FREEDOM: Final = Size(6.0, "degrees of freedom", "weight of that opinion")
KNEE_C: Final = Size(15.0, "°C", "below it cabins are heated")
WEEK_S: Final = 7 * 86400.0
SPEED_KMH: Final = 90.0  # in which speeds are counted
#: Priors of the regression. Common practice.
LEVEL: Final = Prior(1.0, "log", "level of the vehicle")
CHANGE: Final = Prior(0.5, "log", "what the change does")
DAY: Final = Prior(0.02, "log", "what a day does to all its trips, at the scatter's usual size")
DAY_WIND: Final = Prior(0.05, "log", "what a day's wind takes from one way and gives to the other")
DAY_WET: Final = Prior(0.012, "log", "on top, where nobody noted whether it rained")
WEEK: Final = Prior(0.006, "log", "what a week does to all its trips: roads, fuel, tyres, habits")
WARMER_PER_K: Final = Prior(0.004, "1/K", "consumption per kelvin of outside air", mean=-0.004)
FROST_PER_K: Final = Prior(0.006, "1/K", "on top, for each kelvin below KNEE_C", mean=0.006)
WAY: Final = Prior(0.10, "log", "the way there against the way back: hills, towns, the hour")
UNTOLD_PER_K: Final = Size(0.012, "log/K", "what a kelvin may be worth on trips whose temperature nobody noted")
SEASON_K_PER_DAY: Final = Size(0.25, "K/day", "how fast a season moves, at most")
UNTOLD_DAY_K: Final = Size(4.0, "K", "from one such day to another")
ELSEWHERE: Final = Size(
    0.07, "of the effect", "by what heating, stops and cold starts of trips dilute it: no road says how far"
)
UNTOLD_SPEED: Final = Prior(0.012, "log", "speeds of one configuration's trips that nobody noted")
SPEED_SQUARED: Final = Prior(0.30, "1/(90 km/h)²", "consumption against the square of speed", mean=0.30)
SHORT_TRIP_KM: Final = Prior(0.8, "km", "a trip of L km uses this over L more", mean=0.6)


@dataclass(frozen=True, eq=False, slots=True)
class Column:
    """One column of the regression."""

    name: str
    values: Array
    prior: Prior


@dataclass(frozen=True, eq=False, slots=True)
class EverydayFit:
    """Effects, and what each trip is corrected by (shares, by ledger line)."""

    effects: dict[str, Effect]
    corrections: Mapping[str, Mapping[str, float]]  # leg → regressor → log correction
    scatter_share: float
    trip_sd: dict[str, float]
    slopes: dict[str, float]


def fit_everyday(
    study: Study,
    conditions: Sequence[Conditions],
    observations: Sequence[Observation],
    temperature_c: float,
    speed_m_s: float,
    without: frozenset[Regressor] = frozenset(),
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
    without : frozenset of Regressor
        Left out of the regression, for pricing them.

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
    km = np.array([o.true_km for o in observations])
    measured = np.log(np.array([o.true_wh_per_km for o in observations]))
    trials = [x.id for x in study.trials if any(c.configuration == x.id for c in conditions)]
    slopes = [c for c in _slopes(conditions, km, temperature_c, speed_m_s) if Regressor(c.name) not in without]
    level = Column("level", np.ones(len(km)), LEVEL)
    changes = [Column(x, np.array([float(c.configuration == x) for c in conditions]), CHANGE) for x in trials]
    days, day_var = _days(conditions)
    columns = [level, *changes, *slopes, *_not_recorded(conditions, trials), *_weeks(conditions)]
    mean = np.array([float(measured.mean()), *(c.prior.mean for c in columns[1:])])
    design = np.stack([c.values for c in columns], axis=1)
    evidence = Evidence(
        design,
        np.array([c.prior.sd for c in columns]) ** 2,
        np.array([o.relative_sd for o in observations]) ** 2,
        np.concatenate([np.eye(len(km)), days], axis=1),
        np.concatenate([TRIP_SCATTER**2 * np.clip(TRIP_KM / km, *TRIP_REACH), day_var]),
    )
    gradients = np.zeros((len(trials), len(columns)))
    gradients[np.arange(len(trials)), 1 + np.arange(len(trials))] = 1.0
    result = posterior(evidence, measured - design @ mean, gradients, [0.0] * len(trials), TRIP_FREEDOM)
    values = mean + evidence.prior_var * (design.T @ (result.inverse @ result.innovation))
    names = [o.legs[0] for o in observations]
    sd = np.sqrt(evidence.scatter_var[: len(km)] * result.scatter_multiple**2 + evidence.noise)
    return EverydayFit(
        {name: _effect(name, i, columns, values, result, names) for i, name in enumerate(trials)},
        _corrections(names, slopes, values[1 + len(trials) :][: len(slopes)]),
        TRIP_SCATTER * result.scatter_multiple,
        {name: float(own) for name, own in zip(names, sd, strict=True)},
        {c.name: float(v) for c, v in zip(columns, values, strict=True) if any(c is s for s in slopes)},
    )


def _slopes(conditions: Sequence[Conditions], km: Array, temperature_c: float, speed_m_s: float) -> list[Column]:
    """Columns of what temperature, speed and length do, zero at what the trips are corrected to."""
    t = np.array([c.temperature_c for c in conditions])
    v = np.array([c.speed_m_s for c in conditions]) * 3.6 / SPEED_KMH
    frost = np.maximum(KNEE_C - t, 0.0) - max(KNEE_C - temperature_c, 0.0)
    back = np.array([c.backwards for c in conditions])
    way = [Column(Regressor.DIRECTION, back - 0.5, WAY)] if back.any() and not back.all() else []
    return [
        *way,
        Column(Regressor.TEMPERATURE, t - temperature_c, WARMER_PER_K),
        Column(Regressor.TEMPERATURE, frost, FROST_PER_K),
        Column(Regressor.SPEED, v**2 - (speed_m_s * 3.6 / SPEED_KMH) ** 2, SPEED_SQUARED),
        Column(Regressor.TRIP_LENGTH, 1.0 / km - 1.0 / float(km.sum() / len(km)), SHORT_TRIP_KM),
    ]


def _days(conditions: Sequence[Conditions]) -> tuple[Array, Array]:
    """What a day does to its trips, all alike and to one way against the other (trips, 2 days), and the variances.

    Its size is learned with the scatter's. A trip that nobody dated has the day of its run.
    """
    keys = [str(c.day) if c.day_told or not c.run else f"run {c.run}" for c in conditions]
    names = list(dict.fromkeys(keys))
    on = np.array([[float(key == name) for name in names] for key in keys])
    sign = np.array([-1.0 if c.backwards else 1.0 for c in conditions])
    wet = np.array([any(not c.road for c, key in zip(conditions, keys, strict=True) if key == n) for n in names])
    alike, apart = DAY.sd**2 + wet * DAY_WET.sd**2, np.full(len(names), DAY_WIND.sd**2)
    if abs(float(sign.sum())) == len(sign):
        return on, alike  # all one way: what wind does is what the day does
    return np.concatenate([on, on * sign[:, None]], axis=1), np.concatenate([alike, apart])


def _weeks(conditions: Sequence[Conditions]) -> list[Column]:
    """A column for each week that has trips, counted from the first."""
    first = min(c.placed_s for c in conditions)
    week = [int((c.placed_s - first) // WEEK_S) if c.day_told else -1 for c in conditions]
    return [Column(Group.DAY, np.array([float(w == own) for w in week]), WEEK) for own in sorted(set(week)) if own >= 0]


def _not_recorded(conditions: Sequence[Conditions], trials: Sequence[str]) -> list[Column]:
    """What nobody noted: temperatures, by the season's course and from day to day; and speeds."""
    out: list[Column] = []
    cold = np.array([not c.temperature_known for c in conditions])
    if cold.any():
        days = np.array([c.placed_s for c in conditions]) / 86400.0
        dated = all(c.day_told for c in conditions)
        if dated and cold.all():
            prior = Prior(UNTOLD_PER_K * SEASON_K_PER_DAY, "1/day", "the season")
            out.append(Column(Regressor.TEMPERATURE, days - float(days.mean()), prior))
        elif cold.all():
            prior = Prior(UNTOLD_PER_K * SEASON_K_PER_DAY * 21.0, "log", "the season")
            out += [
                Column(Regressor.TEMPERATURE, np.array([float(c.configuration == x) for c in conditions]), prior)
                for x in trials
            ]
        by_day = Prior(UNTOLD_PER_K * UNTOLD_DAY_K, "log", "temperature of a day that noted none")
        for day in sorted({c.day for c, own in zip(conditions, cold, strict=True) if own}):
            on = np.array([float(c.day == day) for c in conditions]) * cold
            out.append(Column(Regressor.TEMPERATURE, on, by_day))
    if not all(c.day_told for c in conditions):
        out += [
            Column(Group.DAY, np.array([float(c.configuration == own) for c in conditions]), WEEK)
            for own in dict.fromkeys(c.configuration for c in conditions)
        ]
    slow = np.array([not c.timed for c in conditions])
    for configuration in dict.fromkeys(c.configuration for c in conditions):
        on = slow * np.array([float(c.configuration == configuration) for c in conditions])
        if on.any():
            out.append(Column(Regressor.SPEED, on, UNTOLD_SPEED))
    return out


def _effect(
    trial: str, i: int, columns: Sequence[Column], values: Array, result: Posterior, names: Sequence[str]
) -> Effect:
    """One trial's effect with the budget of its margin."""
    open_variance, estimator = result.variance_by_parameter[i], result.estimators[:, i]
    by_drive = (result.evidence.owns.T @ estimator) ** 2 * result.evidence.scatter_var
    by_drive = by_drive * result.scatter_multiple**2
    scatter, by_day = float(by_drive[: len(names)].sum()), float(by_drive[len(names) :].sum())
    rounding = float(estimator**2 @ result.evidence.noise)
    is_day = np.array([c.prior is WEEK for c in columns])
    budget: dict[str, float] = {
        Group.SCATTER: scatter,
        Group.DISPLAY_STEP: rounding,
        Group.DAY: by_day + float(open_variance[is_day].sum()),
    }
    for c, value in zip(columns, open_variance.tolist(), strict=True):
        if c.name in set(Regressor):
            budget[c.name] = budget.get(c.name, 0.0) + value
    ratio = float(result.weights @ result.means[:, i])
    elsewhere = (ELSEWHERE * ratio) ** 2
    budget[Group.CHANGE] = elsewhere
    level = float(np.exp(values[0]))
    return Effect(
        trial=trial,
        log_ratio=ratio,
        weights=result.weights,
        means=result.means[:, i],
        sds=np.sqrt(result.sds[:, i] ** 2 + elsewhere),
        systematic_variance=float(open_variance[~is_day].sum()) + elsewhere,
        random_variance=scatter + by_day + rounding + float(open_variance[is_day].sum()),
        budget=tuple(sorted(((str(k), v) for k, v in budget.items()), key=lambda kv: -kv[1])),
        baseline_wh_per_km=level,
        trial_wh_per_km=level * math.exp(values[1 + i]),
        influence=dict(zip(names, result.influence(i)[: len(names)].tolist(), strict=True)),
    )


def _corrections(names: Sequence[str], columns: Sequence[Column], values: Array) -> Mapping[str, Mapping[str, float]]:
    """What each trip is corrected by, as logarithms by regressor."""
    out: dict[str, dict[str, float]] = {name: {} for name in names}
    for c, slope in zip(columns, values.tolist(), strict=True):
        if c.name not in set(Regressor):
            continue
        for name, value in zip(names, c.values.tolist(), strict=True):
            out[name][c.name] = out[name].get(c.name, 0.0) - slope * value
    return out

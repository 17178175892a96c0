"""Consumption and effect over speed: one fit through the legs of all speeds, stated at any of them."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.evidence.conditions import Conditions
from fairmargin.core.evidence.logs import Logs
from fairmargin.core.evidence.reading import Observation
from fairmargin.core.inference.levels import calibration
from fairmargin.core.inference.options import FitOptions
from fairmargin.core.inference.posterior import Posterior, mixture_quantile, posterior
from fairmargin.core.inference.problem import Problem, prepare, reference_model_of, reference_of, steady_drives
from fairmargin.core.inference.solver import solve
from fairmargin.core.model.parameters import Parameter
from fairmargin.core.study import Study

Array = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class SpeedCurve:
    """One configuration over speed: its consumption, and its effect against the baseline (nothing for the baseline)."""

    vehicle: str
    sector: str
    configuration: str
    speeds_kmh: tuple[float, ...]
    wh_per_km: tuple[float, ...]
    interval_wh_per_km: tuple[tuple[float, float], ...]
    effect_percent: tuple[float, ...]
    interval_percent: tuple[tuple[float, float], ...]
    driven_kmh: tuple[float, ...]  # mean speeds that were driven, between which the curve is tested


def curves_over_speed(
    study: Study,
    conditions: Sequence[Conditions],
    observations: Sequence[Observation],
    logs: Logs,
    options: FitOptions,
    speeds_kmh: Sequence[float],
) -> list[SpeedCurve]:
    """Fit all legs at once, whatever their speed, and state every configuration at each of the speeds.

    The change acts on the same physical parameters at every speed: each speed driven is evidence for all of them.

    Parameters
    ----------
    study : Study
        Of one vehicle.
    conditions, observations, logs, options
        As for `fit.fit_study`, of one sector and all its speeds.
    speeds_kmh : sequence of float

    Returns
    -------
    list of SpeedCurve
        Empty where the legs were logged at speeds that nobody held.
    """
    problem = prepare(study, conditions, observations, logs, options)
    if problem.reference.as_driven:
        return []
    solution = solve(problem)
    levels, gradients = _levels(study, problem, conditions, options, speeds_kmh, solution.theta)
    count = len(problem.configurations)
    flat = gradients.reshape(-1, gradients.shape[-1])
    contrasts = (gradients[:, 1:] - gradients[:, :1]).reshape(-1, gradients.shape[-1])
    ratios = (levels[:, 1:] - levels[:, :1]).reshape(-1)
    asked = np.concatenate([flat, contrasts])
    values = np.concatenate([levels.reshape(-1), ratios]) + asked @ (problem.prior_mean - solution.theta)
    result = posterior(
        problem.evidence(solution.at, solution.segment_share),
        problem.innovation(solution.at, solution.theta),
        asked,
        values.tolist(),
        options.scatter_freedom,
    )
    off = calibration(observations)

    def interval(column: int, extra: float = 0.0) -> tuple[float, float]:
        return _interval(result, column, extra, study.confidence)

    driven = {c.leg: 3.6 * c.speed_m_s for c in conditions}
    out = []
    for i, name in enumerate(problem.configurations):
        own = [driven[leg] for o in observations for leg in o.legs if study.leg(leg).configuration == name]
        if not own:
            continue
        columns = [s * count + i for s in range(len(speeds_kmh))]
        against = [len(flat) + s * (count - 1) + i - 1 for s in range(len(speeds_kmh))] if i else []
        ends = [interval(k) for k in against]
        out.append(
            SpeedCurve(
                vehicle="",
                sector="",
                configuration=name,
                speeds_kmh=tuple(float(v) for v in speeds_kmh),
                wh_per_km=tuple(math.exp(float(levels[s, i])) for s in range(len(speeds_kmh))),
                interval_wh_per_km=tuple(interval(k, off) for k in columns),
                effect_percent=tuple(100 * math.expm1(float(result.weights @ result.means[:, k])) for k in against),
                interval_percent=tuple((100 * (a - 1), 100 * (b - 1)) for a, b in ends),
                driven_kmh=tuple(sorted({round(v, 1) for v in own})),
            )
        )
    return out


def _interval(result: Posterior, column: int, extra: float, confidence: float) -> tuple[float, float]:
    """Equal-tailed interval of what a posterior asked for is the logarithm of; `extra` is a further standard deviation."""
    tail = (1.0 - confidence) / 2.0
    sds = np.hypot(result.sds[:, column], extra)
    low, high = (mixture_quantile(result.weights, result.means[:, column], sds, q) for q in (tail, 1 - tail))
    return math.exp(low), math.exp(high)


def _levels(
    study: Study,
    problem: Problem,
    conditions: Sequence[Conditions],
    options: FitOptions,
    speeds_kmh: Sequence[float],
    theta: Array,
) -> tuple[Array, Array]:
    """Log consumption [ln Wh/km] of every configuration at every speed, and its derivatives by the unknowns."""
    n = len(problem.rows.leg)
    reference = reference_of(study, conditions, options.view)
    masses = {c.id: float(c.mass_delta_kg or 0.0) for c in study.configurations}
    # A speed that is asked about is known: what the driver's is off by stays with the legs.
    weights = problem.weights[n:] * (problem.parameters != Parameter.SPEED)
    levels, gradients = [], []
    for kmh in speeds_kmh:
        drives = steady_drives(problem.road, conditions, [kmh / 3.6] * len(problem.configurations))
        of = [masses[c] for c in problem.configurations for _ in range(drives.each)]
        model = reference_model_of(problem.model, drives, reference, of)
        e = model.energies(problem.local_of(weights, theta), derivatives=True)
        assert e.by_parameter is not None
        by_unknown = e.by_parameter[:, problem.parameters] * weights
        energy = e.wh.reshape(-1, drives.each).sum(axis=1)
        levels.append(np.log(energy / drives.km))
        summed = by_unknown.reshape(len(energy), drives.each, -1).sum(axis=1)
        gradients.append(summed / energy[:, None])
    return np.array(levels), np.array(gradients)

"""The one fit: every leg's reading at once, everything uncertain given a prior, the effect with its margin.

Gauss-Newton finds the most probable values. The posterior is then taken in the space of the readings:
with J the derivatives of the log energies, S the prior variances and N the reading noise,

    C = J S Jᵀ + N + σ² diag(s)         (all that scatters the readings)
    effect | σ ~ Normal(g μ + g S Jᵀ C⁻¹ r,  g S gᵀ − g S Jᵀ C⁻¹ J S gᵀ)

and the run-to-run scatter σ, itself uncertain (scaled inverse χ², 5 degrees of freedom around common
practice), is integrated over on a grid: the effect becomes a mixture of normals with t-like tails, so that
small samples do not pretend.

References
----------
.. [1] A. Gelman et al., "Bayesian Data Analysis", 3rd ed. (2013), ch. 14: linear model with unknown
   variance (from memory).
.. [2] C. E. Rasmussen, C. K. I. Williams, "Gaussian Processes for Machine Learning" (2006), eq. 2.23-2.24,
   the function-space form (from memory).
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.judgement.conditions import Conditions
from fairmargin.core.judgement.model import (
    LegTable,
    RoadModel,
    Slot,
    join,
    leg_pieces,
    steady_pieces,
    study_shape,
    table,
)
from fairmargin.core.judgement.readings import Observation
from fairmargin.core.physics import air, wind
from fairmargin.core.study import Study, Trace

Array = NDArray[np.float64]

#: Prior scatter of a careful run of 30 km, as a share, and the weight of that opinion. Common practice.
SCATTER_SHARE: Final = 0.0095
SCATTER_FREEDOM: Final = 5.0
SCATTER_KM: Final = 30.0

#: Standard deviations of the priors (see docs/method.md for each).
WIND_RUN_M_S: Final = 0.65
WIND_DAY_M_S: Final = 0.5
WIND_LEG_M_S: Final = 0.3
WIND_GROWTH: Final = (0.7, 0.085)  # the three above times this much, plus this much per m/s of reported wind
WIND_UNKNOWN_DAY_M_S: Final = 3.0
WIND_UNKNOWN_RUN_M_S: Final = 1.0
YAW_SLOPE_SD: Final = 0.006
TYRE_PER_K_SD: Final = 0.002
DRIVELINE_PER_K_SD: Final = 0.0007
CLIMATE_SD: Final = 25.0
PRESSURE_EXPONENT_SD: Final = 0.15
WARM_UP_SHARE: Final = 0.05
WARM_UP_SD: Final = 0.06
LEVEL_SD: Final = 0.4
DIRECTION_SD: Final = 0.015
DAY_SD: Final = 0.008
PRESSURE_MISSING_SD: Final = 0.005
CONTROL_SD: Final = 0.10
WET_SD: Final = {"damp": 0.02, "wet": 0.05, "snow": 0.10}
CHANGE_SD: Final = 0.5
CHANGE_AUXILIARY_W: Final = 2500.0
_MIX: Final = np.geomspace(0.35, 4.0, 19)


@dataclass(frozen=True, slots=True)
class FitOptions:
    """What to leave out or change, for the other views and for pricing concerns."""

    view: str = "reference"  # reference | study-mean
    ignore: frozenset[str] = frozenset()  # wind, gusts, air, tyres, warm-up, climate, events, pressure, mass
    drop_legs: frozenset[str] = frozenset()
    scatter_share: float = SCATTER_SHARE
    scatter_freedom: float = SCATTER_FREEDOM


@dataclass(frozen=True, eq=False, slots=True)
class _Unknown:
    name: str
    group: str
    slot: Slot
    weights: Array  # (n,)
    middle: float
    sd: float


@dataclass(frozen=True, eq=False, slots=True)
class Effect:
    """Trial against baseline at the reference conditions; logarithms of the ratio."""

    trial: str
    log_ratio: float
    weights: Array = field(repr=False)  # mixture over the scatter
    means: Array = field(repr=False)
    sds: Array = field(repr=False)
    systematic_variance: float = 0.0
    random_variance: float = 0.0
    budget: tuple[tuple[str, float], ...] = ()  # group, log variance
    baseline_wh_per_km: float = math.nan
    trial_wh_per_km: float = math.nan
    #: Change of the log ratio when one observation is left out, by its first leg (exact for the linear fit).
    influence: Mapping[str, float] = field(default_factory=dict)

    @property
    def percent(self) -> float:
        """Effect in per cent of baseline consumption."""
        return (math.exp(self.log_ratio) - 1.0) * 100.0

    def interval_percent(self, confidence: float) -> tuple[float, float]:
        """Equal-tailed interval in per cent of baseline consumption."""
        tail = (1.0 - confidence) / 2.0
        low, high = (mixture_quantile(self.weights, self.means, self.sds, q) for q in (tail, 1.0 - tail))
        return (math.exp(low) - 1.0) * 100.0, (math.exp(high) - 1.0) * 100.0


@dataclass(frozen=True, eq=False, slots=True)
class Fit:
    """The fitted study (one speed, one sector): effects, and what is needed to correct each leg."""

    conditions: tuple[Conditions, ...]
    model: RoadModel
    local: Array  # (n legs, slots): most probable deviations
    effects: dict[str, Effect]
    scatter_share: float  # posterior, for a leg of 30 km
    leg_sd: dict[str, float]  # share: scatter, reading and wind of one observation
    residual: dict[str, float]  # standardised
    values: dict[str, float]  # fitted deviations of the shared unknowns
    theta: Array


def mixture_quantile(weights: Array, means: Array, sds: Array, q: float) -> float:
    """Quantile of a mixture of normals by bisection."""
    low = float(np.min(means - 12 * sds))
    high = float(np.max(means + 12 * sds))
    root2 = math.sqrt(2.0)
    parts = list(zip(weights.tolist(), means.tolist(), sds.tolist(), strict=True))
    for _ in range(32):  # to a ten-millionth of the width
        middle = 0.5 * (low + high)
        p = sum(w * 0.5 * math.erfc((m - middle) / (s * root2)) for w, m, s in parts)
        low, high = (middle, high) if p < q else (low, middle)
    return 0.5 * (low + high)


def speed_of_study(study: Study, conditions: Sequence[Conditions]) -> float:
    """Speed the effect is stated for: the study's target, else the mean of the legs. [m/s]"""
    if study.target_speed_kmh:
        return float(study.target_speed_kmh) / 3.6
    return float(np.mean([c.speed_m_s for c in conditions]))


def _change_unknowns(study: Study, trial: str, on: Array) -> list[_Unknown]:
    table_: dict[str, tuple[Slot, float]] = {
        "aerodynamic": (Slot.DRAG, CHANGE_SD),
        "rolling": (Slot.ROLLING, CHANGE_SD),
        "mass": (Slot.MASS, CHANGE_SD),
        "auxiliary": (Slot.AUXILIARY_W, CHANGE_AUXILIARY_W),
        "driveline": (Slot.EFFICIENCY, CHANGE_SD),
    }
    unknowns = []
    for mechanism in study.change.mechanisms:
        slot, sd = table_.get(mechanism, (Slot.TOTAL, CHANGE_SD))
        unknowns.append(_Unknown(f"{trial}: {mechanism}", "change", slot, on, 0.0, sd))
    return unknowns


def _unknowns(
    study: Study,
    conditions: Sequence[Conditions],
    model: RoadModel,
    rows: int,
    reference_configurations: Sequence[str],
    options: FitOptions,
    missing_wind: Array,
) -> list[_Unknown]:
    """Every uncertain quantity with its prior; weights cover the legs, then the reference rows."""
    k, n = model.constants, len(conditions)
    everything = np.ones(rows)
    legs_only = (np.arange(rows) < n).astype(float)

    def mask(test: Sequence[bool]) -> Array:
        out = np.zeros(rows)
        out[: len(test)] = test
        return out

    ignore = options.ignore
    result = [
        _Unknown("drag area", "vehicle", Slot.DRAG, everything, 0, k.drag_area_sd_m2 / k.drag_area_m2),
        _Unknown(
            "rolling coefficient",
            "vehicle",
            Slot.ROLLING,
            everything,
            0,
            k.rolling_coefficient_sd / k.rolling_coefficient,
        ),
        _Unknown("mass", "vehicle", Slot.MASS, everything, 0, max(k.mass_sd_kg, 1.0) / k.mass_kg),
        _Unknown(
            "drive efficiency",
            "vehicle",
            Slot.EFFICIENCY,
            everything,
            0,
            k.drive_efficiency_sd / k.drive_efficiency,
        ),
        _Unknown("auxiliary power", "vehicle", Slot.AUXILIARY_W, everything, 0, k.auxiliary_sd_w),
        _Unknown("level", "vehicle", Slot.TOTAL, everything, 0, LEVEL_SD),
    ]
    if "wind" not in ignore:
        result += [
            _Unknown("height factor", "wind", Slot.HEIGHT_FACTOR, everything, 0, wind.HEIGHT_FACTOR_SD),
            _Unknown("yaw slope", "wind", Slot.YAW_SLOPE, everything, 0, YAW_SLOPE_SD),
        ]
    if "tyres" not in ignore:
        result.append(_Unknown("tyres per K", "temperature", Slot.TYRE_PER_K, everything, 0, TYRE_PER_K_SD))
        result.append(
            _Unknown(
                "driveline per K", "temperature", Slot.DRIVELINE_PER_K, everything, 0, DRIVELINE_PER_K_SD
            )
        )
    if "warm-up" not in ignore:
        result.append(_Unknown("warm-up", "warm-up", Slot.WARM_UP, legs_only, WARM_UP_SHARE, WARM_UP_SD))
    if any(c.climate_k for c in conditions):
        result.append(_Unknown("climate", "climate", Slot.CLIMATE_W_PER_K, legs_only, 0, CLIMATE_SD))
    if np.any(model.legs.pressure_ratio != 1):
        result.append(
            _Unknown("tyre pressure", "tyres", Slot.PRESSURE_EXPONENT, legs_only, 0, PRESSURE_EXPONENT_SD)
        )

    # A mast some way off errs more in a strong wind than in a light one (common practice).
    reported = [c.wind_speed for c in conditions if c.wind_known]
    grown = min(WIND_GROWTH[0] + WIND_GROWTH[1] * (sum(reported) / len(reported) if reported else 3.5), 1.6)
    wind_sds = (WIND_DAY_M_S * grown, WIND_RUN_M_S * grown, WIND_LEG_M_S * grown)
    day_keys = sorted({c.day for c in conditions})
    for day in day_keys:
        on = mask([c.day == day for c in conditions])
        result.append(
            _Unknown(
                f"day {day}",
                "day",
                Slot.TOTAL,
                on,
                0,
                DAY_SD
                if all(c.pressure_known for c in conditions)
                else math.hypot(DAY_SD, PRESSURE_MISSING_SD),
            )
        )
        lost = float(np.max(missing_wind[:n][on[:n] > 0]))
        sd = math.hypot(wind_sds[0], lost)
        for slot in (Slot.WIND_NORTH, Slot.WIND_EAST):
            result.append(_Unknown(f"wind of day {day}", "wind", slot, on, 0, sd))
    for run in dict.fromkeys((c.day, c.run) for c in conditions):
        on = mask([(c.day, c.run) == run for c in conditions])
        lost = float(np.max(missing_wind[:n][on[:n] > 0]))
        sd = wind_sds[1] if lost == 0 else max(wind_sds[1], WIND_UNKNOWN_RUN_M_S)
        for slot in (Slot.WIND_NORTH, Slot.WIND_EAST):
            result.append(_Unknown(f"wind of run {run[1]}", "wind of runs", slot, on, 0, sd))
    for i in range(n):
        on = np.zeros(rows)
        on[i] = 1.0
        for slot in (Slot.WIND_NORTH, Slot.WIND_EAST):
            result.append(_Unknown("wind of leg", "wind of runs", slot, on, 0, wind_sds[2]))
    for i, c in enumerate(conditions):
        if c.speed_sd > 0.002:
            on = np.zeros(rows)
            on[i] = 1.0
            result.append(_Unknown("speed of leg", "speed", Slot.SPEED, on, 0, c.speed_sd))
    if len({c.backwards for c in conditions}) == 2:
        for backwards in (False, True):
            on = mask([c.backwards == backwards for c in conditions])
            result.append(_Unknown("direction", "direction", Slot.TOTAL, on, 0, DIRECTION_SD))
    for road, sd in WET_SD.items():
        if any(c.road == road for c in conditions):
            on = mask([c.road == road for c in conditions])
            result.append(_Unknown(f"{road} road", "road", Slot.TOTAL, on, 0, sd))
    if any(c.control for c in conditions):
        on = mask([c.control for c in conditions])
        result.append(_Unknown("control vehicle", "vehicles", Slot.TOTAL, on, 0, CONTROL_SD))

    names = [c.configuration for c in conditions] + list(reference_configurations)
    for trial in study.trials:
        on = np.array([name == trial.id for name in names], dtype=float)
        if on[:n].any():
            result += _change_unknowns(study, trial.id, on)
    return result


def _without(table_: LegTable, ignore: frozenset[str], reference: dict[str, float]) -> LegTable:
    """Take conditions out of the model (for pricing them): every leg gets the reference value."""
    n = len(table_.temperature_c)
    changes: dict[str, Array] = {}
    if "wind" in ignore:
        changes |= {"from_north": np.zeros(n), "from_east": np.zeros(n)}
    if "gusts" in ignore or "wind" in ignore:
        changes["turbulence"] = np.full(n, 0.3)
    if "air" in ignore:
        changes["density"] = np.full(n, reference["density"])
    if "tyres" in ignore:
        changes["temperature_c"] = np.full(n, reference["temperature_c"])
    if "warm-up" in ignore:
        changes["warm_share"] = np.zeros(n)
    if "climate" in ignore:
        changes["climate_k"] = np.zeros(n)
    if "pressure" in ignore:
        changes["pressure_ratio"] = np.ones(n)
    if "mass" in ignore:
        changes["mass_delta_kg"] = np.zeros(n)
    return replace(table_, **changes)


def reference_values(study: Study, conditions: Sequence[Conditions], view: str) -> dict[str, float]:
    """Temperature, density and wind vector that the legs are corrected to."""
    if view == "study-mean":
        return {
            "temperature_c": float(np.mean([c.temperature_c for c in conditions])),
            "density": float(np.mean([c.density_kg_m3 for c in conditions])),
            "north": float(np.mean([c.from_north for c in conditions])),
            "east": float(np.mean([c.from_east for c in conditions])),
            "turbulence": float(np.mean([c.turbulence_m_s for c in conditions])),
        }
    r = study.reference
    density = float(
        air.moist_air_density(100.0 * r.pressure_hpa, r.temperature_c + 273.15, r.humidity_percent / 100.0)
    )
    return {
        "temperature_c": r.temperature_c,
        "density": density,
        "north": r.wind_speed_ms,
        "east": 0.0,
        "turbulence": max(0.3, 0.18 * r.wind_speed_ms),
    }


def fit_study(
    study: Study,
    conditions: Sequence[Conditions],
    observations: Sequence[Observation],
    traces: Mapping[str, Trace],
    options: FitOptions,
    start: Fit | None = None,
) -> Fit:
    """Fit one group of legs (one speed, one sector) and state every trial's effect.

    Parameters
    ----------
    study : Study
    conditions : sequence of Conditions
        Of the legs in `observations`, in their order (each leg of a charged-back run in turn).
    observations : sequence of Observation
        Included readings only.
    traces : mapping of leg name to Trace
    options : FitOptions
    start : Fit, optional
        A fit of nearly the same legs, to begin from.

    Returns
    -------
    Fit

    Raises
    ------
    ValueError
        If there is no observation.
    """
    if not observations:
        raise ValueError("a fit needs at least one leg with a reading")
    shape = study_shape(study)
    constants = study.vehicle.constants()
    events_gone = study.with_(events=()) if "events" in options.ignore else study
    pieces, stops = leg_pieces(events_gone, shape, conditions, traces, use_traces=True)
    n = len(conditions)
    backwards = tuple(dict.fromkeys(c.backwards for c in conditions))
    baseline = study.baseline.id
    configurations = (
        baseline,
        *[t.id for t in study.trials if any(c.configuration == t.id for c in conditions)],
    )
    reference = reference_values(study, conditions, options.view)
    speed = speed_of_study(study, conditions)
    mean_m = float(
        np.mean([c.true_m for c in conditions if c.true_m]) if any(c.true_m for c in conditions) else 1e4
    )
    samples = [replace(conditions[0], backwards=b, true_m=mean_m) for b in backwards]
    reference_pieces = [steady_pieces(shape, study, c, speed, ()) for c in samples]

    pressures = [c.tyre_pressure_kpa for c in conditions if c.tyre_pressure_kpa]
    mean_pressure = float(np.mean(pressures)) if pressures else 1.0
    masses = {c.id: float(c.mass_delta_kg or 0.0) for c in study.configurations}
    leg_paths = join(pieces, stops)
    leg_table = _without(table(conditions, leg_paths.heading_known, mean_pressure), options.ignore, reference)
    leg_model = RoadModel(
        constants,
        wind.height_factor(study.wind.measured_at_m, study.wind.terrain),
        leg_paths,
        leg_table,
        np.array([masses[c.configuration] for c in conditions]),
    )

    m = len(configurations) * len(backwards)
    ref_paths = join(reference_pieces * len(configurations), [0.0] * m)
    has_heading = ref_paths.heading_known.astype(float)
    ref_model = RoadModel(
        constants,
        leg_model.height_factor,
        ref_paths,
        LegTable(
            temperature_c=np.full(m, reference["temperature_c"]),
            density=np.full(m, reference["density"]),
            from_north=reference["north"] * has_heading,
            from_east=reference["east"] * has_heading,
            turbulence=np.full(m, reference["turbulence"]),
            climate_k=np.zeros(m),
            mass_delta_kg=np.zeros(m),
            pressure_ratio=np.ones(m),
            warm_share=np.zeros(m),
            stopped_s=np.zeros(m),
        ),
        np.array([masses[c] for c in configurations for _ in backwards]),
    )

    missing = np.array(
        [
            0.0
            if c.wind_known and known
            else (c.wind_speed / math.sqrt(2.0) + 0.3 if c.wind_known else WIND_UNKNOWN_DAY_M_S)
            for c, known in zip(conditions, leg_paths.heading_known, strict=True)
        ]
    )
    unknowns = _unknowns(
        study,
        conditions,
        leg_model,
        n + m,
        [c for c in configurations for _ in backwards],
        options,
        missing,
    )
    slots = np.array([u.slot for u in unknowns])
    weights = np.stack([u.weights for u in unknowns], axis=1)  # (rows, unknowns)
    prior_middle = np.array([u.middle for u in unknowns], dtype=float)
    prior_var = np.array([u.sd for u in unknowns]) ** 2

    # Which observation each leg belongs to, and the reading noise.
    index = {c.leg: i for i, c in enumerate(conditions)}
    membership = np.zeros((len(observations), n))
    for j, o in enumerate(observations):
        for name in o.legs:
            membership[j, index[name]] = 1.0
    measured = np.log(np.array([o.energy_wh for o in observations]))
    reading_var = np.array([o.relative_sd for o in observations]) ** 2
    shown_km = np.array([max(o.true_km, 0.5) for o in observations])
    logged = np.array([all(name in traces for name in o.legs) for o in observations])
    unit_scatter = np.clip(np.sqrt(SCATTER_KM / shown_km), 0.7, 2.5) * np.where(logged, 0.7, 1.0)
    scatter_var = (options.scatter_share * unit_scatter) ** 2

    by_slot_columns = [(slot, np.flatnonzero(slots == slot)) for slot in np.unique(slots)]

    def local_of(theta: Array) -> Array:
        out = np.zeros((n + m, len(Slot)))
        for slot, columns in by_slot_columns:
            out[:, slot] = weights[:, columns] @ theta[columns]
        return out

    # Direction effects and the like act on the legs alone, through their weights.
    theta = prior_middle.copy()
    if start is not None and len(start.theta) == len(theta):
        theta = start.theta.copy()
    ref_energy: Array = np.empty(0)
    jacobian = ref_jacobian = np.empty((0, 0))
    predicted: Array = np.empty(0)
    for _ in range(8):
        local = local_of(theta)
        e = leg_model.energies(local[:n], derivatives=True)
        r = ref_model.energies(local[n:], derivatives=True)
        assert e.by_slot is not None and r.by_slot is not None
        total = membership @ e.wh
        per_leg = e.by_slot[:, slots] * weights[:n]
        jacobian = (membership @ per_leg) / total[:, None]
        ref_energy = r.wh
        ref_jacobian = r.by_slot[:, slots] * weights[n:] / r.wh[:, None]
        predicted = np.log(total)
        innovation = measured - predicted + jacobian @ (theta - prior_middle)
        c_matrix = (jacobian * prior_var) @ jacobian.T + np.diag(reading_var + scatter_var)
        gain = np.linalg.solve(c_matrix, innovation)
        new = prior_middle + prior_var * (jacobian.T @ gain)
        step = float(np.max(np.abs(jacobian @ (new - theta)), initial=0.0))
        theta = new
        if step < 2e-4:  # two hundredths of a per cent of a reading
            break
    local = local_of(theta)

    # Effects: energy-weighted log ratio over the directions.
    d = len(backwards)
    share = np.array(
        [ref_energy[i * d : (i + 1) * d] / ref_energy[i * d : (i + 1) * d].sum() for i in range(m // d)]
    )
    log_level = np.log([ref_energy[i * d : (i + 1) * d].sum() for i in range(m // d)])
    ref_gradient = np.array([share[i] @ ref_jacobian[i * d : (i + 1) * d] for i in range(m // d)])

    innovation = measured - predicted + jacobian @ (theta - prior_middle)
    base_cov = (jacobian * prior_var) @ jacobian.T + np.diag(reading_var)
    factors, log_posterior = [], []
    for multiple in _MIX:
        cov = base_cov + np.diag(scatter_var * multiple**2)
        chol = np.linalg.cholesky(cov)
        z = np.linalg.solve(chol, innovation)
        log_like = -0.5 * float(z @ z) - float(np.log(np.diag(chol)).sum())
        log_prior = -options.scatter_freedom * (math.log(multiple) + 0.5 / multiple**2)
        log_posterior.append(log_like + log_prior)
        factors.append((chol, z))
    mix = np.exp(np.array(log_posterior) - max(log_posterior))
    mix /= mix.sum()
    scatter_multiple = float(mix @ _MIX)
    modal = int(np.argmin(np.abs(_MIX - scatter_multiple)))

    random_groups = {"wind of runs", "speed"}
    is_random = np.array([u.group in random_groups for u in unknowns])
    effects: dict[str, Effect] = {}
    for i, name in enumerate(configurations):
        if i == 0:
            continue
        g = ref_gradient[i] - ref_gradient[0]
        cross = jacobian @ (prior_var * g)
        prior_q = float(g @ (prior_var * g))
        origin = float(log_level[i] - log_level[0]) + float(g @ (prior_middle - theta))
        means, sds = [], []
        for chol, z in factors:
            half = np.linalg.solve(chol, cross)
            means.append(origin + float(half @ z))
            sds.append(math.sqrt(max(prior_q - float(half @ half), 1e-12)))
        means_a, sds_a = np.array(means), np.array(sds)
        middle = float(mix @ means_a)
        chol = factors[modal][0]
        estimator = np.linalg.solve(chol.T, np.linalg.solve(chol, cross))
        inverse = np.linalg.inv(chol)
        inverse = inverse.T @ inverse
        left_out = -estimator * (inverse @ innovation) / np.diag(inverse)
        leak = (g - estimator @ jacobian) ** 2 * prior_var
        noise = float((estimator**2) @ (scatter_var * _MIX[modal] ** 2))
        rounding = float((estimator**2) @ reading_var)
        groups: dict[str, float] = {"scatter": noise, "display step": rounding}
        for u, value in zip(unknowns, leak, strict=True):
            key = "wind" if u.group == "wind of runs" else u.group
            groups[key] = groups.get(key, 0.0) + float(value)
        random = noise + rounding + float(leak[is_random].sum())
        effects[name] = Effect(
            trial=name,
            log_ratio=middle,
            weights=mix,
            means=means_a,
            sds=sds_a,
            systematic_variance=float(leak[~is_random].sum()),
            random_variance=random,
            budget=tuple(sorted(groups.items(), key=lambda kv: -kv[1])),
            baseline_wh_per_km=float(np.exp(log_level[0])) / (mean_m * d / 1000.0),
            trial_wh_per_km=float(np.exp(log_level[i])) / (mean_m * d / 1000.0),
            influence={o.legs[0]: float(left_out[j]) for j, o in enumerate(observations)},
        )

    wind_random = np.array([u.group == "wind of runs" for u in unknowns])
    # What the legs left open of the wind: V − V C⁻¹ V for the wind's share V of the covariance.
    wind_part = (jacobian[:, wind_random] * prior_var[wind_random]) @ jacobian[:, wind_random].T
    modal_cov = base_cov + np.diag(scatter_var * _MIX[modal] ** 2)
    wind_var = np.maximum(np.diag(wind_part - wind_part @ np.linalg.solve(modal_cov, wind_part)), 0.0)
    leg_sd = np.sqrt(scatter_var * _MIX[modal] ** 2 + reading_var + wind_var)
    plain = measured - predicted
    total_sd = np.sqrt(scatter_var + reading_var)
    return Fit(
        conditions=tuple(conditions),
        model=leg_model,
        local=local[:n],
        effects=effects,
        scatter_share=options.scatter_share * scatter_multiple,
        leg_sd={name: float(leg_sd[j]) for j, o in enumerate(observations) for name in o.legs},
        residual={name: float(plain[j] / total_sd[j]) for j, o in enumerate(observations) for name in o.legs},
        values={
            u.name: float(theta[i]) for i, u in enumerate(unknowns) if u.group not in {"wind of runs", "day"}
        },
        theta=theta,
    )

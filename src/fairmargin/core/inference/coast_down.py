"""Coasting runs: drag and rolling of each configuration at once, and what their difference does to consumption.

Each band of speed of each run is one measurement of the force that slowed the vehicle. Wind of a run and slope of the road push
opposite runs apart and are unknowns; so are the vehicle's constants, what the change does to them, and how runs scatter.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.conditions.air import TYRE_PER_K
from fairmargin.core.conditions.causes import Group
from fairmargin.core.conditions.change import CHANGE, CHANGE_ROLLING, FITTING
from fairmargin.core.conditions.day import DAY, DRIFT
from fairmargin.core.conditions.warm_up import WARM_UP
from fairmargin.core.evidence.coasts import Coast
from fairmargin.core.evidence.conditions import Conditions
from fairmargin.core.figures import Prior
from fairmargin.core.inference.posterior import Effect, Evidence, posterior
from fairmargin.core.inference.priors import SCATTER_FREEDOM
from fairmargin.core.laws import air, coasting, rolling
from fairmargin.core.study import Study

Array = NDArray[np.float64]

WIND_OF_RUN: Final = Prior(
    1.5, "m/s", "wind along the road on a coasting run and its opposite, beyond what was reported"
)
GUST_OF_COAST: Final = Prior(0.3, "m/s", "the same, of one way alone")
SLOPE: Final = Prior(0.006, "1", "mean slope of the stretch that is coasted, up one way and down the other")
COAST_SCATTER: Final = Prior(0.012, "log", "what coasting runs of one vehicle scatter by")
COAST_BAND: Final = Prior(0.02, "log", "what one band of speed scatters by: bumps, gusts, samples")
TURNING_WHEELS: Final = Prior(0.004, "log", "what other wheels turn, as mass that has to be slowed as well")
ROUNDS: Final = 12
SETTLED: Final = 1e-4  # of an unknown's standard deviation


@dataclass(frozen=True, eq=False, slots=True)
class CoastLoad:
    """Road load of one configuration, by the standard's way and by the fit."""

    configuration: str
    pairs: int
    load: coasting.RoadLoad | None  # of mean times of opposite pairs, as measured
    precision: float  # the worst of its bands'
    drag_area_m2: float
    drag_area_sd_m2: float
    rolling: float
    rolling_sd: float


@dataclass(frozen=True, eq=False, slots=True)
class CoastFit:
    """Every configuration's road load, and every trial's effect at one speed."""

    loads: tuple[CoastLoad, ...]
    effects: Mapping[str, Effect]
    level_wh_per_km: Mapping[str, float]  # steady drives at the reference, by the loads
    leg_wh_per_km: Mapping[str, tuple[float, Mapping[str, float]]]  # by leg: as it coasted, and its corrections
    log_sd: Mapping[str, float]  # of the level, by configuration
    scatter_share: float


@dataclass(frozen=True, eq=False, slots=True)
class _Bands:
    """Every band of every run; arrays of shape (n,)."""

    run: Array  # number of the coast
    speed: Array
    log_force: Array


class _Model:
    """Forces of all bands as a function of the unknowns."""

    def __init__(self, study: Study, coasts: Mapping[str, Coast], conditions: Sequence[Conditions]) -> None:
        self.study, self.conditions = study, conditions
        self.k = study.vehicle.constants()
        self.trials = [t.id for t in study.trials if any(c.configuration == t.id for c in conditions)]
        self.middle_s = float(np.mean([c.placed_s for c in conditions]))
        r = study.reference
        self.reference_density = float(
            air.moist_air_density(100.0 * r.pressure_hpa, r.temperature_c + 273.15, r.humidity_percent / 100.0)
        )
        self.names: list[str] = []
        self.groups: list[str] = []
        self.sd: list[float] = []
        self._declare()
        self.bands = self._bands(coasts)

    def _add(self, name: str, group: str, sd: float) -> None:
        self.names.append(name)
        self.groups.append(group)
        self.sd.append(sd)

    def _declare(self) -> None:
        k = self.k
        self._add("drag area", Group.VEHICLE, 0.3)
        self._add("rolling", Group.VEHICLE, 0.3)
        self._add("tyres per K", Group.TEMPERATURE, TYRE_PER_K.sd)
        self._add("warm-up", Group.WARM_UP, WARM_UP.sd)
        self._add("auxiliary power", Group.VEHICLE, k.auxiliary_sd_w)
        self._add("drive efficiency", Group.VEHICLE, k.drive_efficiency_sd / k.drive_efficiency)
        self._add("slope", Group.DIRECTION, SLOPE.sd)
        turns = self.study.change.about.turns_wheels
        for trial in self.trials:
            self._add(f"{trial}: drag", Group.CHANGE, CHANGE.sd)
            self._add(f"{trial}: rolling", Group.CHANGE, CHANGE_ROLLING.sd)
            self._add(f"{trial}: what turns", Group.CHANGE, TURNING_WHEELS.sd if turns else 1e-6)
        for run in dict.fromkeys(c.run for c in self.conditions):
            self._add(f"wind of {run}", Group.WIND, WIND_OF_RUN.sd)
            self._add(f"run {run}", Group.RUNS, FITTING.sd)
        for c in self.conditions:
            self._add(f"gusts on {c.leg}", Group.WIND, GUST_OF_COAST.sd)
        self._add("drift", Group.DRIFT, DRIFT.sd)
        days = list(dict.fromkeys(c.day for c in self.conditions))
        for day in days if len(days) > 1 else []:
            self._add(f"day {day}", Group.DAY, DAY.sd)
        self.at = {name: i for i, name in enumerate(self.names)}

    def mass_kg(self, c: Conditions) -> float:
        """Mass of a run."""
        declared = float(self.study.configuration(c.configuration).mass_delta_kg or 0.0)
        return self.k.mass_kg + declared + c.mass_delta_kg

    def _bands(self, coasts: Mapping[str, Coast]) -> _Bands:
        run, speed, force = [], [], []
        for i, c in enumerate(self.conditions):
            coast = coasts[c.leg]
            edges = coasting.band_edges(coast.fastest_m_s, coast.slowest_m_s)
            if len(edges) < 2:
                continue
            times = coasting.band_times_s(coast.time_s, coast.speed_m_s, edges)
            f = coasting.force_by_bands_n(self.mass_kg(c), edges, times)
            good = np.isfinite(f) & (f > 0)
            run += [i] * int(good.sum())
            speed += ((edges[1:] + edges[:-1]) / 2)[good].tolist()
            force += np.log(f[good]).tolist()
        return _Bands(np.array(run, dtype=int), np.array(speed), np.array(force))

    def _wind(self, c: Conditions, theta: Array) -> float:
        """Head wind of a run at the car. [m/s]"""
        way = -1.0 if c.backwards else 1.0
        return float(way * theta[self.at[f"wind of {c.run}"]] + theta[self.at[f"gusts on {c.leg}"]])

    def parts(self, configuration: str, theta: Array) -> tuple[float, float]:
        """Drag area and rolling coefficient of a configuration. [m²], [1]"""
        drag = self.k.drag_area_m2 * math.exp(theta[self.at["drag area"]])
        rolls = self.k.rolling_coefficient * math.exp(theta[self.at["rolling"]])
        if configuration in self.trials:
            drag *= math.exp(theta[self.at[f"{configuration}: drag"]])
            rolls *= math.exp(theta[self.at[f"{configuration}: rolling"]])
        return drag, rolls

    def force_n(
        self, c: Conditions, v: Array, theta: Array, *, wind: bool = True, slope: bool = True, air: bool = True,
        warmth: bool = True,
    ) -> Array:  # fmt: skip
        """What slows a run at speeds: as it was, or with some of its conditions as at the reference. [N]"""
        drag, rolls = self.parts(c.configuration, theta)
        per_k = rolling.TEMPERATURE_PER_K - theta[self.at["tyres per K"]]
        temperature, cold = (c.temperature_c, c.cold_share) if warmth else (self.study.reference.temperature_c, 0.0)
        warm = float(rolling.temperature_factor(temperature, per_k).value)
        warm *= float(rolling.warm_up_factor(cold, WARM_UP.mean + theta[self.at["warm-up"]]).value)
        rise = (-1.0 if c.backwards else 1.0) * float(theta[self.at["slope"]]) if slope else 0.0
        u = v + (self._wind(c, theta) if wind else 0.0)
        density = c.density_kg_m3 if air else self.reference_density
        return np.asarray(
            self.mass_kg(c) * rolling.GRAVITY_M_S2 * (rolls * warm + rise) + 0.5 * density * drag * u * np.abs(u)
        )

    def log_forces(self, theta: Array) -> Array:
        """Of every band, shape (n,)."""
        out = np.empty(len(self.bands.speed))
        for i, c in enumerate(self.conditions):
            on = self.bands.run == i
            shift = theta[self.at[f"run {c.run}"]] + theta[self.at["drift"]] * (c.placed_s - self.middle_s) / 3600.0
            shift += theta[self.at[f"day {c.day}"]] if f"day {c.day}" in self.at else 0.0
            if c.configuration in self.trials:
                shift -= theta[self.at[f"{c.configuration}: what turns"]]
            out[on] = np.log(np.maximum(self.force_n(c, self.bands.speed[on], theta), 1.0)) + shift
        return out

    def log_level(self, configuration: str, theta: Array, speed_m_s: float) -> float:
        """Consumption of a steady drive at the reference. [log of Wh/km]"""
        r = self.study.reference
        drag, rolls = self.parts(configuration, theta)
        mass = self.k.mass_kg + float(self.study.configuration(configuration).mass_delta_kg or 0.0)
        per_k = rolling.TEMPERATURE_PER_K - theta[self.at["tyres per K"]]
        warm = float(rolling.temperature_factor(r.temperature_c, per_k).value)
        force = mass * rolling.GRAVITY_M_S2 * rolls * warm + 0.5 * self.reference_density * drag * speed_m_s**2
        efficiency = self.k.drive_efficiency * math.exp(theta[self.at["drive efficiency"]])
        power = max(self.k.auxiliary_w + theta[self.at["auxiliary power"]], 0.0)
        return math.log((force / efficiency + power / speed_m_s) / 3.6)


def fit_coasts(
    study: Study, coasts: Mapping[str, Coast], conditions: Sequence[Conditions], speed_m_s: float
) -> CoastFit | None:
    """Fit all coasting runs.

    Parameters
    ----------
    study : Study
    coasts : mapping of leg to Coast
    conditions : sequence of Conditions
        Of the legs that were coasted and count.
    speed_m_s : float
        Speed that effects are stated for.

    Returns
    -------
    CoastFit or None
        None where no run passes three bands of speed.
    """
    model = _Model(study, coasts, conditions)
    bands = model.bands
    if len(bands.speed) < 3:
        return None
    sd = np.array(model.sd)
    theta = _solved(model, sd)
    jacobian = _derivatives(model.log_forces, theta)
    owns = (bands.run[:, None] == np.arange(len(conditions))).astype(float)
    noise = _band_noise(model, theta)
    evidence = Evidence(
        jacobian, sd**2, np.full(len(bands.speed), noise**2), owns, np.full(len(conditions), COAST_SCATTER.sd**2)
    )
    innovation = bands.log_force - model.log_forces(theta) + jacobian @ theta

    def effect_of(trial: str) -> tuple[Array, float]:
        def ratio(x: Array) -> Array:
            return np.array([model.log_level(trial, x, speed_m_s) - model.log_level(study.baseline.id, x, speed_m_s)])

        g = _derivatives(ratio, theta)[0]
        return g, float(ratio(theta)[0] - g @ theta)

    effects, there = {}, {c.configuration for c in conditions}
    for trial in model.trials if study.baseline.id in there else []:
        g, origin = effect_of(trial)
        effects[trial] = _effect(model, evidence, innovation, trial, g, origin, theta, speed_m_s)
    levels = {name: math.exp(model.log_level(name, theta, speed_m_s)) for name in there}
    spread = posterior(evidence, innovation, np.zeros((1, len(sd))), [0.0], SCATTER_FREEDOM).scatter_multiple
    loads, log_sd = _loads(model, coasts, evidence, innovation, theta, speed_m_s)
    return CoastFit(loads, effects, levels, _of_legs(model, theta, speed_m_s), log_sd, COAST_SCATTER.sd * spread)


def _derivatives(function: Callable[[Array], Array], theta: Array) -> Array:
    """Central differences; shape (outputs, unknowns)."""
    step = 1e-5
    columns = []
    for i in range(len(theta)):
        e = np.zeros(len(theta))
        e[i] = step
        columns.append((function(theta + e) - function(theta - e)) / (2 * step))
    return np.stack(columns, axis=1)


def _solved(model: _Model, sd: Array) -> Array:
    """Most likely unknowns: Gauss and Newton, the scatter at its usual size."""
    bands, theta = model.bands, np.zeros(len(sd))
    owns = (bands.run[:, None] == np.arange(len(model.conditions))).astype(float)
    spread = COAST_SCATTER.sd**2 * owns @ owns.T + COAST_BAND.sd**2 * np.eye(len(bands.speed))
    for _ in range(ROUNDS):
        j = _derivatives(model.log_forces, theta)
        left = bands.log_force - model.log_forces(theta) + j @ theta
        after = (j * sd**2).T @ np.linalg.solve((j * sd**2) @ j.T + spread, left)
        # The unknowns of power are told by no coast; a wide step is halved.
        moved = after - theta
        theta = theta + moved * min(1.0, 1.0 / max(float(np.abs(moved / np.maximum(sd, 1e-12)).max()) / 3.0, 1e-9))
        if float(np.abs(moved / sd).max()) < SETTLED:
            break
    return theta


def _band_noise(model: _Model, theta: Array) -> float:
    """What single bands scatter by around their run, with the usual as six of them."""
    left = model.bands.log_force - model.log_forces(theta)
    squares = sum(
        float(np.sum((left[on] - left[on].mean()) ** 2))
        for i in set(model.bands.run.tolist())
        if (on := model.bands.run == i).any()
    )
    freedom = max(len(left) - len(set(model.bands.run.tolist())) - 3, 0)
    return math.sqrt((SCATTER_FREEDOM * COAST_BAND.sd**2 + squares) / (SCATTER_FREEDOM + freedom))


def _effect(
    model: _Model, evidence: Evidence, innovation: Array, trial: str, g: Array, origin: float, theta: Array, speed_m_s: float
) -> Effect:  # fmt: skip
    """One trial's effect with the budget of its margin."""
    found = posterior(evidence, innovation, g[None, :], [origin], SCATTER_FREEDOM)
    estimator, open_by = found.estimators[:, 0], found.variance_by_parameter[0]
    scatter = float(np.sum((evidence.owns.T @ estimator) ** 2 * evidence.scatter_var)) * found.scatter_multiple**2
    scatter += float(np.sum(estimator**2 * evidence.noise))
    budget: dict[str, float] = {Group.SCATTER: scatter}
    for group, value in zip(model.groups, open_by.tolist(), strict=True):
        group = Group.SCATTER if group in {Group.RUNS, Group.CHANGE} else group
        budget[group] = budget.get(group, 0.0) + value
    log_ratio = float(found.weights @ found.means[:, 0])
    total = float(found.weights @ (found.sds[:, 0] ** 2 + (found.means[:, 0] - log_ratio) ** 2))
    base = math.exp(model.log_level(model.study.baseline.id, theta, speed_m_s))
    random = budget[Group.SCATTER] + budget.get(Group.WIND, 0.0)
    return Effect(
        trial=trial,
        log_ratio=log_ratio,
        weights=found.weights,
        means=found.means[:, 0],
        sds=found.sds[:, 0],
        systematic_variance=max(total - random, 0.0),
        random_variance=min(random, total),
        budget=tuple(sorted(((str(k), v) for k, v in budget.items()), key=lambda kv: -kv[1])),
        baseline_wh_per_km=base,
        trial_wh_per_km=base * math.exp(log_ratio),
    )


def _loads(
    model: _Model, coasts: Mapping[str, Coast], evidence: Evidence, innovation: Array, theta: Array, speed_m_s: float
) -> tuple[tuple[CoastLoad, ...], dict[str, float]]:
    """Road load of every configuration, and how far its level is open."""
    out, log_sd = [], {}
    for name in dict.fromkeys(c.configuration for c in model.conditions):

        def figures(x: Array, name: str = name) -> Array:
            drag, rolls = model.parts(name, x)
            return np.array([math.log(drag), math.log(rolls), model.log_level(name, x, speed_m_s)])

        g = _derivatives(figures, theta)
        found = posterior(evidence, innovation, g, (figures(theta) - g @ theta).tolist(), SCATTER_FREEDOM)
        middle = found.weights @ found.means
        sd = np.sqrt(found.weights @ (found.sds**2 + (found.means - middle) ** 2))
        drag, rolls = math.exp(middle[0]), math.exp(middle[1])
        log_sd[name] = float(sd[2])
        pairs, load, worst = _by_the_standard(model, coasts, name)
        out.append(CoastLoad(name, pairs, load, worst, drag, drag * float(sd[0]), rolls, rolls * float(sd[1])))
    return tuple(out), log_sd


def _by_the_standard(
    model: _Model, coasts: Mapping[str, Coast], configuration: str
) -> tuple[int, coasting.RoadLoad | None, float]:
    """Opposite pairs of a configuration: how many, their quadratic, and the worst statistical precision of a band."""
    ways: dict[str, dict[bool, Conditions]] = {}
    for c in model.conditions:
        if c.configuration == configuration:
            ways.setdefault(c.run, {})[c.backwards] = c
    both = [(w[False], w[True]) for w in ways.values() if len(w) == 2]
    if not both:
        return 0, None, math.inf
    own = [coasts[c.leg] for pair in both for c in pair]
    edges = coasting.band_edges(min(x.fastest_m_s for x in own), max(x.slowest_m_s for x in own))
    if len(edges) < 2:
        return len(both), None, math.inf
    times = np.array(
        [
            coasting.opposite_mean_s(
                *(coasting.band_times_s(coasts[c.leg].time_s, coasts[c.leg].speed_m_s, edges) for c in pair)
            )
            for pair in both
        ]
    )
    mass = float(np.mean([model.mass_kg(c) for pair in both for c in pair]))
    force = coasting.force_by_bands_n(mass, edges, times.mean(axis=0))
    worst = max(coasting.precision(column) for column in times.T)
    return len(both), coasting.quadratic((edges[1:] + edges[:-1]) / 2, force), worst


#: What is taken out of a run, one after another, by the line of its correction.
_STEPS: Final = {"wind": "wind", "elevation": "slope", "air_density": "air", "tyre_temperature": "warmth"}


def _of_legs(model: _Model, theta: Array, speed_m_s: float) -> dict[str, tuple[float, Mapping[str, float]]]:
    """What each run says of a steady drive, as it coasted, and what is taken out of it. [Wh/km]"""
    left = model.bands.log_force - model.log_forces(theta)
    out: dict[str, tuple[float, Mapping[str, float]]] = {}
    for i, c in enumerate(model.conditions):
        on = model.bands.run == i
        if not on.any():
            continue
        near = on & (np.abs(model.bands.speed - speed_m_s) <= 2 * coasting.BAND_M_S)
        v = model.bands.speed[near if near.any() else on]
        as_was = dict.fromkeys(_STEPS.values(), True)
        forces = [float(np.log(model.force_n(c, v, theta, **as_was)).mean())]
        for step in _STEPS.values():
            as_was[step] = False
            forces.append(float(np.log(model.force_n(c, v, theta, **as_was)).mean()))
        # A steady drive at the reference, times what the run's own forces are off the fit's.
        still = math.exp(model.log_level(c.configuration, theta, speed_m_s) + float(left[on].mean()))
        at = [still * math.exp(f - forces[-1]) for f in forces]
        lines = {line: at[k + 1] - at[k] for k, line in enumerate(_STEPS)}
        out[c.leg] = (at[0], lines)
    return out

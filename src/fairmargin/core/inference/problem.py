"""Everything about a fit but its solution: rows on the road, the model, the unknowns with their priors, the noise."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.conditions.causes import Cause
from fairmargin.core.conditions.design import DesignRows, Unknown
from fairmargin.core.conditions.room import Reference
from fairmargin.core.conditions.wind import reported_growth
from fairmargin.core.evidence.conditions import Conditions
from fairmargin.core.evidence.driving import SCATTER_OF, kind_of_driving
from fairmargin.core.evidence.hold_ups import full_stops
from fairmargin.core.evidence.logs import Logs
from fairmargin.core.evidence.reading import Observation
from fairmargin.core.evidence.readings import SCATTER_KM
from fairmargin.core.evidence.reported_wind import WindBelief, wind_belief
from fairmargin.core.figures import Threshold
from fairmargin.core.inference import priors
from fairmargin.core.inference.options import FitOptions
from fairmargin.core.inference.posterior import Evidence
from fairmargin.core.inference.rows import Rows, lay_rows
from fairmargin.core.inference.unknowns import leg_unknowns, segment_unknowns, turned_unknowns
from fairmargin.core.laws import air, wind
from fairmargin.core.model.energy import RoadModel
from fairmargin.core.model.parameters import Parameter
from fairmargin.core.model.paths import LegTable, Stretches, conditions_table, join
from fairmargin.core.model.road import Road
from fairmargin.core.study import Study

Array = NDArray[np.float64]

LEAST_SHARE: Final = 0.02  # of the measured energy, below which a modelled one is not believed
MOST_CYCLES: Final = 8  # logged drives that an effect for the speeds as driven is stated over
USUAL_LEG_M: Final = 1e4  # where no leg's length is known


def warmth_of_study(study: Study, conditions: Sequence[Conditions], view: str) -> float:
    """Air temperature the effect is stated for: the reference's, or that of the drives where warming is the change. [°C]

    What a warm cabin or battery saves on a frosty morning is not saved on a mild one.
    """
    if view != "study-mean" and not study.change.is_warming:
        return study.reference.temperature_c
    return float(np.mean([c.temperature_c for c in conditions]))


def reference_of(study: Study, conditions: Sequence[Conditions], view: str) -> Reference:
    """The study's reference conditions, or the mean of its legs in the view "study-mean"."""
    warmth = warmth_of_study(study, conditions, view)
    if view == "study-mean":
        return Reference(
            warmth,
            float(np.mean([c.density_kg_m3 for c in conditions])),
            float(np.mean([c.from_north for c in conditions])),
            float(np.mean([c.from_east for c in conditions])),
            float(np.mean([c.turbulence_m_s for c in conditions])),
        )
    r = study.reference
    density = air.moist_air_density(100.0 * r.pressure_hpa, warmth + 273.15, r.humidity_percent / 100.0)
    turbulence = float(wind.turbulence_m_s(r.wind_speed_ms))
    heated = [c.climate_k for c in conditions if c.climate_k is not None] if study.change.is_warming else []
    cabin_k = float(np.mean(heated)) if heated else 0.0
    return Reference(warmth, float(density), r.wind_speed_ms, 0.0, turbulence, cabin_k)


#: A driven speed so far off the one aimed for is what the effect is stated for: the model would carry it from one to the other.
SPEED_OFF_TARGET: Final = Threshold(0.10, "share", "beyond it the model, not the drives, would make the result")


def speed_of_study(study: Study, conditions: Sequence[Conditions], asked_kmh: float | None = None) -> float:
    """Speed the effect is stated for: the study's target where it was driven, else the mean of the legs. [m/s]

    Where the way of driving is the change, the target was for the eyes: levels stay those of the legs. `asked_kmh` is a speed
    that is asked about whatever was driven.
    """
    if asked_kmh is not None:
        return asked_kmh / 3.6
    mean = float(np.mean([c.speed_m_s for c in conditions]))
    if not study.target_speed_kmh or study.change.is_technique:
        return mean
    if study.method == "laps":  # between lights nobody holds the aim
        return float(study.target_speed_kmh) / 3.6
    target = float(study.target_speed_kmh) / 3.6
    known = all(c.timed or c.logged for c in conditions)
    return mean if known and abs(mean / target - 1.0) > SPEED_OFF_TARGET else target


def speeds_of_configurations(
    study: Study, conditions: Sequence[Conditions], asked_kmh: float | None = None
) -> dict[str, float]:
    """Speed that each configuration's consumption is stated for: one for all, unless the speed is the change. [m/s]"""
    shared = speed_of_study(study, conditions, asked_kmh)
    if study.change.subject != "speed":
        return {c.id: shared for c in study.configurations}
    driven: dict[str, list[float]] = {}
    for c in conditions:
        driven.setdefault(c.configuration, []).append(c.speed_m_s)
    return {
        c.id: float(c.speed_kmh) / 3.6 if c.speed_kmh else float(np.mean(driven.get(c.id, [shared])))
        for c in study.configurations
    }


def driven_as_a_cycle(study: Study, conditions: Sequence[Conditions], logs: Logs) -> bool:
    """Whether the legs were logged and no speed was held, or laps driven: the effect then holds for the speeds as driven."""
    own = [logs.of(c.leg) for c in conditions]
    laps = study.method == "laps"
    return bool(own) and all(log is not None and (laps or not log.thinned.steady) for log in own)


@dataclass(frozen=True, eq=False, slots=True)
class ReferenceDrives:
    """Drives that the effect is stated for, configuration after configuration, and how long and often each stands."""

    stretches: list[Stretches]
    stopped_s: list[float]
    stops: list[float]  # full stops beside those in the stretches
    backwards: list[bool]
    each: int  # of the drives, those of one configuration
    as_driven: bool

    @property
    def km(self) -> float:
        """Length of one configuration's drives together. [km]"""
        return sum(float(np.sum(s.length_m)) for s in self.stretches[: self.each]) / 1000.0


def reference_drives(
    study: Study,
    road: Road,
    conditions: Sequence[Conditions],
    logs: Logs,
    configurations: Sequence[str],
    asked_kmh: float | None = None,
) -> ReferenceDrives:
    """Steady in each direction driven; or the logged speeds, where no speed was held and none is asked about."""
    many = len(configurations)
    if asked_kmh is None and driven_as_a_cycle(study, conditions, logs):
        cut = [(log, c.backwards) for c in conditions if (log := logs.of(c.leg)) is not None]
        some = cut[:: max(1, len(cut) // MOST_CYCLES)]
        ways = [backwards for _, backwards in some]
        made = [road.logged(log, backwards, 1) for log, backwards in some]
        stretches, stopped = [r.stretches[0] for r in made], [float(r.stopped_s[0]) for r in made]
        return ReferenceDrives(stretches * many, stopped * many, [0.0] * len(made) * many, ways * many, len(made), True)
    speeds = speeds_of_configurations(study, conditions, asked_kmh)
    steady = steady_drives(road, conditions, [speeds[c] for c in configurations])
    drives = len(steady.stretches)
    if study.method == "laps":  # a town's lights belong to the road
        often = float(np.mean([full_stops(study, c.leg, c.stopped_s) for c in conditions]))
        steady = replace(steady, stops=[often] * drives)
    if study.change.is_technique or study.method == "laps":  # standing belongs to how it was driven
        stood = float(np.mean([c.stopped_s for c in conditions]))
        steady = replace(steady, stopped_s=[stood] * drives)
    return steady


def steady_drives(road: Road, conditions: Sequence[Conditions], speeds_m_s: Sequence[float]) -> ReferenceDrives:
    """Each direction driven at one steady speed after another."""
    lengths = [c.true_m / (2.0 if c.there_and_back else 1.0) for c in conditions if c.true_m]
    mean_m = float(np.mean(lengths)) if lengths else USUAL_LEG_M
    ways = tuple(dict.fromkeys(c.backwards for c in conditions))
    if any(c.there_and_back for c in conditions):
        ways = (False, True)
    made = [road.steady(way, mean_m, speed, ()) for speed in speeds_m_s for way in ways]
    return ReferenceDrives(made, [0.0] * len(made), [0.0] * len(made), list(ways) * len(speeds_m_s), len(ways), False)


def without(legs: LegTable, ignore: frozenset[str], reference: Reference) -> LegTable:
    """Take conditions out of the model (for pricing them): every leg gets the reference value."""
    n = len(legs.temperature_c)
    changes: dict[str, Array] = {}
    if Cause.WIND in ignore:
        changes |= {"from_north": np.zeros(n), "from_east": np.zeros(n), "turbulence": wind.turbulence_m_s(np.zeros(n))}
    elif Cause.GUSTS in ignore:
        changes["turbulence"] = wind.turbulence_m_s(np.hypot(legs.from_north, legs.from_east))
    if Cause.AIR in ignore:
        changes["density"] = np.full(n, reference.density_kg_m3)
    if Cause.TYRES in ignore:
        changes["temperature_c"] = np.full(n, reference.temperature_c)
    if Cause.WARM_UP in ignore:
        changes["cold_share"] = np.zeros(n)
    if Cause.CLIMATE in ignore:
        changes["climate_k"] = np.full(n, reference.climate_k)
    if Cause.PRESSURE in ignore:
        changes["pressure_ratio"] = np.ones(n)
    if Cause.MASS in ignore:
        changes["mass_delta_kg"] = np.zeros(n)
    return replace(legs, **changes)


@dataclass(frozen=True, eq=False, slots=True)
class Linearised:
    """The problem at one point: log energies (entries,), their derivatives; the same of the reference drives."""

    predicted: Array
    jacobian: Array  # (entries, unknowns)
    reference_wh: Array
    reference_jacobian: Array  # (reference rows, unknowns), of the log energies


@dataclass(frozen=True, eq=False, slots=True)
class Problem:
    """A fit but for its solution."""

    rows: Rows
    road: Road
    model: RoadModel  # one row per leg or segment
    leg_model: RoadModel  # one row per leg
    reference_model: RoadModel  # configurations, each over the reference drives
    whole_model: RoadModel  # both, one after the other
    reference: ReferenceDrives
    configurations: tuple[str, ...]
    unknowns: list[Unknown]
    shared: int  # of the unknowns, those that act on whole legs
    parameters: NDArray[np.intp]  # of the unknowns
    acts_on: Array  # (unknowns, parameters): one where an unknown is of a parameter
    leg_weights: Array  # (legs + reference rows, shared unknowns)
    weights: Array  # (rows + reference rows, unknowns)
    prior_mean: Array
    prior_var: Array
    scatter_var: Array  # per observation
    owns: Array  # (entries, observations)

    def local_of(self, weights: Array, theta: Array) -> Array:
        """Deviation of every parameter on every row of a table of weights."""
        width = weights.shape[1]
        return np.asarray((weights * theta[:width]) @ self.acts_on[:width])

    def share(self, source: str, theta: Array) -> Array:
        """What the shared unknowns of one source of the margin add to each leg's deviations, shape (legs, parameters)."""
        own = np.array([u.group == source for u in self.unknowns[: self.shared]])
        return self.local_of(self.leg_weights * own, theta)

    def linearise(self, theta: Array) -> Linearised:
        """Evaluate the model and its derivatives at a point."""
        n = len(self.rows.leg)
        first = self.rows.first
        e = self.whole_model.energies(self.local_of(self.weights, theta), derivatives=True)
        assert e.by_parameter is not None
        # A drive that only rolls downhill can come out below nothing on the way to the solution.
        total = np.maximum(np.add.reduceat(e.wh[:n], first), LEAST_SHARE * np.exp(self.rows.measured))
        by_unknown = e.by_parameter[:, self.parameters] * self.weights
        jacobian = np.add.reduceat(by_unknown[:n], first, axis=0) / total[:, None]
        return Linearised(np.log(total), jacobian, e.wh[n:], by_unknown[n:] / e.wh[n:, None])

    def evidence(self, at: Linearised, segment_share: float) -> Evidence:
        """What was measured, linearised, with the noise of segments."""
        return Evidence(at.jacobian, self.prior_var, self.rows.noise(segment_share), self.owns, self.scatter_var)

    def innovation(self, at: Linearised, theta: Array) -> Array:
        """Measured minus what the linearised model predicts at the prior means."""
        return np.asarray(self.rows.measured - at.predicted + at.jacobian @ (theta - self.prior_mean))

    def levels_at(self, theta: Array) -> tuple[Array, Array]:
        """`levels` at a point, without a look at the legs."""
        n = len(self.rows.leg)
        r = self.reference_model.energies(self.local_of(self.weights[n:], theta), derivatives=True)
        assert r.by_parameter is not None
        by_reference = r.by_parameter[:, self.parameters] * self.weights[n:] / r.wh[:, None]
        nothing = np.zeros(0)
        return self.levels(Linearised(nothing, nothing, r.wh, by_reference))

    def log_levels_at(self, theta: Array) -> Array:
        """The levels alone of `levels_at`."""
        n = len(self.rows.leg)
        return np.log(self._whole(self.reference_model.energies(self.local_of(self.weights[n:], theta), False).wh)[1])

    def _whole(self, reference_wh: Array) -> tuple[Array, Array]:
        """Energy of every reference drive (configurations, drives), and of each configuration's together."""
        energy = reference_wh.reshape(-1, self.reference.each)
        # Readings that cannot be may bend a level below nothing; what is left of it is criticised, not believed.
        return energy, np.maximum(energy.sum(axis=1), self.reference.km)

    def levels(self, at: Linearised) -> tuple[Array, Array]:
        """Log energy of every configuration over the reference drives, and its derivatives (configurations, unknowns)."""
        drives = self.reference.each
        energy, whole = self._whole(at.reference_wh)
        share = energy / whole[:, None]
        by_unknown = at.reference_jacobian.reshape(-1, drives, len(self.unknowns))
        return np.log(whole), np.einsum("cd,cdu->cu", share, by_unknown)


def _heights_elsewhere(study: Study, road: Road, conditions: Sequence[Conditions]) -> dict[str, bool]:
    """Whether the heights of other sectors' roads are known, by sector."""
    return {study.leg(c.leg).sector: own.heights_known() for c in conditions if (own := road.of(c.leg)) is not road}


def prepare(
    study: Study,
    conditions: Sequence[Conditions],
    observations: Sequence[Observation],
    logs: Logs,
    options: FitOptions,
    road: Road | None = None,
) -> Problem:
    """Set up the fit of one group of legs; parameters as for `fit.fit_study`."""
    road = road or Road(logs.shape, study)
    # How much of a hold-up is the traffic's, and how much the way of driving, nobody can tell where that is the change.
    with_events = Cause.EVENTS not in options.ignore and not study.change.is_technique
    rows = lay_rows(study, road, conditions, observations, logs, with_events)
    driven = {c.configuration for c in conditions}
    configurations = (study.baseline.id, *(t.id for t in study.trials if t.id in driven))
    reference = reference_of(study, conditions, options.view)
    drives = reference_drives(study, road, conditions, logs, configurations, options.speed_kmh)
    of_references = [c for c in configurations for _ in range(drives.each)]
    masses = {c.id: float(c.mass_delta_kg or 0.0) for c in study.configurations}

    model, belief = _leg_model(study, rows, conditions, options.ignore, reference, masses)
    leg_model = model.by_leg(rows.leg)
    reference_model = reference_model_of(model, drives, reference, [masses[c] for c in of_references])
    design = DesignRows(
        study, conditions, observations, leg_model, of_references, drives.backwards, options.ignore, belief,
        road.heights_known(), options.beside, _heights_elsewhere(study, road, conditions),
    )  # fmt: skip
    unknowns = leg_unknowns(design)
    shared = len(unknowns)
    leg_weights = np.stack([u.weights for u in unknowns], axis=1)
    weights = leg_weights[np.concatenate([rows.leg, np.arange(len(conditions), design.rows)])]
    windless = Cause.WIND in options.ignore
    turned = [] if windless else turned_unknowns(rows, conditions, len(of_references))
    if rows.segmented or turned:
        extra = segment_unknowns(rows, conditions, len(of_references), windless, design.heights) + turned
        unknowns = unknowns + extra
        weights = np.concatenate([weights, np.stack([u.weights for u in extra], axis=1)], axis=1)
    owns = np.zeros((len(rows.measured), len(observations)))
    owns[np.arange(len(rows.measured)), rows.owner] = 1.0
    return Problem(
        rows=rows,
        road=road,
        model=model,
        leg_model=leg_model,
        reference_model=reference_model,
        whole_model=model.followed_by(reference_model),
        reference=drives,
        configurations=configurations,
        unknowns=unknowns,
        shared=shared,
        parameters=(parameters := np.array([u.parameter for u in unknowns])),
        acts_on=np.equal.outer(parameters, np.arange(len(Parameter))).astype(float),
        leg_weights=leg_weights,
        weights=weights,
        prior_mean=np.array([u.prior_mean for u in unknowns], dtype=float),
        prior_var=np.array([u.prior_sd for u in unknowns]) ** 2,
        scatter_var=(options.scatter_share * scatter_units(study, conditions, observations)) ** 2,
        owns=owns,
    )


def scatter_units(study: Study, conditions: Sequence[Conditions], observations: Sequence[Observation]) -> Array:
    """Scatter of each drive over that of a careful 30 km: ∝ 1/√distance within limits, and by the kind of driving."""
    km = np.array([max(o.fit_km, 0.5) for o in observations])
    rough = {c.leg: SCATTER_OF[kind_of_driving(study, c)] for c in conditions}
    own = np.array([sum(rough.get(name, 1.0) for name in o.legs) / len(o.legs) for o in observations])
    return np.asarray(own * np.clip(np.sqrt(SCATTER_KM / km), *priors.SCATTER_REACH))


def _leg_model(
    study: Study,
    rows: Rows,
    conditions: Sequence[Conditions],
    ignore: frozenset[str],
    reference: Reference,
    masses: Mapping[str, float],
) -> tuple[RoadModel, WindBelief]:
    """The model of every row, and what is believed of each leg's wind."""
    pressures = [c.tyre_pressure_kpa for c in conditions if c.tyre_pressure_kpa]
    paths = join(rows.stretches, list(rows.stops))
    table = conditions_table(
        [conditions[i] for i in rows.leg], paths.heading_known, float(np.mean(pressures)) if pressures else 1.0
    )
    on_road = np.zeros(len(conditions), dtype=bool)
    on_road[rows.leg] = paths.heading_known
    usable = on_road & np.array([c.wind_known for c in conditions])
    belief = wind_belief(conditions, usable, reported_growth(conditions), study.wind.station_km)
    height = wind.height_factor(study.wind.measured_at_m, study.wind.terrain)
    table = replace(
        table,
        cold_share=rows.cold_share,
        stopped_s=rows.stopped_s,
        from_north=belief.from_north[rows.leg],
        from_east=belief.from_east[rows.leg],
        # A wind that nobody can lay along the road blows all the same: on the mean of all directions it adds drag.
        turbulence=np.hypot(table.turbulence, np.sqrt(belief.unlaid[rows.leg]) * height / wind.CAR_TURBULENCE_SHARE),
    )
    return RoadModel(
        study.vehicle.constants(),
        height,
        paths,
        without(table, ignore, reference),
        np.array([masses[conditions[i].configuration] for i in rows.leg]),
    ), belief


def reference_model_of(
    model: RoadModel, drives: ReferenceDrives, reference: Reference, masses: Sequence[float]
) -> RoadModel:
    """The model of every configuration over the reference drives, at the reference conditions."""
    m = len(masses)
    paths = join(drives.stretches, drives.stops)
    known = paths.heading_known.astype(float)
    legs = LegTable(
        temperature_c=np.full(m, reference.temperature_c),
        density=np.full(m, reference.density_kg_m3),
        from_north=reference.from_north * known,
        from_east=reference.from_east * known,
        turbulence=np.full(m, reference.turbulence_m_s),
        climate_k=np.full(m, reference.climate_k),
        mass_delta_kg=np.zeros(m),
        pressure_ratio=np.ones(m),
        cold_share=np.zeros(m),
        stopped_s=np.array(drives.stopped_s),
    )
    return RoadModel(model.constants, model.height_factor, paths, legs, np.array(masses))

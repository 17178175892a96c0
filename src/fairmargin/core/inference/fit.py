"""The one fit: every leg's reading at once, everything uncertain given a prior, the effect with its margin.

Gauss-Newton finds the most probable values. The posterior is then taken in the space of the readings:
with J the derivatives of the log energies, S the prior variances and N the reading noise,

    C = J S Jᵀ + N + σ² diag(s)         (all that scatters the readings)
    effect | σ ~ Normal(g μ + g S Jᵀ C⁻¹ r,  g S gᵀ − g S Jᵀ C⁻¹ J S gᵀ)

and the run-to-run scatter σ, itself uncertain (scaled inverse χ² of `SCATTER_FREEDOM` degrees of freedom around
common practice), is integrated over on a grid: the effect becomes a mixture of normals with t-like tails, so that
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

from fairmargin.core.evidence.conditions import Conditions
from fairmargin.core.evidence.logs import GatedLog, Logs
from fairmargin.core.evidence.readings import Observation, circumference_known
from fairmargin.core.evidence.reported_wind import WindBelief, wind_belief
from fairmargin.core.laws import air, rolling, wind
from fairmargin.core.model.road_load import (
    LegTable,
    LoggedRows,
    Pieces,
    Road,
    RoadModel,
    Slot,
    join,
    table,
)
from fairmargin.core.study import Event, Study

Array = NDArray[np.float64]

LEAST_SHARE: Final = 0.02  # of the measured energy, below which a modelled one is not believed

#: Prior scatter of a careful run of 30 km, as a share, and the weight of that opinion. Common practice.
SCATTER_SHARE: Final = 0.0105
SCATTER_FREEDOM: Final = 8.0
SCATTER_KM: Final = 30.0

#: Standard deviations of the priors (see docs/method.md for each).
WIND_DAY_M_S: Final = 0.4  # what all reports of a day share: the mast is not the road
WIND_LEG_M_S: Final = 0.3  # from the first half of a leg to the second
WIND_GROWTH: Final = (0.55, 0.13)  # wind errors times this much, plus this much per m/s of reported wind
YAW_SLOPE_SD: Final = 0.006
TYRE_PER_K_SD: Final = 0.0016
DRIVELINE_PER_K_SD: Final = 0.0005
CLIMATE_SD: Final = 25.0
PRESSURE_EXPONENT_SD: Final = 0.15
WARM_UP_SHARE: Final = 0.04
WARM_UP_SD: Final = 0.055
LEVEL_SD: Final = 0.4
DIRECTION_SD: Final = 0.015
DAY_SD: Final = 0.006
PRESSURE_MISSING_SD: Final = 0.005
CONTROL_SD: Final = 0.10
WET_SD: Final = {"damp": 0.02, "wet": 0.05, "snow": 0.10}
CHANGE_SD: Final = 0.5
#: Logged legs: scatter left once the speeds are known, segments, and what a place may do to all legs.
LOGGED_SCATTER: Final = 0.8
LOGGER_NOISE: Final = 0.0005
SEGMENT_M: Final = 1500.0
MOST_SEGMENTS: Final = 8
MOST_ENTRIES: Final = 256
MOST_GAP: Final = 0.2  # share of a segment without samples beyond which it is left out
SEGMENT_SHARE: Final = 0.02  # of one kilometre
SEGMENT_FREEDOM: Final = 8.0
PLACE_SD: Final = 0.04
SHELTER_SD: Final = 0.10
DISPLAY_BIAS_STEPS: Final = 0.25  # a display may cut off instead of rounding: half a step low
CHARGING_PER_K_SD: Final = 0.001
#: Calibration of one kind of instrument against another, where legs were not all read with the same.
INSTRUMENT_SD: Final = {
    "logger": 0.01,
    "trip energy": 0.01,
    "trip average": 0.01,
    "fuel": 0.02,
    "charge back": 0.02,
    "state of charge": 0.03,
}
CIRCUMFERENCE_SD: Final = 0.005  # of other wheels or tyres whose circumference nobody measured
SIDE_BY_SIDE_SD: Final = 0.02  # what both vehicles of a moment share beyond the reported weather
CHANGE_AUXILIARY_W: Final = 2500.0
#: Sizes of the scatter that are integrated over, as multiples of the prior's.
SCATTER_SIZES: Final = np.geomspace(0.35, 4.0, 19)


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
    road: Road
    as_driven: bool  # the effect holds for the logged speeds, not for one steady speed
    segment_share: float  # noise of one kilometre of a logged leg
    scatter_evidence: tuple[float, ...]  # log likelihood of each scatter size, see `learned_scatter`


def scatter_weights(log_likelihood: Array, freedom: float) -> Array:
    """Posterior weight of each of `SCATTER_SIZES` under a scaled inverse \u03c7\u00b2 prior around one; sums to one."""
    log_p = log_likelihood - freedom * (np.log(SCATTER_SIZES) + 0.5 / SCATTER_SIZES**2)
    weights = np.exp(log_p - log_p.max())
    return np.asarray(weights / weights.sum())


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


def _wind_growth(conditions: Sequence[Conditions]) -> float:
    """A mast some way off errs more in a strong wind than in a light one (common practice)."""
    reported = [c.wind_speed for c in conditions if c.wind_known]
    middle = sum(reported) / len(reported) if reported else 3.5
    return min(WIND_GROWTH[0] + WIND_GROWTH[1] * middle, 1.6)


def _reading_unknowns(
    conditions: Sequence[Conditions], observations: Sequence[Observation], rows: int
) -> list[_Unknown]:
    """What instruments may do to all their readings alike."""
    result: list[_Unknown] = []
    index = {c.leg: i for i, c in enumerate(conditions)}
    kind_of: dict[int, str] = {}
    step = np.zeros(rows)
    for o in observations:
        for name in o.legs:
            kind_of[index[name]] = o.readings[0].instrument
            if o.readings[0].instrument == "trip average":
                step[index[name]] = o.relative_sd * math.sqrt(12.0)
    if step.any():
        result.append(_Unknown("truncation", "display step", Slot.TOTAL, step, 0, DISPLAY_BIAS_STEPS))
    kinds = sorted(set(kind_of.values()), key=lambda k: -list(kind_of.values()).count(k))
    for kind in kinds[1:]:
        on = np.zeros(rows)
        on[[i for i, k in kind_of.items() if k == kind]] = 1.0
        sd = math.hypot(INSTRUMENT_SD[kind], INSTRUMENT_SD[kinds[0]])
        result.append(_Unknown(f"{kind} against {kinds[0]}", "instruments", Slot.TOTAL, on, 0, sd))
    charged = [i for i, k in kind_of.items() if k == "charge back"]
    if charged:
        colder = np.zeros(rows)
        colder[charged] = [conditions[i].temperature_c - 15.0 for i in charged]
        result.append(_Unknown("charging per K", "instruments", Slot.TOTAL, colder, 0, CHARGING_PER_K_SD))
    return result


def _unknowns(
    study: Study,
    conditions: Sequence[Conditions],
    observations: Sequence[Observation],
    model: RoadModel,
    rows: int,
    reference_configurations: Sequence[str],
    options: FitOptions,
    belief: WindBelief,
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

    result += _reading_unknowns(conditions, observations, rows)
    grown = _wind_growth(conditions)
    for day in sorted({c.day for c in conditions}):
        on = mask([c.day == day for c in conditions])
        sd = DAY_SD
        if not all(c.pressure_known for c in conditions):
            sd = math.hypot(DAY_SD, PRESSURE_MISSING_SD)
        result.append(_Unknown(f"day {day}", "day", Slot.TOTAL, on, 0, sd))
        for slot in (Slot.WIND_NORTH, Slot.WIND_EAST):
            result.append(_Unknown(f"wind of day {day}", "wind", slot, on, 0, WIND_DAY_M_S * grown))
    for leg in range(n):
        own = np.concatenate([belief.factor[:, leg], np.zeros(rows - n)])
        for slot in (Slot.WIND_NORTH, Slot.WIND_EAST):
            result.append(_Unknown("wind of legs", "wind of runs", slot, own, 0, 1.0))
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
        for together in _moments(conditions):
            on = mask([c.leg in together for c in conditions])
            result.append(_Unknown("moment", "day", Slot.TOTAL, on, 0, SIDE_BY_SIDE_SD))

    names = [c.configuration for c in conditions] + list(reference_configurations)
    by_distance = study.change.kind in {"wheels", "tyres"} and not circumference_known(study)
    for trial in study.trials:
        on = np.array([name == trial.id for name in names], dtype=float)
        if on[:n].any():
            if by_distance:
                own = on.copy()
                own[n:] = 0.0
                result.append(
                    _Unknown(
                        f"{trial.id}: circumference", "circumference", Slot.TOTAL, own, 0, CIRCUMFERENCE_SD
                    )
                )
            result += _change_unknowns(study, trial.id, on)
    return result


def _moments(conditions: Sequence[Conditions]) -> list[set[str]]:
    """Legs of both vehicles driven together: within ten minutes in the same direction, else of one run."""
    result: list[set[str]] = []
    for c in conditions:
        if not c.control:
            continue
        near = [
            o.leg
            for o in conditions
            if not o.control
            and o.backwards == c.backwards
            and (
                abs(o.started_s - c.started_s) <= 600.0
                if o.started_s is not None and c.started_s is not None
                else o.run == c.run
            )
        ]
        if near:
            result.append({c.leg, *near})
    return result


def _without(table_: LegTable, ignore: frozenset[str], reference: dict[str, float]) -> LegTable:
    """Take conditions out of the model (for pricing them): every leg gets the reference value."""
    n = len(table_.temperature_c)
    changes: dict[str, Array] = {}
    if "wind" in ignore:
        changes |= {"from_north": np.zeros(n), "from_east": np.zeros(n)}
    if "wind" in ignore:
        changes["turbulence"] = wind.turbulence_m_s(np.zeros(n))
    elif "gusts" in ignore:
        changes["turbulence"] = wind.turbulence_m_s(np.hypot(table_.from_north, table_.from_east))
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
        "turbulence": float(wind.turbulence_m_s(r.wind_speed_ms)),
    }


@dataclass(frozen=True, eq=False, slots=True)
class _Rows:
    """The legs as the fit sees them: one row per leg, or per segment of a logged one; rows in their order."""

    pieces: list[Pieces]
    stops: Array
    stopped_s: Array
    warm_share: Array
    leg: NDArray[np.intp]  # index of the leg, per row
    entry: NDArray[np.intp]  # index of the entry (what was measured), per row, not decreasing
    part: NDArray[np.intp]  # number of the segment in driving direction, −1 for whole legs
    middle: Array  # of the segment in the leg's time, −1 to 1
    # per entry:
    owner: NDArray[np.intp]  # index of the observation
    measured: Array  # log energy
    reading_var: Array
    unit: Array  # segment noise over its nominal share; 0 for whole legs
    even: Array  # mean energy of the leg's segments over this one's; 0 for whole legs


def _segments(logs: Logs, conditions: Sequence[Conditions], used: set[str]) -> dict[bool, int]:
    """Into how many segments the logged legs of each direction are cut."""
    chosen: dict[bool, int] = {}
    for way in (False, True):
        ours = [log for c in conditions if c.backwards is way and c.leg in used and (log := logs.of(c.leg))]
        chosen[way] = 1
        if not ours or not logs.by_position:
            continue
        most = min(MOST_SEGMENTS, MOST_ENTRIES // max(len(used), 1))
        shortest = min(log.end_m - log.start_m for log in ours)
        for count in range(min(most, int(shortest / SEGMENT_M)), 1, -1):
            if all(_even(log, count) for log in ours):
                chosen[way] = count
                break
    return chosen


def _even(log: GatedLog, count: int) -> bool:
    """Whether every segment took a fair part of the energy, so that its logarithm means something."""
    energy = log.at(np.linspace(log.start_m, log.end_m, count + 1))[3]
    if energy is None:
        return False
    parts = np.diff(energy)
    return bool(parts.min() > 0.35 * parts.mean())


def _rows(
    study: Study,
    road: Road,
    conditions: Sequence[Conditions],
    observations: Sequence[Observation],
    logs: Logs,
    with_events: bool,
) -> _Rows:
    events: dict[str, list[Event]] = {}
    for event in study.events if with_events else ():
        events.setdefault(event.leg, []).append(event)
    index = {c.leg: i for i, c in enumerate(conditions)}
    integrated = {o.legs[0] for o in observations if o.gated_wh is not None}
    segments = _segments(logs, conditions, integrated)
    pieces: list[Pieces] = []
    stops: list[float] = []
    stopped: list[float] = []
    warm: list[float] = []
    leg_of: list[int] = []
    entry_of: list[int] = []
    part_of: list[int] = []
    middle_of: list[float] = []
    owner: list[int] = []
    measured: list[float] = []
    reading_var: list[float] = []
    unit: list[float] = []
    even: list[float] = []
    for j, o in enumerate(observations):
        cut: LoggedRows | None = None
        for name in o.legs:
            i = index[name]
            c, log = conditions[i], logs.of(name)
            if log is None:
                noted = sum(e.kind == "stop" for e in events.get(name, []))
                pieces.append(road.steady(c.backwards, c.true_m, c.speed_m_s, events.get(name, [])))
                stops.append(float(noted) if noted else float(c.stopped_s > 5.0))
                stopped.append(c.stopped_s)
                warm.append(c.warm_share)
                leg_of.append(i)
                entry_of.append(len(owner))
                part_of.append(-1)
                middle_of.append(0.0)
                continue
            count = segments[c.backwards] if name in integrated else 1
            if log.gap_share > MOST_GAP:
                count = 1  # mostly gap: the whole is worth more than its pieces
            cut = road.logged(log if name in integrated else log.whole(), c.backwards, count)
            start = rolling.cold_share_at_start(c.warm_share, c.duration_s)
            for k, piece in enumerate(cut.pieces):
                if count > 1 and cut.gap_share[k] > MOST_GAP:
                    continue
                t0, t1 = cut.edges_s[k], cut.edges_s[k + 1]
                pieces.append(piece)
                stops.append(0.0)
                stopped.append(float(cut.stopped_s[k]))
                warm.append(rolling.cold_share_between(start, t0, t1))
                leg_of.append(i)
                entry_of.append(len(owner))
                part_of.append(k if count > 1 else -1)
                middle_of.append(
                    (t0 + t1 - cut.edges_s[0] - cut.edges_s[-1]) / (cut.edges_s[-1] - cut.edges_s[0])
                )
                if count > 1:
                    assert cut.energy_wh is not None
                    energy = float(cut.energy_wh[k])
                    owner.append(j)
                    measured.append(math.log(energy))
                    reading_var.append((0.5 * float(cut.gap_share[k])) ** 2 + LOGGER_NOISE**2)
                    mean = float(cut.energy_wh.mean())
                    km = (log.end_m - log.start_m) / 1000.0 / count
                    # Gusts are most of what one kilometre differs from the next.
                    gusty = math.sqrt(0.35 + 0.65 * (c.turbulence_m_s / 0.65) ** 2)
                    unit.append(gusty * mean / energy / math.sqrt(km))
                    even.append(mean / energy)
        if len(owner) == 0 or owner[-1] != j:
            owner.append(j)
            measured.append(math.log(o.fit_wh))
            reading_var.append(o.relative_sd**2)
            unit.append(0.0)
            even.append(0.0)
    return _Rows(
        pieces,
        np.array(stops),
        np.array(stopped),
        np.array(warm),
        np.array(leg_of, dtype=np.intp),
        np.array(entry_of, dtype=np.intp),
        np.array(part_of, dtype=np.intp),
        np.array(middle_of),
        np.array(owner, dtype=np.intp),
        np.array(measured),
        np.array(reading_var),
        np.array(unit),
        np.array(even),
    )


def _segment_unknowns(
    rows: _Rows, conditions: Sequence[Conditions], references: int, wind_sd: float, windless: bool
) -> list[_Unknown]:
    """What segments of logged legs share: the place (surface, height errors, shelter), and how a leg's wind moved."""
    result: list[_Unknown] = []
    n = len(rows.leg)
    way = np.array([conditions[i].backwards for i in rows.leg])
    unit = np.zeros(n)
    unit[rows.part >= 0] = rows.even[rows.entry[rows.part >= 0]]

    def padded(values: Array) -> Array:
        return np.concatenate([values, np.zeros(references)])

    counts = {w: int(rows.part[way == w].max(initial=-1)) + 1 for w in (False, True)}
    for w in (False, True):
        for k in range(counts[w]):
            on = (rows.part == k) & (way == w)
            result.append(_Unknown("place", "road", Slot.TOTAL, padded(np.where(on, unit, 0.0)), 0, PLACE_SD))
    if windless:
        return result
    # The same trees stand beside both directions.
    both = counts[False] == counts[True]
    for w in (False,) if both else (False, True):
        for k in range(counts[w]):
            on = (rows.part == k) & (way == w)
            if both:
                on |= (rows.part == counts[w] - 1 - k) & way
            result.append(
                _Unknown("shelter", "wind", Slot.HEIGHT_FACTOR, padded(on.astype(float)), 0, SHELTER_SD)
            )
    for i in np.unique(rows.leg[rows.part >= 0]):
        drift = padded(np.where(rows.leg == i, rows.middle, 0.0))
        for slot in (Slot.WIND_NORTH, Slot.WIND_EAST):
            result.append(_Unknown("wind within a leg", "wind of runs", slot, drift, 0, wind_sd))
    return result


@dataclass(frozen=True, eq=False, slots=True)
class Problem:
    """Everything about a fit but its solution: rows, model, unknowns with their priors, noise."""

    rows: _Rows
    road: Road
    model: RoadModel  # one row per leg or segment
    leg_model: RoadModel  # one row per leg
    ref_model: RoadModel  # configurations, each over the reference drives
    configurations: tuple[str, ...]
    reference_km: float
    as_driven: bool
    unknowns: list[_Unknown]
    shared: int  # of the unknowns, those that act on whole legs
    slots: NDArray[np.intp]
    leg_weights: Array  # (legs + reference rows, shared unknowns)
    weights: Array  # (rows + reference rows, unknowns)
    middle: Array
    var: Array
    scatter_var: Array  # per observation
    owns: Array  # (entries, observations)

    def local_of(self, table_: Array, theta: Array) -> Array:
        """Deviation of every slot of every row of a weights table."""
        width = table_.shape[1]
        out = np.zeros((len(table_), len(Slot)))
        for slot in np.unique(self.slots):
            columns = np.flatnonzero(self.slots[:width] == slot)
            if columns.size:
                out[:, slot] = table_[:, columns] @ theta[columns]
        return out

    def linearise(self, theta: Array) -> tuple[Array, Array, Array, Array]:
        """Log energies of the entries and their derivatives, reference energies and their log derivatives."""
        n = len(self.rows.leg)
        first = np.flatnonzero(np.diff(self.rows.entry, prepend=-1))
        local = self.local_of(self.weights, theta)
        e = self.model.energies(local[:n], derivatives=True)
        r = self.ref_model.energies(local[n:], derivatives=True)
        assert e.by_slot is not None and r.by_slot is not None
        # A drive that only rolls downhill can come out below nothing on the way to the solution.
        total = np.maximum(np.add.reduceat(e.wh, first), LEAST_SHARE * np.exp(self.rows.measured))
        per_row = e.by_slot[:, self.slots] * self.weights[:n]
        jacobian = np.add.reduceat(per_row, first, axis=0) / total[:, None]
        by_reference = r.by_slot[:, self.slots] * self.weights[n:] / r.wh[:, None]
        return np.log(total), jacobian, r.wh, by_reference

    def residuals(self, theta: Array) -> Array:
        """Standardised residuals of readings and priors, as a least-squares solver wants them (whole legs only)."""
        n = len(self.rows.leg)
        energies = self.model.energies(self.local_of(self.weights[:n], theta), derivatives=False)
        first = np.flatnonzero(np.diff(self.rows.entry, prepend=-1))
        total = np.maximum(np.add.reduceat(energies.wh, first), LEAST_SHARE * np.exp(self.rows.measured))
        left = self.rows.measured - np.log(total)
        sd = np.sqrt(self.rows.reading_var + self.owns @ self.scatter_var)
        return np.concatenate([left / sd, (theta - self.middle) / np.sqrt(self.var)])


def prepare(
    study: Study,
    conditions: Sequence[Conditions],
    observations: Sequence[Observation],
    logs: Logs,
    options: FitOptions,
    road: Road | None = None,
) -> Problem:
    """Set up the fit of one group of legs; parameters as for `fit_study`."""
    constants = study.vehicle.constants()
    road = road or Road(logs.shape, study)
    rows = _rows(study, road, conditions, observations, logs, "events" not in options.ignore)
    n = len(conditions)
    baseline = study.baseline.id
    configurations = (
        baseline,
        *[t.id for t in study.trials if any(c.configuration == t.id for c in conditions)],
    )
    reference = reference_values(study, conditions, options.view)
    as_driven = driven_as_a_cycle(conditions, logs)
    ref_pieces, ref_stopped = _reference_drives(study, road, conditions, logs, as_driven)
    d = len(ref_pieces)
    m = len(configurations) * d

    pressures = [c.tyre_pressure_kpa for c in conditions if c.tyre_pressure_kpa]
    mean_pressure = float(np.mean(pressures)) if pressures else 1.0
    masses = {c.id: float(c.mass_delta_kg or 0.0) for c in study.configurations}
    paths = join(rows.pieces, list(rows.stops))
    row_table = table([conditions[i] for i in rows.leg], paths.heading_known, mean_pressure)
    on_road = np.zeros(n, dtype=bool)
    on_road[rows.leg] = paths.heading_known
    belief = wind_belief(
        conditions, on_road & np.array([c.wind_known for c in conditions]), _wind_growth(conditions)
    )
    row_table = replace(
        row_table,
        warm_share=rows.warm_share,
        stopped_s=rows.stopped_s,
        from_north=belief.from_north[rows.leg],
        from_east=belief.from_east[rows.leg],
    )
    model = RoadModel(
        constants,
        wind.height_factor(study.wind.measured_at_m, study.wind.terrain),
        paths,
        _without(row_table, options.ignore, reference),
        np.array([masses[conditions[i].configuration] for i in rows.leg]),
    )
    ref_paths = join(ref_pieces * len(configurations), [0.0] * m)
    has_heading = ref_paths.heading_known.astype(float)
    ref_model = RoadModel(
        constants,
        model.height_factor,
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
            stopped_s=np.array(ref_stopped * len(configurations)),
        ),
        np.array([masses[c] for c in configurations for _ in range(d)]),
    )

    leg_model = model.by_leg(rows.leg)
    unknowns = _unknowns(
        study,
        conditions,
        observations,
        leg_model,
        n + m,
        [c for c in configurations for _ in range(d)],
        options,
        belief,
    )
    spread_rows = np.concatenate([rows.leg, np.arange(n, n + m)])
    segmented = bool((rows.part >= 0).any())
    shared = len(unknowns)
    if segmented:
        wind_sd = WIND_LEG_M_S * _wind_growth(conditions)
        unknowns = unknowns + _segment_unknowns(rows, conditions, m, wind_sd, "wind" in options.ignore)
    slots = np.array([u.slot for u in unknowns])
    leg_weights = np.stack([u.weights for u in unknowns[:shared]], axis=1)  # (legs + references, unknowns)
    weights = leg_weights[spread_rows]
    if segmented:
        weights = np.concatenate([weights, np.stack([u.weights for u in unknowns[shared:]], axis=1)], axis=1)
    prior_middle = np.array([u.middle for u in unknowns], dtype=float)
    prior_var = np.array([u.sd for u in unknowns]) ** 2

    shown_km = np.array([max(o.fit_km, 0.5) for o in observations])
    logged = np.array([o.gated_wh is not None for o in observations])
    unit_scatter = np.clip(np.sqrt(SCATTER_KM / shown_km), 0.7, 2.5) * np.where(logged, LOGGED_SCATTER, 1.0)
    scatter_var = (options.scatter_share * unit_scatter) ** 2  # per observation
    entries = len(rows.measured)
    owns = np.zeros((entries, len(observations)))
    owns[np.arange(entries), rows.owner] = 1.0
    return Problem(
        rows=rows,
        road=road,
        model=model,
        leg_model=leg_model,
        ref_model=ref_model,
        configurations=configurations,
        reference_km=sum(float(np.sum(p[0])) for p in ref_pieces) / 1000.0,
        as_driven=as_driven,
        unknowns=unknowns,
        shared=shared,
        slots=slots,
        leg_weights=leg_weights,
        weights=weights,
        middle=prior_middle,
        var=prior_var,
        scatter_var=scatter_var,
        owns=owns,
    )


def fit_study(
    study: Study,
    conditions: Sequence[Conditions],
    observations: Sequence[Observation],
    logs: Logs,
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
    logs : Logs
        Logged legs between their gates, and the road.
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
    problem = prepare(study, conditions, observations, logs, options, start.road if start else None)
    rows, owns, scatter_var = problem.rows, problem.owns, problem.scatter_var
    unknowns, shared = problem.unknowns, problem.shared
    prior_middle, prior_var = problem.middle, problem.var
    configurations = problem.configurations
    d = len(problem.ref_model.paths.starts) // len(configurations)
    n, observed = len(conditions), len(observations)
    block = (owns * scatter_var) @ owns.T

    theta = prior_middle.copy()
    segment_share = SEGMENT_SHARE
    if start is not None:
        segment_share = start.segment_share
        if len(start.theta) == len(theta):
            theta = start.theta.copy()
    settled = start is not None or not (rows.part >= 0).any()
    predicted, jacobian, ref_energy, ref_jacobian = problem.linearise(theta)
    for _ in range(9):
        noise = rows.reading_var + (segment_share * rows.unit) ** 2
        innovation = rows.measured - predicted + jacobian @ (theta - prior_middle)
        base = (jacobian * prior_var) @ jacobian.T + np.diag(noise)
        new = prior_middle + prior_var * (jacobian.T @ np.linalg.solve(base + block, innovation))
        step = float(np.max(np.abs(jacobian @ (new - theta)), initial=0.0))
        theta = new
        if step < 2e-4:  # two hundredths of a per cent of a reading
            if settled:
                break
            settled = True
            segment_share = _segment_share(segment_share, base + block, rows, innovation)
        predicted, jacobian, ref_energy, ref_jacobian = problem.linearise(theta)

    # Effects: energy-weighted log ratio over the reference drives.
    share = ref_energy.reshape(-1, d)
    log_level = np.log(share.sum(axis=1))
    share = share / share.sum(axis=1, keepdims=True)
    ref_gradient = np.einsum("cd,cdu->cu", share, ref_jacobian.reshape(-1, d, len(theta)))
    gradients = ref_gradient[1:] - ref_gradient[0]
    crosses = jacobian @ (prior_var * gradients).T  # (entries, effects)

    innovation = rows.measured - predicted + jacobian @ (theta - prior_middle)
    noise = rows.reading_var + (segment_share * rows.unit) ** 2
    base = (jacobian * prior_var) @ jacobian.T + np.diag(noise)
    grid = scatter_grid(base, owns, scatter_var, innovation, crosses)
    mix = scatter_weights(grid.log_likelihood, options.scatter_freedom)
    scatter_multiple = float(mix @ SCATTER_SIZES)
    modal = SCATTER_SIZES[int(np.argmin(np.abs(SCATTER_SIZES - scatter_multiple)))]
    cov = base + block * modal**2
    inverse = np.linalg.inv(cov)

    # Segments of one leg, weighed by energy: what leaves the leg's own sum open.
    energy = np.exp(rows.measured)
    gather = owns.T * energy
    gather /= gather.sum(axis=1, keepdims=True)
    is_random = np.array([u.group in {"wind of runs", "speed"} for u in unknowns])
    spans = [np.flatnonzero(rows.owner == j) for j in range(observed)]
    effects: dict[str, Effect] = {}
    km = problem.reference_km
    for i, name in enumerate(configurations[1:]):
        g, cross = gradients[i], crosses[:, i]
        prior_q = float(g @ (prior_var * g))
        origin = float(log_level[i + 1] - log_level[0]) + float(g @ (prior_middle - theta))
        means = origin + grid.gain[:, i]
        sds = np.sqrt(np.maximum(prior_q - grid.known[:, i], 1e-12))
        estimator = inverse @ cross
        weighted = inverse @ innovation
        influence = {}
        for j, span in enumerate(spans):
            shift = np.linalg.solve(inverse[np.ix_(span, span)], weighted[span])
            influence[observations[j].legs[0]] = -float(estimator[span] @ shift)
        leak = (g - estimator @ jacobian) ** 2 * prior_var
        by_leg = owns.T @ estimator
        scatter = float((by_leg**2) @ scatter_var) * modal**2
        scatter += float((estimator * segment_share * rows.unit) @ (estimator * segment_share * rows.unit))
        rounding = float((estimator**2) @ rows.reading_var)
        groups: dict[str, float] = {"scatter": scatter, "display step": rounding}
        for u, value in zip(unknowns, leak.tolist(), strict=True):
            key = "wind" if u.group == "wind of runs" else u.group
            groups[key] = groups.get(key, 0.0) + value
        effects[name] = Effect(
            trial=name,
            log_ratio=float(mix @ means),
            weights=mix,
            means=means,
            sds=sds,
            systematic_variance=float(leak[~is_random].sum()),
            random_variance=scatter + rounding + float(leak[is_random].sum()),
            budget=tuple(sorted(groups.items(), key=lambda kv: -kv[1])),
            baseline_wh_per_km=float(np.exp(log_level[0])) / km,
            trial_wh_per_km=float(np.exp(log_level[i + 1])) / km,
            influence=influence,
        )

    wind_random = np.array([u.group == "wind of runs" for u in unknowns])
    # What the legs left open of the wind: V − V C⁻¹ V for the wind's share V of the covariance.
    wind_jacobian = jacobian[:, wind_random]
    wind_part = (wind_jacobian * prior_var[wind_random]) @ wind_jacobian.T
    wind_left = gather @ (wind_part - wind_part @ inverse @ wind_part) @ gather.T
    own_noise = (gather**2) @ noise
    leg_sd = np.sqrt(scatter_var * modal**2 + own_noise + np.maximum(np.diag(wind_left), 0.0))
    plain = gather @ (rows.measured - predicted)
    total_sd = np.sqrt(scatter_var + own_noise)
    return Fit(
        conditions=tuple(conditions),
        model=problem.leg_model,
        local=problem.local_of(problem.leg_weights[:n], theta),
        effects=effects,
        scatter_share=options.scatter_share * scatter_multiple,
        scatter_evidence=_as_common_sizes(grid.log_likelihood, options.scatter_share),
        leg_sd={name: float(leg_sd[j]) for j, o in enumerate(observations) for name in o.legs},
        residual={name: float(plain[j] / total_sd[j]) for j, o in enumerate(observations) for name in o.legs},
        values={
            u.name: float(theta[i])
            for i, u in enumerate(unknowns[:shared])
            if u.group not in {"wind of runs", "day"}
        },
        theta=theta,
        road=problem.road,
        as_driven=problem.as_driven,
        segment_share=segment_share,
    )


@dataclass(frozen=True, eq=False, slots=True)
class ScatterGrid:
    """For each size of the scatter: log likelihood (k,), g S Jᵀ C⁻¹ r (k, effects), g S Jᵀ C⁻¹ J S gᵀ (k, effects)."""

    log_likelihood: Array
    gain: Array
    known: Array


def scatter_grid(
    base: Array, owns: Array, scatter_var: Array, innovation: Array, crosses: Array
) -> ScatterGrid:
    """Evaluate every size of the scatter from one factorisation (matrix inversion lemma).

    Parameters
    ----------
    base : numpy.ndarray, shape (n, n)
        Covariance of what was measured, all but the scatter.
    owns : numpy.ndarray, shape (n, m)
        Which of the m drives each measurement belongs to; a drive's scatter is shared by its measurements.
    scatter_var : numpy.ndarray, shape (m,)
        Prior variance of the scatter of each drive.
    innovation : numpy.ndarray, shape (n,)
    crosses : numpy.ndarray, shape (n, effects)
        Covariance of measurements and effects.

    Returns
    -------
    ScatterGrid
    """
    smallest = float(SCATTER_SIZES[0])
    chol = np.linalg.cholesky(base + (owns * scatter_var * smallest**2) @ owns.T)
    half = np.linalg.solve(chol, np.concatenate([owns, innovation[:, None], crosses], axis=1))
    k = owns.shape[1]
    legs, rest = half[:, :k], half[:, k:]
    gram, own, plain = legs.T @ legs, legs.T @ rest, rest.T @ rest
    root = np.sqrt(np.outer(SCATTER_SIZES**2 - smallest**2, scatter_var))  # (grid, observations)
    inner = np.eye(k) + root[:, :, None] * gram * root[:, None, :]
    factor = np.linalg.cholesky(inner)
    solved = np.linalg.solve(factor, root[:, :, None] * own)
    # Quadratic forms of [innovation, crosses] with the inverse covariance.
    forms = plain - np.swapaxes(solved, 1, 2) @ solved
    log_det = float(np.log(np.diag(chol)).sum()) + np.log(np.diagonal(factor, axis1=1, axis2=2)).sum(axis=1)
    known = np.diagonal(forms[:, 1:, 1:], axis1=1, axis2=2)
    return ScatterGrid(-0.5 * forms[:, 0, 0] - log_det, forms[:, 1:, 0], known)


def _as_common_sizes(log_likelihood: Array, share: float) -> tuple[float, ...]:
    """Log likelihood of multiples of the common-practice scatter, whatever prior the fit was given."""
    log_size = np.log(SCATTER_SIZES)
    shifted = np.interp(log_size - math.log(share / SCATTER_SHARE), log_size, log_likelihood)
    return tuple((shifted - shifted.max()).tolist())


def _segment_share(share: float, cov: Array, rows: _Rows, innovation: Array) -> float:
    """Noise of a one-kilometre segment, from what the segments leave over (evidence fixed point).

    References
    ----------
    D. J. C. MacKay, "Bayesian interpolation", Neural Computation 4 (1992) 415 (from memory).
    """
    on = rows.unit > 0
    for _ in range(3):
        inverse = np.linalg.inv(cov)
        noise = (share * rows.unit) ** 2
        left = (noise * (inverse @ innovation))[on] / rows.unit[on]
        freedom = float((noise * np.diag(inverse))[on].sum())
        new = math.sqrt(
            (SEGMENT_FREEDOM * SEGMENT_SHARE**2 + float(left @ left)) / (SEGMENT_FREEDOM + freedom)
        )
        cov = cov + np.diag(np.where(on, (new**2 - share**2) * rows.unit**2, 0.0))
        share = new
    return share


def driven_as_a_cycle(conditions: Sequence[Conditions], logs: Logs) -> bool:
    """Whether the legs were logged and no speed was held: the effect then holds for the speeds as driven."""
    own = [logs.of(c.leg) for c in conditions]
    return bool(own) and all(log is not None and not log.thinned.steady for log in own)


def _reference_drives(
    study: Study, road: Road, conditions: Sequence[Conditions], logs: Logs, as_driven: bool
) -> tuple[list[Pieces], list[float]]:
    """Drives that the effect is stated for: steady in each direction driven, or the logged speeds."""
    if as_driven:
        cut = [(log, c.backwards) for c in conditions if (log := logs.of(c.leg)) is not None]
        made = [road.logged(log, backwards, 1) for log, backwards in cut[:: max(1, len(cut) // 8)]]
        return [r.pieces[0] for r in made], [float(r.stopped_s[0]) for r in made]
    speed = speed_of_study(study, conditions)
    lengths = [c.true_m for c in conditions if c.true_m]
    mean_m = float(np.mean(lengths)) if lengths else 1e4
    ways = tuple(dict.fromkeys(c.backwards for c in conditions))
    return [road.steady(way, mean_m, speed, ()) for way in ways], [0.0] * len(ways)

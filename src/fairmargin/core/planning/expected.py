"""What the change could do, before any driving: where the energy goes, and the expected effect over speed."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core import intervals
from fairmargin.core.evidence.distances import route_km
from fairmargin.core.evidence.logs import gate_logs
from fairmargin.core.laws import air, auxiliaries, wind
from fairmargin.core.model.energy import RoadModel
from fairmargin.core.model.parameters import Parameter
from fairmargin.core.model.paths import LegTable, join
from fairmargin.core.model.road import Road
from fairmargin.core.study import Study

Array = NDArray[np.float64]

DEFAULT_LEG_KM: Final = 20.0
DEFAULT_SPEED_KMH: Final = 90.0
STATED_SHARE: Final = 0.25  # standard deviation of a change that somebody stated; common practice


@dataclass(frozen=True, slots=True)
class Share:
    """Where the energy goes at one speed. [Wh/km]"""

    air: float
    tyres: float
    hills: float
    climate: float
    driveline: float

    @property
    def total(self) -> float:
        """Sum. [Wh/km]"""
        return self.air + self.tyres + self.hills + self.climate + self.driveline


@dataclass(frozen=True, eq=False, slots=True)
class Expected:
    """Effect of the change over speed, before any driving; arrays of shape (n,)."""

    speed_kmh: Array
    percent: Array
    low: Array  # at the study's confidence
    high: Array
    given: bool  # whether anything of the change was told; else all is zero


def leg_km(study: Study) -> float:
    """Length of one leg of the plan: of the road, else to the turning point that somebody named, else a usual one. [km]"""
    return route_km(study) or study.plan.turn_at_km or DEFAULT_LEG_KM


def planned_speed_kmh(study: Study) -> float:
    """Speed of the plan: the one aimed at, the baseline's where the speed is the change, else a usual one. [km/h]"""
    own = study.baseline.speed_kmh if study.change.subject == "speed" else None
    return float(own or study.target_speed_kmh or DEFAULT_SPEED_KMH)


def _steady(
    study: Study, speeds_m_s: Sequence[float], temperature_c: float, head_m_s: float, climate_k: float
) -> RoadModel:
    """Model of steady drives, one row per speed (and, there and back, per direction)."""
    road = Road(gate_logs(study, (), {}, {}).shape, study)
    ways = (False, True) if study.method in {"out-and-back", "side-by-side"} else (False,)
    rows = [(v, w) for v in speeds_m_s for w in ways]
    paths = join([road.steady(w, 1000.0 * leg_km(study), v, ()) for v, w in rows], [0.0] * len(rows))
    n = len(rows)
    density = float(
        air.moist_air_density(100.0 * study.reference.pressure_hpa, temperature_c + 273.15, air.USUAL_HUMIDITY)
    )
    factor = wind.height_factor(study.wind.measured_at_m, study.wind.terrain)
    return RoadModel(
        study.vehicle.constants(),
        factor,
        paths,
        LegTable(
            temperature_c=np.full(n, temperature_c),
            density=np.full(n, density),
            from_north=np.full(n, head_m_s),
            from_east=np.zeros(n),
            turbulence=np.full(n, wind.turbulence_m_s(abs(head_m_s))),
            climate_k=np.full(n, climate_k),
            mass_delta_kg=np.zeros(n),
            pressure_ratio=np.ones(n),
            cold_share=np.zeros(n),
            stopped_s=np.zeros(n),
        ),
        np.zeros(n),
    )


def split(
    study: Study,
    speed_kmh: float,
    *,
    wind_m_s: float = 0.0,
    temperature_c: float | None = None,
    mass_kg: float = 0.0,
    drag_area_percent: float = 0.0,
    climate_c: float | None = None,
) -> Share:
    """Where the energy goes at a steady speed, with things changed to play with.

    Parameters
    ----------
    study : Study
    speed_kmh : float
    wind_m_s : float
        Reported wind along the first leg; there and back it comes from both sides in turn.
    temperature_c : float, optional
        Reference temperature when absent.
    mass_kg, drag_area_percent : float
        Beyond the vehicle as it is.
    climate_c : float, optional
        Cabin setting; off when absent.

    Returns
    -------
    Share
    """
    t = study.reference.temperature_c if temperature_c is None else temperature_c
    cabin = 0.0 if climate_c is None else auxiliaries.climate_k(climate_c, t)
    model = _steady(study, [speed_kmh / 3.6], t, wind_m_s, cabin)
    local = np.zeros((len(model.paths.starts), len(Parameter)))
    constants = model.constants
    local[:, Parameter.MASS] = math.log1p(mass_kg / constants.mass_kg)
    local[:, Parameter.DRAG] = math.log1p(drag_area_percent / 100.0)
    energies = model.energies(local, derivatives=True)
    assert energies.by_parameter is not None
    km = float(model.paths.length_m.sum()) / 1000.0
    by = energies.by_parameter.sum(axis=0) / km
    total = float(energies.wh.sum()) / km
    eta = constants.drive_efficiency
    # At the wheel: what drag and tyres take; the driveline's part is what is lost on the way there.
    drag, tyres = float(by[Parameter.DRAG]) * eta, float(by[Parameter.ROLLING]) * eta
    hills = float(by[Parameter.MASS] - by[Parameter.ROLLING])
    hours = float(by[Parameter.AUXILIARY_W])
    aux = hours * float(auxiliaries.power_w(constants.auxiliary_w, auxiliaries.CLIMATE_W_PER_K, cabin))
    return Share(drag, tyres, hills, aux, total - drag - tyres - hills - aux)


def expected_effect(study: Study, speeds_kmh: Sequence[float] = tuple(range(30, 131, 5))) -> Expected:
    """What the change could plausibly do, over speed, from the physics alone.

    Uses what the plan says of the change (drag area, rolling resistance, auxiliary power, a plain factor) and
    the trial's declared mass. The margin holds the vehicle's constants, and a quarter of each stated change
    (nobody knows it better before the drive; common practice).
    """
    plan = study.plan
    mass = float(study.trials[0].mass_delta_kg or 0.0) if study.trials else 0.0
    changes: list[tuple[Parameter, float]] = []
    if plan.drag_area_percent:
        changes.append((Parameter.DRAG, math.log1p(plan.drag_area_percent / 100.0)))
    if plan.rolling_percent:
        changes.append((Parameter.ROLLING, math.log1p(plan.rolling_percent / 100.0)))
    if mass:
        changes.append((Parameter.MASS, math.log1p(mass / study.vehicle.constants().mass_kg)))
    if plan.auxiliary_w:
        changes.append((Parameter.AUXILIARY_W, float(plan.auxiliary_w)))
    if plan.total_percent:
        changes.append((Parameter.TOTAL, math.log1p(plan.total_percent / 100.0)))
    speeds = np.asarray(speeds_kmh, dtype=float)
    if not changes:
        zero = np.zeros(len(speeds))
        return Expected(speeds, zero, zero, zero, False)
    model = _steady(study, [v / 3.6 for v in speeds], study.reference.temperature_c, 0.0, 0.0)
    per = len(model.paths.starts) // len(speeds)
    k = model.constants
    before = np.zeros((len(model.paths.starts), len(Parameter)))
    after = before.copy()
    for parameter, size in changes:
        after[:, parameter] += size
    base, trial = (model.energies(local, derivatives=True) for local in (before, after))
    assert base.by_parameter is not None and trial.by_parameter is not None

    def summed(rows: Array) -> Array:
        return np.asarray(rows.reshape(len(speeds), per, *rows.shape[1:]).sum(axis=1))

    wh = summed(base.wh), summed(trial.wh)
    slopes = summed(base.by_parameter) / wh[0][:, None], summed(trial.by_parameter) / wh[1][:, None]
    sds = {
        Parameter.DRAG: k.drag_area_sd_m2 / k.drag_area_m2,
        Parameter.ROLLING: k.rolling_coefficient_sd / k.rolling_coefficient,
        Parameter.EFFICIENCY: k.drive_efficiency_sd / k.drive_efficiency,
        Parameter.AUXILIARY_W: k.auxiliary_sd_w,
    }
    variance = np.zeros(len(speeds))
    for parameter, sd in sds.items():
        variance += ((slopes[1][:, parameter] - slopes[0][:, parameter]) * sd) ** 2
    for parameter, size in changes:
        if parameter is not Parameter.MASS:  # a mass was weighed
            variance += (slopes[1][:, parameter] * STATED_SHARE * size) ** 2
    ratio = wh[1] / wh[0]
    percent = (ratio - 1) * 100
    spread = 100.0 * intervals.deviate(study.confidence) * ratio * np.sqrt(variance)
    return Expected(speeds, percent, percent - spread, percent + spread, True)


def visible_from_kmh(expected: Expected, margin_percent: float) -> float | None:
    """Lowest speed at which the expected effect exceeds a margin; None when it never does. [km/h]"""
    seen = np.abs(expected.percent) > margin_percent
    return float(expected.speed_kmh[int(np.argmax(seen))]) if seen.any() else None


def likely_effect(study: Study) -> float:
    """Effect that the simulated days have: what is expected, else predicted, else twice what matters. [per cent]"""
    by_model = _by_model(study)
    if by_model is not None and abs(by_model) >= study.smallest_effect_percent:
        return by_model
    expected = expected_effect(study, [planned_speed_kmh(study)])
    if expected.given and abs(expected.percent[0]) >= study.smallest_effect_percent:
        return float(expected.percent[0])
    if study.change.prediction_percent:
        return float(study.change.prediction_percent)
    return 2.0 * study.smallest_effect_percent


def _by_model(study: Study) -> float | None:
    """What two speeds, or two vehicles, differ by: no change has to be stated for that. [per cent]"""
    if study.change.subject == "speed":
        speeds = [c.speed_kmh for c in (study.baseline, *study.trials)]
        if len(speeds) > 1 and speeds[0] and speeds[1]:
            first, other = (split(study, float(v)).total for v in speeds[:2] if v)
            return 100.0 * (other / first - 1.0)
    if study.vehicles_take_turns:
        first, other = (split(study.with_(vehicle=v), planned_speed_kmh(study)).total for v in study.vehicles[:2])
        return 100.0 * (other / first - 1.0)
    return None

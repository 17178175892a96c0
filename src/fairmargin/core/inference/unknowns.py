"""The unknowns of one fit: every uncertain quantity, the parameter it acts on, and its prior."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.evidence.conditions import Conditions
from fairmargin.core.evidence.readings import Observation, circumference_known
from fairmargin.core.evidence.reported_wind import WindBelief
from fairmargin.core.inference import priors
from fairmargin.core.inference.options import Cause, Group
from fairmargin.core.inference.priors import Prior
from fairmargin.core.inference.rows import Rows
from fairmargin.core.laws import driveline
from fairmargin.core.model.energy import RoadModel
from fairmargin.core.model.parameters import Parameter
from fairmargin.core.study import Study

Array = NDArray[np.float64]

#: Parameter and prior that each declared mechanism acts on; any other acts as one factor on everything.
MECHANISMS: Final = {
    "aerodynamic": (Parameter.DRAG, priors.CHANGE),
    "rolling": (Parameter.ROLLING, priors.CHANGE),
    "mass": (Parameter.MASS, priors.CHANGE),
    "auxiliary": (Parameter.AUXILIARY_W, priors.CHANGE_AUXILIARY),
    "driveline": (Parameter.EFFICIENCY, priors.CHANGE),
}
WIND_AXES: Final = (Parameter.WIND_NORTH, Parameter.WIND_EAST)
TOGETHER_S: Final = 600.0  # legs of two vehicles within this time were driven together
SURE_SPEED: Final = 0.002  # a speed known to this share is taken as known


@dataclass(frozen=True, eq=False, slots=True)
class Unknown:
    """One uncertain quantity: `weights` (n,) say by how much it moves its parameter on each row."""

    name: str
    group: Group
    parameter: Parameter
    weights: Array
    prior_mean: float
    prior_sd: float


def _unknown(
    name: str, group: Group, parameter: Parameter, weights: Array, prior: Prior, growth: float = 1.0
) -> Unknown:
    return Unknown(name, group, parameter, weights, prior.mean, prior.sd * growth)


@dataclass(frozen=True, eq=False, slots=True)
class Scene:
    """What the unknowns of whole legs are made from; rows are the legs, then the reference drives."""

    study: Study
    conditions: Sequence[Conditions]
    observations: Sequence[Observation]
    model: RoadModel
    reference_configurations: Sequence[str]
    ignore: frozenset[Cause]
    belief: WindBelief

    @property
    def rows(self) -> int:
        """Number of legs and reference drives."""
        return len(self.conditions) + len(self.reference_configurations)

    @property
    def everywhere(self) -> Array:
        """One on every row."""
        return np.ones(self.rows)

    @property
    def on_legs(self) -> Array:
        """One on the legs, zero on the reference drives."""
        return (np.arange(self.rows) < len(self.conditions)).astype(float)

    def where(self, test: Sequence[bool]) -> Array:
        """One on the legs that pass, zero elsewhere."""
        out = np.zeros(self.rows)
        out[: len(test)] = test
        return out

    @property
    def growth(self) -> float:
        """Factor on the wind's priors."""
        return reported_growth(self.conditions)


def reported_growth(conditions: Sequence[Conditions]) -> float:
    """`priors.wind_growth` at the mean of the reported winds."""
    reported = [c.wind_speed for c in conditions if c.wind_known]
    return priors.wind_growth(sum(reported) / len(reported) if reported else None)


def leg_unknowns(scene: Scene) -> list[Unknown]:
    """Every uncertain quantity that acts on whole legs."""
    return [
        *_vehicle(scene),
        *_laws(scene),
        *_instruments(scene),
        *_days_and_wind(scene),
        *_legs(scene),
        *_vehicles_side_by_side(scene),
        *_change(scene),
    ]


def _vehicle(scene: Scene) -> list[Unknown]:
    k, everywhere = scene.model.constants, scene.everywhere
    sizes = (
        ("drag area", Parameter.DRAG, k.drag_area_sd_m2 / k.drag_area_m2),
        ("rolling coefficient", Parameter.ROLLING, k.rolling_coefficient_sd / k.rolling_coefficient),
        ("mass", Parameter.MASS, max(k.mass_sd_kg, 1.0) / k.mass_kg),
        ("drive efficiency", Parameter.EFFICIENCY, k.drive_efficiency_sd / k.drive_efficiency),
        ("auxiliary power", Parameter.AUXILIARY_W, k.auxiliary_sd_w),
        ("level", Parameter.TOTAL, priors.LEVEL.sd),
    )
    return [Unknown(name, Group.VEHICLE, parameter, everywhere, 0.0, sd) for name, parameter, sd in sizes]


def _laws(scene: Scene) -> list[Unknown]:
    """Coefficients of the laws, where the study depends on them."""
    everywhere, on_legs = scene.everywhere, scene.on_legs
    out: list[Unknown] = []
    if Cause.WIND not in scene.ignore:
        out += [
            _unknown("height factor", Group.WIND, Parameter.HEIGHT_FACTOR, everywhere, priors.HEIGHT_FACTOR),
            _unknown("yaw slope", Group.WIND, Parameter.YAW_SLOPE, everywhere, priors.YAW_SLOPE),
        ]
    if Cause.TYRES not in scene.ignore:
        warmth = Group.TEMPERATURE
        out += [
            _unknown("tyres per K", warmth, Parameter.TYRE_PER_K, everywhere, priors.TYRE_PER_K),
            _unknown(
                "driveline per K", warmth, Parameter.DRIVELINE_PER_K, everywhere, priors.DRIVELINE_PER_K
            ),
        ]
    if Cause.WARM_UP not in scene.ignore:
        out.append(_unknown("warm-up", Group.WARM_UP, Parameter.WARM_UP, on_legs, priors.WARM_UP))
    if any(c.climate_k for c in scene.conditions):
        out.append(_unknown("climate", Group.CLIMATE, Parameter.CLIMATE_W_PER_K, on_legs, priors.CLIMATE))
    if np.any(scene.model.legs.pressure_ratio != 1):
        exponent = Parameter.PRESSURE_EXPONENT
        out.append(_unknown("tyre pressure", Group.TYRES, exponent, on_legs, priors.PRESSURE_EXPONENT))
    return out


def _instruments(scene: Scene) -> list[Unknown]:
    """What instruments may do to all their readings alike."""
    out: list[Unknown] = []
    index = {c.leg: i for i, c in enumerate(scene.conditions)}
    kind_of: dict[int, str] = {}
    step = np.zeros(scene.rows)
    for o in scene.observations:
        for name in o.legs:
            kind_of[index[name]] = o.readings[0].instrument
            if o.readings[0].instrument == "trip average":
                step[index[name]] = o.relative_sd * math.sqrt(12.0)
    if step.any():
        out.append(_unknown("truncation", Group.DISPLAY_STEP, Parameter.TOTAL, step, priors.TRUNCATION))
    kinds = sorted(set(kind_of.values()), key=lambda k: -list(kind_of.values()).count(k))
    for kind in kinds[1:]:
        on = np.zeros(scene.rows)
        on[[i for i, k in kind_of.items() if k == kind]] = 1.0
        sd = math.hypot(priors.INSTRUMENT[kind].sd, priors.INSTRUMENT[kinds[0]].sd)
        name = f"{kind} against {kinds[0]}"
        out.append(Unknown(name, Group.INSTRUMENTS, Parameter.TOTAL, on, 0.0, sd))
    charged = [i for i, k in kind_of.items() if k == "charge back"]
    if charged:
        warmer = np.zeros(scene.rows)
        warmer[charged] = [scene.conditions[i].temperature_c - driveline.REFERENCE_C for i in charged]
        prior = priors.CHARGING_PER_K
        out.append(_unknown("charging per K", Group.INSTRUMENTS, Parameter.TOTAL, warmer, prior))
    return out


def _days_and_wind(scene: Scene) -> list[Unknown]:
    """What the legs of a day share, and the wind of each leg."""
    out: list[Unknown] = []
    growth = scene.growth
    sd = priors.DAY.sd
    if not all(c.pressure_known for c in scene.conditions):
        sd = math.hypot(sd, priors.PRESSURE_MISSING.sd)
    for day in sorted({c.day for c in scene.conditions}):
        on = scene.where([c.day == day for c in scene.conditions])
        out.append(Unknown(f"day {day}", Group.DAY, Parameter.TOTAL, on, 0.0, sd))
        out += [
            _unknown(f"wind of day {day}", Group.WIND, axis, on, priors.WIND_DAY, growth)
            for axis in WIND_AXES
        ]
    references = np.zeros(len(scene.reference_configurations))
    for leg in range(len(scene.conditions)):
        own = np.concatenate([scene.belief.factor[:, leg], references])
        out += [
            _unknown("wind of legs", Group.WIND_OF_RUNS, axis, own, priors.WIND_OF_LEG) for axis in WIND_AXES
        ]
    return out


def _legs(scene: Scene) -> list[Unknown]:
    """Speeds not known well, directions, and roads that are not dry."""
    out: list[Unknown] = []
    conditions = scene.conditions
    for i, c in enumerate(conditions):
        if c.speed_sd > SURE_SPEED:
            on = np.zeros(scene.rows)
            on[i] = 1.0
            out.append(Unknown("speed of leg", Group.SPEED, Parameter.SPEED, on, 0.0, c.speed_sd))
    if len({c.backwards for c in conditions}) == 2:
        for backwards in (False, True):
            on = scene.where([c.backwards == backwards for c in conditions])
            out.append(_unknown("direction", Group.DIRECTION, Parameter.TOTAL, on, priors.DIRECTION))
    for road, prior in priors.WET.items():
        if any(c.road == road for c in conditions):
            on = scene.where([c.road == road for c in conditions])
            out.append(_unknown(f"{road} road", Group.ROAD, Parameter.TOTAL, on, prior))
    return out


def _vehicles_side_by_side(scene: Scene) -> list[Unknown]:
    conditions = scene.conditions
    if not any(c.control for c in conditions):
        return []
    on = scene.where([c.control for c in conditions])
    out = [_unknown("control vehicle", Group.VEHICLES, Parameter.TOTAL, on, priors.CONTROL)]
    for together in _moments(conditions):
        on = scene.where([c.leg in together for c in conditions])
        out.append(_unknown("moment", Group.DAY, Parameter.TOTAL, on, priors.SIDE_BY_SIDE))
    return out


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
                abs(o.started_s - c.started_s) <= TOGETHER_S
                if o.started_s is not None and c.started_s is not None
                else o.run == c.run
            )
        ]
        if near:
            result.append({c.leg, *near})
    return result


def _change(scene: Scene) -> list[Unknown]:
    """What each trial does to the parameters of the declared mechanisms."""
    study, n = scene.study, len(scene.conditions)
    names = [c.configuration for c in scene.conditions] + list(scene.reference_configurations)
    by_distance = study.change.kind in {"wheels", "tyres"} and not circumference_known(study)
    out: list[Unknown] = []
    for trial in study.trials:
        on = np.array([name == trial.id for name in names], dtype=float)
        if not on[:n].any():
            continue
        if by_distance:
            own = on * scene.on_legs
            name, group = f"{trial.id}: circumference", Group.CIRCUMFERENCE
            out.append(_unknown(name, group, Parameter.TOTAL, own, priors.CIRCUMFERENCE))
        for mechanism in study.change.mechanisms:
            parameter, prior = MECHANISMS.get(mechanism, (Parameter.TOTAL, priors.CHANGE))
            out.append(_unknown(f"{trial.id}: {mechanism}", Group.CHANGE, parameter, on, prior))
    return out


def segment_unknowns(
    rows: Rows, conditions: Sequence[Conditions], references: int, windless: bool
) -> list[Unknown]:
    """What segments of logged legs share: the place (surface, height errors, shelter), and how a leg's wind moved."""
    way = np.array([conditions[i].backwards for i in rows.leg])
    unit = np.zeros(len(rows.leg))
    unit[rows.part >= 0] = rows.even[rows.entry[rows.part >= 0]]
    counts = {w: int(rows.part[way == w].max(initial=-1)) + 1 for w in (False, True)}

    def padded(values: Array) -> Array:
        return np.concatenate([values, np.zeros(references)])

    out: list[Unknown] = []
    for w in (False, True):
        for k in range(counts[w]):
            on = (rows.part == k) & (way == w)
            own = padded(np.where(on, unit, 0.0))
            out.append(_unknown("place", Group.ROAD, Parameter.TOTAL, own, priors.PLACE))
    if windless:
        return out
    # The same trees stand beside both directions.
    both = counts[False] == counts[True]
    for w in (False,) if both else (False, True):
        for k in range(counts[w]):
            on = (rows.part == k) & (way == w)
            if both:
                on |= (rows.part == counts[w] - 1 - k) & way
            own = padded(on.astype(float))
            out.append(_unknown("shelter", Group.WIND, Parameter.HEIGHT_FACTOR, own, priors.SHELTER))
    growth, within = reported_growth(conditions), priors.WIND_WITHIN_LEG
    for i in np.unique(rows.leg[rows.part >= 0]):
        drift = padded(np.where(rows.leg == i, rows.middle, 0.0))
        group = Group.WIND_OF_RUNS
        out += [_unknown("wind within a leg", group, axis, drift, within, growth) for axis in WIND_AXES]
    return out

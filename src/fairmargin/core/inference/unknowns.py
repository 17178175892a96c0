"""The unknowns of one fit: every uncertain quantity, the parameter it acts on, and its prior."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.evidence.conditions import Conditions
from fairmargin.core.evidence.readings import Observation, circumference_known, like_drives
from fairmargin.core.evidence.reported_wind import WindBelief
from fairmargin.core.inference import priors
from fairmargin.core.inference.options import Cause, Group
from fairmargin.core.inference.priors import Prior
from fairmargin.core.inference.rows import Rows
from fairmargin.core.laws import aero, auxiliaries, driveline, rolling, wind
from fairmargin.core.model.energy import RoadModel
from fairmargin.core.model.parameters import Parameter
from fairmargin.core.study import Study

Array = NDArray[np.float64]

#: Parameters and priors that each declared mechanism acts on; any other acts as one factor on everything. A change of
#: many parts, or of nobody knows what, is one of shape, rolling and a little of everything, beside its declared mass:
#: as one factor on everything it would be contradicted by every hill.
_MANY: Final = ((Parameter.DRAG, priors.CHANGE), (Parameter.ROLLING, priors.CHANGE_ROLLING))
MECHANISMS: Final[Mapping[str, tuple[tuple[Parameter, Prior], ...]]] = {
    "aerodynamic": ((Parameter.DRAG, priors.CHANGE),),
    "rolling": ((Parameter.ROLLING, priors.CHANGE),),
    "mass": ((Parameter.MASS, priors.CHANGE),),
    "auxiliary": ((Parameter.AUXILIARY_W, priors.CHANGE_AUXILIARY),),
    "driveline": ((Parameter.EFFICIENCY, priors.CHANGE),),
    "mixed": (*_MANY, (Parameter.TOTAL, priors.CHANGE_MIXED)),
    "unknown": (*_MANY, (Parameter.TOTAL, priors.CHANGE_UNKNOWN)),
}
ANY: Final = ((Parameter.TOTAL, priors.CHANGE),)
WIND_AXES: Final = (Parameter.WIND_NORTH, Parameter.WIND_EAST)
TOGETHER_S: Final = 600.0  # legs of two vehicles within this time were driven together
MAYBE_APART: Final = 0.4  # of what days differ by, where nobody told whether it was one
MOST_SEASON_DAYS: Final = 60.0  # a season turns after that
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
        *_unnoted(scene),
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
        ("regeneration", Parameter.REGENERATION, priors.REGENERATION.sd if k.regen_efficiency else 0.0),
    )
    return [
        Unknown(name, Group.VEHICLE, parameter, everywhere, 0.0, sd)
        for name, parameter, sd in sizes
        if sd > 0
    ]


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
    for members in like_drives(scene.study, scene.observations).values():
        alike = np.zeros(scene.rows)
        for o in (scene.observations[i] for i in members):
            for name in o.legs:
                alike[index[name]] = math.sqrt(o.rounded_alike) * o.relative_sd
        if alike.any():
            name = "rounding of like drives"
            out.append(Unknown(name, Group.DISPLAY_STEP, Parameter.TOTAL, alike, 0.0, 1.0))
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
    for key in dict.fromkeys(_day_of(c) for c in scene.conditions):
        on = scene.where([_day_of(c) == key for c in scene.conditions])
        out.append(Unknown(f"day {key}", Group.DAY, Parameter.TOTAL, on, 0.0, sd))
        out += [
            _unknown(f"wind of day {key}", Group.WIND, axis, on, priors.WIND_DAY, growth)
            for axis in WIND_AXES
        ]
    references = np.zeros(len(scene.reference_configurations))
    for leg in range(len(scene.conditions)):
        own = np.concatenate([scene.belief.factor[:, leg], references])
        out += [
            _unknown("wind of legs", Group.WIND_OF_RUNS, axis, own, priors.WIND_OF_LEG) for axis in WIND_AXES
        ]
    return out


def _day_of(c: Conditions) -> str:
    """The day a leg shares its day with; where none is told, that of its configuration: it may have had its own."""
    return str(c.day) if c.day_told else f"of {c.configuration}"


def _legs(scene: Scene) -> list[Unknown]:
    """Speeds not known well, directions, and roads that are not dry."""
    out: list[Unknown] = []
    conditions = scene.conditions
    alike = np.zeros(scene.rows)
    alike[: len(conditions)] = [c.speed_alike_sd for c in conditions]
    if alike.any():
        out.append(Unknown("speed of the driver", Group.SPEED_ALIKE, Parameter.SPEED, alike, 0.0, 1.0))
    for i, c in enumerate(conditions):
        if c.speed_sd > SURE_SPEED:
            on = np.zeros(scene.rows)
            on[i] = 1.0
            out.append(Unknown("speed of leg", Group.SPEED, Parameter.SPEED, on, 0.0, c.speed_sd))
    if len({c.backwards for c in conditions}) == 2:
        heights = any(p.elevation_m is not None for p in scene.study.route)
        prior = priors.DIRECTION if heights else priors.DIRECTION_UNTOLD
        for backwards in (False, True):
            on = scene.where([c.backwards == backwards for c in conditions])
            out.append(_unknown("direction", Group.DIRECTION, Parameter.TOTAL, on, prior))
    noted = {c.road for c in conditions} & set(priors.WET)
    if noted:
        worst = max((priors.WET[road] for road in noted), key=lambda p: p.sd)
        for day, on in _by_day(scene, [not c.road for c in conditions]):
            if any(c.day == day and c.road in noted for c in conditions):
                out += [
                    _unknown("road of a leg", Group.ROAD, Parameter.TOTAL, np.eye(scene.rows)[i], worst)
                    for i in np.flatnonzero(on)
                ]
    out += _loads(scene)
    for road, prior in priors.WET.items():
        if any(c.road == road for c in conditions):
            on = scene.where([c.road == road for c in conditions])
            out.append(_unknown(f"{road} road", Group.ROAD, Parameter.TOTAL, on, prior))
    return out


def _loads(scene: Scene) -> list[Unknown]:
    """Loads that nobody noted: people and luggage, from run to run; among noted loads that differ, as far as those do."""
    conditions, study = scene.conditions, scene.study
    whole = scene.model.constants.mass_kg
    untold = [study.leg(c.leg).mass_delta_kg is None for c in conditions]
    noted = [c.mass_delta_kg for c, u in zip(conditions, untold, strict=True) if not u]
    sd = math.hypot(priors.LOAD_UNNOTED.sd, float(np.std(noted)) if noted else 0.0) / whole
    out: list[Unknown] = []
    for run in dict.fromkeys(c.run for c, u in zip(conditions, untold, strict=True) if u):
        on = scene.where([u and c.run == run for c, u in zip(conditions, untold, strict=True)])
        out.append(Unknown("load of a run", Group.LOAD, Parameter.MASS, on, 0.0, sd))
    return out


def _unnoted(scene: Scene) -> list[Unknown]:
    """What nobody noted, by whom it is shared: it pulls nothing, and what is shared cancels within its day."""
    return [*_temperatures(scene), *_unlaid_wind(scene), *_cabins(scene), *_roads_and_tyres(scene)]


def _by_day(scene: Scene, test: Sequence[bool]) -> Iterator[tuple[int, Array]]:
    """Weights of each day's legs that pass."""
    for day in sorted({c.day for c in scene.conditions}):
        on = scene.where([t and c.day == day for t, c in zip(test, scene.conditions, strict=True)])
        if on.any():
            yield day, on


def _maybe_by_day(scene: Scene, test: Sequence[bool]) -> Iterator[tuple[str, Array]]:
    """Weights of each day's legs that pass; and, less, of each configuration's whose day nobody told."""
    for day, on in _by_day(scene, test):
        yield f"day {day}", on
    yield from _maybe_days(scene, test)


def _maybe_days(scene: Scene, test: Sequence[bool]) -> Iterator[tuple[str, Array]]:
    for own in dict.fromkeys(c.configuration for c in scene.conditions if not c.day_told):
        on = scene.where(
            [
                t and c.configuration == own and not c.day_told
                for t, c in zip(test, scene.conditions, strict=True)
            ]
        )
        if on.any():
            yield f"a day of {own}", MAYBE_APART * on


def _temperatures(scene: Scene) -> list[Unknown]:
    conditions = scene.conditions
    unknown = [not c.temperature_known for c in conditions]
    if not any(unknown) or Cause.TYRES in scene.ignore:
        return []
    group, warmer = Group.TEMPERATURE, Parameter.WARMER_K
    out: list[Unknown] = []
    if all(unknown):
        out.append(_unknown("season", group, warmer, scene.where(unknown), priors.SEASON_UNNOTED))
        days = np.array([c.placed_s / 86400.0 for c in conditions])
        if all(c.day_told for c in conditions) and float(np.ptp(days)) > 1.5:
            course = np.zeros(scene.rows)
            course[: len(days)] = np.clip(days - days.mean(), -MOST_SEASON_DAYS, MOST_SEASON_DAYS)
            out.append(_unknown("course of the season", group, warmer, course, priors.SEASON_COURSE))
    for day, on in _by_day(scene, unknown):
        own = [c for c in conditions if c.day == day]
        if not any(c.temperature_known for c in own):
            out.append(_unknown(f"warmth of day {day}", group, warmer, on, priors.DAY_UNNOTED))
        hours = on * _hours(scene, day)
        out.append(_unknown(f"warming of day {day}", group, warmer, hours, priors.WARMING_UNNOTED))
    for name, on in _maybe_days(scene, unknown):
        out.append(_unknown(f"warmth of {name}", group, warmer, on, priors.DAY_UNNOTED))
    for i in np.flatnonzero(unknown).tolist():
        own_leg = np.eye(scene.rows)[i]
        known = [c.temperature_c for c in conditions if c.temperature_known and c.day == conditions[i].day]
        sd = math.hypot(priors.LEG_UNNOTED.sd, float(np.std(known)) if known else 0.0)
        out.append(Unknown("warmth of a leg", group, warmer, own_leg, 0.0, sd))
    return out


def _hours(scene: Scene, day: int) -> Array:
    """Hours of each leg from the middle of its day; legs of unknown time follow each other."""
    out = np.zeros(scene.rows)
    index = [i for i, c in enumerate(scene.conditions) if c.day == day]
    hours = []
    for i in index:
        c = scene.conditions[i]
        hours.append(c.placed_s / 3600.0)
    out[index] = np.array(hours) - float(np.mean(hours))
    return out


def _unlaid_wind(scene: Scene) -> list[Unknown]:
    """Strength of a wind that no report lays along the road."""
    belief = scene.belief
    if not belief.unlaid.any() or Cause.WIND in scene.ignore:
        return []
    n = len(scene.conditions)
    growth = np.zeros(scene.rows)
    growth[:n] = aero.growth_by_wind(
        np.array([c.speed_m_s for c in scene.conditions]),
        np.sqrt(belief.unlaid) * scene.model.height_factor,
        wind.CAR_TURBULENCE_SHARE * np.array([c.turbulence_m_s for c in scene.conditions]),
    )
    size = np.where(belief.told, priors.TOLD_STRENGTH, priors.UNTOLD_STRENGTH)
    out = []
    unlaid = [bool(x) for x in belief.unlaid]
    for name, on in _maybe_by_day(scene, unlaid):
        own = growth * on
        own[:n] *= size
        out.append(Unknown(f"strength of {name}", Group.WIND, Parameter.DRAG, own, 0.0, 1.0))
    for name, on in _maybe_days(scene, unlaid):
        own = on.copy()
        own[:n] *= np.sqrt(belief.unlaid)
        out += [Unknown(f"wind of {name}", Group.WIND, axis, own, 0.0, 1.0) for axis in WIND_AXES]
    for run in dict.fromkeys(c.run for c in scene.conditions):
        own = growth * scene.where([c.run == run for c in scene.conditions])
        if own.any():
            sd = priors.STRENGTH_WITHIN_DAY
            out.append(Unknown("strength of a run", Group.WIND_OF_RUNS, Parameter.DRAG, own, 0.0, sd))
    return out


def _cabins(scene: Scene) -> list[Unknown]:
    """Climate that nobody noted, and cabins brought to their setting at the start of a day."""
    conditions = scene.conditions
    if Cause.CLIMATE in scene.ignore or scene.study.vehicle.energy != "electric":
        return []
    unknown = [c.climate_k is None for c in conditions]
    out: list[Unknown] = []
    watts = Parameter.AUXILIARY_W
    if any(unknown):
        kelvin = np.zeros(scene.rows)
        kelvin[: len(conditions)] = [
            max(
                abs(priors.CLIMATE_SETTING_C - c.temperature_c),
                priors.LEAST_CLIMATE_K if c.temperature_known else priors.UNNOTED_CLIMATE_K,
            )
            * u
            for c, u in zip(conditions, unknown, strict=True)
        ]
        out.append(_unknown("climate not noted", Group.CLIMATE, watts, kelvin, priors.CLIMATE_UNNOTED))
        for name, on in _maybe_by_day(scene, unknown):
            name = f"climate of {name}"
            out.append(_unknown(name, Group.CLIMATE, watts, kelvin * on, priors.CLIMATE_UNNOTED_DAY))
        for run in dict.fromkeys(c.run for c in conditions):
            own = kelvin * scene.where([c.run == run for c in conditions])
            if own.any():
                out.append(
                    _unknown("climate of a run", Group.CLIMATE, watts, own, priors.CLIMATE_UNNOTED_RUN)
                )
    spread = float(np.std([c.climate_k for c in conditions if c.climate_k is not None] or [0.0]))
    if spread:
        per_k = auxiliaries.CLIMATE_W_PER_K + priors.CLIMATE.sd  # what heating draws where it draws much
        prior = Prior(per_k * spread, "W", "climate of a leg among others that noted it")
        out += [
            _unknown("climate of a leg", Group.CLIMATE, watts, np.eye(scene.rows)[i], prior)
            for i in np.flatnonzero(unknown)
        ]
    early = np.zeros(scene.rows)
    early[: len(conditions)] = [
        c.cold_share
        * min(abs(priors.CLIMATE_SETTING_C - c.temperature_c) / 20.0, 1.5)
        * (0.5 if c.climate_k is None else float(c.climate_k > 0))
        for c in conditions
    ]
    if early.any():
        out.append(_unknown("bringing the cabin to it", Group.CLIMATE, watts, early, priors.PULL_DOWN))
    return out


def _roads_and_tyres(scene: Scene) -> list[Unknown]:
    conditions, study = scene.conditions, scene.study
    out: list[Unknown] = []
    for name, on in _maybe_by_day(scene, [not c.road for c in conditions]):
        out.append(_unknown(f"road of {name}", Group.ROAD, Parameter.TOTAL, on, priors.ROAD_UNNOTED))
    loose = [c.tyre_pressure_kpa is None for c in conditions]
    noted = np.log([c.tyre_pressure_kpa for c in conditions if c.tyre_pressure_kpa])
    # Half as much again: what is missing is not sure to lie among the noted.
    spread = 1.5 * rolling.PRESSURE_EXPONENT * float(np.std(noted)) if len(noted) else 0.0
    if spread:
        out += [
            Unknown(
                "tyre pressure of a leg",
                Group.TYRES,
                Parameter.ROLLING,
                np.eye(scene.rows)[i],
                0.0,
                abs(spread),
            )
            for i in np.flatnonzero(loose)
        ]
    for name, on in _maybe_by_day(scene, loose):
        name = f"tyre pressures of {name}"
        out.append(_unknown(name, Group.TYRES, Parameter.ROLLING, on, priors.TYRES_UNNOTED))
    if study.change.kind in {"wheels", "tyres"} and any(loose):
        for trial in study.trials:
            on = scene.where(
                [u and c.configuration == trial.id for u, c in zip(loose, conditions, strict=True)]
            )
            if on.any():
                name = f"{trial.id}: tyre pressures"
                out.append(_unknown(name, Group.TYRES, Parameter.ROLLING, on, priors.TYRES_UNNOTED_SWAP))
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
        undeclared = priors.MASS_UNDECLARED.get(study.change.kind)
        if undeclared is not None and not trial.mass_delta_kg and "mass" not in study.change.mechanisms:
            out.append(_unknown(f"{trial.id}: its mass", Group.CHANGE, Parameter.MASS, on, undeclared))
        for mechanism in study.change.mechanisms:
            for parameter, prior in MECHANISMS.get(mechanism, ANY):
                name = f"{trial.id}: {mechanism}"
                if parameter is not Parameter.TOTAL and len(MECHANISMS[mechanism]) > 1:
                    name += f", {parameter.name.lower()}"
                out.append(_unknown(name, Group.CHANGE, parameter, on, prior))
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

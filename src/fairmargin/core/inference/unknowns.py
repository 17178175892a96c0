"""The unknowns of one fit: every uncertain quantity, the parameter it acts on, and its prior."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.evidence.conditions import Conditions
from fairmargin.core.evidence.known import known_shifts
from fairmargin.core.evidence.readings import circumference_known, like_drives
from fairmargin.core.inference import priors
from fairmargin.core.inference.options import Cause, Group
from fairmargin.core.inference.priors import Prior
from fairmargin.core.inference.rows import Rows
from fairmargin.core.inference.scene import (
    WIND_AXES,
    Scene,
    Unknown,
    by_day,
    origins,
    reported_growth,
    unknown_of,
)
from fairmargin.core.inference.unnoted import loads, unnoted
from fairmargin.core.laws import driveline
from fairmargin.core.model.parameters import Parameter

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
TOGETHER_S: Final = 600.0  # legs of two vehicles within this time were driven together
SURE_WH_PER_KM: Final = 0.01  # a known difference is not known better
SURE_SPEED: Final = 0.002  # a speed known to this share is taken as known


def leg_unknowns(scene: Scene) -> list[Unknown]:
    """Every uncertain quantity that acts on whole legs."""
    return [
        *_remembered(scene, [*_vehicle(scene), *_laws(scene)]),
        *_instruments(scene),
        *_days_and_wind(scene),
        *_legs(scene),
        *unnoted(scene),
        *_vehicles_side_by_side(scene),
        *_known(scene),
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
            unknown_of(
                "height factor", Group.WIND, Parameter.HEIGHT_FACTOR, everywhere, priors.HEIGHT_FACTOR
            ),
            unknown_of("yaw slope", Group.WIND, Parameter.YAW_SLOPE, everywhere, priors.YAW_SLOPE),
        ]
    if Cause.TYRES not in scene.ignore:
        warmth = Group.TEMPERATURE
        out += [
            unknown_of("tyres per K", warmth, Parameter.TYRE_PER_K, everywhere, priors.TYRE_PER_K),
            unknown_of(
                "driveline per K", warmth, Parameter.DRIVELINE_PER_K, everywhere, priors.DRIVELINE_PER_K
            ),
        ]
    if Cause.WARM_UP not in scene.ignore:
        out.append(unknown_of("warm-up", Group.WARM_UP, Parameter.WARM_UP, on_legs, priors.WARM_UP))
    if any(c.climate_k for c in scene.conditions):
        out.append(unknown_of("climate", Group.CLIMATE, Parameter.CLIMATE_W_PER_K, on_legs, priors.CLIMATE))
    if np.any(scene.model.legs.pressure_ratio != 1):
        exponent = Parameter.PRESSURE_EXPONENT
        out.append(unknown_of("tyre pressure", Group.TYRES, exponent, on_legs, priors.PRESSURE_EXPONENT))
    return out


def _remembered(scene: Scene, unknowns: list[Unknown]) -> list[Unknown]:
    """Constants with what earlier studies knew of them as their priors; what today's owner knows better stays his."""
    known = scene.study.remembered
    if known is None or not known.values:
        return unknowns
    counted = origins(scene.model.constants)
    out = []
    for u in unknowns:
        value = known.value(u.name)
        if value is not None and value.sd < u.prior_sd:
            u = replace(u, prior_mean=value.mean - counted.get(u.name, 0.0), prior_sd=value.sd)
        out.append(u)
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
        out.append(unknown_of("truncation", Group.DISPLAY_STEP, Parameter.TOTAL, step, priors.TRUNCATION))
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
        out.append(unknown_of("charging per K", Group.INSTRUMENTS, Parameter.TOTAL, warmer, prior))
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
            unknown_of(f"wind of day {key}", Group.WIND, axis, on, priors.WIND_DAY, growth)
            for axis in WIND_AXES
        ]
    references = np.zeros(len(scene.reference_configurations))
    for leg in range(len(scene.conditions)):
        own = np.concatenate([scene.belief.factor[:, leg], references])
        out += [
            unknown_of("wind of legs", Group.WIND_OF_RUNS, axis, own, priors.WIND_OF_LEG)
            for axis in WIND_AXES
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
    if not scene.study.target_speed_kmh:  # the result is for the speed driven, whatever that was
        alike[len(conditions) :] = float(np.mean(alike[: len(conditions)]))
    if alike.any():
        out.append(Unknown("speed of the driver", Group.SPEED_ALIKE, Parameter.SPEED, alike, 0.0, 1.0))
    for i, c in enumerate(conditions):
        if c.speed_sd > SURE_SPEED:
            on = np.zeros(scene.rows)
            on[i] = 1.0
            out.append(Unknown("speed of leg", Group.SPEED, Parameter.SPEED, on, c.speed_off, c.speed_sd))
    if len({c.backwards for c in conditions}) == 2:
        prior = priors.DIRECTION if scene.heights else priors.DIRECTION_UNTOLD
        for backwards in (False, True):
            on = scene.where([c.backwards == backwards for c in conditions])
            if not scene.heights:  # hills that nobody told are the road's: the reference drives have them too
                on[len(conditions) :] = [b == backwards for b in scene.reference_backwards]
            out.append(unknown_of("direction", Group.DIRECTION, Parameter.TOTAL, on, prior))
        if not scene.heights:
            up = np.ones(scene.rows)
            up[: len(conditions)] = [-1.0 if c.backwards else 1.0 for c in conditions]
            up[len(conditions) :] = [-1.0 if b else 1.0 for b in scene.reference_backwards]
            out.append(
                unknown_of(
                    "climb of the road", Group.DIRECTION, Parameter.GRADIENT, up, priors.GRADIENT_UNTOLD
                )
            )
    is_change = scene.study.change.subject == "road"  # nothing of the road is to be corrected then
    noted = set() if is_change else {c.road for c in conditions} & set(priors.WET)
    if noted:
        worst = max((priors.WET[road] for road in noted), key=lambda p: p.sd)
        for day, on in by_day(scene, [not c.road for c in conditions]):
            if any(c.day == day and c.road in noted for c in conditions):
                out += [
                    unknown_of("road of a leg", Group.ROAD, Parameter.TOTAL, np.eye(scene.rows)[i], worst)
                    for i in np.flatnonzero(on)
                ]
    out += loads(scene)
    for road, prior in priors.WET.items():
        if any(c.road == road for c in conditions) and not is_change:
            on = scene.where([c.road == road for c in conditions])
            out.append(unknown_of(f"{road} road", Group.ROAD, Parameter.TOTAL, on, prior))
    return out


def _vehicles_side_by_side(scene: Scene) -> list[Unknown]:
    conditions = scene.conditions
    if not any(c.control for c in conditions):
        return []
    on = scene.where([c.control for c in conditions])
    out = [unknown_of("control vehicle", Group.VEHICLES, Parameter.TOTAL, on, priors.CONTROL)]
    for together in _moments(conditions):
        on = scene.where([c.leg in together for c in conditions])
        out.append(unknown_of("moment", Group.DAY, Parameter.TOTAL, on, priors.SIDE_BY_SIDE))
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


def _known(scene: Scene) -> list[Unknown]:
    """Known other differences: on the legs that have them, not on the reference drives. [Wh/km]"""
    out: list[Unknown] = []
    index = {c.leg: i for i, c in enumerate(scene.conditions)}
    for known in scene.study.known_differences:
        on = np.zeros(scene.rows)
        shifts = known_shifts(scene.study, known, scene.observations)
        for o, shift in zip(scene.observations, shifts.tolist(), strict=True):
            on[[index[name] for name in o.legs]] = shift
        if on.any():
            name = known.reason or "known difference"
            sd = max(known.sd_wh_per_km, SURE_WH_PER_KM)
            out.append(Unknown(name, Group.KNOWN, Parameter.TOTAL, on, known.wh_per_km, sd))
    return out


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
            out.append(unknown_of(name, group, Parameter.TOTAL, own, priors.CIRCUMFERENCE))
        undeclared = priors.MASS_UNDECLARED.get(study.change.kind)
        mechanisms = study.mechanisms_of(trial)
        if undeclared is not None and not trial.mass_delta_kg and "mass" not in mechanisms:
            out.append(unknown_of(f"{trial.id}: its mass", Group.CHANGE, Parameter.MASS, on, undeclared))
        for mechanism in mechanisms:
            for parameter, prior in MECHANISMS.get(mechanism, ANY):
                name = f"{trial.id}: {mechanism}"
                if parameter is not Parameter.TOTAL and len(MECHANISMS[mechanism]) > 1:
                    name += f", {parameter.name.lower()}"
                out.append(unknown_of(name, Group.CHANGE, parameter, on, prior))
    return out


def segment_unknowns(
    rows: Rows, conditions: Sequence[Conditions], references: int, windless: bool, heights: bool
) -> list[Unknown]:
    """What segments of logged legs share: the place (surface, slope, shelter), and how a leg's wind moved."""
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
            out.append(unknown_of("place", Group.ROAD, Parameter.TOTAL, own, priors.PLACE))
    # The same trees stand beside both directions, and the same hills.
    places = []
    both = counts[False] == counts[True]
    for w in (False,) if both else (False, True):
        for k in range(counts[w]):
            on = (rows.part == k) & (way == w)
            if both:
                on |= (rows.part == counts[w] - 1 - k) & way
            places.append(on.astype(float))
    if not heights:
        for place in places:
            own = padded(np.where(way, -place, place))
            out.append(unknown_of("slope", Group.ROAD, Parameter.GRADIENT, own, priors.PLACE_GRADIENT))
    if windless:
        return out
    for place in places:
        own = padded(place)
        out.append(unknown_of("shelter", Group.WIND, Parameter.HEIGHT_FACTOR, own, priors.SHELTER))
    growth, within = reported_growth(conditions), priors.WIND_WITHIN_LEG
    for i in np.unique(rows.leg[rows.part >= 0]):
        drift = padded(np.where(rows.leg == i, rows.middle, 0.0))
        group = Group.WIND_OF_RUNS
        out += [unknown_of("wind within a leg", group, axis, drift, within, growth) for axis in WIND_AXES]
    return out

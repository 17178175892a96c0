"""What nobody noted, by whom it is shared: it pulls nothing, cancels where it is shared, and widens where it is not."""

from __future__ import annotations

import math
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.inference import priors
from fairmargin.core.inference.options import Cause, Group
from fairmargin.core.inference.priors import Prior
from fairmargin.core.inference.scene import (
    WIND_AXES,
    Scene,
    Unknown,
    by_day,
    maybe_by_day,
    maybe_days,
    unknown_of,
)
from fairmargin.core.laws import aero, auxiliaries, rolling, wind
from fairmargin.core.model.parameters import Parameter

Array = NDArray[np.float64]

MOST_SEASON_DAYS: Final = 60.0  # a season turns after that


def unnoted(scene: Scene) -> list[Unknown]:
    """What nobody noted, by whom it is shared: it pulls nothing, and what is shared cancels within its day."""
    return [
        *_temperatures(scene),
        *_unlaid_wind(scene),
        *_cabins(scene),
        *_cold_engine(scene),
        *_roads_and_tyres(scene),
    ]


def _temperatures(scene: Scene) -> list[Unknown]:
    conditions = scene.conditions
    unknown = [not c.temperature_known for c in conditions]
    if not any(unknown) or Cause.TYRES in scene.ignore:
        return []
    group, warmer = Group.TEMPERATURE, Parameter.WARMER_K
    out: list[Unknown] = []
    if all(unknown):
        out.append(unknown_of("season", group, warmer, scene.where(unknown), priors.SEASON_UNNOTED))
        days = np.array([c.placed_s / 86400.0 for c in conditions])
        if all(c.day_told for c in conditions) and float(np.ptp(days)) > 1.5:
            course = np.zeros(scene.rows)
            course[: len(days)] = np.clip(days - days.mean(), -MOST_SEASON_DAYS, MOST_SEASON_DAYS)
            out.append(unknown_of("course of the season", group, warmer, course, priors.SEASON_COURSE))
    for day, on in by_day(scene, unknown):
        own = [c for c in conditions if c.day == day]
        if not any(c.temperature_known for c in own):
            out.append(unknown_of(f"warmth of day {day}", group, warmer, on, priors.DAY_UNNOTED))
        hours = on * _hours(scene, day)
        out.append(unknown_of(f"warming of day {day}", group, warmer, hours, priors.WARMING_UNNOTED))
    for name, on in maybe_days(scene, unknown):
        out.append(unknown_of(f"warmth of {name}", group, warmer, on, priors.DAY_UNNOTED))
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
    for name, on in maybe_by_day(scene, unlaid):
        own = growth * on
        own[:n] *= size
        out.append(Unknown(f"strength of {name}", Group.WIND, Parameter.DRAG, own, 0.0, 1.0))
    for name, on in maybe_days(scene, unlaid):
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
        out.append(unknown_of("climate not noted", Group.CLIMATE, watts, kelvin, priors.CLIMATE_UNNOTED))
        for name, on in maybe_by_day(scene, unknown):
            name = f"climate of {name}"
            out.append(unknown_of(name, Group.CLIMATE, watts, kelvin * on, priors.CLIMATE_UNNOTED_DAY))
        for run in dict.fromkeys(c.run for c in conditions):
            own = kelvin * scene.where([c.run == run for c in conditions])
            if own.any():
                out.append(
                    unknown_of("climate of a run", Group.CLIMATE, watts, own, priors.CLIMATE_UNNOTED_RUN)
                )
    spread = float(np.std([c.climate_k for c in conditions if c.climate_k is not None] or [0.0]))
    if spread:
        per_k = auxiliaries.CLIMATE_W_PER_K + priors.CLIMATE.sd  # what heating draws where it draws much
        prior = Prior(per_k * spread, "W", "climate of a leg among others that noted it")
        out += [
            unknown_of("climate of a leg", Group.CLIMATE, watts, np.eye(scene.rows)[i], prior)
            for i in np.flatnonzero(unknown)
        ]
    for noted, mild, prior in (
        (True, 0.0, priors.PULL_DOWN),
        (False, priors.MILD_K, priors.PULL_DOWN_UNNOTED),
    ):
        early = np.zeros(scene.rows)
        early[: len(conditions)] = [
            c.cold_share
            * min(max(abs(priors.CLIMATE_SETTING_C - c.temperature_c) - mild, 0.0) / 20.0, 1.5)
            * ((c.climate_k or 0.0) > 0 if noted else c.climate_k is None)
            for c in conditions
        ]
        if early.any():
            out.append(unknown_of("bringing the cabin to it", Group.CLIMATE, watts, early, prior))
    return out


def _cold_engine(scene: Scene) -> list[Unknown]:
    """What an engine burns more until it is warm; whether it was warmed up beforehand, nobody notes."""
    if Cause.WARM_UP in scene.ignore or scene.study.vehicle.energy == "electric":
        return []
    cold = np.zeros(scene.rows)
    cold[: len(scene.conditions)] = [c.cold_share for c in scene.conditions]
    return [unknown_of("cold engine", Group.WARM_UP, Parameter.TOTAL, cold, priors.COLD_ENGINE)]


def _roads_and_tyres(scene: Scene) -> list[Unknown]:
    conditions, study = scene.conditions, scene.study
    out: list[Unknown] = []
    for name, on in maybe_by_day(scene, [not c.road for c in conditions]):
        out.append(unknown_of(f"road of {name}", Group.ROAD, Parameter.TOTAL, on, priors.ROAD_UNNOTED))
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
    for name, on in maybe_by_day(scene, loose):
        name = f"tyre pressures of {name}"
        out.append(unknown_of(name, Group.TYRES, Parameter.ROLLING, on, priors.TYRES_UNNOTED))
    if study.change.kind in {"wheels", "tyres"} and any(loose):
        for trial in study.trials:
            on = scene.where(
                [u and c.configuration == trial.id for u, c in zip(loose, conditions, strict=True)]
            )
            if on.any():
                name = f"{trial.id}: tyre pressures"
                out.append(unknown_of(name, Group.TYRES, Parameter.ROLLING, on, priors.TYRES_UNNOTED_SWAP))
    return out


def loads(scene: Scene) -> list[Unknown]:
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

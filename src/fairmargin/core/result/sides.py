"""The two sides of a comparison: which vehicle each was driven with, at which speed, and how far each goes."""

from __future__ import annotations

from fairmargin.core.result.types import Comparison
from fairmargin.core.study import Study, Vehicle
from fairmargin.core.study.cells import vehicle_of


def side_vehicle(study: Study, c: Comparison, identifier: str) -> str:
    """Id of the vehicle that one side of a comparison was driven with; "" for the study's."""
    side = study.asked_side(identifier)
    if side is not None:
        return side.vehicle
    return identifier if identifier in {v.id for v in study.vehicles} else c.vehicle


def side_vehicles(study: Study, c: Comparison) -> tuple[Vehicle, Vehicle]:
    """Vehicles of baseline and trial; the same one twice where only one drove."""
    base, trial = (vehicle_of(study, side_vehicle(study, c, x)) for x in (c.baseline, c.trial))
    return base, trial


def between_vehicles(study: Study, c: Comparison) -> bool:
    """Whether one vehicle is set against another."""
    return side_vehicle(study, c, c.baseline) != side_vehicle(study, c, c.trial)


def own_speeds(study: Study, c: Comparison) -> tuple[float, float] | None:
    """Speeds of baseline and trial, where they differ: one speed against another. [km/h]"""
    sides = [study.asked_side(x) for x in (c.baseline, c.trial)]
    first, other = (None if side is None else side.speed_kmh for side in sides)
    if study.change.subject == "speed" and (first is None or other is None):
        told = {x.id: x.speed_kmh for x in study.configurations}
        first, other = told.get(c.baseline), told.get(c.trial)
    return None if first is None or other is None or first == other else (float(first), float(other))


def apart(study: Study, c: Comparison) -> bool:
    """Whether the two differ in more than their configuration: each has its own speed, vehicle or sector."""
    sides = [study.asked_side(x) for x in (c.baseline, c.trial)]
    sectors = {side.sector for side in sides if side is not None}
    return len(sectors) > 1 or own_speeds(study, c) is not None or between_vehicles(study, c)


def ranges_km(study: Study, c: Comparison) -> tuple[float, float] | None:
    """How far baseline and trial go at the levels compared, each with its own battery or tank; None where it is not told."""
    base, trial = (v.stored_wh for v in side_vehicles(study, c))
    if not base or not trial:
        return None
    return base / c.baseline_wh_per_km, trial / c.trial_wh_per_km


def further_percent(study: Study, c: Comparison) -> float | None:
    """By how much further the trial goes than the baseline; None of two vehicles whose batteries nobody told. [%]"""
    reach = ranges_km(study, c)
    if reach is not None:
        return 100.0 * (reach[1] / reach[0] - 1.0)
    return None if between_vehicles(study, c) else c.range_change_percent

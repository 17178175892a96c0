"""How far a leg was: as the car shows it and in truth, from whatever was noted of it or of the road."""

from __future__ import annotations

from enum import StrEnum
from statistics import median

from fairmargin.core.evidence.thinning import thin
from fairmargin.core.study import Configuration, Leg, Study, Trace
from fairmargin.core.study.sectors import route_of


def distance_ratios(study: Study) -> dict[str, float]:
    """Distance shown by the car over true distance, for each configuration.

    From legs with both an odometer and a GPS distance where there are any (pooled over configurations
    unless the change touches the wheels), else from the stated distance error and circumference change.
    """
    stated = 1.0 + (study.vehicle.distance_error_percent or 0.0) / 100.0
    result = {c.id: stated / (1.0 + (c.circumference_change_percent or 0.0) / 100.0) for c in study.configurations}
    touches_wheels = study.change.about.turns_wheels or any(
        c.circumference_change_percent for c in study.configurations
    )
    sums: dict[str, list[float]] = {}
    for leg in study.legs:
        if leg.included and leg.distance_km and leg.gps_distance_km and leg.vehicle != "control":
            key = leg.configuration if touches_wheels else ""
            total = sums.setdefault(key, [0.0, 0.0])
            total[0] += leg.distance_km
            total[1] += leg.gps_distance_km
    for identifier in result:
        shown_gps = sums.get(identifier if touches_wheels else "")
        if shown_gps:
            result[identifier] = shown_gps[0] / shown_gps[1]
    return result


class TurnToldBy(StrEnum):
    """What tells how far other wheels or tyres roll against the baseline's."""

    GPS = "gps"  # legs of both configurations
    STATED = "stated"  # a size, or a percentage
    NOTHING = "nothing"


def turn_told_by(study: Study) -> dict[str, TurnToldBy]:
    """What tells the rolling circumference of every trial against the baseline's."""
    measured = {leg.configuration for leg in study.legs if leg.included and leg.gps_distance_km and leg.distance_km}
    both = {study.baseline.id} <= measured

    def told(trial: Configuration) -> TurnToldBy:
        if both and trial.id in measured:
            return TurnToldBy.GPS
        return TurnToldBy.STATED if trial.circumference_change_percent else TurnToldBy.NOTHING

    return {c.id: told(c) for c in study.trials}


def route_km(study: Study, sector: str = "") -> float | None:
    """Length of the study's route or of a sector's own, from its points or else the median of the legs. [km]"""
    road = route_of(study, sector)
    if len(road) > 1:
        return (road[-1].distance_m - road[0].distance_m) / 1000.0
    legs = [leg for leg in study.legs if leg.sector == sector] if sector else study.legs
    known = [x for leg in legs if (x := leg.gps_distance_km or leg.distance_km) is not None]
    return median(known) if known else None


def leg_distances(study: Study, leg: Leg, ratio: float, trace: Trace | None) -> tuple[float, float] | None:
    """Distance as shown by the car and true distance, whichever is known giving the other. [km]"""
    if leg.gps_distance_km:
        return leg.distance_km or leg.gps_distance_km * ratio, leg.gps_distance_km
    if leg.distance_km:
        return leg.distance_km, leg.distance_km / ratio
    if trace is not None:
        driven = thin(trace).total_m / 1000.0
        if driven > 0.05:
            return driven * ratio, driven
    whole = route_km(study, leg.sector)
    return (whole * ratio, whole) if whole else None

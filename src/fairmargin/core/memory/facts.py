"""What studies say of a vehicle's instruments and battery: distance over GPS, display steps, usable capacity."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date
from typing import Any, Final

from fairmargin.core import intervals
from fairmargin.core.result.types import Analysis
from fairmargin.core.study import Leg, Study
from fairmargin.core.study.cells import held_kmh, vehicle_of
from fairmargin.core.words import same_name

DISTANCE_SD: Final = 0.003  # of one leg's distance over GPS, from rounding and the line driven; common practice
SPEED_SD: Final = 0.002  # of a mean speed held, beyond what its legs differ by; common practice
FEWEST_SPEEDS: Final = 3  # legs, before a speed held is told
CAPACITY_DRIFT: Final = 0.01  # of a usable capacity, from study to study: warmth and age; common practice


@dataclass(frozen=True, slots=True)
class Facts:
    """What one study says of one vehicle, beside what its fit says."""

    study: int
    title: str
    vehicle: str
    when: date | None = None
    distance_ratio: float | None = None  # shown over GPS
    distance_sd: float = 0.0
    capacity_kwh: float | None = None
    capacity_sd: float = 0.0
    steps: Mapping[str, float] = field(default_factory=dict)  # by instrument and unit
    speed_ratio: float | None = None  # held, by GPS and clock, over the aimed-for
    speed_sd: float = 0.0


def facts_of(study: Study, analysis: Analysis, number: int = 0) -> tuple[Facts, ...]:
    """What a study says of each of its vehicles."""
    out = []
    days = [leg.started_at.date() for leg in study.legs if leg.started_at is not None and leg.included]
    used = [leg for leg in study.legs if leg.included and leg.vehicle != "control"]
    named = [v.id for v in study.vehicles]
    for vehicle in named or [""]:
        legs = [leg for leg in used if leg.vehicle == vehicle or not named]
        if not legs:
            continue
        ratio, sd = _distance(legs)
        speed, speed_sd = _speed(study, legs)
        capacity = analysis.capacity if not study.vehicles else None
        deviate = intervals.deviate(study.confidence)
        out.append(
            Facts(
                number,
                study.title,
                vehicle_of(study, vehicle).name,
                max(days) if days else None,
                ratio,
                sd,
                None if capacity is None else capacity.estimate,
                0.0 if capacity is None else (capacity.interval[1] - capacity.interval[0]) / (2 * deviate),
                _steps(study, legs),
                speed,
                speed_sd,
            )
        )
    return tuple(out)


def _distance(legs: Sequence[Leg]) -> tuple[float | None, float]:
    both = [
        (float(leg.distance_km), float(leg.gps_distance_km))
        for leg in legs
        if leg.distance_km is not None and leg.gps_distance_km is not None
    ]
    if not both:
        return None, 0.0
    shown, gps = (sum(values) for values in zip(*both, strict=True))
    return shown / gps, DISTANCE_SD / math.sqrt(len(both))


def _speed(study: Study, legs: Sequence[Leg]) -> tuple[float | None, float]:
    """Mean of the legs' moving speeds by GPS over the speeds aimed at; the speedometer and the hand together."""
    ratios = []
    for leg in legs:
        aimed = held_kmh(study, leg)
        if not aimed or leg.gps_distance_km is None or leg.duration_s is None or study.change.is_technique:
            continue
        moving = float(leg.duration_s) - float(leg.stopped_s or 0.0)
        if moving > 0:
            ratios.append(3600.0 * float(leg.gps_distance_km) / moving / float(aimed))
    if len(ratios) < FEWEST_SPEEDS:
        return None, 0.0
    mean = sum(ratios) / len(ratios)
    spread = sum((r - mean) ** 2 for r in ratios) / (len(ratios) - 1)
    return mean, math.sqrt(spread / len(ratios)) + SPEED_SD


def _steps(study: Study, legs: Sequence[Leg]) -> dict[str, float]:
    found = {str(k): float(v.step) for k, v in study.instruments.items() if v.step}
    for leg in legs:
        if leg.average_shown is not None and leg.average_step:
            found.setdefault(f"trip average, {leg.average_unit}", float(leg.average_step))
        if leg.energy_kwh is not None and leg.energy_step_kwh:
            found.setdefault("trip energy, kWh", float(leg.energy_step_kwh))
        if leg.soc_step_percent:
            found.setdefault("state of charge, %", float(leg.soc_step_percent))
    return found


def as_record(f: Facts) -> dict[str, Any]:
    """Facts as JSON values; what is not known is left out."""
    made = {
        "vehicle": f.vehicle, "when": f.when.isoformat() if f.when else None, "distance_ratio": f.distance_ratio,
        "distance_sd": f.distance_sd, "capacity_kwh": f.capacity_kwh, "capacity_sd": f.capacity_sd, "steps": dict(f.steps),
        "speed_ratio": f.speed_ratio, "speed_sd": f.speed_sd,
    }  # fmt: skip
    return {k: v for k, v in made.items() if v}


def from_record(value: Mapping[str, Any], number: int, title: str) -> Facts:
    """Facts from their JSON values.

    Raises
    ------
    ValueError, TypeError
        If they are not that.
    """

    def maybe(name: str) -> float | None:
        return None if value.get(name) is None else float(value[name])

    return Facts(
        study=number,
        title=title,
        vehicle=str(value.get("vehicle", "")),
        when=date.fromisoformat(value["when"]) if value.get("when") else None,
        distance_ratio=maybe("distance_ratio"),
        distance_sd=maybe("distance_sd") or DISTANCE_SD,
        capacity_kwh=maybe("capacity_kwh"),
        capacity_sd=maybe("capacity_sd") or 0.0,
        steps={str(k): float(v) for k, v in dict(value.get("steps", {})).items()},
        speed_ratio=maybe("speed_ratio"),
        speed_sd=maybe("speed_sd") or SPEED_SD,
    )


@dataclass(frozen=True, slots=True)
class Pooled:
    """One figure over several studies, and its interval at 95 %."""

    value: float
    interval: tuple[float, float]
    studies: int


@dataclass(frozen=True, slots=True)
class KnownFacts:
    """What all studies of a vehicle say of its instruments and battery."""

    distance_error_percent: Pooled | None
    capacity_kwh: Pooled | None
    steps: Mapping[str, float]
    speed_error_percent: Pooled | None = None  # held over the aimed-for


def known_facts(every: Sequence[Facts], vehicle: str) -> KnownFacts:
    """Pool what studies say of one vehicle, each by its precision; the newest display step of each instrument counts."""
    wanted = same_name(vehicle)
    own = sorted((f for f in every if same_name(f.vehicle) == wanted), key=lambda f: (f.when or date.min, f.study))
    ratio = _pool([(math.log(f.distance_ratio), f.distance_sd) for f in own if f.distance_ratio])
    capacity = _pool(
        [
            (math.log(f.capacity_kwh), math.hypot(f.capacity_sd / f.capacity_kwh, CAPACITY_DRIFT))
            for f in own
            if f.capacity_kwh
        ]
    )
    steps: dict[str, float] = {}
    for f in own:
        steps |= f.steps
    speed = _pool([(math.log(f.speed_ratio), f.speed_sd) for f in own if f.speed_ratio])
    amount = None
    if capacity is not None:
        low, high = capacity.interval
        amount = Pooled(math.exp(capacity.value), (math.exp(low), math.exp(high)), capacity.studies)
    return KnownFacts(_percent(ratio), amount, steps, _percent(speed))


def _percent(log_ratio: Pooled | None) -> Pooled | None:
    """A pooled logarithm as per cent over one."""
    if log_ratio is None:
        return None
    low, high = (100 * math.expm1(v) for v in log_ratio.interval)
    return Pooled(100 * math.expm1(log_ratio.value), (low, high), log_ratio.studies)


def _pool(values: Sequence[tuple[float, float]]) -> Pooled | None:
    if not values:
        return None
    weights = [1 / sd**2 for _, sd in values]
    mean = sum(w * v for w, (v, _) in zip(weights, values, strict=True)) / sum(weights)
    half = intervals.deviate(intervals.USUAL) / math.sqrt(sum(weights))
    return Pooled(mean, (mean - half, mean + half), len(values))

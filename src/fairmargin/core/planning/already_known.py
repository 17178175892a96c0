"""What a plan may take as known from what was read already: the display's step, consumption, what the trials cost."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from functools import wraps
from typing import Final, TypeVar

import numpy as np

from fairmargin.core.evidence.indirect import scale_told
from fairmargin.core.evidence.reading import Observation
from fairmargin.core.evidence.readings import observations
from fairmargin.core.planning.expected import likely_effect, planned_speed_kmh, split
from fairmargin.core.study import Study

_STEP_OF_SD: Final = math.sqrt(12.0)
Known = TypeVar("Known")


def _kept(work: Callable[[Study], Known]) -> Callable[[Study], Known]:
    """Keep what was found of a study until another is asked about: a plan's pages ask for the same many times."""
    last: list[tuple[Study, Known]] = []

    @wraps(work)
    def found(study: Study) -> Known:
        for known, value in last:
            if known is study:
                return value
        value = work(study)
        last[:] = [(study, value)]
        return value

    return found


@_kept
def _driven(study: Study) -> tuple[Observation, ...]:
    """Readings of the study's own vehicle that count."""
    return tuple(
        o
        for o in observations(study, {})
        if all((leg := study.leg(name)).included and leg.vehicle in {"", "test"} for name in o.legs)
    )


def known_step_kwh_per_100km(study: Study) -> float:
    """Step of the display: as stated or read on the study's legs, else as planned. [kWh/100 km]"""
    averages = [o for o in _driven(study) if o.readings[0].instrument == "trip average"]
    if averages:
        return float(np.mean([_STEP_OF_SD * o.readings[0].sd_wh / o.shown_km for o in averages])) / 10.0
    fact = study.instruments.get("trip average")
    if fact is not None and fact.step is not None and fact.unit == "kWh/100km":
        return float(fact.step)
    return float(study.plan.display_step_kwh_per_100km)


def reading_step_wh_per_km(study: Study) -> float:
    """Step of the instrument as the study's own legs show it, whatever it is, else of the plan's display. [Wh/km]"""
    driven = _driven(study)
    if driven:
        return _STEP_OF_SD * float(np.mean([o.relative_sd for o in driven])) * known_wh_per_km(study)
    return known_step_kwh_per_100km(study) * 10.0


def read_by(study: Study) -> str:
    """Instrument that most of the study's legs were read by; empty where none was."""
    names = [o.readings[0].instrument for o in _driven(study)]
    return max(dict.fromkeys(names), key=names.count) if names else ""


@_kept
def known_wh_per_km(study: Study) -> float:
    """Consumption in the baseline: measured where it was driven, else the model's. [Wh/km]"""
    found = _levels(study)
    if study.baseline.id in found:
        return found[study.baseline.id]
    return split(study, planned_speed_kmh(study)).total


@_kept
def known_factors(study: Study) -> Mapping[str, float]:
    """What each trial takes of the baseline's consumption: measured where both were driven, else as expected."""
    found, base = _levels(study), study.baseline.id
    expected = 1.0 + max(likely_effect(study), 0.0) / 100.0
    return {t.id: found[t.id] / found[base] if t.id in found and base in found else expected for t in study.trials}


def _levels(study: Study) -> Mapping[str, float]:
    """Energy over distance of each configuration that was read. [Wh/km]"""
    sums: dict[str, list[float]] = {}
    usable = [o for o in _driven(study) if scale_told(study.vehicle, o.readings[0].instrument)]
    for o in usable:
        total = sums.setdefault(study.leg(o.legs[0]).configuration, [0.0, 0.0])
        total[0] += o.energy_wh
        total[1] += o.true_km
    return {name: energy / km for name, (energy, km) in sums.items() if km > 0 and energy > 0}

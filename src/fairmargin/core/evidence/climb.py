"""A climb and its descent: how much of the energy put in comes back, with the gauge's step in the margin."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Final

from fairmargin.core import intervals, units
from fairmargin.core.evidence.thinning import thin
from fairmargin.core.study import Leg, Study, Trace

_UNIFORM: Final = 1.0 / math.sqrt(12.0)


@dataclass(frozen=True, slots=True)
class Climb:
    """Energy up and back down in one configuration, totals over its included legs."""

    configuration: str
    up_wh: float
    down_wh: float  # positive = came back to the battery
    returned_percent: float
    interval_percent: tuple[float, float]
    step_wh: float  # what one step of the gauge is worth
    legs: tuple[str, ...]


def signed_energy(study: Study, leg: Leg, trace: Trace | None) -> tuple[float, float, float, str] | None:
    """Energy taken from the battery on a leg (negative = put back), its sd, the step, and the instrument. [Wh]

    Two gauge readings, each uniform over its step, differ by a triangular error: sd = step/√6
    (JCGM 100:2008, 4.3.9).
    """
    log = thin(trace) if trace is not None else None
    if log is not None and log.energy_wh is not None:
        energy = float(log.energy_wh[-1])
        return energy, 0.005 * abs(energy) + 5.0, 0.0, "logger"
    if leg.energy_kwh is not None:
        step = 1000.0 * (leg.energy_step_kwh or 0.0)
        return 1000.0 * leg.energy_kwh, step * _UNIFORM, step, "trip energy"
    if leg.soc_start_percent is not None and leg.soc_end_percent is not None:
        per_point = 10.0 * float(study.vehicle.usable_capacity_kwh or 50.0)
        step = per_point * (1.0 if leg.soc_step_percent is None else leg.soc_step_percent)
        drop = leg.soc_start_percent - leg.soc_end_percent
        return per_point * drop, step * _UNIFORM * math.sqrt(2.0), step, "state of charge"
    if leg.average_shown is not None and leg.average_unit is not None and leg.distance_km:
        shown, unit, heating = leg.average_shown, leg.average_unit, study.vehicle.heating_value
        one = units.to_wh_per_km(1.0, unit, heating)
        inverse = units.more_is_better(unit)
        per_km = one / shown if inverse else one * shown
        by_step = (one / shown**2 if inverse else one) * (leg.average_step or 0.0)
        step = by_step * leg.distance_km
        return per_km * leg.distance_km, step * _UNIFORM, step, "trip average"
    return None


@dataclass(frozen=True, slots=True)
class Part:
    """A part of a leg between two readings of its gauge. Energy positive where it was taken from the battery."""

    from_km: float
    to_km: float
    wh: float


def leg_parts(study: Study, leg: Leg) -> tuple[Part, ...]:
    """Energy of a leg part by part, where its charge was read on the way; nothing without such a reading."""
    capacity, km = study.vehicle.usable_capacity_kwh, leg.gps_distance_km or leg.distance_km
    if not capacity or not km or leg.soc_start_percent is None or leg.soc_end_percent is None:
        return ()
    between = sorted(
        (r.at_km, r.value)
        for r in study.readings
        if r.leg == leg.leg and r.instrument == "state of charge" and r.at_km is not None and 0 < r.at_km < km
    )
    if not between:
        return ()
    points = [(0.0, leg.soc_start_percent), *between, (km, leg.soc_end_percent)]
    return tuple(
        Part(float(a), float(b), 10.0 * capacity * (before - after))
        for (a, before), (b, after) in zip(points, points[1:], strict=False)
    )


def is_down(leg: Leg, wh: float) -> bool:
    """Whether a leg is the descent: driven back, or (direction not told) energy came back."""
    return leg.direction == "back" or (leg.direction == "" and wh < 0)


def climbs(study: Study, traces: Mapping[str, Trace]) -> tuple[Climb, ...]:
    """Share of the energy returned, for each configuration driven up and down.

    Parameters
    ----------
    study : Study
        With ``method`` "climb"; legs out go up, legs back come down.
    traces : mapping of leg name to Trace

    Returns
    -------
    tuple of Climb
        One per configuration with at least one leg each way; capacity errors cancel in the share.
    """
    deviate = intervals.deviate(study.confidence)
    result = []
    for configuration in study.configurations:
        up = down = up_var = down_var = step = 0.0
        names: list[str] = []
        ways = set()
        for leg in study.legs:
            if not leg.included or leg.configuration != configuration.id:
                continue
            energy = signed_energy(study, leg, traces.get(leg.leg))
            if energy is None:
                continue
            wh, sd, one_step, _ = energy
            step = max(step, one_step)
            names.append(leg.leg)
            if is_down(leg, wh):
                down, down_var = down - wh, down_var + sd**2
                ways.add("down")
            else:
                up, up_var = up + wh, up_var + sd**2
                ways.add("up")
        if ways != {"up", "down"} or up <= 0 or down <= 0:
            continue  # nothing came back: there is no share of it
        share = down / up
        sd_share = math.sqrt(down_var + share**2 * up_var) / up
        result.append(
            Climb(
                configuration.id,
                up,
                down,
                100 * share,
                (100 * (share - deviate * sd_share), 100 * (share + deviate * sd_share)),
                step,
                tuple(names),
            )
        )
    return tuple(result)

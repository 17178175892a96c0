"""A climb and its descent: how much of the energy put in comes back, with the gauge's step in the margin."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

from fairmargin.core import intervals
from fairmargin.core.evidence.indirect import scale_told
from fairmargin.core.evidence.readings import signed_readings
from fairmargin.core.study import Leg, Study, Trace


@dataclass(frozen=True, slots=True)
class Climb:
    """Energy up and back down in one configuration, totals over its included legs.

    Energies of a battery whose capacity is not known are those of a usual one: only their share may be said.
    """

    configuration: str
    up_wh: float
    down_wh: float  # positive = came back to the battery
    returned_percent: float
    interval_percent: tuple[float, float]
    step_wh: float  # what one step of the gauge is worth
    legs: tuple[str, ...]
    step_interval_percent: tuple[float, float]  # of the share, by the steps of the gauge alone
    by_charge_alone: bool  # per cents of a battery whose capacity nobody told: a share, and no energies


@dataclass(frozen=True, slots=True)
class Part:
    """A part of a leg between two readings of its gauge. Energy positive where it was taken from the battery."""

    from_km: float
    to_km: float
    wh: float


def leg_parts(study: Study, leg: Leg) -> tuple[Part, ...]:
    """Energy of a leg part by part, where its charge was read on the way; nothing without such a reading."""
    capacity, km = study.vehicle.capacity_kwh, leg.gps_distance_km or leg.distance_km
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
        up = down = up_var = down_var = up_step = down_step = step = 0.0
        kinds: set[str] = set()
        names: list[str] = []
        ways = set()
        own = [leg for leg in study.legs if leg.included and leg.configuration == configuration.id]
        read = signed_readings(study, own, traces)
        for leg in own:
            r = read.get(leg.leg)
            if r is None:
                continue
            step = max(step, r.step_wh)
            kinds.add(r.instrument)
            names.append(leg.leg)
            if is_down(leg, r.energy_wh):
                down, down_var, down_step = (down - r.energy_wh, down_var + r.sd_wh**2, down_step + r.step_sd_wh**2)
                ways.add("down")
            else:
                up, up_var, up_step = up + r.energy_wh, up_var + r.sd_wh**2, up_step + r.step_sd_wh**2
                ways.add("up")
        if ways != {"up", "down"} or up <= 0 or down <= 0:
            continue  # nothing came back: there is no share of it
        share = down / up
        unknown = not all(scale_told(study.vehicle, kind) for kind in kinds)

        def within(down_var: float, up_var: float, share: float = share, up: float = up) -> tuple[float, float]:
            half = deviate * math.sqrt(down_var + share**2 * up_var) / up
            return 100 * (share - half), 100 * (share + half)

        result.append(
            Climb(
                configuration.id,
                up,
                down,
                100 * share,
                within(down_var, up_var),
                step,
                tuple(names),
                within(down_step, up_step),
                unknown,
            )
        )
    return tuple(result)

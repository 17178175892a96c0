"""A climb and its descent: how much of the energy put in comes back, with the gauge's step in the margin."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

from fairmargin.core import intervals
from fairmargin.core.evidence.indirect import CHARGE, average_wh_per_km, charge_at_end, scale_told
from fairmargin.core.evidence.readings import signed_readings
from fairmargin.core.study import Leg, Study, Trace, Vehicle, WayReading
from fairmargin.core.study.cells import vehicle_of
from fairmargin.core.units import consumption_unit


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
    """A part of a leg between two readings of an instrument. Energy positive where it was taken."""

    from_km: float
    to_km: float
    wh: float


def leg_parts(study: Study, leg: Leg) -> dict[str, tuple[Part, ...]]:
    """Energy of a leg part by part, by each instrument that was read on the way; nothing without such a reading.

    A gauge tells the charge at a place; an average and an energy, shown on the way, are those since the leg began.

    Parameters
    ----------
    study : Study
    leg : Leg

    Returns
    -------
    dict of instrument to tuple of Part
        Up to the leg's end where the same instrument was read there too.
    """
    vehicle, km = vehicle_of(study, leg.vehicle), leg.gps_distance_km or leg.distance_km
    found: dict[str, tuple[Part, ...]] = {}
    for instrument in dict.fromkeys(r.instrument for r in study.readings if r.leg == leg.leg):
        until = [
            (float(r.at_km), wh)
            for r in study.readings
            if (r.leg, r.instrument) == (leg.leg, instrument) and r.at_km and (km is None or r.at_km < km)
            if (wh := _taken_wh(vehicle, leg, r)) is not None
        ]
        at_end = _taken_at_end_wh(study, vehicle, leg, instrument, km)
        points = [(0.0, 0.0), *sorted(until), *([(km, at_end)] if km and at_end is not None else [])]
        if until and len(points) > 2:
            pairs = zip(points, points[1:], strict=False)
            found[instrument] = tuple(Part(a, b, after - before) for (a, before), (b, after) in pairs)
    return found


def unplaced_parts(study: Study, leg: Leg) -> tuple[tuple[WayReading, float, float | None], ...]:
    """Readings on the way whose place nobody noted: the reading, what was taken until then, and from there to the end. [Wh]

    Parameters
    ----------
    study : Study
    leg : Leg

    Returns
    -------
    tuple of (WayReading, float, float or None)
        The rest is None where the same instrument was not read at the leg's end.
    """
    vehicle, km = vehicle_of(study, leg.vehicle), leg.gps_distance_km or leg.distance_km
    found = []
    for r in study.readings:
        if r.leg != leg.leg or r.at_km is not None or r.instrument not in {CHARGE, "trip energy"}:
            continue
        until = _taken_wh(vehicle, leg, r)
        if until is not None:
            end = _taken_at_end_wh(study, vehicle, leg, r.instrument, km)
            found.append((r, until, None if end is None else end - until))
    return tuple(found)


def _taken_wh(vehicle: Vehicle, leg: Leg, r: WayReading) -> float | None:
    """Energy taken since the leg began, by a reading on the way; None where it does not tell. [Wh]"""
    if r.instrument == CHARGE:
        if leg.soc_start_percent is None or not vehicle.capacity_kwh:
            return None
        return 10.0 * vehicle.capacity_kwh * (leg.soc_start_percent - r.value)
    if r.instrument == "trip energy":
        return r.value * (1.0 if r.unit.lower() == "wh" else 1000.0)
    if r.instrument == "trip average" and r.value:
        try:
            unit = consumption_unit(r.unit)
        except ValueError:
            return None
        return average_wh_per_km(r.value, unit, vehicle.heating_value)[0] * float(r.at_km or 0.0)
    return None


def _taken_at_end_wh(study: Study, vehicle: Vehicle, leg: Leg, instrument: str, km: float | None) -> float | None:
    """The same at the leg's end, by the leg's own reading of the instrument. [Wh]"""
    if instrument == CHARGE:
        end = charge_at_end(study, leg)
        if end is None or leg.soc_start_percent is None or not vehicle.capacity_kwh:
            return None
        return 10.0 * vehicle.capacity_kwh * (leg.soc_start_percent - end[0])
    if instrument == "trip energy":
        return None if leg.energy_kwh is None else 1000.0 * leg.energy_kwh
    if leg.average_shown is None or leg.average_unit is None or km is None:
        return None
    return average_wh_per_km(leg.average_shown, leg.average_unit, vehicle.heating_value)[0] * km


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

"""The comparisons of a planned day: its legs laid out and read as they will be, parted as the analysis parts them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from fairmargin.core.evidence.conditions import Conditions
from fairmargin.core.evidence.gathered import gather
from fairmargin.core.evidence.logs import Logs
from fairmargin.core.evidence.reading import Observation
from fairmargin.core.planning.planned_day import plan_day, planned
from fairmargin.core.planning.planned_runs import Consumption, leg_speed_kmh
from fairmargin.core.speed_cells import at_speed, by_speed_and_sector
from fairmargin.core.study import Study
from fairmargin.core.study.as_told import as_told
from fairmargin.core.study.cells import between_vehicles, by_vehicle, compared, vehicle_label, vehicle_of, with_sides


@dataclass(frozen=True, eq=False, slots=True)
class Part:
    """Legs that one comparison is made of: one speed, sector, vehicle."""

    name: str
    study: Study
    conditions: list[Conditions]
    observations: Sequence[Observation]
    logs: Logs


@dataclass(frozen=True, eq=False, slots=True)
class Laid:
    """One order of runs, laid out on the planned day."""

    order: str
    parts: list[Part]
    hours: float
    energy_kwh: float


def lay(study: Study, order: str, step: float) -> Laid:
    """Lay the order out, each leg read with the display's step, and part it as the analysis does."""
    laid, takes = planned(study, order), Consumption(study)
    legs = []
    for leg in laid.legs:
        shown = takes.wh_per_km(leg, leg_speed_kmh(study, leg)) / 10.0
        legs.append(leg.with_(average_shown=shown, average_unit="kWh/100km", average_step=step / 10.0))
    day = plan_day(study, order)
    return Laid(order, _parts(laid.with_legs(legs)), day.hours, day.energy_kwh)


def _parts(laid: Study) -> list[Part]:
    """The comparisons of a study that is laid out, each by itself."""
    if laid.vehicles_take_turns:
        studies = [("", compared(laid, a, b)) for a, b in between_vehicles(laid)]
    else:
        studies = [(vehicle_label(laid, name) if name else "", part) for name, part in by_vehicle(laid)]
    found = []
    for name, own in studies:
        owners = {leg.leg: vehicle_of(own, leg.vehicle) for leg in own.legs}
        told = with_sides(as_told(own))
        evidence = gather(told, {}, owners)
        for (speed, sector), members in by_speed_and_sector(told, evidence.observations).items():
            cell = at_speed(told, speed)
            conditions = [evidence.conditions[leg] for o in members for leg in o.legs]
            several = f"{speed:g} km/h" if speed is not None and speed != laid.target_speed_kmh else ""
            label = ", ".join(w for w in (name, sector, several) if w)
            found.append(Part(label, cell, conditions, members, evidence.logs[sector]))
    return found

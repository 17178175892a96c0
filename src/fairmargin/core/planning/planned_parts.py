"""The comparisons of a planned day: its legs laid out and read as they will be, parted as the analysis parts them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from fairmargin.core.evidence.conditions import Conditions
from fairmargin.core.evidence.gathered import gather
from fairmargin.core.evidence.logs import Logs
from fairmargin.core.evidence.reading import Observation
from fairmargin.core.inference.options import FitOptions
from fairmargin.core.inference.problem import Problem, prepare
from fairmargin.core.model.road import Road
from fairmargin.core.planning.planned_day import plan_day, planned
from fairmargin.core.planning.planned_runs import Consumption, leg_speed_kmh
from fairmargin.core.speed_cells import at_speed, by_speed_and_sector, tell_of_each_other, told_together
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
    beside: tuple[Part, ...] = ()  # of other speeds and sectors, whose drives tell of the change as well

    @property
    def cells(self) -> tuple[Part, ...]:
        """Itself and those beside it."""
        return self, *self.beside

    @property
    def every(self) -> list[Observation]:
        """Readings of all of them, in the order of the entries of `problem`."""
        return [o for cell in self.cells for o in cell.observations]

    def problem(self, weather: Mapping[str, Conditions], options: FitOptions) -> Problem:
        """The fit of the legs as the analysis sets it up, in the weather of one day."""
        own, *others = ([weather[c.leg] for c in cell.conditions] for cell in self.cells)
        if not others:
            return prepare(self.study, own, self.observations, self.logs, options)
        here = {self.study.leg(c.leg).sector for c in own}
        road = Road(self.logs.shape, self.study)
        away = {
            c.leg: Road(cell.logs.shape, cell.study)
            for cell in self.beside
            for c in cell.conditions
            if self.study.leg(c.leg).sector not in here
        }
        how = told_together(self.study, own, [o for cell in self.beside for o in cell.observations], options)
        legs = [*own, *(c for cell in others for c in cell)]
        return prepare(self.study, legs, self.every, self.logs, how, road.with_elsewhere(away) if away else road)


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
    """The comparisons of a study that is laid out; those of several speeds and sectors tell of each other."""
    if laid.vehicles_take_turns:
        studies = [("", compared(laid, a, b)) for a, b in between_vehicles(laid)]
    else:
        studies = [(vehicle_label(laid, name) if name else "", part) for name, part in by_vehicle(laid)]
    found: list[Part] = []
    for name, own in studies:
        parts = _cells(own, name, laid.target_speed_kmh)
        told = [p for p in parts if len({c.configuration for c in p.conditions}) > 1] if tell_of_each_other(own) else []
        found += [replace(p, beside=tuple(x for x in told if x is not p)) if p in told else p for p in parts]
    return found


def _cells(own: Study, name: str, usual_kmh: float | None) -> list[Part]:
    """The comparisons of one vehicle, or of one with another, each by itself."""
    owners = {leg.leg: vehicle_of(own, leg.vehicle) for leg in own.legs}
    told = with_sides(as_told(own))
    evidence = gather(told, {}, owners)
    found = []
    for (speed, sector), members in by_speed_and_sector(told, evidence.observations).items():
        cell = at_speed(told, speed)
        conditions = [evidence.conditions[leg] for o in members for leg in o.legs]
        several = f"{speed:g} km/h" if speed is not None and speed != usual_kmh else ""
        label = ", ".join(w for w in (name, sector, several) if w)
        found.append(Part(label, cell, conditions, members, evidence.logs[sector]))
    return found

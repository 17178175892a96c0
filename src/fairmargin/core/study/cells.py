"""What of a study can be set against what: cells of vehicle, configuration, speed and sector; a study of any two."""

from __future__ import annotations

from dataclasses import dataclass

from fairmargin.core.study.leg import Leg
from fairmargin.core.study.statements import Side
from fairmargin.core.study.values import SIDES, Configuration, Study
from fairmargin.core.study.vehicle import NamedVehicle, Vehicle


@dataclass(frozen=True, slots=True)
class Cell:
    """Legs that belong together: one vehicle ("" where there is one only), configuration, aimed-for speed and sector."""

    vehicle: str
    configuration: str
    speed_kmh: float | None
    sector: str


def aimed_kmh(study: Study, leg: Leg) -> float | None:
    """Speed that a leg was aimed at: its own, or the study's. Where the speed is the change, it tells no cells apart."""
    own = None if study.change.subject == "speed" else leg.speed_kmh
    speed: float | None = own or study.target_speed_kmh
    return speed


def held_kmh(study: Study, leg: Leg) -> float | None:
    """Speed to hold on a leg: its own, its configuration's where the speed is the change, or the study's. [km/h]"""
    of_side = study.configuration(leg.configuration).speed_kmh if study.change.subject == "speed" else None
    speed: float | None = leg.speed_kmh or of_side or study.target_speed_kmh
    return speed


def pace_of(study: Study, leg: Leg) -> tuple[str, float | str | None]:
    """What tells apart legs that are meant to be equally fast: the sector, and the speed to hold on it."""
    untold = leg.configuration if study.change.subject == "speed" else None
    return leg.sector, held_kmh(study, leg) or untold


def cell_of(study: Study, leg: Leg) -> Cell:
    """The cell a leg belongs to."""
    vehicle = "" if leg.vehicle in SIDES else leg.vehicle
    return Cell(vehicle, leg.configuration, aimed_kmh(study, leg), leg.sector)


def side_of(cell: Cell) -> Side:
    """A cell as it is kept with a study."""
    return Side(configuration=cell.configuration, vehicle=cell.vehicle, speed_kmh=cell.speed_kmh, sector=cell.sector)


def cell_of_side(side: Side) -> Cell:
    """The cell that a kept side means."""
    return Cell(side.vehicle, side.configuration, side.speed_kmh, side.sector)


def cells(study: Study) -> tuple[Cell, ...]:
    """Every cell that has a leg, in the order of the legs."""
    return tuple(dict.fromkeys(cell_of(study, leg) for leg in study.legs))


def vehicle_of(study: Study, identifier: str) -> Vehicle:
    """The vehicle that a leg names; the study's where it names none."""
    return next((v for v in study.vehicles if v.id == identifier), study.vehicle)


def vehicle_label(study: Study, identifier: str) -> str:
    """What a vehicle is called on screens."""
    named = vehicle_of(study, identifier)
    return named.label if isinstance(named, NamedVehicle) else named.name or "vehicle"


def by_vehicle(study: Study) -> list[tuple[str, Study]]:
    """The study of each vehicle that its legs name; itself where they name none, or drive side by side."""
    named = [v.id for v in study.vehicles if any(leg.vehicle == v.id for leg in study.legs)]
    if not named or study.method == "side-by-side":
        return [("", study)]
    parts = []
    for name in ("", *named):
        legs = [leg for leg in study.legs if (leg.vehicle if leg.vehicle not in SIDES else "") == name]
        if legs:
            parts.append((name, study.with_(vehicle=vehicle_of(study, name)).with_legs(legs)))
    return parts


def with_sides(study: Study) -> Study:
    """A side-by-side study whose legs name vehicles, with the first of them as the one tested."""
    named = [v.id for v in study.vehicles if any(leg.vehicle == v.id for leg in study.legs)]
    if study.method != "side-by-side" or not named:
        return study
    side = dict.fromkeys(named, "control") | {named[0]: "test"}
    legs = [leg.with_(vehicle=side.get(leg.vehicle, leg.vehicle)) for leg in study.legs]
    return study.with_(legs=tuple(legs), vehicle=vehicle_of(study, named[0]))


def compared(study: Study, baseline: Cell, trial: Cell) -> Study:
    """The study of two cells alone: whatever they differ in is the change.

    Parameters
    ----------
    study : Study
    baseline, trial : Cell

    Returns
    -------
    Study
        With the legs of the two cells, and two configurations: those of the cells where only they differ, else made for
        this, by the names of the cells. Differences of mass stay declared.

    Raises
    ------
    ValueError
        If the two cells are the same, or one has no leg.
    """
    if baseline == trial:
        raise ValueError("a comparison needs two different sides")
    of = {leg.leg: cell_of(study, leg) for leg in study.legs}
    for cell in (baseline, trial):
        if cell not in of.values():
            raise ValueError(f"no leg belongs to {cell}")
    speeds_differ = baseline.speed_kmh != trial.speed_kmh
    vehicles_differ = baseline.vehicle != trial.vehicle
    only_configuration = baseline.configuration != trial.configuration and not (
        speeds_differ or vehicles_differ or baseline.sector != trial.sector
    )
    own = study.configuration(trial.configuration)
    first = study.configuration(baseline.configuration)
    ids = (first.id, own.id) if only_configuration else (side_of(baseline).name, side_of(trial).name)
    sides = []
    for cell, identifier in zip((baseline, trial), ids, strict=True):
        declared = study.configuration(cell.configuration)
        changes: dict[str, object] = {"id": identifier, "baseline": cell is baseline}
        if speeds_differ:
            changes["speed_kmh"] = cell.speed_kmh
        if not only_configuration:
            changes["mechanism"] = ("unknown",)
        changes["mass_delta_kg"] = (declared.mass_delta_kg or 0.0) + _mass_between(study, baseline, cell)
        sides.append(declared.with_(**changes))
    legs = []
    for leg in study.legs:
        if of[leg.leg] in {baseline, trial}:
            identifier = ids[0] if of[leg.leg] == baseline else ids[1]
            legs.append(
                leg.with_(configuration=identifier, sector="" if baseline.sector != trial.sector else leg.sector)
            )
    kind = study.change.kind if baseline.configuration != trial.configuration else "other"
    subject = "speed" if speeds_differ else "vehicle" if vehicles_differ else study.change.subject
    known = tuple(
        k.with_(configuration=ids[0] if k.configuration == baseline.configuration else ids[1]) if k.configuration else k
        for k in study.known_differences
        if not k.configuration or k.configuration in {baseline.configuration, trial.configuration}
    )  # fmt: skip
    names_kept = {leg.leg for leg in legs}
    return study.with_(
        legs=tuple(legs),
        configurations=tuple(sides),
        known_differences=known,
        also_compared=(),
        change=study.change.with_(subject=subject, kind=kind, claim=None, prediction=None, prediction_percent=None),
        vehicle=vehicle_of(study, baseline.vehicle),
        target_speed_kmh=baseline.speed_kmh or study.target_speed_kmh,
        events=tuple(e for e in study.events if e.leg in names_kept),
        readings=tuple(r for r in study.readings if r.leg in names_kept),
    )


def _mass_between(study: Study, baseline: Cell, cell: Cell) -> float:
    """By what the vehicle of a cell is heavier than the baseline's, where both are known. [kg]"""
    first, other = vehicle_of(study, baseline.vehicle).mass_kg, vehicle_of(study, cell.vehicle).mass_kg
    return 0.0 if first is None or other is None else float(other) - float(first)


def between_vehicles(study: Study) -> list[tuple[Cell, Cell]]:
    """Every vehicle against the first, in like configurations, speeds and sectors: where the vehicle is the change."""
    every = cells(study)
    found = []
    for cell in every:
        first = next(
            (
                c
                for c in every
                if c.vehicle != cell.vehicle
                and (c.configuration, c.speed_kmh, c.sector) == (cell.configuration, cell.speed_kmh, cell.sector)
            ),
            None,
        )
        if first is not None and every.index(first) < every.index(cell):
            found.append((first, cell))
    return found


def compares(study: Study) -> bool:
    """Whether a study sets anything against anything: a trial, a vehicle, or two that somebody chose."""
    return bool(study.trials or study.also_compared or study.change.subject == "vehicle")


def one_configuration(study: Study) -> Configuration | None:
    """The configuration of a study that compares nothing; None where there is something to compare."""
    return study.configurations[0] if len(study.configurations) == 1 else None

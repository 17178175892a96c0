"""What each run of a plan takes: its time, its energy by vehicle, and the way back that is no leg."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass

from fairmargin.core.evidence.distances import route_km
from fairmargin.core.planning.already_known import known_factors, known_wh_per_km
from fairmargin.core.planning.expected import leg_km, planned_speed_kmh, split
from fairmargin.core.study import Leg, Study
from fairmargin.core.study.cells import held_kmh, vehicle_label, vehicle_of
from fairmargin.core.study.layout import as_planned, laid_out_runs, sectors_read
from fairmargin.core.study.sectors import route_of
from fairmargin.core.units import said


@dataclass(frozen=True, slots=True)
class PlannedRun:
    """One run as it is planned."""

    run: str
    side: str  # the configuration, or the vehicle where vehicles take turns
    label: str  # what it is called
    minutes: float
    kwh: tuple[tuple[str, float], ...]  # what each vehicle that drives takes
    back_min: float = 0.0  # way back to the start that is no leg
    back_kwh: tuple[tuple[str, float], ...] = ()
    swap: bool = True  # whether it takes a swap where the side differs from that of the run before


def leg_speed_kmh(study: Study, leg: Leg) -> float:
    """Speed that a planned leg is driven at: its own, its configuration's where speed is the change, the plan's. [km/h]"""
    return held_kmh(study, leg) or planned_speed_kmh(study)


def leg_length_km(study: Study, leg: Leg) -> float:
    """Length of a planned leg: of its sector, where the route says how long that is; else an equal share. [km]"""
    whole = leg_km(study)
    if not leg.sector:
        return whole
    if len(route_of(study, leg.sector)) < len(study.route) or not study.route:
        own = route_km(study, leg.sector)
        if own is not None:
            return own
    return whole / len(sectors_read(study))


def leg_minutes(study: Study, leg: Leg) -> float:
    """How long a planned leg takes. [min]"""
    return 60.0 * leg_length_km(study, leg) / leg_speed_kmh(study, leg)


def legs_begin(legs: Iterable[tuple[Leg, float]], turn_min: float) -> Iterator[float]:
    """When each leg of a run begins after the run does; vehicles side by side both begin at once. [min]

    Parameters
    ----------
    legs
        Each with its duration [min], in order.
    turn_min
        Where the way back begins; from one sector to the next nobody turns.
    """
    driven: dict[str, tuple[str, float]] = {}  # by vehicle: which way, until when
    for leg, minutes in legs:
        way, until = driven.get(leg.vehicle, (leg.direction, 0.0))
        begin = until + (turn_min if way != leg.direction else 0.0)
        yield begin
        driven[leg.vehicle] = leg.direction, begin + minutes


def planned_runs(study: Study, order: str) -> tuple[list[PlannedRun], list[Leg]]:
    """Runs of an order as they are planned, and their legs with speeds and lengths.

    Where the study's own runs have that order they are taken as they are laid out.
    """
    own_order = study.order == order and bool(study.legs)
    legs = [as_planned(leg) for leg in study.legs] if own_order else laid_out_runs(study, order)
    named = {leg.leg: leg for leg in legs}
    consumption = Consumption(study)
    turns, made = study.vehicles_take_turns, list[PlannedRun]()
    grouped: dict[str, list[Leg]] = {}
    for leg in legs:
        grouped.setdefault(leg.run or leg.leg, []).append(leg)
    for run, own in grouped.items():
        hours: dict[str, float] = {}
        ways: dict[str, set[str]] = {}
        kwh: dict[str, float] = {}
        for leg in own:
            speed, km = leg_speed_kmh(study, leg), leg_length_km(study, leg)
            hours[leg.vehicle] = hours.get(leg.vehicle, 0.0) + km / speed
            ways.setdefault(leg.vehicle, set()).add(leg.direction)
            kwh[leg.vehicle] = kwh.get(leg.vehicle, 0.0) + km * consumption.wh_per_km(leg, speed) / 1000.0
            named[leg.leg] = leg.with_(
                distance_km=km, duration_s=float(round(3600.0 * km / speed)), speed_kmh=leg.speed_kmh
            )
        first = own[0]
        # Side by side both drive at once.
        minutes = max(60.0 * h + study.plan.turn_min * (len(ways[v]) - 1) for v, h in hours.items())
        back = study.method == "one-way"
        side = first.vehicle if turns else first.configuration
        several = len({x.speed_kmh for x in legs}) > 1
        made.append(
            PlannedRun(
                run=run,
                side=side,
                label=_label(study, own, turns) + (f", {said(leg_speed_kmh(study, first), 'km/h')}" if several else ""),
                minutes=minutes,
                kwh=tuple(kwh.items()),
                back_min=60.0 * max(hours.values()) if back else 0.0,
                back_kwh=tuple(kwh.items()) if back else (),
                swap=not turns,
            )
        )
    return made, [named[leg.leg] for leg in legs]


def _label(study: Study, own: Sequence[Leg], turns: bool) -> str:
    """What a run is called: its configuration, its vehicle, or both where both tell runs apart."""
    first = own[0]
    if turns:
        return vehicle_label(study, first.vehicle)
    name = study.configuration(first.configuration).label
    if study.method == "side-by-side" and len(own) > 1:
        sides = dict.fromkeys((leg.vehicle, study.configuration(leg.configuration).label) for leg in own)
        return ", ".join(f"{vehicle_label(study, v)}: {c}" for v, c in sides)
    return f"{vehicle_label(study, first.vehicle)}, {name}" if first.vehicle else name


class Consumption:
    """What a planned leg takes: what was measured where it was, else the model's, carried to its speed by the model."""

    def __init__(self, study: Study) -> None:
        self.study = study
        self.level, self.factors = known_wh_per_km(study), known_factors(study)
        self._modelled: dict[tuple[str, float], float] = {}

    def wh_per_km(self, leg: Leg, speed_kmh: float) -> float:
        """Consumption of a leg at a speed. [Wh/km]"""
        by_speed = self._model(leg.vehicle, speed_kmh) / self._model("", planned_speed_kmh(self.study))
        factor = 1.0 if self.study.change.subject == "speed" else self.factors.get(leg.configuration, 1.0)
        return self.level * by_speed * factor

    def _model(self, vehicle: str, speed_kmh: float) -> float:
        key = (vehicle, speed_kmh)
        if key not in self._modelled:
            study = self.study.with_(vehicle=vehicle_of(self.study, vehicle)) if vehicle else self.study
            self._modelled[key] = split(study, speed_kmh).total
        return self._modelled[key]

"""What a comparison, a result, a place and a vehicle are called in a sentence, the same on the screen and in the report."""

from __future__ import annotations

import unicodedata
from typing import TYPE_CHECKING

from fairmargin.core.study import Study
from fairmargin.core.study.cells import vehicle_label, vehicle_of
from fairmargin.core.units import UnitChoice
from fairmargin.exchange.words.figures import speed_words

if TYPE_CHECKING:  # names are wanted before there is any result
    from fairmargin.core.result.results import Result
    from fairmargin.core.result.types import Comparison


def framed(name: str) -> str:
    """A name for the middle of a sentence: one that runs from right to left leaves the sentence as it runs."""
    turned = any(unicodedata.bidirectional(c) in {"R", "AL"} for c in name)
    return f"\u200e{name}\u200e" if turned else name


def quoted(name: str) -> str:
    """A name in quotes (see `framed`)."""
    return framed(f"\u201c{name}\u201d")


def place_words(study: Study) -> str:
    """Name the route, or its kind."""
    if study.route_name:
        return f"the {study.route_name}"
    return {"loop": "this round", "laps": "these laps", "everyday": "these trips"}.get(study.method, "this road")


def side_words(study: Study, identifier: str, units: UnitChoice) -> str:
    """What one side of a comparison is called, a speed in the person's unit."""
    side = study.asked_side(identifier)
    if side is None or side.speed_kmh is None:
        return study.side_label(identifier)
    without = study.configuration(side.configuration).label
    vehicle = f"{vehicle_label(study, side.vehicle)}, " if side.vehicle else ""
    sector = f", {side.sector}" if side.sector else ""
    return f"{vehicle}{without}{sector}, {speed_words(side.speed_kmh, units)}"


def speed_told(study: Study) -> bool:
    """Whether anybody said how fast the legs were driven, or how long they took."""
    return bool(study.target_speed_kmh) or any(leg.speed_kmh or leg.duration_s for leg in study.legs)


def stated_speed(study: Study, c: Comparison, units: UnitChoice) -> str:
    """The speed a comparison is stated for, or both; that of the drives, where nobody said what that was."""
    from fairmargin.core.result.sides import own_speeds

    own = own_speeds(study, c)
    if own is not None:
        return f"{units.show('speed', own[0]):.0f} and {speed_words(own[1], units)}"
    return speed_words(c.speed_kmh, units) if speed_told(study) or c.as_driven else "the speed driven"


def comparison_name(study: Study, c: Comparison, units: UnitChoice, against: bool = True) -> str:
    """What a comparison is of, and what else tells it from the others."""
    from fairmargin.core.result.results import WHOLE

    parts = [side_words(study, c.trial, units)]
    if against:
        parts[0] += f" against {side_words(study, c.baseline, units)}"
    if c.vehicle:
        parts.insert(0, vehicle_label(study, c.vehicle))
    if c.sector:
        parts.append("whole route" if c.sector == WHOLE else c.sector)
    several = bool({leg.speed_kmh for leg in study.legs} - {None, study.target_speed_kmh})
    if study.asked_side(c.trial) is None and several and study.method != "everyday" and c.sector != WHOLE:
        parts.append(speed_words(c.speed_kmh, units))
    return ", ".join(parts)


def result_name(study: Study, r: Result, units: UnitChoice) -> str:
    """What a result is of: its configuration, and what else tells it from the others."""
    from fairmargin.core.result.results import WHOLE

    parts = [study.configuration(r.configuration).label]
    if r.vehicle:
        parts.insert(0, vehicle_label(study, r.vehicle))
    if r.sector:
        parts.append("whole route" if r.sector == WHOLE else r.sector)
    if r.speed_kmh and study.method != "everyday":
        parts.append(speed_words(r.speed_kmh, units))
    return ", ".join(parts)


def units_of(study: Study, vehicle: str, units: UnitChoice) -> UnitChoice:
    """The person's units for one vehicle of a study: litres for one that burns them."""
    own = vehicle_of(study, vehicle)
    return units.for_vehicle(own.energy != "electric", own.heating_value)

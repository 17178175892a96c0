"""Readings that tell a leg's energy by way of another: running averages unrolled, range left and used, charge put back.

A running average a since a reset, read after the distance D, is the energy a·D since then; what lies between two of them is
the difference. Neighbours share a rounding, with opposite signs: counting a shared one twice in each bounds what it can do to
any sum of them, since (u − v)² ≤ 2u² + 2v².
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final, Literal

from fairmargin.core import units
from fairmargin.core.evidence.distances import distance_ratios, leg_distances
from fairmargin.core.evidence.reading import UNIFORM, Reading
from fairmargin.core.figures import Size
from fairmargin.core.study import Leg, Study
from fairmargin.core.study.indirect import show_indirect
from fairmargin.core.study.vehicle import Vehicle

RUNNING: Final[Literal["running average"]] = "running average"
RATED: Final[Literal["rated range used"]] = "rated range used"
RANGE_LEFT: Final[Literal["range left"]] = "range left"
CHARGE: Final = "state of charge"
#: Instruments that divide by the car's own distance.
AVERAGES: Final = frozenset({"trip average", RUNNING})

RANGE_LEFT_SHARE: Final = Size(
    0.10, "share", "what a promised range moves by for other reasons than what was used; common practice"
)
RATED_UNTOLD: Final = Size(
    150.0,
    "Wh/km",
    "what a kilometre of rated range is taken for where nobody told: shares are set against their like only",
)


@dataclass(frozen=True, slots=True)
class Stretch:
    """What a running average tells of the legs since the reading before it."""

    legs: tuple[str, ...]
    reading: Reading
    shown_km: float
    true_km: float


def average_wh_per_km(shown: float, unit: units.ConsumptionUnit, heating_value: float) -> tuple[float, float]:
    """A consumption as a display shows it, and what one unit of its figures is worth there. [Wh/km]"""
    one = units.to_wh_per_km(1.0, unit, heating_value)
    return (one / shown, one / shown**2) if units.more_is_better(unit) else (one * shown, one)


def running_stretch(study: Study, leg: Leg) -> Stretch | None:
    """Unroll a leg's running average; None where it has none, or a distance or the reset's leg is not known.

    Parameters
    ----------
    study : Study
    leg : Leg
        At whose end the average was read.
    """
    if leg.running_shown is None or leg.running_unit is None or not leg.running_since:
        return None
    own = [x for x in study.legs if x.vehicle == leg.vehicle]
    names = [x.leg for x in own]
    if leg.leg not in names or leg.running_since not in names[: names.index(leg.leg) + 1]:
        return None
    here, first = names.index(leg.leg), names.index(leg.running_since)
    ratios = distance_ratios(study)
    found = [leg_distances(study, x, ratios[x.configuration], None) for x in own[first : here + 1]]
    distances = [d for d in found if d is not None]
    if len(distances) < len(found):
        return None
    alike = [i for i in range(first, here) if _same_reset(own[i], leg)]
    begin = alike[-1] + 1 if alike else first
    until = sum(d[0] for d in distances)
    before = sum(d[0] for d in distances[: begin - first])
    goes_on = any(_same_reset(x, leg) for x in own[here + 1 :])
    energy, step = _since_reset(study, leg, until)
    earlier, earlier_step = _since_reset(study, own[begin - 1], before) if alike else (0.0, 0.0)
    sd = UNIFORM * math.sqrt((2.0 if goes_on else 1.0) * step**2 + 2.0 * earlier_step**2)
    part = distances[begin - first :]
    km, one = sum(d[0] for d in part), step / until
    reading = Reading(
        RUNNING, _words(leg, own[begin - 1] if alike else None, until, before), energy - earlier, sd, one * km, sd
    )
    return Stretch(tuple(x.leg for x in own[begin : here + 1]), reading, km, sum(d[1] for d in part))


def _same_reset(leg: Leg, other: Leg) -> bool:
    return leg.running_shown is not None and leg.running_since == other.running_since


def _since_reset(study: Study, leg: Leg, km: float) -> tuple[float, float]:
    """Energy since the reset by a leg's running average, and what a step of the display is worth in it. [Wh]"""
    assert leg.running_shown is not None and leg.running_unit is not None
    per_km, by_step = average_wh_per_km(leg.running_shown, leg.running_unit, study.vehicle.heating_value)
    fact = study.instruments.get(RUNNING) or study.instruments.get("trip average")
    step = leg.running_step or 0.0
    if fact is not None and fact.step is not None and fact.unit in {None, leg.running_unit}:
        step = float(fact.step)
    return per_km * km, step * by_step * km


def _words(leg: Leg, before: Leg | None, until_km: float, before_km: float) -> str:
    """The reading as shown, and how it was unrolled."""
    shown = show_indirect("running", leg)
    if before is None:
        return shown
    own, other = (units.to_step(x.running_shown or 0.0, x.running_step) for x in (leg, before))
    until, earlier = units.said(until_km, "km", 1), units.said(before_km, "km", 1)
    if units.more_is_better(leg.running_unit or "Wh/km"):
        return f"{shown} ({until} / {own} less {earlier} / {other})"
    return f"{shown} ({own} over {until} less {other} over {earlier})"


def unusable_running(study: Study, leg: Leg) -> str:
    """Why a leg's running average tells of no drive; "" where it does, or there is none."""
    if leg.running_shown is None:
        return ""
    stretch = running_stretch(study, leg)
    if stretch is None:
        return f"The average since {leg.running_since} tells no energy: the distance of every leg since then is needed, and that leg."
    legs = [study.leg(name) for name in stretch.legs]
    if stretch.reading.energy_wh <= 0:
        return f"The average since {leg.running_since} fell so far that nothing would have been used since: is the reset right?"
    if len(_of(legs)) > 1:
        return (
            f"The average since {leg.running_since} covers {', '.join(stretch.legs)} in one, which are not alike: read it at each "
            "change between them."
        )
    return ""


def _of(legs: Sequence[Leg]) -> set[tuple[object, ...]]:
    return {(x.configuration, x.sector, x.speed_kmh) for x in legs}


def running_over_several(study: Study) -> dict[str, Stretch]:
    """Running averages that tell of several like legs in one, by the last of them; none of them read in another way."""
    found: dict[str, Stretch] = {}
    for leg in study.legs:
        stretch = running_stretch(study, leg)
        if stretch is None or len(stretch.legs) < 2 or stretch.reading.energy_wh <= 0:
            continue
        legs = [study.leg(name) for name in stretch.legs]
        silent = all(not x.has_reading and x.included for x in legs[:-1]) and legs[-1].included
        if silent and len(_of(legs)) == 1:
            found[leg.leg] = stretch
    return found


def told_by_another(study: Study, leg: Leg) -> bool:
    """Whether another leg's reading tells of this one: the next one's charge at its start, or an average over both."""
    if charge_at_end(study, leg) is not None:
        return True
    several = running_over_several(study) if any(x.running_shown is not None for x in study.legs) else {}
    return any(leg.leg in stretch.legs for stretch in several.values())


def running_readings(study: Study, leg: Leg) -> list[Reading]:
    """What a running average tells of one leg alone."""
    stretch = running_stretch(study, leg)
    return [] if stretch is None or len(stretch.legs) > 1 else [stretch.reading]


def wh_per_rated_km(vehicle: Vehicle) -> float | None:
    """What a kilometre of the range that a vehicle shows is worth; None where nobody told what it is rated at. [Wh/km]"""
    if vehicle.rated_wh_per_km is not None:
        return vehicle.rated_wh_per_km
    if vehicle.rated_range_km and vehicle.capacity_kwh:
        return 1000.0 * vehicle.capacity_kwh / vehicle.rated_range_km
    return None


def range_readings(study: Study, leg: Leg) -> list[Reading]:
    """What the rated range used, and the range left before and after, tell of one leg."""
    per_km = wh_per_rated_km(study.vehicle) or float(RATED_UNTOLD)
    found: list[Reading] = []
    if leg.rated_range_used is not None:
        km = _km(leg.rated_range_unit)
        step = per_km * _step_km(study, RATED, leg.rated_range_unit, leg.rated_range_used)
        sd = step * UNIFORM
        found.append(Reading(RATED, show_indirect("rated", leg), per_km * km * leg.rated_range_used, sd, step, sd))
    if leg.range_before is not None and leg.range_after is not None:
        km = _km(leg.range_unit)
        used = per_km * km * (leg.range_before - leg.range_after)
        step = per_km * _step_km(study, RANGE_LEFT, leg.range_unit, leg.range_before, leg.range_after)
        by_step = step * UNIFORM * math.sqrt(2.0)
        sd = math.hypot(by_step, RANGE_LEFT_SHARE * abs(used))
        found.append(Reading(RANGE_LEFT, show_indirect("range", leg), used, sd, step, by_step))
    return found


def scale_told(vehicle: Vehicle, instrument: str) -> bool:
    """Whether an instrument's readings tell energy, and not only a share of something that nobody told."""
    if instrument == CHARGE:
        return vehicle.capacity_kwh is not None
    return instrument not in {RATED, RANGE_LEFT} or wh_per_rated_km(vehicle) is not None


def charge_at_end(study: Study, leg: Leg) -> tuple[float, str] | None:
    """Charge at the end of a leg, and the leg whose start told it ("" where it was read); None where nothing does. [%]

    Where only starts were noted, the next leg's start is the end of this one, unless it was charged between.
    """
    if leg.soc_end_percent is not None:
        return leg.soc_end_percent, ""
    if leg.soc_start_percent is None or leg.charger_kwh or leg.charged_percent:
        return None
    own = [x for x in study.legs if x.vehicle == leg.vehicle]
    here = next((i for i, x in enumerate(own) if x.leg == leg.leg), len(own))
    after = own[here + 1] if here + 1 < len(own) else None
    if after is None or after.soc_start_percent is None or after.soc_start_percent >= leg.soc_start_percent:
        return None
    return after.soc_start_percent, after.leg


def _km(unit: str | None) -> float:
    return units.KM_PER_MILE if unit == "mi" else 1.0


def _step_km(
    study: Study, instrument: Literal["rated range used", "range left"], unit: str | None, *shown: float
) -> float:
    """Step of a display: as noted, else what its figures show. [km]"""
    fact = study.instruments.get(instrument)
    if fact is not None and fact.step is not None:
        return fact.step * _km(fact.unit)
    return float(10.0 ** -max(len(f"{x:g}".partition(".")[2]) for x in shown)) * _km(unit)

"""What makes the margin: one line for each source, adding in squares to half the interval, with the cheapest remedy."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Final

from fairmargin.core import intervals
from fairmargin.core.evidence.conditions import Conditions
from fairmargin.core.inference.options import Group, Regressor

LEAST_VARIANCE: Final = 1e-10  # log variance below which a source is not listed


@dataclass(frozen=True, slots=True)
class MarginLine:
    """One source of the margin."""

    source: str
    half_width_percent: float  # of the baseline's consumption; with the others in squares it makes the margin
    legs: tuple[str, ...]
    cause: str
    remedy: str


@dataclass(frozen=True, slots=True)
class _Told:
    """What is said of a source: where something was not noted, and where all was."""

    cause: str
    remedy: str
    missing: Callable[[Conditions], bool] | None = None
    missing_cause: str = ""
    missing_remedy: str = ""


def _no_wind(c: Conditions) -> bool:
    return not c.wind_known


#: Facts of the trade, common practice: what each source is, and what costs least to make it smaller.
TOLD: Final[Mapping[str, _Told]] = {
    Group.VEHICLE: _Told(
        "the vehicle's mass, drag and rolling resistance are not known well",
        "Give its mass and drag area in Question; papers and data sheets have them.",
    ),
    Group.WIND: _Told(
        "wind on the road is not the wind at the station",
        "Drive on a calmer day, or more pairs there and back.",
        _no_wind,
        "wind was not noted, or nothing says how it lay along the road",
        "Note speed and direction of the wind for each run; give the route.",
    ),
    Group.TEMPERATURE: _Told(
        "tyres and battery answer differently to warmth",
        "Drive both configurations in like temperatures, best on one day.",
        lambda c: not c.temperature_known,
        "temperature was not noted",
        "Note the outside temperature of each leg; the dash shows it.",
    ),
    Group.WARM_UP: _Told(
        "tyres and driveline were still warming up",
        "Drive twenty minutes before the first leg, and enter that drive.",
    ),
    Group.CLIMATE: _Told(
        "heating and cooling draw power that nobody measured",
        "Switch climate off, or hold one setting and note it.",
        lambda c: c.climate_k is None,
        "climate was not noted",
        "Note whether climate was off, or its setting.",
    ),
    Group.TYRES: _Told(
        "tyre pressure changes rolling resistance",
        "Set cold tyre pressures alike before each day.",
        lambda c: c.tyre_pressure_kpa is None,
        "tyre pressures were not noted",
        "Check cold tyre pressures before each day and note them.",
    ),
    Group.LOAD: _Told(
        "loads were not noted", "Note what is on board when it changes; weigh what was added."
    ),
    Group.DISPLAY_STEP: _Told(
        "the display shows no finer step", "Read a finer display, or drive longer legs."
    ),
    Group.INSTRUMENTS: _Told(
        "legs were read with different instruments", "Read every leg with the same instrument."
    ),
    Group.DAY: _Told(
        "each day does something to all its legs", "Drive both configurations on one day, in turn (ABBA)."
    ),
    Group.SPEED: _Told(
        "speeds are not known well",
        "Note each leg's driving time to the second.",
        lambda c: not c.timed,
        "driving times were not noted",
        "Note each leg's driving time.",
    ),
    Group.DIRECTION: _Told(
        "the model is a little wrong in each direction",
        "Drive both configurations in both directions, equally often.",
    ),
    Group.ROAD: _Told(
        "a damp or wet road costs energy",
        "Drive both configurations on a dry road.",
        lambda c: not c.road,
        "the state of the road was not noted",
        "Note whether the road was dry.",
    ),
    Group.VEHICLES: _Told("two vehicles are not alike", "Swap the vehicles, and drive again."),
    Group.CIRCUMFERENCE: _Told(
        "other wheels count other distances", "Take each leg's distance from GPS, or measure a full turn."
    ),
    Group.CHANGE: _Told(
        "how the change works is open", "Declare its mechanism and weigh it, in Question."
    ),
    Group.KNOWN: _Told(
        "a known other difference is known only so well", "Drive the two without that difference, or measure it."
    ),
    Group.CALIBRATION: _Told(
        "the instruments may all be off alike", "Hold the display against a charger or pump over several fills."
    ),
    Group.SCATTER: _Told("no two drives are alike", "Drive more pairs."),
    Group.UNCORRECTED: _Told(
        "recorded conditions differed, and the model is not used", "Drive both configurations in like conditions."
    ),
    Regressor.TRIP_LENGTH: _Told("short trips use more", "Compare trips of like length."),
}  # fmt: skip
#: How sources are called on screens, in reports and in JSON.
CALLED: Final = {str(Regressor.TRIP_LENGTH): "trip length"}


def limiting(lines: Sequence[MarginLine]) -> tuple[str, str]:
    """Cause and remedy of the largest line that more drives would not make smaller; nothing where there is none."""
    line = next((line for line in lines if line.source != Group.SCATTER), None)
    return ("", "") if line is None else (line.cause, line.remedy)


def margin_lines(
    budget: Sequence[tuple[str, float]],
    touched: Mapping[str, Sequence[str]],
    percent: float,
    interval_percent: tuple[float, float],
    confidence: float,
    conditions: Sequence[Conditions],
) -> tuple[MarginLine, ...]:
    """Lay the interval out by source, largest first.

    Parameters
    ----------
    budget : sequence of (source, variance of the logarithm)
    touched : mapping of source to legs
        Legs that a source acts on; all where absent.
    percent : float
        The effect.
    interval_percent : tuple of float
    confidence : float
    conditions : sequence of Conditions
        Of the legs that the comparison rests on.

    Returns
    -------
    tuple of MarginLine
        Squares of the half-widths sum to the square of half the interval. What the uncertain size of the scatter adds
        in the tails is the scatter's.
    """
    whole = (interval_percent[1] - interval_percent[0]) / 2.0
    scale = 1.0 + percent / 100.0
    half = {
        source: scale * intervals.half_width_percent(variance, confidence)
        for source, variance in budget
        if variance > LEAST_VARIANCE
    }
    others = math.sqrt(sum(h * h for source, h in half.items() if source != Group.SCATTER))
    if others < whole:
        half[Group.SCATTER] = math.sqrt(whole**2 - others**2)
    else:
        half = {s: h * whole / others for s, h in half.items() if s != Group.SCATTER}
    every = tuple(c.leg for c in conditions)
    by_leg = {c.leg: c for c in conditions}
    made = []
    for source, size in sorted(half.items(), key=lambda kv: -kv[1]):
        legs = tuple(touched.get(source, every)) or every
        told = TOLD[source]
        test = told.missing
        lacking = (
            () if test is None else tuple(name for name in legs if name in by_leg and test(by_leg[name]))
        )
        made.append(
            MarginLine(
                CALLED.get(str(source), str(source)),
                size,
                lacking or legs,
                told.missing_cause if lacking else told.cause,
                told.missing_remedy if lacking else told.remedy,
            )
        )
    return tuple(made)

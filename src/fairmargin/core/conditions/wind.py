"""Wind: what a mast reports, what of it blows at the car, and what nobody wrote down."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.conditions.case import Case, names
from fairmargin.core.conditions.causes import Cause, Group
from fairmargin.core.conditions.design import (
    WIND_AXES,
    DesignRows,
    Unknown,
    by_possible_day,
    by_told_day,
    by_untold_day,
    unknown_of,
)
from fairmargin.core.conditions.room import Compared, Condition, Exchange, LegField, Line, Told
from fairmargin.core.conditions.rules import Finding, Registry
from fairmargin.core.evidence.conditions import Conditions
from fairmargin.core.evidence.reported_wind import afar
from fairmargin.core.figures import SMALL, Prior, Size, Threshold
from fairmargin.core.laws import aero, wind
from fairmargin.core.model.parameters import Parameter
from fairmargin.core.units import said

Array = NDArray[np.float64]
CONCERNS: Registry[Case] = Registry()

FIELDS: Final[Mapping[str, LegField]] = {
    "wind_speed_ms": LegField(
        "Wind", "Mean wind at the mast; or 3 to 5, light, moderate", "wind", heads=("wind", "wind speed", "wind_speed_ms"), alike=True,
        compared=Compared("wind", "m/s", 1, 1.0),
    ),
    "wind_from_deg": LegField(
        "from", "Direction it comes from: degrees or N, NE, E …", "direction", 0, column="Wind from",
        heads=("from", "wind from", "wind direction", "wind_from_deg"), alike=True,
    ),
    "wind_gust_ms": LegField(
        "Gusts", "Strongest gust at the mast", "wind", heads=("gust", "gusts", "wind_gust_ms"), alike=True,
    ),
    "wind_age_s": LegField(
        "Wind's age", "Minutes between the wind's report and the middle of the leg: 0 where it was noted on the way", "duration",
        heads=("wind's age", "wind age", "age of the wind", "wind_age_s", "report age", "age of the report"),
    ),
}  # fmt: skip

HEIGHT_FACTOR: Final = Prior(wind.HEIGHT_FACTOR_SD, "log", "share of the mast's wind at the car, over its terrain's")
YAW_SLOPE: Final = Prior(0.5, "1", "growth of the drag area with yaw, see `aero.yaw_slope`")
WIND_DAY: Final = Prior(0.4, "m/s", "what all reports of a day share: the mast is not the road, some 9 km off")
WIND_WITHIN_LEG: Final = Prior(0.3, "m/s", "wind from the first half of a leg to the second")
WIND_OF_LEG: Final = Prior(1.0, "1", "wind of a leg, in units of what its reports leave open")
SHELTER: Final = Prior(0.15, "log", "share of the mast's wind at one place of the road, over the road's")
WIND_GROWTH: Final = Size(0.35, "of the usual errors", "wind errors in still air")
WIND_GROWTH_PER_M_S: Final = Size(0.19, "of the usual errors per m/s", "on top of it, by the reported wind")
USUAL_WIND_M_S: Final = Size(3.5, "m/s", "the wind by which its errors grow, where nobody reported any")
UNTOLD_STRENGTH: Final = Size(0.8, "of its drag", "strength of a day's wind that nobody reported")
TOLD_STRENGTH: Final = Size(
    0.55, "of its drag", "the same where its speed was noted but it cannot be laid along the road"
)
STRENGTH_WITHIN_DAY: Final = Size(0.2, "of its drag", "from one run to the next")

HEADLESS_WIND_M_S: Final = Threshold(1.0, "m/s", "less wind does not matter, from wherever it blows")
STRONG_WIND_M_S: Final = Threshold(5.0, "m/s", "the limit most testers set themselves")
VERY_STRONG_WIND_M_S: Final = Threshold(
    8.0, "m/s", "coast-down standards stop before it (UN GTR 15 Annex 4, from memory)"
)
CONTRADICTED: Final = Threshold(
    0.75, "1", "probability of an odd report from which it is told; none of 420 simulated honest days comes there"
)
EXPLAINED: Final = Threshold(
    0.35, "1", "the same, from which another reading of the reports fits: about what no day says"
)
#: How reports are misread, and by what factor.
SLIPS: Final = {"of where the wind blows to": -1.0, "in km/h": 1 / 3.6, "in knots": 0.5144}
GUST_EXCESS_M_S: Final = Threshold(4.0, "m/s", "gusts commonly lie 1.3 to 1.5 times above the mean")


def wind_growth(reported_m_s: float | None) -> float:
    """A mast some way off errs more in a strong wind than in a light one: factor on the wind's"""
    speed = USUAL_WIND_M_S if reported_m_s is None else reported_m_s
    return WIND_GROWTH + WIND_GROWTH_PER_M_S * speed


def reported_growth(conditions: Sequence[Conditions]) -> float:
    """`wind_growth` at the mean of the reported winds."""
    reported = [c.wind_speed for c in conditions if c.wind_known]
    return wind_growth(sum(reported) / len(reported) if reported else None)


def unknowns(design: DesignRows) -> list[Unknown]:
    """How much of the mast's wind blows at the car, what a day's reports share, and the wind of each leg."""
    out: list[Unknown] = []
    everywhere, growth = design.everywhere, reported_growth(design.conditions)
    if Cause.WIND not in design.ignore:
        height, slope = Parameter.HEIGHT_FACTOR, Parameter.YAW_SLOPE
        out.append(unknown_of("height factor", Group.WIND, height, everywhere, HEIGHT_FACTOR))
        out.append(unknown_of("yaw slope", Group.WIND, slope, everywhere, YAW_SLOPE))
    apart = growth * afar(design.study.wind.station_km)
    for key, on in by_told_day(design):
        out += [unknown_of(f"wind of day {key}", Group.WIND, axis, on, WIND_DAY, apart) for axis in WIND_AXES]
    if Cause.WIND not in design.ignore:
        out += _noted_as_intervals(design)
    references = np.zeros(len(design.reference_configurations))
    for leg in range(len(design.conditions)):
        own = np.concatenate([design.belief.factor[:, leg], references])
        out += [unknown_of("wind of legs", Group.WIND_OF_RUNS, axis, own, WIND_OF_LEG) for axis in WIND_AXES]
    return [*out, *_unlaid_wind(design)]


def _noted_as_intervals(design: DesignRows) -> list[Unknown]:
    """Winds whose speed was noted as an interval, along the side that they came from."""
    out = []
    for i, c in enumerate(design.conditions):
        if c.wind_sd <= 0 or not c.wind_known or c.wind_speed <= 0:
            continue
        for axis, part in zip(WIND_AXES, (c.from_north, c.from_east), strict=True):
            sd = c.wind_sd * abs(part) / c.wind_speed
            if sd > 0:
                out.append(Unknown("noted wind of a leg", Group.WIND, axis, np.eye(design.rows)[i], 0.0, sd))
    return out


def _unlaid_wind(design: DesignRows) -> list[Unknown]:
    """Strength of a wind that no report lays along the road."""
    belief = design.belief
    if not belief.unlaid.any() or Cause.WIND in design.ignore:
        return []
    n = len(design.conditions)
    growth = np.zeros(design.rows)
    growth[:n] = aero.growth_by_wind(
        np.array([c.speed_m_s for c in design.conditions]),
        np.sqrt(belief.unlaid) * design.model.height_factor,
        wind.CAR_TURBULENCE_SHARE * np.array([c.turbulence_m_s for c in design.conditions]),
    )
    size = np.where(belief.told, TOLD_STRENGTH, UNTOLD_STRENGTH)
    out = []
    unlaid = [bool(x) for x in belief.unlaid]
    for name, on in by_possible_day(design, unlaid):
        own = growth * on
        own[:n] *= size
        out.append(Unknown(f"strength of {name}", Group.WIND, Parameter.DRAG, own, 0.0, 1.0))
    for name, on in by_untold_day(design, unlaid):
        own = on.copy()
        own[:n] *= np.sqrt(belief.unlaid)
        out += [Unknown(f"wind of {name}", Group.WIND, axis, own, 0.0, 1.0) for axis in WIND_AXES]
    for run in dict.fromkeys(c.run for c in design.conditions):
        own = growth * design.where([c.run == run for c in design.conditions])
        if own.any():
            sd = STRENGTH_WITHIN_DAY
            out.append(Unknown("strength of a run", Group.WIND_OF_RUNS, Parameter.DRAG, own, 0.0, sd))
    return out


def exchange(e: Exchange) -> Exchange:
    """The wind of the reference, and nothing that the fit says of the wind on the road."""
    n, known = len(e.local), e.model.paths.heading_known.astype(float)
    local = e.local.copy()
    local[:, list(WIND_AXES)] = 0.0
    model = e.model.replaced(
        from_north=e.reference.from_north * known,
        from_east=e.reference.from_east * known,
        turbulence=np.full(n, e.reference.turbulence_m_s),
    )
    return replace(e, model=model, local=local)


@CONCERNS.rule("weather-unlike", stage="correct", needs="nothing", covered=True)
def wind_not_known(case: Case) -> Iterator[Finding]:
    """Wind that cannot be laid along the road: priced as the wind's part of the margin."""
    unknown = [c for c in case.conditions if not c.wind_known]
    headless = [
        c
        for c, known in zip(case.conditions, case.model.paths.heading_known, strict=True)
        if c.wind_known and not known and c.wind_speed > HEADLESS_WIND_M_S
    ]
    if unknown:
        yield Finding(
            "caution",
            case.part_percent(Group.WIND),
            names(unknown),
            "Nobody wrote the wind down",
            "Wind along the road cannot be corrected; the margin has been widened for it.",
            "Look up the nearest station's report for those hours.",
        )
    elif headless:
        yield Finding(
            "caution",
            case.part_percent(Group.WIND),
            names(headless),
            "The road's direction is not known",
            "Without a route the reported wind cannot be laid along the road; the margin has been widened.",
            "Bring in the route (a track or a few points).",
        )


@CONCERNS.rule("wind-strong", stage="correct", needs="wind", covered=True)
def wind_strong(case: Case) -> Iterator[Finding]:
    """Wind beyond the limit most testers set: priced as the wind's part of the margin."""
    strongest = max((c.wind_speed for c in case.conditions), default=0.0)
    if strongest <= STRONG_WIND_M_S:
        return
    yield Finding(
        "caution" if strongest > VERY_STRONG_WIND_M_S else "note",
        case.part_percent(Group.WIND),
        names([c for c in case.conditions if c.wind_speed > STRONG_WIND_M_S]),
        f"Wind up to {said(strongest, 'm/s')}",
        "What the mast reports is not what blows at the car; this is what the wind may still be worth "
        "after correction.",
        f"Wait for under {said(STRONG_WIND_M_S, 'm/s')}, or keep it and accept the margin.",
    )


@CONCERNS.rule("wind-contradicted", stage="correct", needs="wind", covered=True)
def wind_contradicted(case: Case) -> Iterator[Finding]:
    """Directions that differ otherwise than the reported wind would make them: priced as the wind's part of the margin."""
    if case.reports_contradicted < CONTRADICTED:
        return
    known = [c for c in case.conditions if c.wind_known]
    slip = next((words for words, factor in SLIPS.items() if _explains(case, factor)), None)
    yield Finding(
        "caution",
        case.part_percent(Group.WIND),
        names(known),
        "The drives speak of another wind than the reports",
        "Drives of different directions and hours differ otherwise than this wind would make them; the less is corrected "
        "by it.",
        (f"It would fit if the reports were {slip}. " if slip else "")
        + "Look at the hour of the reports (UTC or local time?), the unit, the side it blows from, and the station.",
    )


def _explains(case: Case, factor: float) -> bool:
    """Whether the drives agree with the reported wind times a factor."""
    changed = [replace(c, from_north=factor * c.from_north, from_east=factor * c.from_east) for c in case.conditions]
    left = case.contradicted_with(changed)
    return left is not None and left < EXPLAINED


@CONCERNS.rule("gusts", stage="correct", needs="wind and gusts", covered=True)
def gusts(case: Case) -> Iterator[Finding]:
    """Gusts well above the mean wind: priced against the usual turbulence of that wind."""
    gusty = [
        leg
        for leg in case.legs()
        if leg.wind_gust_ms is not None
        and leg.wind_speed_ms is not None
        and leg.wind_gust_ms - leg.wind_speed_ms > GUST_EXCESS_M_S
    ]
    if not gusty:
        return
    bias = case.without(Cause.GUSTS)
    yield Finding(
        "note" if bias is not None and abs(bias) < SMALL else "caution",
        bias,
        tuple(leg.leg for leg in gusty),
        "Gusts well above the mean wind",
        "Gusts add drag that does not average out; the model allows for the usual amount.",
        "Drive again on a steadier day if this is large beside the effect.",
        signed=True,
    )


CONDITION: Final = Condition(
    "wind",
    FIELDS,
    unknowns,
    lines=(Line("wind", "wind", 30, exchange, lambda c: c.wind_known),),
    told={
        Group.WIND: Told(
            "wind on the road is not the wind at the station",
            "Note the station's distance and its reports' age; drive more pairs.",
            lambda c: not c.wind_known,
            "wind was not noted, or nothing says how it lay along the road",
            "Note speed and direction of the wind for each run; give the route.",
        )
    },
    concerns=CONCERNS.rules,
)

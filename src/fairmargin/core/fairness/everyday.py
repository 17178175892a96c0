"""Concerns of everyday logs: what the regression leans on, and whether it may."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from fairmargin.core.conditions.case import names
from fairmargin.core.conditions.causes import Group, Regressor
from fairmargin.core.conditions.road_state import WET_UNEVEN
from fairmargin.core.conditions.rules import Finding, Registry
from fairmargin.core.evidence.conditions import Conditions
from fairmargin.core.evidence.reading import Observation
from fairmargin.core.fairness import thresholds as limit
from fairmargin.core.fairness.context import part_percent
from fairmargin.core.inference.posterior import Effect
from fairmargin.core.laws import disturbance
from fairmargin.core.study import Study
from fairmargin.core.words import signed


@dataclass(frozen=True, eq=False, slots=True)
class EverydayContext:
    """One comparison of everyday logs, as the rules see it."""

    study: Study
    trial: str
    conditions: Sequence[Conditions]  # one per observation
    observations: Sequence[Observation]
    effect: Effect
    without: Callable[[Regressor], float | None]  # effect minus the effect without a regressor, in per cent

    @property
    def both(self) -> tuple[list[Conditions], list[Conditions]]:
        """Conditions of the baseline trips and of the trial trips."""
        return (
            [c for c in self.conditions if c.configuration == self.study.baseline.id],
            [c for c in self.conditions if c.configuration == self.trial],
        )


#: Rules of everyday logs.
EVERYDAY: Registry[EverydayContext] = Registry()


def _unlike(
    case: EverydayContext,
    regressor: Regressor,
    value: Callable[[Conditions], float],
    threshold: float,
    unit: str,
    title: str,
) -> Iterator[Finding]:
    """Trips unlike in one regressor: priced by the regression without it."""
    a, b = case.both
    of_a, of_b = [value(c) for c in a], [value(c) for c in b]
    difference = float(np.mean(of_b) - np.mean(of_a))
    if abs(difference) <= threshold:
        return
    apart = max(min(of_a), min(of_b)) > min(max(of_a), max(of_b))
    yield Finding(
        "caution" if apart else "note",
        case.without(regressor),
        names(b),
        title,
        f"Trial trips differ by {signed(difference)} {unit} on average"
        + ("; the two never overlap, so the slope is common practice's, not yours." if apart else "."),
        "Corrected by the regression. Log trips of both kinds under like conditions."
        if apart
        else "Corrected by the regression.",
        signed=True,
    )


@EVERYDAY.rule("weather-unlike", stage="correct", needs="temperatures", covered=True)
def weather_unlike(case: EverydayContext) -> Iterator[Finding]:
    """Trial trips warmer or colder."""
    yield from _unlike(
        case, Regressor.TEMPERATURE, lambda c: c.temperature_c, limit.TRIPS_WARMER_K, "K", "Trips in unlike weather"
    )


@EVERYDAY.rule("speed-unlike", stage="correct", needs="times", covered=True)
def speed_unlike(case: EverydayContext) -> Iterator[Finding]:
    """Trial trips faster or slower."""
    yield from _unlike(
        case, Regressor.SPEED, lambda c: 3.6 * c.speed_m_s, limit.TRIPS_FASTER_KMH, "km/h", "Trips at unlike speeds"
    )


@EVERYDAY.rule("distance-unlike", stage="correct", needs="distances", covered=True)
def distance_unlike(case: EverydayContext) -> Iterator[Finding]:
    """Trial trips longer or shorter."""
    km = {o.legs[0]: o.true_km for o in case.observations}
    threshold = limit.TRIPS_LONGER * float(np.mean(list(km.values())))
    title = "Trips of unlike length"
    yield from _unlike(case, Regressor.TRIP_LENGTH, lambda c: km[c.leg], threshold, "km", title)


@EVERYDAY.rule("days-apart", stage="plan", needs="start times", covered=True)
def days_apart(case: EverydayContext) -> Iterator[Finding]:
    """No day has trips of both: priced as the days' part of the margin."""
    a, b = case.both
    days_a, days_b = {c.day for c in a}, {c.day for c in b}
    if days_a & days_b:
        return
    yield Finding(
        "note" if min(len(days_a), len(days_b)) > limit.MANY_DAYS else "caution",
        part_percent(case.study, case.effect, Group.DAY),
        names(b),
        "Baseline and trial on different days",
        "Everyday logs of weeks with and weeks without: what each day did is in the margin.",
        "Alternate more often, so that season and habit even out.",
    )


def _few(case: EverydayContext) -> Iterator[Finding]:
    """A handful of trips: priced as the scatter's part of the margin."""
    few = min(len(side) for side in case.both)
    yield Finding(
        "caution",
        part_percent(case.study, case.effect, Group.SCATTER),
        names(case.conditions),
        f"Only {few} trip{'s' if few != 1 else ''} of one configuration",
        "Everyday trips scatter by 5 % and more (common practice); a handful says little.",
        "Keep logging: two weeks of each is a fair start.",
    )


@EVERYDAY.rule("one-pair-only", stage="plan", needs="nothing", covered=True)
def one_pair_only(case: EverydayContext) -> Iterator[Finding]:
    """A single trip of one configuration."""
    if min(len(side) for side in case.both) == 1:
        yield from _few(case)


@EVERYDAY.rule("few-trips", stage="plan", needs="nothing", covered=True)
def few_trips(case: EverydayContext) -> Iterator[Finding]:
    """Two to four trips of one configuration."""
    if 1 < min(len(side) for side in case.both) < limit.FEW_TRIPS:
        yield from _few(case)


@EVERYDAY.rule("wet-road", stage="examine", needs="state of the road", covered=None)
def wet_road(case: EverydayContext) -> Iterator[Finding]:
    """Water or snow on the road: priced as the difference of its usual costs, which nothing corrects."""
    wet = tuple(c.leg for c in case.conditions if disturbance.road_share(c.road) > 0)
    if not wet:
        return
    cost = [100.0 * float(np.mean([disturbance.road_share(c.road) for c in side])) for side in case.both]
    bias = cost[1] - cost[0]
    uneven = abs(bias) > WET_UNEVEN
    yield Finding(
        "caution" if uneven else "note",
        bias,
        wet,
        "Wet road on some trips" if uneven else "Wet road, alike for both",
        "Water on the road is not corrected; heavy rain costs about 10 % (common practice).",
        "Leave the wet trips out with the reason." if uneven else "Nothing to do.",
        signed=True,
        covered=not uneven,
    )

"""Concerns of the weather: wind not known, strong, gusty or unlike; warmth; water on the road; the sun."""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np

from fairmargin.core.fairness import thresholds as limit
from fairmargin.core.fairness.context import TEST_DAY, ComparisonContext, mean, names
from fairmargin.core.fairness.registry import Finding
from fairmargin.core.inference.options import Cause, Group
from fairmargin.core.laws import auxiliaries, disturbance
from fairmargin.core.words import sentence


@TEST_DAY.rule("weather-unlike", stage="correct", needs="nothing", covered=True)
def wind_not_known(case: ComparisonContext) -> Iterator[Finding]:
    """Wind that cannot be laid along the road: priced as the wind's part of the margin."""
    unknown = [c for c in case.conditions if not c.wind_known]
    headless = [
        c
        for c, known in zip(case.conditions, case.fit.model.paths.heading_known, strict=True)
        if c.wind_known and not known and c.wind_speed > limit.HEADLESS_WIND_M_S
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


@TEST_DAY.rule("wind-strong", stage="correct", needs="wind", covered=True)
def wind_strong(case: ComparisonContext) -> Iterator[Finding]:
    """Wind beyond the limit most testers set: priced as the wind's part of the margin."""
    strongest = max((c.wind_speed for c in case.conditions), default=0.0)
    if strongest <= limit.STRONG_WIND_M_S:
        return
    yield Finding(
        "caution" if strongest > limit.VERY_STRONG_WIND_M_S else "note",
        case.part_percent(Group.WIND),
        names([c for c in case.conditions if c.wind_speed > limit.STRONG_WIND_M_S]),
        f"Wind up to {strongest:.0f} m/s",
        "What the mast reports is not what blows at the car; this is what the wind may still be worth "
        "after correction.",
        "Wait for under 5 m/s, or keep it and accept the margin.",
    )


@TEST_DAY.rule("gusts", stage="correct", needs="wind and gusts", covered=True)
def gusts(case: ComparisonContext) -> Iterator[Finding]:
    """Gusts well above the mean wind: priced against the usual turbulence of that wind."""
    gusty = [
        leg
        for leg in case.legs()
        if leg.wind_gust_ms is not None
        and leg.wind_speed_ms is not None
        and leg.wind_gust_ms - leg.wind_speed_ms > limit.GUST_EXCESS_M_S
    ]
    if not gusty:
        return
    bias = case.without(Cause.GUSTS)
    yield Finding(
        "note" if bias is not None and abs(bias) < limit.SMALL else "caution",
        bias,
        tuple(leg.leg for leg in gusty),
        "Gusts well above the mean wind",
        "Gusts add drag that does not average out; the model allows for the usual amount.",
        "Drive again on a steadier day if this is large beside the effect.",
        signed=True,
    )


@TEST_DAY.rule("weather-unlike", stage="correct", needs="temperature or wind", covered=True)
def weather_unlike(case: ComparisonContext) -> Iterator[Finding]:
    """Trial and baseline in unlike weather: priced as what the correction for it is worth."""
    a, b = case.both
    if not a or not b:
        return
    warm = (mean([c.temperature_c for c in b]) or 0.0) - (mean([c.temperature_c for c in a]) or 0.0)
    north = float(np.mean([c.from_north for c in b]) - np.mean([c.from_north for c in a]))
    east = float(np.mean([c.from_east for c in b]) - np.mean([c.from_east for c in a]))
    moved = math.hypot(north, east)
    parts = []
    if abs(warm) > limit.WARMER_K:
        parts.append(f"trial legs were {abs(warm):.0f} K {'warmer' if warm > 0 else 'colder'}")
    if moved > limit.WIND_MOVED_M_S:
        parts.append(f"the wind differed by {moved:.1f} m/s")
    if not parts:
        return
    bias = case.without(Cause.WIND, Cause.AIR, Cause.TYRES)
    large = abs(bias or 0.0) > max(limit.NOTABLE, abs(case.effect.percent) / 2)
    yield Finding(
        "caution" if large else "note",
        bias,
        names(b),
        "Unlike weather",
        f"{sentence(' and '.join(parts))}. This is what the correction for it is worth.",
        "Corrected. Drive both on one day to need less of it.",
        signed=True,
    )


@TEST_DAY.rule("wet-road", stage="examine", needs="state of the road", covered=None)
def wet_road(case: ComparisonContext) -> Iterator[Finding]:
    """Water or snow on the road: priced as the difference of its usual costs, which nothing corrects."""
    a, b = case.both
    wet = [c for c in case.conditions if disturbance.road_share(c.road) > 0]
    if case.study.change.subject == "road":
        return  # the water is what is asked about
    if not wet or not a or not b:
        return
    cost = [100.0 * float(np.mean([disturbance.road_share(c.road) for c in side])) for side in (a, b)]
    bias = cost[1] - cost[0]
    uneven = abs(bias) > limit.WET_UNEVEN
    yield Finding(
        "caution" if uneven else "note",
        bias,
        names(wet),
        "Wet road on some legs" if uneven else "Wet road, alike for both",
        "Water on the road is not corrected; heavy rain costs about 10 % (common practice).",
        "Leave the wet legs out with the reason, or drive them again in the dry."
        if uneven
        else "Nothing to do.",
        signed=True,
        covered=not uneven,
    )


@TEST_DAY.rule("sun-load", stage="plan", needs="start times, climate", covered=False)
def sun_load(case: ComparisonContext) -> Iterator[Finding]:
    """Climate on, and the two configurations driven at other times of day: the sun is not the same."""
    a, b = ([c for c in side if c.climate_k] for side in case.both)
    clocks = [[c.started_s % 86400.0 for c in side if c.started_s is not None] for side in (a, b)]
    if not clocks[0] or not clocks[1]:
        return
    height = [float(np.mean([auxiliaries.sun_height(s) for s in side])) for side in clocks]
    if abs(height[1] - height[0]) < limit.SUN_UNLIKE:
        return
    level_w = case.effect.baseline_wh_per_km * 3.6 * float(np.mean([c.speed_m_s for c in (*a, *b)]))
    bias = 100.0 * auxiliaries.SUN_W * (height[1] - height[0]) / level_w
    summer = float(np.mean([c.temperature_c for c in (*a, *b)])) > limit.SUMMER_C
    yield Finding(
        "note" if abs(bias) < limit.NOTABLE else "caution",
        bias if summer else -bias,
        names(b),
        "Climate on, and the sun not alike",
        "Baseline and trial were driven at other times of day; full sun changes the cabin's load by about "
        f"{auxiliaries.SUN_W:.0f} W (common practice), clouds unknown.",
        "Drive with the climate off, or both at the same time of day.",
    )

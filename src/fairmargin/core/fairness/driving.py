"""Concerns of the driving: speeds, lengths, cold tyres, what was noted on the way, stops."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace

import numpy as np

from fairmargin.core.evidence.conditions import Conditions
from fairmargin.core.evidence.readings import ROUNDED
from fairmargin.core.fairness import thresholds as limit
from fairmargin.core.fairness.context import TEST_DAY, ComparisonContext, names
from fairmargin.core.fairness.registry import Finding
from fairmargin.core.inference.options import Cause
from fairmargin.core.laws import auxiliaries, disturbance
from fairmargin.core.model.parameters import Parameter
from fairmargin.core.study.kinds import EventKind


@TEST_DAY.rule("speed-unlike", stage="correct", needs="times or logs", covered=None)
def speed_unlike(case: ComparisonContext) -> Iterator[Finding]:
    """Trial legs faster or slower: priced as if all had been driven at one speed; of technique, a leg unlike its like."""
    a, b = case.both
    if not a or not b or case.study.change.subject == "speed":
        return
    if case.study.change.is_technique:
        yield from _long_legs(case)
        return
    fast = [float(np.mean([c.speed_m_s for c in side])) * 3.6 for side in (a, b)]
    if abs(fast[1] / fast[0] - 1) <= limit.SPEED_UNLIKE:
        return
    middle = float(np.mean(fast)) / 3.6
    bias = case.with_conditions([replace(c, speed_m_s=middle) for c in case.conditions])
    yield Finding(
        "caution" if abs(bias or 0.0) > limit.NOTABLE else "note",
        bias,
        names(b),
        f"Trial legs {abs(fast[1] - fast[0]):.1f} km/h {'faster' if fast[1] > fast[0] else 'slower'}",
        f"Baseline legs averaged {fast[0]:.1f} km/h, trial legs {fast[1]:.1f} km/h.",
        "Corrected through the model. Hold the speed by GPS next time.",
        signed=True,
        covered=True,
    )


def _long_legs(case: ComparisonContext) -> Iterator[Finding]:
    """Legs that took longer than their like, where nothing of how it was driven is corrected: priced by leaving them out."""
    timed: dict[tuple[str, str, str], list[tuple[str, float]]] = {}
    for leg in case.legs():
        if leg.duration_s and leg.distance_km:
            key = (leg.configuration, leg.direction, leg.sector)
            timed.setdefault(key, []).append((leg.leg, leg.duration_s / leg.distance_km))
    slow = [
        name
        for own in timed.values()
        for name, pace in own
        if len(own) >= limit.LIKE_LEGS and pace > (1 + limit.LONG_LEG) * float(np.median([x for _, x in own]))
    ]
    if not slow:
        return
    yield Finding(
        "caution",
        case.dropping(slow),
        tuple(slow),
        f"{', '.join(slow)} took longer than the others",
        "Held up, or driven otherwise: where the way of driving is the change, nothing of it is corrected away.",
        "Drive it again, or leave it out with the reason if something held it up.",
        signed=True,
        covered=False,
    )


@TEST_DAY.rule("distance-unlike", stage="examine", needs="distances", covered=False)
def distance_unlike(case: ComparisonContext) -> Iterator[Finding]:
    """Legs of another length than the others of their direction: priced by leaving them out."""
    if not all(case.both):
        return
    by_way: dict[bool, list[Conditions]] = {}
    for c in case.conditions:
        if c.true_m:
            by_way.setdefault(c.backwards, []).append(c)
    odd = [
        c
        for legs in by_way.values()
        for c in legs
        if abs(c.true_m / float(np.median([x.true_m for x in legs])) - 1) > limit.LENGTH_UNLIKE
    ]
    if not odd:
        return
    yield Finding(
        "caution",
        case.dropping([c.leg for c in odd]),
        names(odd),
        "Legs of unlike length",
        "These legs are more than 2 % longer or shorter than the others of their direction: a wrong turn, "
        "a late reset or another read-off point.",
        "Check reset and read-off; leave the leg out with the reason if it was another road.",
        signed=True,
    )


@TEST_DAY.rule("cold-tyres", stage="correct", needs="start times", covered=True)
def cold_tyres(case: ComparisonContext) -> Iterator[Finding]:
    """One configuration carries more of the day's cold start: priced as what the correction is worth."""
    a, b = case.both
    if not a or not b:
        return
    early = [float(np.mean([c.cold_share for c in side])) for side in (a, b)]
    if abs(early[1] - early[0]) <= limit.COLD_UNLIKE:
        return
    bias = case.without(Cause.WARM_UP)
    yield Finding(
        "note" if abs(bias or 0.0) < limit.NOTABLE else "caution",
        bias,
        names([c for c in case.conditions if c.cold_share > limit.COLD_LEG]),
        "The day's first leg on cold tyres",
        "Tyres roll harder for the first 15 to 30 minutes; one configuration carries more of that.",
        "Drive a warm-up leg first; or start the next block with the other configuration.",
        signed=True,
    )


# ---------------------------------------------------------------- what was noted on the way


def noted(case: ComparisonContext, kind: EventKind) -> tuple[str, ...]:
    """Legs of the comparison on which something was noted."""
    ours = {c.leg for c in case.conditions}
    return tuple(dict.fromkeys(e.leg for e in case.study.events if e.kind == kind and e.leg in ours))


@TEST_DAY.rule("slow-traffic", stage="examine", needs="a note, with place, duration and speed", covered=None)
def slow_traffic(case: ComparisonContext) -> Iterator[Finding]:
    """Held up by traffic: priced as if nobody had been, since the leg's own time already slows the model down."""
    legs = noted(case, "slow-traffic")
    if not legs:
        return
    if case.study.change.is_technique:
        yield Finding(
            "caution",
            case.dropping(legs),
            legs,
            "Slow traffic",
            "Held up by traffic: how much of it is the traffic's and how much the way of driving, nobody can tell.",
            "Drive the leg again, or leave it out with the reason.",
            signed=True,
            covered=False,
        )
        return
    free = float(np.median([c.speed_m_s for c in case.conditions]))
    level = [replace(c, speed_m_s=free) if c.leg in legs else c for c in case.conditions]
    bias = case.with_conditions(level, Cause.EVENTS)
    yield Finding(
        "note" if abs(bias or 0.0) < limit.SMALL else "caution",
        bias,
        legs,
        "Slow traffic",
        "Held up by traffic. The slower stretch is in the model; restarts are not, and count as scatter.",
        "Corrected. Drive the leg again if it was long.",
        signed=True,
        covered=True,
    )


def _spoilt(
    case: ComparisonContext,
    kind: EventKind,
    usual_share: Callable[[], float] | None,
    title: str,
    message: str,
    step: str,
) -> Iterator[Finding]:
    """A leg spoilt by something that nothing corrects: priced by leaving it out, else by what it usually does."""
    legs = noted(case, kind)
    if not legs:
        return
    bias = case.dropping(legs)
    if bias is None and usual_share is not None:
        bias = as_usual(case, legs, usual_share())
    covered = bias is not None and abs(bias) < limit.SMALL
    yield Finding(
        "note" if covered else "caution", bias, legs, title, message, step, signed=True, covered=covered
    )


def as_usual(case: ComparisonContext, legs: Sequence[str], usual_share: float) -> float:
    """What a thing usually does to legs that cannot be left out, as a difference of means (common practice)."""
    shares = [sum(c.leg in legs for c in side) / max(len(side), 1) for side in case.both]
    return 100.0 * usual_share * (shares[1] - shares[0])


@TEST_DAY.rule("following-closely", stage="examine", needs="a note", covered=None)
def following_closely(case: ComparisonContext) -> Iterator[Finding]:
    """Driven in the wake of a vehicle ahead."""
    yield from _spoilt(
        case,
        "following-closely",
        lambda: -disturbance.WAKE_SHARE * case.energy_share(Parameter.DRAG),
        "Followed another vehicle closely",
        "The wake of a vehicle ahead lowers the drag, by 10 to 20 % at motorway distances (common practice).",
        "Never follow closely to test. Leave the leg out with the reason, or drive it again.",
    )


@TEST_DAY.rule("trip-meter-not-reset", stage="examine", needs="a note", covered=None)
def trip_meter_not_reset(case: ComparisonContext) -> Iterator[Finding]:
    """The reset may not have taken: it blocks its leg, unless another meter was read."""
    noted_on = noted(case, "reset-doubtful")
    counted = {name: o.readings[0].instrument for o in case.observations for name in o.legs}
    by_trip = tuple(name for name in noted_on if counted.get(name) in ROUNDED)
    if by_trip:
        bias = case.dropping(by_trip)
        small = bias is not None and abs(bias) < limit.SMALL
        yield Finding(
            "note" if small else "blocks",
            bias,
            by_trip,
            "Trip meter reset doubtful",
            "If the reset did not take, the average belongs to a longer drive.",
            "Check distance against the route; leave the leg out if they differ."
            if small
            else "Read another meter for this leg, or leave it out with the reason.",
            signed=True,
            covered=small,
        )
    elif noted_on:
        yield Finding(
            "note",
            0.0,
            noted_on,
            "Trip meter reset doubtful, another meter counts",
            "The trip meter of this leg does not count; what another instrument read does.",
            "Nothing to do.",
            signed=True,
            covered=True,
        )


@TEST_DAY.rule("read-off-point-moved", stage="examine", needs="a note", covered=None)
def read_off_point_moved(case: ComparisonContext) -> Iterator[Finding]:
    """Coasted before the read-off."""
    yield from _spoilt(
        case,
        "lift-off",
        None,
        "Lifted off before the read-off",
        "Coasting before the read-off leaves kinetic energy out of the reading.",
        "Read off at the landmark, at speed; drive the leg again.",
    )


@TEST_DAY.rule("wet-road", stage="examine", needs="a note", covered=None)
def rain(case: ComparisonContext) -> Iterator[Finding]:
    """Rain noted on a leg."""
    yield from _spoilt(
        case,
        "rain",
        lambda: disturbance.RAIN_SHARE,
        "Rain on the leg",
        "Rain costs up to 10 % and is not corrected (common practice).",
        "Leave the leg out with the reason, or drive it again in the dry.",
    )


@TEST_DAY.rule("stopped-with-car-on", stage="examine", needs="standing times or logs", covered=True)
def stopped_with_car_on(case: ComparisonContext) -> Iterator[Finding]:
    """Stood with the auxiliaries running: priced as the difference of what they took."""
    a, b = case.both
    stopped = [c for c in case.conditions if c.stopped_s > limit.STOPPED_S]
    if not stopped:
        return
    power_w = case.fit.model.constants.auxiliary_w
    share = [
        100.0
        * auxiliaries.energy_wh(power_w, sum(c.stopped_s for c in side))
        / max(sum(c.true_m for c in side) / 1000.0 * case.effect.baseline_wh_per_km, 1.0)
        for side in (a, b)
    ]
    yield Finding(
        "note",
        share[1] - share[0] if a and b else None,
        names(stopped),
        "Stops with the car on",
        "Auxiliaries ran while the car stood, and each stop costs its speed's energy; both are in the model.",
        "Corrected. Plan a route without stops.",
        signed=True,
    )

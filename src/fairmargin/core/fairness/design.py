"""Concerns of the design: directions, vehicles, days, order, number of pairs, speed asked about."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np

from fairmargin.core.evidence.conditions import Conditions
from fairmargin.core.fairness import thresholds as limit
from fairmargin.core.fairness.context import TEST_DAY, ComparisonContext, mean, names
from fairmargin.core.fairness.registry import Finding
from fairmargin.core.inference.options import Group
from fairmargin.core.planning import drift_left


@TEST_DAY.rule("direction-confounded", stage="plan", needs="directions of the legs", covered=False)
def direction_confounded(case: ComparisonContext) -> Iterator[Finding]:
    """Each direction has one configuration only."""
    a, b = case.both
    if case.study.method == "climb" or not a or not b:
        return
    if {c.backwards for c in a} & {c.backwards for c in b}:
        return
    yield Finding(
        "blocks",
        None,
        names(case.conditions),
        "Each direction has one configuration only",
        "The baseline was driven one way and the trial the other: hill and wind cannot be told from the change.",
        "Drive both configurations in both directions.",
    )


@TEST_DAY.rule("vehicle-confounded", stage="plan", needs="which vehicle drove each leg", covered=False)
def vehicle_confounded(case: ComparisonContext) -> Iterator[Finding]:
    """One of two vehicles always had the change."""
    if case.study.change.subject == "vehicle":
        yield Finding(
            "caution",
            None,
            names(case.conditions),
            "One vehicle always had the change",
            "The vehicles themselves are compared: tyres, batteries, wear and drivers that differ between them are in it.",
            "Swap what can be swapped, or enter what else is known to differ.",
        )
        return
    if case.study.method == "side-by-side" and not any(c.control for c in case.conditions):
        yield Finding(
            "blocks",
            None,
            names(case.conditions),
            "Nobody noted which vehicle drove which leg",
            "Without the vehicle of each leg, the change and the vehicle that carries it cannot be told apart.",
            "Enter the vehicle of each leg; swap the change between them.",
        )
        return
    if not any(c.control for c in case.conditions) and case.study.method != "side-by-side":
        return
    control = {c.configuration for c in case.conditions if c.control}
    test = {c.configuration for c in case.conditions if not c.control}
    if len(test) >= 2 or len(control) >= 2:
        return
    yield Finding(
        "blocks",
        None,
        names(case.conditions),
        "One vehicle always had the change",
        "The change and the vehicle that carries it cannot be told apart.",
        "Swap the change to the other vehicle, or drive both vehicles in the baseline as well.",
    )


@TEST_DAY.rule("days-apart", stage="plan", needs="start times", covered=True)
def days_apart(case: ComparisonContext) -> Iterator[Finding]:
    """No day has both configurations: priced as the day's part of the margin."""
    a, b = case.both
    if not a or not b or {c.day for c in a} & {c.day for c in b}:
        return
    gap = None
    starts = [[c.started_s for c in side if c.started_s is not None] for side in (a, b)]
    if all(starts):
        gap = abs(float(np.mean(starts[1])) - float(np.mean(starts[0]))) / 86400.0
    when = f"about {gap:.0f} days" if gap is not None and gap >= limit.DAYS_TOLD else "a day"
    yield Finding(
        "caution" if gap is None or gap > limit.DAYS_APART_NOTE else "note",
        case.part_percent(Group.DAY),
        names(b),
        "Baseline and trial on different days",
        f"Baseline and trial lie {when} apart: battery, road surface and driver's form are not the same. "
        "The margin has been widened for it.",
        "Drive a few runs of both on one day.",
    )


@TEST_DAY.rule("order-drift", stage="plan", needs="order of the runs", covered=True)
def order_drift(case: ComparisonContext) -> Iterator[Finding]:
    """The order keeps a share of a steady drift: priced by the drift that the fit leaves over."""
    a, b = case.both
    ordered = case.ordered
    letters = [(case.study.letter(c.configuration), c.run) for c in ordered]
    runs = "".join(letter for i, (letter, run) in enumerate(letters) if i == 0 or letters[i - 1][1] != run)
    if not a or not b or not {c.day for c in a} & {c.day for c in b} or set(runs) != {"A", "B"}:
        return
    left = drift_left(runs)
    if abs(left) <= limit.DRIFT_LEFT:
        return
    drift = drift_percent(case, ordered)
    bias = None if drift is None else drift * left
    yield Finding(
        "caution" if len(runs) > 2 or bias is None or abs(bias) > limit.NOTABLE else "note",
        bias,
        names(ordered),
        f"Order {runs} does not cancel the day's drift",
        f"{abs(left):.0%} of any steady drift of the day (warming, wind, battery) stays in the difference.",
        "Add runs in the opposite order, so that the whole reads ABBA.",
        signed=bias is not None,
    )


def drift_percent(case: ComparisonContext, ordered: Sequence[Conditions]) -> float | None:
    """Steady drift over the whole day, in per cent, from what the fit leaves over; None with few legs."""
    if len(ordered) < limit.DRIFT_LEGS or any(c.started_s is None for c in ordered):
        return None
    t = np.array([c.started_s for c in ordered], dtype=float)
    span = float(np.ptp(t))
    if span < limit.DRIFT_SPAN_S:
        return None
    log_residual = np.array([case.fit.log_residual[c.leg] for c in ordered])
    is_b = np.array([c.configuration == case.trial for c in ordered], dtype=float)
    back = np.array([c.backwards for c in ordered], dtype=float)
    design = np.stack([np.ones(len(t)), is_b, back, (t - t.mean()) / span], axis=1)
    slope = float(np.linalg.lstsq(design, log_residual, rcond=None)[0][3])
    return 100.0 * slope


@TEST_DAY.rule("one-pair-only", stage="plan", needs="nothing", covered=True)
def one_pair_only(case: ComparisonContext) -> Iterator[Finding]:
    """A single run of one configuration: priced as the scatter's part of the margin."""
    a, b = case.both
    if min(len({c.run for c in a}), len({c.run for c in b})) != 1:
        return
    yield Finding(
        "caution",
        case.part_percent(Group.SCATTER),
        names(case.ordered),
        "One pair only",
        "With a single run of one configuration, nothing tells its scatter from the change.",
        "Drive another pair, in the other order.",
    )


@TEST_DAY.rule("outside-tested-speed", stage="question", needs="target speed, times or logs", covered=True)
def outside_tested_speed(case: ComparisonContext) -> Iterator[Finding]:
    """Stated for a speed that was not driven: priced as what lies between the two speeds."""
    target = case.study.target_speed_kmh
    driven = mean([c.speed_m_s * 3.6 for c in case.conditions])
    if not target or not driven or case.fit.as_driven:
        return
    if abs(driven / target - 1) <= limit.SPEED_OFF_TARGET:
        return
    yield Finding(
        "caution",
        case.at_speed(driven),
        names(case.conditions),
        "Driven at another speed than the one asked about",
        f"The legs averaged {driven:.0f} km/h; the result is stated for {target:.0f} km/h. "
        "This much of it is the model's, not the road's.",
        "Set the study's target speed to the one driven, or drive at the target speed.",
        signed=True,
    )

"""The day: what its legs share, and what drifts over it."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Sequence
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.conditions.case import Case, names, order_of_runs
from fairmargin.core.conditions.causes import Group
from fairmargin.core.conditions.design import DesignRows, Unknown, by_told_day, unknown_of
from fairmargin.core.conditions.room import Condition, LegField, Told
from fairmargin.core.conditions.rules import Finding, Registry
from fairmargin.core.evidence.conditions import Conditions
from fairmargin.core.figures import NOTABLE, Prior, Threshold
from fairmargin.core.model.parameters import Parameter
from fairmargin.core.orders import drift_left, mended

Array = NDArray[np.float64]
CONCERNS: Registry[Case] = Registry()

FIELDS: Final[Mapping[str, LegField]] = {
    "started_at": LegField(
        "Start", "9:35, or a whole date and time", "clock",
        heads=("start", "started", "started_at", "departure", "clock", "start time"),
    ),
}  # fmt: skip

DAY: Final = Prior(0.012, "log", "what a day does to all its legs: sun and moisture on the road, and small things")
DRIFT: Final = Prior(
    0.005, "log per hour", "what runs on over an outing: sun and drying on the road, tyres, driver, falling charge"
)
PRESSURE_MISSING: Final = Prior(0.005, "log", "air pressure of a day that nobody noted")

DAYS_APART_NOTE: Final = Threshold(2.0, "days", "up to a weekend apart, battery and road hardly change")
DAYS_TOLD: Final = Threshold(1.5, "days", "from here a gap is told in days, not as a day")
MOST_WRITTEN: Final = 12  # runs whose order is written out
DRIFT_LEFT: Final = Threshold(0.3, "share", "ABAB keeps 0.33 of a steady drift and is worth a word, ABBA keeps none")
DRIFT_MOST: Final = Threshold(0.5, "share", "AABB keeps two thirds of a drift, ABAB a third")
DRIFT_LEGS: Final = Threshold(6, "legs", "four unknowns (level, change, direction, drift) want two legs more")
DRIFT_SPAN_S: Final = Threshold(600.0, "s", "a shorter day has no drift to tell")


def unknowns(design: DesignRows) -> list[Unknown]:
    """What a day does to all its legs, and what runs on over it."""
    sd = DAY.sd
    if not all(c.pressure_known for c in design.conditions):
        sd = math.hypot(sd, PRESSURE_MISSING.sd)
    days = [Unknown(f"day {key}", Group.DAY, Parameter.TOTAL, on, 0.0, sd) for key, on in by_told_day(design)]
    return [*days, *_drifts(design)]


def _drifts(design: DesignRows) -> list[Unknown]:
    """A steady drift of each day, about the middle of its legs; each vehicle has its own."""
    out: list[Unknown] = []
    middle = np.array([c.placed_s + c.duration_s / 2 for c in design.conditions])
    for day, control in dict.fromkeys((c.day, c.control) for c in design.conditions):
        own = np.array([(c.day, c.control) == (day, control) for c in design.conditions])
        hours = np.where(own, (middle - float(np.mean(middle[own]))) / 3600.0, 0.0)
        if np.ptp(middle[own]) > DRIFT_SPAN_S:
            on = np.zeros(design.rows)
            on[: len(hours)] = hours
            out.append(unknown_of(f"drift of day {day}", Group.DRIFT, Parameter.TOTAL, on, DRIFT))
    return out


@CONCERNS.rule("days-apart", stage="plan", needs="start times", covered=True)
def days_apart(case: Case) -> Iterator[Finding]:
    """No day has both configurations: priced as the day's part of the margin."""
    a, b = case.both
    if not a or not b or {c.day for c in a} & {c.day for c in b}:
        return
    gap = None
    starts = [[c.started_s for c in side if c.started_s is not None] for side in (a, b)]
    if all(starts):
        gap = abs(float(np.mean(starts[1])) - float(np.mean(starts[0]))) / 86400.0
    when = f"about {gap:.0f} days" if gap is not None and gap >= DAYS_TOLD else "a day"
    yield Finding(
        "caution" if gap is None or gap > DAYS_APART_NOTE else "note",
        case.part_percent(Group.DAY),
        names(b),
        "Baseline and trial on different days",
        f"Baseline and trial lie {when} apart: battery, road surface and driver's form are not the same. "
        "The margin has been widened for it.",
        "Drive a few runs of both on one day.",
    )


@CONCERNS.rule("order-drift", stage="plan", needs="order of the runs", covered=True)
def order_drift(case: Case) -> Iterator[Finding]:
    """The order keeps a share of a steady drift: priced by the drift that the fit leaves over."""
    a, b = case.both
    ordered = case.ordered
    runs = order_of_runs(case)
    if not a or not b or not {c.day for c in a} & {c.day for c in b} or set(runs) != {"A", "B"}:
        return
    left = drift_left(runs)
    if abs(left) <= DRIFT_LEFT:
        return
    drift = drift_percent(case, ordered)
    bias = None if drift is None else drift * left
    yield Finding(
        "caution" if abs(left) > DRIFT_MOST or bias is None or abs(bias) > NOTABLE else "note",
        bias,
        names(ordered),
        f"Order {runs} does not cancel the day's drift",
        f"{abs(left):.0%} of any steady drift of the day (warming, wind, battery) stays in the difference.",
        _then(runs),
        signed=bias is not None,
    )


def _then(runs: str) -> str:
    """What to add to the runs of a day."""
    whole = mended(runs)
    added = whole[len(runs) :]
    return (
        f"Add {added}, so that the whole reads {whole}."
        if len(whole) <= MOST_WRITTEN
        else "Add as many runs in the opposite order."
    )


def drift_percent(case: Case, ordered: Sequence[Conditions]) -> float | None:
    """Steady drift over the whole day, in per cent, from what the fit leaves over; None with few legs."""
    if len(ordered) < DRIFT_LEGS or any(c.started_s is None for c in ordered):
        return None
    t = np.array([c.started_s for c in ordered], dtype=float)
    span = float(np.ptp(t))
    if span < DRIFT_SPAN_S:
        return None
    log_residual = np.array([case.log_residual[c.leg] for c in ordered])
    is_b = np.array([c.configuration == case.trial for c in ordered], dtype=float)
    back = np.array([c.backwards for c in ordered], dtype=float)
    design = np.stack([np.ones(len(t)), is_b, back, (t - t.mean()) / span], axis=1)
    slope = float(np.linalg.lstsq(design, log_residual, rcond=None)[0][3])
    return 100.0 * slope


CONDITION: Final = Condition(
    "day",
    FIELDS,
    unknowns,
    told={
        Group.DAY: Told(
            "each day does something to all its legs", "Drive both configurations on one day, in turn (ABBA)."
        ),
        Group.DRIFT: Told(
            "what runs on over the day falls on one side more than on the other",
            "Add runs in the opposite order, so that the later half mirrors the first.",
        ),
    },
    concerns=CONCERNS.rules,
)

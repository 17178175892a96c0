"""Concerns of the instruments: steps, gaps in logs, disagreement, wheels that count otherwise, the wall's meter."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace
from typing import Final

import numpy as np

from fairmargin.core.evidence.readings import Observation, Reading, circumference_known
from fairmargin.core.fairness import thresholds as limit
from fairmargin.core.fairness.context import TEST_DAY, ComparisonContext
from fairmargin.core.fairness.registry import Finding
from fairmargin.core.inference.options import Group
from fairmargin.core.planning import display_noise_percent


def _coarse(kind: str, gauge: str) -> Callable[[ComparisonContext], Iterator[Finding]]:
    """Rule of one kind of instrument: what its step alone is worth in the effect."""

    def check(case: ComparisonContext) -> Iterator[Finding]:
        a, b = _both(case)
        using = [o for o in (*a, *b) if o.readings[0].instrument == kind]
        if not using:
            return
        step_share = float(np.mean([o.relative_sd for o in using])) * math.sqrt(12.0)
        count = max(1, min(len(a), len(b)))
        bias = display_noise_percent(step_share, count, case.study.confidence)
        if bias <= limit.TRIFLE:
            return
        low, high = case.effect.interval_percent(case.study.confidence)
        unsettled = low < 0 < high
        large = bias > max(
            case.study.smallest_effect_percent, 0.0 if unsettled else abs(case.effect.percent) / 2
        )
        charged = kind == "charge back"
        yield Finding(
            "caution" if large else "note",
            bias,
            tuple(name for o in using for name in o.legs),
            f"Charging back repeats to \u00b1{56.6 * step_share:.1f} % of a leg"
            if charged
            else f"Step of the {gauge}: {100 * step_share:.1f} % of a reading",
            f"{'Where the charger stops' if charged else 'Rounding'} alone is worth this much with "
            f"{count} leg{'s' if count != 1 else ''} each ({kind}).",
            _finer(case, using, bias, count) if large else "Nothing to do.",
        )

    return check


#: Effect that a display should let one see, where nobody said a smaller one matters. [%]
WANTED_PERCENT: Final = 5.0


def _finer(case: ComparisonContext, using: Sequence[Observation], bias: float, count: int) -> str:
    """What step, or how many drives, would let rounding alone be a third of an effect worth seeing."""
    wanted = max(case.study.smallest_effect_percent, min(abs(case.effect.percent), WANTED_PERCENT)) / 3.0
    share = wanted / bias
    many = math.ceil(count / share**2)
    fact = case.study.instruments.get(using[0].readings[0].instrument)  # type: ignore[call-overload]
    step = (
        f"a step {1 / share:.0f} times finer"
        if fact is None or fact.step is None
        else f"a step of {fact.step * share:.1g}"
    )
    drives = f", or about {many} drives of each at slightly other speeds," if many <= MOST_DRIVES else ""
    return f"Read a finer instrument: {step}{drives} would show {3 * wanted:.1g} %. Longer legs do not help an average."


MOST_DRIVES: Final = 60


def _both(case: ComparisonContext) -> tuple[list[Observation], list[Observation]]:
    """Observations of the baseline and of the trial."""
    of = {leg.leg: leg.configuration for leg in case.study.legs}
    return (
        [o for o in case.observations if of[o.legs[0]] == case.baseline],
        [o for o in case.observations if of[o.legs[0]] == case.trial],
    )


for _kind, _code, _gauge in (
    ("trip average", "display-too-coarse", "display"),
    ("trip energy", "display-too-coarse", "display"),
    ("state of charge", "gauge-too-coarse", "gauge"),
    ("charge back", "display-too-coarse", "display"),
):
    TEST_DAY.rule(_code, stage="plan", needs="the step of the display", covered=True)(_coarse(_kind, _gauge))


@TEST_DAY.rule("log-gaps", stage="examine", needs="logs", covered=True)
def log_gaps(case: ComparisonContext) -> Iterator[Finding]:
    """Pauses in a log: priced by leaving its leg out."""
    gappy = {
        o.legs[0]: gap for o in case.observations if (gap := case.gaps.get(o.legs[0], 0.0)) > limit.GAP_SHARE
    }
    if not gappy:
        return
    yield Finding(
        "caution" if max(gappy.values()) > limit.GAP_LARGE else "note",
        case.dropping(tuple(gappy)),
        tuple(gappy),
        f"Gaps in the log: up to {100 * max(gappy.values()):.0f} % of a leg",
        "Power was bridged in a straight line over pauses of more than 10 s; stretches that are mostly gap "
        "are left out.",
        "Check the logger's connection; drive the leg again if much is missing.",
        signed=True,
    )


@TEST_DAY.rule("instruments-disagree", stage="drive", needs="two instruments on one leg", covered=False)
def instruments_disagree(case: ComparisonContext) -> Iterator[Finding]:
    """Two instruments of a leg further apart than their steps allow: priced by believing the other one."""
    differing = [(o, other) for o in case.observations for other in _others_apart(case, o)]
    if not differing:
        return
    o, other = differing[0]
    swapped = {
        d.legs[0]: replace(
            d, readings=(r, *(x for x in d.readings if x is not r)), gated_wh=None, gated_km=None
        )
        for d, r in differing
        if r.energy_wh > 0
    }
    yield Finding(
        "caution",
        case.with_readings(swapped) if swapped else None,
        tuple(name for d, _ in differing for name in d.legs),
        "Instruments disagree",
        f"Leg {o.legs[0]}: {o.readings[0].instrument} {o.energy_wh / 1000:.2f} kWh, {other.instrument} "
        f"{other.energy_wh / 1000:.2f} kWh: further apart than their steps allow.",
        "Check the typed readings and the usable capacity.",
        signed=True,
    )


def _others_apart(case: ComparisonContext, o: Observation) -> Iterator[Reading]:
    best = o.readings[0]
    for other in o.readings[1:]:
        if other.instrument == "state of charge" and case.study.vehicle.usable_capacity_kwh is None:
            continue
        allowed = limit.AGREE_DEVIATES * math.hypot(best.relative_sd, other.relative_sd) + limit.AGREE_SHARE
        if abs(other.energy_wh / best.energy_wh - 1) > allowed:
            yield other


@TEST_DAY.rule("rolling-circumference-changed", stage="drive", needs="nothing", covered=True)
def rolling_circumference_changed(case: ComparisonContext) -> Iterator[Finding]:
    """Other wheels, and nobody knows how they count the distance: priced as its part of the margin."""
    if case.study.change.kind not in {"tyres", "wheels"} or circumference_known(case.study):
        return
    yield Finding(
        "caution",
        case.part_percent(Group.CIRCUMFERENCE),
        tuple(leg.leg for leg in case.legs_of_both[1]),
        "Rolling circumference not known",
        "Other wheels or tyres change the odometer, and with it every per-distance figure the car shows; "
        "worn tread alone is worth up to 1 % (common practice). The margin has been widened for it.",
        "Read a GPS distance on one leg of each configuration, or enter the circumference change.",
    )


@TEST_DAY.rule("grid-energy-left-out", stage="drive", needs="nothing", covered=False)
def grid_energy_left_out(case: ComparisonContext) -> Iterator[Finding]:
    """Preconditioning without what the wall supplied: cannot be priced."""
    legs = case.legs()
    if case.study.change.kind != "preconditioning" or any(leg.grid_kwh for leg in legs):
        return
    yield Finding(
        "caution",
        None,
        tuple(leg.leg for leg in legs),
        "Energy from the wall left out",
        "Preconditioning draws energy before the drive; leaving it out makes the warm-up look free.",
        "Enter what the wall supplied before departure.",
    )

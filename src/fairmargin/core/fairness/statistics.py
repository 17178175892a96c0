"""Concerns of the figures themselves: one leg that decides, scatter, legs left out once the result was known."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.conditions.case import names, order_of_runs
from fairmargin.core.conditions.causes import Group
from fairmargin.core.conditions.rules import Finding
from fairmargin.core.evidence.conditions import Conditions
from fairmargin.core.evidence.reading import Observation
from fairmargin.core.evidence.readings import every_reading
from fairmargin.core.fairness import thresholds as limit
from fairmargin.core.fairness.context import TEST_DAY, ComparisonContext
from fairmargin.core.inference.plausible import Doubted, effect_sd
from fairmargin.core.inference.priors import SCATTER_SHARE
from fairmargin.core.orders import mended
from fairmargin.core.study import Leg, Study
from fairmargin.core.study.slips import likely, usual_decimals
from fairmargin.core.units import said
from fairmargin.core.words import sentence, signed

Array = NDArray[np.float64]

#: A verdict may not rest on a leg alone that the others foretell as far off on no more than so many of all days. One in five:
#: a wild leg of eight widens what foretells it, and hardly shows at one in twenty.
WILD_TAIL = 0.2
LEAST_OWN = 0.1  # of a product with the configuration, that neither of the two has
MAY_DECIDE = 0.2  # of its margin: a leg that moves the effect by less decides in no case


@TEST_DAY.rule("one-pair-only", stage="plan", needs="nothing", covered=True)
def one_pair_only(case: ComparisonContext) -> Iterator[Finding]:
    """A single run of one configuration: priced as the scatter's part of the margin."""
    a, b = case.both
    if min(len({c.run for c in a}), len({c.run for c in b})) != 1:
        return
    order = order_of_runs(case)
    one = sorted(order) == ["A", "B"] and len({c.day for c in case.ordered}) == 1
    yield Finding(
        "caution",
        case.part_percent(Group.SCATTER),
        names(case.ordered),
        "One pair only",
        "With a single run of one configuration, nothing tells its scatter from the change.",
        f"Drive another pair, in the other order{f', so that the whole reads {mended(order)}' if one else ''}.",
    )


@TEST_DAY.rule("one-leg-decides", stage="examine", needs="four drives", covered=True)
def one_leg_decides(case: ComparisonContext) -> Iterator[Finding]:
    """Without one leg the verdict would turn, or the effect move by half of the margin without it: priced as that move."""
    e = case.effect
    if len(e.influence) < limit.INFLUENCE_LEGS:
        return
    interval = e.interval_percent(case.study.confidence)
    decided = interval[0] > 0 or interval[1] < 0
    leg, shift = max(e.influence.items(), key=lambda kv: abs(kv[1]))
    percent = 100.0 * shift * math.exp(e.log_ratio)
    half = (interval[1] - interval[0]) / 2
    flips = decided and (interval[0] + percent) * (interval[1] + percent) <= 0
    if not flips and abs(percent) <= limit.INFLUENCE_OF_MARGIN * _margin_without(case, leg, half, percent):
        return
    yield Finding(
        "caution" if flips or abs(percent) > case.study.smallest_effect_percent else "note",
        -percent,
        (leg,),
        f"Leg {leg} weighs heavily",
        f"Without leg {leg} the effect would be {signed(e.percent + percent)} %.",
        "Look at that leg again: reading, events, traffic. Drive it again if in doubt.",
        signed=True,
        unsettles=flips and _is_wild(case, leg),
    )


def _is_wild(case: ComparisonContext, leg: str) -> bool:
    """Whether the other drives did not let expect what a leg shows: a verdict may not rest on such a one alone."""
    return any(leg in f.legs and f.tail < WILD_TAIL for f in case.fit.foretold())


def _margin_without(case: ComparisonContext, leg: str, half: float, percent: float) -> float:
    """Half-width of the margin without a leg that may be the cause of it; with it, where that is plain anyway."""
    if abs(percent) <= MAY_DECIDE * half or abs(percent) > limit.INFLUENCE_OF_MARGIN * half:
        return half
    other = case.effect_without((leg,))
    if other is None:
        return half
    low, high = other.interval_percent(case.study.confidence)
    return (high - low) / 2


@TEST_DAY.rule("reading-doubtful", stage="drive", needs="readings", covered=False)
def reading_doubtful(case: ComparisonContext) -> Iterator[Finding]:
    """A reading far off what the others and the vehicle's class predict: priced by leaving it out; no margin covers a wrong digit."""
    doubted = _doubted(case)
    if doubted is None:
        return
    o = next(o for o in case.observations if o.legs == doubted.legs)
    leg, shown, over = _odd_one(case.study, o, doubted.over_expected)
    name = leg.leg
    meant = likely(leg, over, usual_decimals(case.study.legs, leg))
    yield Finding(
        "blocks",
        case.dropping(o.legs),
        (name,),
        f"The reading of {name} cannot be right",
        f"{name} shows {shown}: {_how_much(over)} what the vehicle's class, its road and the other legs let expect.",
        f"Look at the reading of {name}: a digit, a decimal point or a unit"
        + (f" ({meant}?)" if meant else "")
        + "; and at its distance, time and weather. If it showed that, confirm it; else leave it out with its reason.",
        signed=True,
        suggested=meant,
    )


def _how_much(over: float) -> str:
    """A ratio in words: twelve times, or a share more or less than."""
    if 0.6 < over < 1.7:
        return f"{100 * abs(over - 1):.0f} % {'more' if over > 1 else 'less'} than"
    return f"{over:.2g} times"


def _doubted(case: ComparisonContext) -> Doubted | None:
    """The reading that is doubted most, of those that nobody confirmed."""
    found = case.fit.plausible
    return None if found is None else found.worst(case.observations, case.unchecked)


def _odd_one(study: Study, o: Observation, over: float) -> tuple[Leg, str, float]:
    """The leg of a doubted observation that is furthest from what was expected, what it shows, and how far it is off."""
    if len(o.legs) == 1:
        return study.leg(o.legs[0]), o.readings[0].shown, over
    expected = o.as_read_wh_per_km / over
    found = []
    for name in o.legs:
        leg = study.leg(name)
        km = leg.distance_km or leg.gps_distance_km or o.shown_km / len(o.legs)
        for r in every_reading(study, leg, km, None):
            if r.instrument == o.readings[0].instrument and r.energy_wh > 0:
                times = r.energy_wh / km / expected
                found.append((abs(math.log(times)), leg, r.shown, times))
    if not found:
        return study.leg(o.legs[-1]), o.readings[0].shown, over
    _, leg, shown, times = max(found, key=lambda x: x[0])
    return leg, shown, times


@TEST_DAY.rule("reading-unconfirmed", stage="drive", needs="readings", covered=True)
def reading_unconfirmed(case: ComparisonContext) -> Iterator[Finding]:
    """A verdict that one typed reading alone carries is not settled until somebody says that it showed that."""
    e = case.effect
    interval = e.interval_percent(case.study.confidence)
    if interval[0] <= 0 <= interval[1] or _doubted(case) is not None:
        return  # nothing is carried, or a reading is doubted already
    if len(case.observations) == 2:
        usual = effect_sd(case.study)
        names = [o.legs[-1] for o in case.observations if case.unchecked(o)]
        if abs(e.log_ratio) <= limit.UNUSUAL_EFFECT * usual or len(names) < 2:
            return
        yield Finding(
            "caution",
            None,
            tuple(names),
            "One drive each, and more than is usual",
            f"{signed(e.percent)} % is more than such a change mostly makes (within {100 * usual:.0f} %), and each side was "
            "read once.",
            f"Confirm what {names[0]} and {names[1]} showed, or drive once more.",
            unsettles=True,
        )
        return
    for o in case.observations:
        shift = e.influence.get(o.legs[0])
        if shift is None or not case.unchecked(o):
            continue
        without = e.percent + 100.0 * shift * math.exp(e.log_ratio)
        if without * e.percent > 0 and abs(without) >= limit.CARRIED * abs(e.percent):
            continue
        yield Finding(
            "caution",
            None,
            o.legs,
            f"The verdict rests on the reading of {o.legs[-1]}",
            f"Without it the effect would be {signed(without)} %.",
            f"Confirm that {o.legs[-1]} showed {o.readings[0].shown}, or drive once more.",
            unsettles=True,
        )
        return


@TEST_DAY.rule("change-varies", stage="examine", needs="several drives of each", covered=False)
def change_varies(case: ComparisonContext) -> Iterator[Finding]:
    """What the change does goes with direction, wind, speed or the time of day: one figure does not say it."""
    a, b = case.both
    if min(len(a), len(b)) < limit.VARIES_LEGS:
        return
    found = [v for what, values in _covariates([*a, *b]).items() if (v := _varies(case, [*a, *b], what, values))]
    if not found:
        return
    what, swing, z = max(found, key=lambda v: abs(v[2]))
    yield Finding(
        "caution",
        None,
        names([*a, *b]),
        f"The change goes with the {what}",
        f"Between the ends of what was driven it differs by {abs(swing):.1f} %, {abs(z):.1f} standard deviations. One figure for all of "
        "it hides that.",
        f"Compare within one {what} only, or say the effect for each.",
    )


def _covariates(conditions: Sequence[Conditions]) -> dict[str, Array]:
    """What a change may go with, of each leg; only what differs."""
    start = min(c.placed_s for c in conditions)
    every = {
        "direction": [float(c.backwards) for c in conditions],
        "wind": [c.wind_speed for c in conditions],
        "speed": [c.speed_m_s for c in conditions],
        "time of day": [c.placed_s - start for c in conditions],
    }
    return {what: x for what, values in every.items() if np.ptp(x := np.array(values)) > 0}


def _varies(
    case: ComparisonContext, conditions: Sequence[Conditions], what: str, x: Array
) -> tuple[str, float, float] | None:
    """How much the effect differs between the ends of a quantity, in per cent, and in standard deviations; None where little.

    What it does to both configurations alike is left to the model; the product with the configuration is what is looked for.
    """
    trial = np.array([c.configuration == case.trial for c in conditions], dtype=float)
    columns = np.stack([np.ones(len(x)), trial, (x - x.mean()) / np.ptp(x)], axis=1)
    product = trial * columns[:, 2]
    own = product - columns @ np.linalg.lstsq(columns, product, rcond=None)[0]
    if float(own @ own) < LEAST_OWN * float(product @ product):
        return None  # it cannot be told from the others
    values = {c.leg: 0.0 for c in case.conditions} | dict(zip((c.leg for c in conditions), own.tolist(), strict=True))
    swing, z = case.fit.beside(values)
    if abs(z) < limit.VARIES_Z or 100.0 * abs(swing) < limit.VARIES_PERCENT:
        return None
    return what, 100.0 * swing, z


@TEST_DAY.rule("model-contradicted", stage="examine", needs="readings", covered=True)
def model_contradicted(case: ComparisonContext) -> Iterator[Finding]:
    """The model does not explain what was read, and is not used: priced as the plain difference less the model's."""
    criticism = case.fit.criticism
    if criticism is None or not criticism.reasons:
        return
    said = case.fit.plain[case.trial]
    low, high = case.effect.interval_percent(case.study.confidence)
    yield Finding(
        "caution",
        said.percent - case.effect.percent,
        names(case.conditions),
        "The model does not explain the readings",
        f"{sentence('; '.join(criticism.reasons))}. Its figure, {signed(case.effect.percent)} % ({signed(low)} to {signed(high)}), "
        "is not used: the plain difference is said, with a margin for all that it leaves uncorrected.",
        "Look at units, wind directions, the mechanism and each leg's reading; something in the notes is off.",
        signed=True,
    )


@TEST_DAY.rule("scatter-large", stage="examine", needs="several drives of each", covered=True)
def scatter_large(case: ComparisonContext) -> Iterator[Finding]:
    """Legs disagree more than usual: priced as the scatter's part of the margin."""
    scatter = case.fit.scatter_share
    if scatter <= limit.SCATTER_LARGE * SCATTER_SHARE:
        return
    yield Finding(
        "note" if scatter < limit.SCATTER_VERY_LARGE * SCATTER_SHARE else "caution",
        case.part_percent(Group.SCATTER),
        names(case.conditions),
        "Legs disagree more than usual",
        f"Run-to-run scatter {100 * scatter:.1f} %, where a careful run of {said(30.0, 'km')} has 1 to 2 % "
        "(common practice). The margin has been widened for it.",
        "Look for a spoilt leg; hold the speed; drive more pairs.",
    )


@TEST_DAY.rule("left-out-after-result", stage="examine", needs="nothing", covered=False)
def left_out_after_result(case: ComparisonContext) -> Iterator[Finding]:
    """Legs left out once the result was known: priced by taking them back in."""
    late = [leg for leg in case.study.legs if not leg.included and leg.left_out_after_result]
    if not late:
        return
    yield Finding(
        "note",
        case.against(case.with_left_out()),
        tuple(leg.leg for leg in late),
        f"{len(late)} leg{'s' if len(late) != 1 else ''} left out after the result was seen",
        "; ".join(f"{leg.leg}: {leg.reason or 'no reason given'}" for leg in late) + ".",
        "Take it back in, or drive it again; the reason is kept in the report.",
        signed=True,
    )

"""One comparison: the effect with its interval, verdict and reason, its pairs, and what stands beside it."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import partial
from typing import Final, Literal

import numpy as np

from fairmargin.core import intervals
from fairmargin.core.conditions.causes import Group
from fairmargin.core.conditions.concern import Concern, merge, open_charge
from fairmargin.core.evidence.conditions import Conditions
from fairmargin.core.evidence.reading import Observation
from fairmargin.core.fairness.context import ComparisonContext
from fairmargin.core.fairness.registered import CRITERIA, sealed_words
from fairmargin.core.inference import priors
from fairmargin.core.inference.posterior import Effect
from fairmargin.core.inference.problem import speed_of_study, warmth_of_study
from fairmargin.core.orders import display_noise_percent
from fairmargin.core.result import verdict
from fairmargin.core.result.beside import trip_time, with_grid
from fairmargin.core.result.looks import Look, level_at, look_words
from fairmargin.core.result.margin import LEAST_VARIANCE, MarginLine, limiting, margin_lines
from fairmargin.core.result.pairs import Drive, Pair, make_pairs
from fairmargin.core.result.standing import standing
from fairmargin.core.result.steps import Step, balanced, steps
from fairmargin.core.result.types import Comparison, DirectionEffect, LegResult, View
from fairmargin.core.study import Leg, Study
from fairmargin.core.study.registration import changed_since
from fairmargin.core.units import range_change_percent
from fairmargin.core.words import signed


@dataclass(frozen=True, eq=False, slots=True)
class Sides:
    """What one comparison rests on, of a test day or of everyday logs."""

    study: Study
    effect: Effect
    baseline: Sequence[Observation]
    trial: Sequence[Observation]
    members: Sequence[Observation]  # with those left out
    results: Mapping[str, LegResult]
    conditions: Mapping[str, Conditions]
    fitted: Sequence[Conditions]  # of the legs that the fit used
    scatter_share: float
    as_driven: bool
    method: Literal["model", "plain"] = "model"
    sector: str | None = None
    coasted: bool = False

    @property
    def both(self) -> tuple[Sequence[Observation], Sequence[Observation]]:
        """Observations of the baseline and of the trial."""
        return self.baseline, self.trial

    def leg(self, o: Observation) -> Leg:
        """First leg of an observation."""
        return self.study.leg(o.legs[0])

    @property
    def own(self) -> tuple[Sequence[Observation], Sequence[Observation]]:
        """Readings of both sides; of the baseline's those of the vehicle under test, unless the change was swapped between them."""
        a, b = self.both
        if {self.leg(o).vehicle for o in a} == {self.leg(o).vehicle for o in b}:
            return a, b
        return [o for o in a if self.leg(o).vehicle != "control"] or a, b

    def way(self, o: Observation) -> str:
        """What an observation is balanced by: its direction, and its vehicle; a run charged back as a whole is both directions."""
        leg = self.leg(o)
        return " ".join(filter(None, ("" if len(o.legs) > 1 else leg.direction, leg.vehicle)))


def sides_of(study: Study, trial: str, used: Sequence[Observation]) -> tuple[list[Observation], list[Observation]]:
    """Observations of the baseline and of one trial."""
    of = {leg.leg: leg.configuration for leg in study.legs}
    return ([o for o in used if of[o.legs[0]] == study.baseline.id], [o for o in used if of[o.legs[0]] == trial])


def comparison(sides: Sides, view: View, found: Sequence[Concern]) -> Comparison:
    """State one comparison.

    Parameters
    ----------
    sides : Sides
    view : {'reference', 'study-mean', 'as-measured'}
    found : sequence of Concern
        Of this comparison and of the records.

    Returns
    -------
    Comparison
    """
    study = sides.study
    level = level_at(study, pairs_of(sides))
    if level == study.confidence:
        return _as_it_stands(sides, view, found)
    # Before all sealed pairs are driven: an interval that may be looked at. Not validated: nobody may ask for so much confidence,
    # but a first look of many does.
    wider = study.model_copy(update={"confidence": level, "registration": None})
    looked = _as_it_stands(replace(sides, study=wider), view, found)
    assert study.registration is not None
    assert study.registration.pairs is not None
    look = Look(level, looked.pairs, study.registration.pairs)
    said = (
        "" if view == "as-measured" else _by_what_was_sealed(study, _stated(study, sides.effect), sides.effect, found)
    )
    reason = " ".join(filter(None, (looked.reason, look_words(look), said)))
    return replace(looked, confidence=study.confidence, look=look, reason=reason)


def _as_it_stands(sides: Sides, view: View, found: Sequence[Concern]) -> Comparison:
    """A comparison whose interval is one of the study's confidence."""
    study, effect = sides.study, sides.effect
    a, b = sides.both
    read = balanced(*sides.own, sides.way)
    plain_a, plain_b = read[0].wh_per_km, read[1].wh_per_km
    as_measured = (plain_b / plain_a - 1) * 100
    stated = _as_measured(sides, plain_a, plain_b) if view == "as-measured" else _stated(study, effect)
    own = {name for o in (*a, *b) for name in o.legs}
    lines = margin_lines(
        stated.budget,
        effect.touched,
        stated.percent,
        stated.interval,
        study.confidence,
        [c for c in sides.fitted if c.leg in own],
    )
    said = "" if view == "as-measured" else _by_what_was_sealed(study, stated, effect, found)
    ruling, deviate = _ruling(sides, stated, found, lines), intervals.deviate(study.confidence)
    lines = tuple(replace(x, remedy=verdict.agreeing(x.remedy, ruling)) for x in lines)
    found = [replace(x, next_step=verdict.agreeing(x.next_step, ruling)) for x in found]
    step = math.sqrt(12.0) * float(np.mean([o.relative_sd for o in (*a, *b)]))
    return Comparison(
        baseline=study.baseline.id,
        trial=effect.trial,
        speed_kmh=_speed_kmh(sides),
        sector=sides.sector,
        as_measured_percent=as_measured,
        effect_percent=stated.percent,
        interval_percent=stated.interval,
        confidence=study.confidence,
        baseline_wh_per_km=stated.level,
        trial_wh_per_km=stated.level * (1 + stated.percent / 100),
        verdict=ruling.word,
        reason=" ".join(filter(None, (verdict.reason(study, ruling, found), said))),
        pairs=ruling.pairs,
        pairs_needed=ruling.pairs_needed,
        range_change_percent=range_change_percent(stated.percent),
        pair_list=tuple(_pairs(sides, deviate)),
        step_percent=display_noise_percent(step, max(1, min(len(a), len(b))), study.confidence),
        scatter_percent=100 * sides.scatter_share,
        margin_budget=_budget(effect, study.confidence),
        margin=lines,
        method=sides.method,
        standing=standing(ruling, sides.method, as_measured, found),
        concerns=merge(found),
        open_charge_percent=ruling.open_charge_percent,
        legs_used=len(a) + len(b),
        trip_time=trip_time(sides),
        grid=with_grid(sides, stated.percent, stated.interval),
        as_driven=sides.as_driven,
        coasted=sides.coasted,
        steps=_steps(sides, stated, view),
        as_read=read,
        plain_interval=partial(_by_readings_alone, sides, as_measured),
        declared_mass_percent=100 * math.expm1(effect.declared_mass),
        baseline_as_read=plain_a,
        trial_as_read=plain_b,
        temperature_c=stated_temperature_c(sides.study, sides.fitted, view),
        errors={} if view == "as-measured" else effect.errors,
    )


def _budget(effect: Effect, confidence: float) -> tuple[tuple[str, float], ...]:
    """Half-width that each source would have alone."""
    ratio = math.exp(effect.log_ratio)
    return tuple(
        (name, ratio * intervals.half_width_percent(variance, confidence))
        for name, variance in effect.budget
        if variance > LEAST_VARIANCE
    )


def _ruling(sides: Sides, stated: _Stated, found: Sequence[Concern], lines: Sequence[MarginLine]) -> verdict.Ruling:
    """What may be said of an effect as stated."""
    study = sides.study
    count = pairs_of(sides)
    open_percent = open_charge(found)
    blocked = any(c.severity == "blocks" for c in found)
    smallest, deviate = study.smallest_effect_percent, intervals.deviate(study.confidence)
    systematic = math.hypot(stated.systematic, open_percent / 2)
    needed = verdict.pairs_needed(count, stated.percent, systematic, stated.random, smallest, deviate, stated.order)
    return verdict.Ruling(
        verdict.word(stated.percent, stated.interval, smallest, blocked, open_percent, any(c.unsettles for c in found)),
        stated.percent,
        stated.interval,
        open_percent,
        count,
        None if blocked else needed,
        *limiting(lines),
    )


def _by_what_was_sealed(study: Study, stated: _Stated, effect: Effect, found: Sequence[Concern]) -> str:
    """Give the verdict by what was sealed, where what it hangs on was changed since."""
    was = study.registration
    if was is None or not CRITERIA & set(changed_since(study)):
        return ""
    interval = effect.interval_percent(was.confidence)
    blocked = any(c.severity == "blocks" for c in found)
    said = verdict.word(
        stated.percent,
        interval,
        was.smallest_effect_percent,
        blocked,
        open_charge(found),
        any(c.unsettles for c in found),
    )
    return f"By what was sealed ({sealed_words(was)}): {said}, {signed(interval[0])} to {signed(interval[1])} %."


def pairs_of(sides: Sides) -> int:
    """Runs of the configuration that was driven less."""
    return min(len({sides.leg(o).run or o.legs[0] for o in side}) for side in sides.both)


def _steps(sides: Sides, stated: _Stated, view: View) -> tuple[Step, ...]:
    """Every step from as read to the effect."""
    a, b = sides.own
    lines = {
        name: sides.results[name].corrections_wh_per_km
        for o in (*a, *b)
        for name in o.legs
        if view != "as-measured" and sides.method == "model"
    }
    conditions = {c.leg: c for c in sides.fitted}
    return steps(a, b, sides.way, lines, conditions, math.log1p(stated.percent / 100))


def _repeats(sides: Sides, both: tuple[Sequence[Observation], Sequence[Observation]]) -> tuple[float, int]:
    """What drives of one configuration and way differ by as read: squares of logarithms, and their degrees of freedom."""
    squares, freedom = 0.0, 0
    for side in both:
        groups: dict[str, list[float]] = {}
        for o in side:
            groups.setdefault(sides.way(o), []).append(math.log(o.as_read_wh_per_km))
        for own in groups.values():
            squares += float(np.sum((np.array(own) - np.mean(own)) ** 2))
            freedom += len(own) - 1
    return squares, freedom


def _by_readings_alone(sides: Sides, percent: float) -> tuple[float, float]:
    """Interval of the figure as read by what the instruments' steps and the repeats say, and nothing else.

    Repeats are drives of one configuration and direction; a t interval (Student 1908) of what they differ by, and the steps
    alone where there is no repeat.
    """
    from scipy.special import stdtrit  # only where it is asked for

    a, b = sides.own
    squares, freedom = _repeats(sides, (a, b))
    variance = sum(float(np.mean([o.relative_sd**2 for o in side])) / len(side) for side in (a, b))
    level = sides.study.confidence
    by_steps = intervals.deviate(level) * math.sqrt(variance)
    by_repeats = 0.0
    if freedom:
        t = float(stdtrit(freedom, 0.5 + level / 2))
        by_repeats = t * math.sqrt(squares / freedom * (1 / len(a) + 1 / len(b)))
    half = math.hypot(by_steps, by_repeats)
    ratio = 1 + percent / 100
    return (ratio * math.exp(-half) - 1) * 100, (ratio * math.exp(half) - 1) * 100


def plain_levels(a: Sequence[Observation], b: Sequence[Observation]) -> tuple[float, float]:
    """Total energy over total shown distance of each configuration. [Wh/km]"""
    return (
        sum(o.energy_wh for o in a) / sum(o.shown_km for o in a),
        sum(o.energy_wh for o in b) / sum(o.shown_km for o in b),
    )


@dataclass(frozen=True, slots=True)
class _Stated:
    """An effect as a view states it; all in per cent but the baseline's level [Wh/km]."""

    percent: float
    interval: tuple[float, float]
    random: float
    systematic: float
    order: float
    level: float
    budget: Sequence[tuple[str, float]]


def _stated(study: Study, effect: Effect) -> _Stated:
    ratio = math.exp(effect.log_ratio)
    return _Stated(
        effect.percent,
        effect.interval_percent(study.confidence),
        100 * ratio * math.sqrt(effect.random_variance),
        100 * ratio * math.sqrt(effect.systematic_variance),
        100 * ratio * math.sqrt(effect.order_variance),
        effect.baseline_wh_per_km,  # the level follows the corrected legs; the ratio follows the fit
        effect.budget,
    )


def _as_measured(sides: Sides, plain_a: float, plain_b: float) -> _Stated:
    """Interval of the uncorrected difference: t, with what weather adds unseen in its prior scatter."""
    from scipy.special import stdtrit  # only for this view

    a, b = sides.both
    squares, freedom = _repeats(sides, (a, b))
    whole_freedom = priors.AS_MEASURED_FREEDOM + freedom
    variance = (priors.AS_MEASURED_FREEDOM * priors.AS_MEASURED_SCATTER**2 + squares) / whole_freedom
    reading = float(np.mean([o.relative_sd**2 for o in (*a, *b)]))
    days = [{c.day for c in sides.fitted if c.leg in {n for o in side for n in o.legs}} for side in (a, b)]
    apart = 0.0 if days[0] & days[1] else priors.DAYS_APART
    se = math.sqrt((variance + reading) * (1 / len(a) + 1 / len(b)) + 2 * apart**2)
    half = float(stdtrit(whole_freedom, 0.5 + sides.study.confidence / 2)) * se
    ratio = plain_b / plain_a
    return _Stated(
        (ratio - 1) * 100,
        ((ratio * math.exp(-half) - 1) * 100, (ratio * math.exp(half) - 1) * 100),
        100 * ratio * math.sqrt(max(se**2 - 2 * apart**2, 0.0)),
        100 * ratio * apart * math.sqrt(2),
        0.0,
        plain_a,
        ((Group.DAY, 2 * apart**2), (Group.DISPLAY_STEP, reading * (1 / len(a) + 1 / len(b)))),
    )


def _speed_kmh(sides: Sides) -> float:
    """Speed that the effect is stated for: the target's, or the mean of the speeds as driven."""
    if sides.as_driven:
        return 3.6 * float(np.mean([c.speed_m_s for c in sides.fitted]))
    return round(3.6 * speed_of_study(sides.study, sides.fitted), 6)


def stated_temperature_c(study: Study, fitted: Sequence[Conditions], view: View) -> float | None:
    """Air temperature that effect and levels are stated for; none where that is the drives' own and nobody noted it."""
    if study.change.is_warming and not any(c.temperature_known for c in fitted):
        return None
    return warmth_of_study(study, fitted, view)


#: An effect that lies so far outside of its own corrected pairs was made by something else than its drives. [%], and of its margin
OUTSIDE_PERCENT: Final = 0.5
OUTSIDE_MARGIN: Final = 0.1


def outside_its_pairs(c: Comparison) -> str:
    """Why an effect is not to be believed that its own corrected pairs do not have among them; "" where they do."""
    used = [p.corrected_percent for p in c.pair_list if p.included and p.corrected_percent is not None]
    if not used:
        return ""
    off = max(min(used) - c.effect_percent, c.effect_percent - max(used))
    if off <= max(OUTSIDE_PERCENT, OUTSIDE_MARGIN * c.half_width_percent):
        return ""
    of = f"{signed(min(used))} to {signed(max(used))} %" if len(used) > 1 else f"{signed(used[0])} %"
    return f"its effect lies outside of its own corrected pairs, {of}"


def _pairs(sides: Sides, deviate: float) -> list[Pair]:
    drives = []
    for i, o in enumerate(sides.members):
        leg, result = sides.leg(o), sides.results[o.legs[0]]
        if leg.vehicle == "control":
            continue
        drives.append(
            Drive(
                leg=o.legs[0],
                run=leg.run,
                day=sides.conditions[o.legs[0]].day,
                block=leg.block,
                configuration=leg.configuration,
                direction="run" if len(o.legs) > 1 else result.direction,
                order=sides.conditions[o.legs[0]].started_s or float(i),
                included=result.included,
                reason=result.reason,
                measured=result.measured_wh_per_km,
                corrected=_corrected(o, sides.results),
                sd_share=result.sd_percent / 100,
            )
        )
    effect = sides.effect
    shared = math.sqrt(max(effect.systematic_variance + effect.order_variance, 0.0))
    return make_pairs(drives, sides.study.baseline.id, effect.trial, deviate, shared)


def _corrected(o: Observation, results: Mapping[str, LegResult]) -> float | None:
    """Mean of an observation's corrected legs; None unless all are corrected."""
    values = [results[name].corrected_wh_per_km for name in o.legs]
    known = [v for v in values if v is not None]
    return sum(known) / len(known) if len(known) == len(values) else None


def by_direction(case: ComparisonContext, sides: Sides) -> tuple[DirectionEffect, ...]:
    """The effect of each direction, where both configurations were driven both ways; the whole lies among them."""
    way = {c.leg: c.backwards for c in case.conditions}
    a, b = sides.both
    if any(len(o.legs) > 1 for o in (*a, *b)) or any(c.there_and_back for c in case.conditions):
        return ()
    result: list[tuple[str, float, float, float]] = []
    for backwards in (False, True):
        ours = [[o for o in side if way[o.legs[0]] is backwards] for side in (a, b)]
        if not ours[0] or not ours[1] or len(ours[0]) + len(ours[1]) == len(a) + len(b):
            continue
        other = frozenset(name for name, back in way.items() if back is not backwards)
        effect = case.effect_without(other)
        if effect is None:
            continue
        plain_a, plain_b = plain_levels(*ours)
        low, high = (math.log1p(x / 100) for x in effect.interval_percent(case.study.confidence))
        result.append(
            ("back" if backwards else "out", plain_b / plain_a, effect.log_ratio - low, high - effect.log_ratio)
        )
    middles = _within_the_whole(sides, [name for name, *_ in result])
    return tuple(
        DirectionEffect(
            name,
            (read - 1) * 100,
            100 * math.expm1(middle),
            (100 * math.expm1(middle - below), 100 * math.expm1(middle + above)),
        )
        for (name, read, below, above), middle in zip(result, middles, strict=True)
    )


def _within_the_whole(sides: Sides, ways: Sequence[str]) -> list[float]:
    """Log effect of each direction by its own corrected legs, moved alike so that together they are the whole.

    Each direction fitted by itself would be held towards what is usual by itself, and the whole could lie outside of both.
    """
    a, b = sides.own
    logs, bases = [], []
    for way in ways:
        levels = []
        for side in (a, b):
            legs = [o for o in side if sides.leg(o).direction == way]
            km = sum(o.shown_km for o in legs)
            levels.append(sum((_corrected(o, sides.results) or o.as_read_wh_per_km) * o.shown_km for o in legs) / km)
        logs.append(math.log(levels[1] / levels[0]))
        bases.append(levels[0])
    if not logs:
        return []
    whole = math.log(sum(w * math.exp(x) for w, x in zip(bases, logs, strict=True)) / sum(bases))
    return [x + sides.effect.log_ratio - whole for x in logs]

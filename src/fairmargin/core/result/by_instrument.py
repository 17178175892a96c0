"""The same comparison by each instrument that both sides were read with: what one display says, another may not."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from fairmargin.core.evidence.reading import Observation
from fairmargin.core.evidence.readings import trusted
from fairmargin.core.fairness.context import ComparisonContext
from fairmargin.core.result.steps import Direction, balanced


@dataclass(frozen=True, slots=True)
class InstrumentEffect:
    """The effect by one instrument alone, corrected as by the one that counts."""

    instrument: str
    as_measured_percent: float
    effect_percent: float
    interval_percent: tuple[float, float]


def on_all(observations: Sequence[Observation]) -> list[str]:
    """Instruments that every observation was read with, the one that counts first; none where those that count differ."""
    first = observations[0].readings
    if len({o.readings[0].instrument for o in observations}) > 1:
        return []
    return [
        r.instrument
        for r in first
        if all(any(x.instrument == r.instrument and x.energy_wh > 0 for x in o.readings) for o in observations)
    ]


def read_by(o: Observation, instrument: str) -> Observation:
    """An observation as another of its instruments has it."""
    reading = next(r for r in o.readings if r.instrument == instrument)
    if reading is o.readings[0]:
        return o
    rest = tuple(r for r in o.readings if r is not reading)
    return replace(
        o,
        readings=(reading, *rest),
        as_read_wh_per_km=reading.energy_wh / o.shown_km,
        gated_wh=None,
        gated_km=None,
        rounded_alike=0.0,
    )


def by_instrument(
    case: ComparisonContext, a: Sequence[Observation], b: Sequence[Observation], way: Direction
) -> tuple[InstrumentEffect, ...]:
    """Every instrument's own effect, the one that counts first; none where there is one alone, or one that is not trusted.

    `way` is what readings are balanced by, as in the figure as read.
    """
    kinds = [k for k in on_all([*a, *b]) if trusted(case.study, k)]
    if len(kinds) < 2:
        return ()
    out = []
    for kind in kinds:
        own_a, own_b = ([read_by(o, kind) for o in side] for side in (a, b))
        effect = case.effect
        if kind != kinds[0]:
            others = {o.legs[0]: o for o in (*own_a, *own_b)}
            fit = case.refit(case.options, case.conditions, None, others)
            if fit is None or case.trial not in fit.effects:
                continue
            effect = fit.effects[case.trial]
        first, second = balanced(own_a, own_b, way)
        read, level = 100.0 * (second.wh_per_km / first.wh_per_km - 1.0), case.study.confidence
        out.append(InstrumentEffect(kind, read, effect.percent, effect.interval_percent(level)))
    return tuple(out) if len(out) > 1 else ()

"""What a comparison would say, had other things been noted of its drives: by a fit that begins where its own ended."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from functools import cache, partial
from typing import Final

import numpy as np

from fairmargin.core.everyday_group import everyday_group
from fairmargin.core.evidence.gathered import gather
from fairmargin.core.grouped import Group
from fairmargin.core.inference.fit import Fit, fit_study
from fairmargin.core.inference.options import FitOptions
from fairmargin.core.result.types import Comparison, View
from fairmargin.core.speed_cells import SpeedCell, at_speed
from fairmargin.core.study import Study, Trace, Vehicle
from fairmargin.core.study.as_told import as_told
from fairmargin.core.study.cells import with_sides
from fairmargin.core.study.circumstances import Circumstances
from fairmargin.core.study.leg import Span

#: Of each leg what a question may change: temperature, the intervals that its conditions were noted as, direction.
Noted = tuple[tuple[str, float | None, tuple[Span, ...], str], ...]
#: Everyday studies of more rows than this are logs of trips: they tell their days themselves.
MOST_TOTALS: Final = 24
#: An effect and its interval. [%]
Told = tuple[float, tuple[float, float]]


def told_otherwise(
    raw: Study,
    traces: Mapping[str, Trace],
    owners: Mapping[str, Vehicle],
    cell: SpeedCell,
    speed: float | None,
    sector: str,
    options: FitOptions,
    view: View,
    group: Group,
) -> Group:
    """The group with its comparisons ready to be asked what other circumstances of the study would make of them.

    By a fit that begins with what this one found of scatter, days and reports, so that it takes a third of another analysis: the
    change from what the same fit says of the circumstances as they are is laid on the comparison.
    """
    began = cell.fit
    if began is None or view == "as-measured":
        return group

    @cache
    def fitted(told: Circumstances, noted: Noted) -> Fit:
        study = at_speed(with_sides(as_told(_with_noted(raw.with_(circumstances=told), noted))), speed)
        evidence = gather(study, traces, owners)
        names = {o.legs for o in cell.used}
        used = [o for o in evidence.observations if o.legs in names]
        own = [evidence.conditions[name] for o in used for name in o.legs]
        return fit_study(study, own, used, evidence.logs[sector], options, start=began)

    def ask(c: Comparison, told: Study) -> Told | None:
        now, then = (fitted(x.circumstances, _noted(x)).effects.get(c.trial) for x in (raw, told))
        if now is None or then is None or c.method != "model":
            return None
        level = c.confidence if c.look is None else c.look.level
        middle = c.effect_percent + then.percent - now.percent
        narrower = float(np.ptp(then.interval_percent(level)) / max(np.ptp(now.interval_percent(level)), 1e-9))
        low, high = (middle + narrower * (end - c.effect_percent) for end in c.interval_percent)
        floor = 100.0 * began.floors.get(c.trial, 0.0)  # like drives differ by what they differ by, whatever was said
        if floor > (high - low) / 2.0:
            half = min(floor, c.half_width_percent)
            low, high = middle - half, middle + half
        return middle, (low, high)

    return replace(group, comparisons=[replace(c, with_told=partial(ask, c)) for c in group.comparisons])


def everyday_told_otherwise(
    raw: Study, traces: Mapping[str, Trace], owners: Mapping[str, Vehicle], view: View, group: Group
) -> Group:
    """The same of everyday trips and totals: their regression is quick, and is done anew."""
    if view == "as-measured" or len(raw.legs) > MOST_TOTALS:
        return group

    @cache
    def effects(told: Circumstances, noted: Noted) -> Mapping[str, Told]:
        study = as_told(_with_noted(raw.with_(circumstances=told), noted))
        found = everyday_group(study, view, gather(study, traces, owners), ())
        return {c.trial: (c.effect_percent, c.interval_percent) for c in found.comparisons}

    def ask(c: Comparison, told: Study) -> Told | None:
        return effects(told.circumstances, _noted(told)).get(c.trial)

    return replace(group, comparisons=[replace(c, with_told=partial(ask, c)) for c in group.comparisons])


def _noted(study: Study) -> Noted:
    return tuple((leg.leg, leg.temperature_c, leg.spans, leg.direction) for leg in study.legs)


def _with_noted(study: Study, noted: Noted) -> Study:
    """The study with other notes of its legs; those that were taken away stay, they tell nothing."""
    told = {name: rest for name, *rest in noted}
    legs = []
    for leg in study.legs:
        own = [leg.temperature_c, leg.spans, leg.direction]
        now = told.get(leg.leg, own)
        legs.append(leg if now == own else leg.with_(temperature_c=now[0], spans=now[1], direction=now[2]))
    return study.with_legs(legs)

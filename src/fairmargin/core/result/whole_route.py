"""Comparisons over the whole route: the sectors' effects, each with what its sector takes of the energy."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import replace
from functools import partial
from typing import Final

from fairmargin.core import intervals
from fairmargin.core.conditions.causes import Group
from fairmargin.core.conditions.concern import Concern, merge, open_charge
from fairmargin.core.result import verdict
from fairmargin.core.result.looks import look_words
from fairmargin.core.result.margin import MarginLine
from fairmargin.core.result.results import WHOLE
from fairmargin.core.result.standing import standing
from fairmargin.core.result.steps import WEIGHTS, Kind, Step
from fairmargin.core.result.types import Comparison
from fairmargin.core.study import Study
from fairmargin.core.units import range_change_percent

#: Sources that each sector has by itself: they add in squares over the sectors; all others are taken as shared.
BY_SECTOR: Final = frozenset({str(g) for g in (Group.SCATTER, Group.DISPLAY_STEP, Group.SPEED, Group.DIRECTION)})

#: Of them, what each drive leaves open by itself.
BY_DRIVE: Final = frozenset({str(Group.SCATTER), str(Group.DISPLAY_STEP)})


def whole_comparisons(
    study: Study, comparisons: Sequence[Comparison], lengths: Mapping[str, float]
) -> list[Comparison]:
    """Compare every trial over all sectors, where all of them have a comparison.

    Parameters
    ----------
    study : Study
    comparisons : sequence of Comparison
        Of one vehicle.
    lengths : mapping of sector to float
        What each sector counts with. [km]

    Returns
    -------
    list of Comparison
        With `sector` "whole".
    """
    if len(lengths) < 2:
        return []
    made = []
    for trial in dict.fromkeys(c.trial for c in comparisons):
        own = [c for c in comparisons if c.trial == trial and c.sector in lengths]
        if len(own) == len(lengths) and {c.sector for c in own} == set(lengths):
            made.append(_whole(study, own, lengths))
    return made


def _whole(study: Study, own: Sequence[Comparison], lengths: Mapping[str, float]) -> Comparison:
    """One trial over all sectors."""
    km = [lengths[c.sector or ""] for c in own]
    base = [k * c.baseline_wh_per_km for k, c in zip(km, own, strict=True)]
    share = [b / sum(base) for b in base]
    effect = sum(s * c.effect_percent for s, c in zip(share, own, strict=True))
    read_a = sum(k * c.baseline_as_read for k, c in zip(km, own, strict=True)) / sum(km)
    read_b = sum(k * c.trial_as_read for k, c in zip(km, own, strict=True)) / sum(km)
    lines = _lines(own, share)
    weighed = [
        replace(x, bias_percent=None if x.bias_percent is None else s * x.bias_percent)
        for s, c in zip(share, own, strict=True)
        for x in c.concerns
    ]
    found = merge(weighed)
    ruling = _ruling(study, own, lines, effect, found)
    as_measured = (read_b / read_a - 1) * 100
    method = "plain" if any(c.method == "plain" for c in own) else "model"
    level = sum(base) / sum(km)
    return replace(
        own[0],
        sector=WHOLE,
        speed_kmh=sum(k for k in km) / sum(k / c.speed_kmh for k, c in zip(km, own, strict=True)),
        as_measured_percent=as_measured,
        effect_percent=effect,
        interval_percent=ruling.interval_percent,
        baseline_wh_per_km=level,
        trial_wh_per_km=level * (1 + effect / 100),
        verdict=ruling.word,
        reason=" ".join(
            filter(None, (verdict.reason(study, ruling, found), look_words(own[0].look) if own[0].look else ""))
        ),
        sensitivity=tuple,
        pairs=ruling.pairs,
        pairs_needed=ruling.pairs_needed,
        range_change_percent=range_change_percent(effect),
        pair_list=tuple(p for c in own for p in c.pair_list),
        step_percent=math.sqrt(sum((s * c.step_percent) ** 2 for s, c in zip(share, own, strict=True))),
        scatter_percent=max(c.scatter_percent for c in own),
        margin_budget=tuple((line.source, line.half_width_percent) for line in lines),
        margin=lines,
        method="plain" if method == "plain" else "model",
        standing=standing(ruling, method, as_measured, found),
        concerns=found,
        open_charge_percent=ruling.open_charge_percent,
        legs_used=sum(c.legs_used for c in own),
        by_direction=tuple,
        trip_time=None,
        grid=None,
        as_driven=any(c.as_driven for c in own),
        instruments=(),
        steps=_steps(own, share, as_measured, effect),
        as_read=(),
        plain_interval=partial(_by_readings_alone, own, share, as_measured),
        declared_mass_percent=sum(s * c.declared_mass_percent for s, c in zip(share, own, strict=True)),
        baseline_as_read=read_a,
        trial_as_read=read_b,
    )


def _steps(own: Sequence[Comparison], share: Sequence[float], as_measured: float, effect: float) -> tuple[Step, ...]:
    """Steps of all sectors, each by its share; what the shares themselves move is weights."""
    sums: dict[tuple[str, Kind], float] = {}
    for weight, c in zip(share, own, strict=True):
        for s in c.steps:
            sums[s.source, s.kind] = sums.get((s.source, s.kind), 0.0) + weight * s.percent
    made = [Step(source, x, kind) for (source, kind), x in sums.items() if source != WEIGHTS]
    return (*made, Step(WEIGHTS, effect - as_measured - sum(s.percent for s in made), "weights"))


def _by_readings_alone(own: Sequence[Comparison], share: Sequence[float], as_measured: float) -> tuple[float, float]:
    """Interval of the figure as read, by steps and repeats: sectors were read apart."""
    ends = [
        math.sqrt(
            sum(
                (s * (c.plain_interval_percent[i] - c.as_measured_percent)) ** 2
                for s, c in zip(share, own, strict=True)
            )
        )
        for i in (0, 1)
    ]
    return as_measured - ends[0], as_measured + ends[1]


def _ruling(
    study: Study, own: Sequence[Comparison], lines: Sequence[MarginLine], effect: float, found: Sequence[Concern]
) -> verdict.Ruling:
    """What may be said of the whole route."""
    half = math.sqrt(sum(line.half_width_percent**2 for line in lines))
    interval = (effect - half, effect + half)
    open_percent = open_charge(found)
    blocked = any(x.severity == "blocks" for x in found)
    smallest = study.smallest_effect_percent
    deviate = intervals.deviate(study.confidence)
    scatter = math.sqrt(sum(line.half_width_percent**2 for line in lines if line.source in BY_SECTOR)) / deviate
    rest = math.sqrt(max((half / deviate) ** 2 - scatter**2, 0.0))
    pairs = min(c.pairs for c in own)
    needed = verdict.pairs_needed(pairs, effect, math.hypot(rest, open_percent / 2), scatter, smallest, deviate)
    limiting = next((line for line in lines if line.source != Group.SCATTER), None)
    return verdict.Ruling(
        verdict.word(effect, interval, smallest, blocked, open_percent, any(x.unsettles for x in found)),
        effect, interval, open_percent, pairs, None if blocked else needed,
        limiting.cause if limiting else "", limiting.remedy if limiting else "",
    )  # fmt: skip


def _lines(own: Sequence[Comparison], share: Sequence[float]) -> tuple[MarginLine, ...]:
    """The sources of all sectors together, largest first."""
    sizes: dict[str, list[float]] = {}
    like: dict[str, MarginLine] = {}
    legs: dict[str, list[str]] = {}
    for s, c in zip(share, own, strict=True):
        for line in c.margin:
            sizes.setdefault(line.source, []).append(s * line.half_width_percent)
            like.setdefault(line.source, line)
            legs.setdefault(line.source, []).extend(line.legs)
    alike = _share_of_drives(own, share)

    def together(source: str, parts: Sequence[float]) -> float:
        apart = math.sqrt(sum(x * x for x in parts))
        if source not in BY_SECTOR:
            return sum(parts)
        if source in BY_DRIVE:
            return apart * alike
        return apart if alike == 1.0 else sum(parts)

    made = [
        replace(like[source], half_width_percent=together(source, parts), legs=tuple(dict.fromkeys(legs[source])))
        for source, parts in sizes.items()
    ]
    return tuple(sorted(made, key=lambda line: -line.half_width_percent))


def _share_of_drives(own: Sequence[Comparison], share: Sequence[float]) -> float:
    """What the drives leave open of all sectors together, over its squares' sum: 1 where each sector rests on its own drives."""
    by_drive: dict[str, list[float]] = {}
    for s, c in zip(share, own, strict=True):
        for name, shift in c.errors.items():
            if name.startswith("leg "):
                by_drive.setdefault(name, []).append(s * shift)
    apart = sum(x * x for parts in by_drive.values() for x in parts)
    if apart <= 0.0 or all(len(parts) == 1 for parts in by_drive.values()):
        return 1.0
    return math.sqrt(sum(sum(parts) ** 2 for parts in by_drive.values()) / apart)

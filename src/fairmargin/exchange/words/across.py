"""What studies say together, in words and as JSON: joined effects, questions asked again, what is known of a vehicle."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from typing import Any, Final

from fairmargin.core import intervals
from fairmargin.core.inference.scatter import ScatterPrior
from fairmargin.core.memory.differences import UNTOLD, Difference
from fairmargin.core.memory.facts import KnownFacts, Pooled
from fairmargin.core.memory.findings import Finding
from fairmargin.core.memory.network import Apart, Joint, LeftOut, Placed, moved_since
from fairmargin.core.memory.road import RoadKnowledge
from fairmargin.core.memory.vehicle import CONSTANTS, Known, Moved, VehicleKnowledge
from fairmargin.core.study.remembered import Remembered
from fairmargin.core.units import SENTENCE_UNITS, said, said_range
from fairmargin.core.units import label as unit_label
from fairmargin.core.words import same_name, signed

JsonValue = dict[str, Any]
MOST_NAMED: Final = 8  # pairs in one sentence
POINTS: Final = ("north", "north-east", "east", "south-east", "south", "south-west", "west", "north-west")
Locate = Callable[[int], JsonValue]  # where a study is: its logbook and its number there


SAME_PERCENT = 1.0  # what studies care about where they say nothing else


def effect_words(percent: float, interval: tuple[float, float]) -> str:
    """An effect with its interval."""
    return f"{signed(percent)} % ({signed(interval[0])} to {signed(interval[1])})"


def finding_words(f: Finding) -> str:
    """One study's own result, in a line."""
    day = f"{f.when:%d %b %Y}, " if f.when else ""
    return f"{day}\u201c{f.title}\u201d: {f.name} {effect_words(f.percent, f.interval_percent)}"


def standing_words(joint: Joint) -> str:
    """Who uses least, and who cannot be told from whom."""
    best = joint.placed[0]
    apart = [p for p in joint.pairs if p.told_apart]
    if len(joint.names) == 2:
        (only,) = joint.pairs
        return (
            f"{best.name} uses less; the two are told apart."
            if only.told_apart
            else f"{only.first} and {only.second} cannot be told apart."
        )
    words = f"{best.name} uses least with a chance of {100 * best.chances[0]:.0f} %."
    if not apart:
        return f"{words} None can be told from another."
    if not joint.alike:
        return f"{words} All are told apart."
    named = [f"{p.first} and {p.second}" for p in joint.alike]
    more = f"; and {len(named) - MOST_NAMED} more pairs" if len(named) > MOST_NAMED + 1 else ""
    named = named[:MOST_NAMED] if more else named
    return f"{words} Not told apart: {'; '.join(named)}{more} (all {len(joint.pairs)} pairs at once)."


def pair_words(p: Apart, pairs: int = 1) -> str:
    """Two configurations against each other, one of so many pairs that are told apart together."""
    how = "" if p.direct else " (through what they were each compared with)"
    low, high = p.interval_percent
    apart = "" if p.told_apart else ", not told apart"
    if not p.told_apart and (low > 0 or high < 0):
        # By itself it would be: the reason stands beside it.
        apart = f", by itself {verdict_of(p.interval_percent)}; among {pairs} pairs at once that is not enough to tell them apart"
    return f"{p.second} against {p.first}: {effect_words(p.percent, p.interval_percent)}{how}{apart}"


def verdict_of(interval: tuple[float, float]) -> str:
    """What an interval says, in the words of a verdict."""
    low, high = interval
    if low > 0:
        return "uses more"
    if high < 0:
        return "uses less"
    return "no difference that matters" if low >= -SAME_PERCENT and high <= SAME_PERCENT else "not settled"


def rank_lines(joint: Joint) -> list[str]:
    """The chance of every place of each configuration, the one that uses least first."""
    out = []
    for p in joint.placed:
        told = ", ".join(
            f"{i}{'st' if i == 1 else 'nd' if i == 2 else 'rd' if i == 3 else 'th'} {100 * chance:.0f} %"
            for i, chance in enumerate(p.chances, start=1)
            if chance >= 0.005
        )
        out.append(f"{p.name}: {told}")
    return out


def joint_lines(joint: Joint) -> list[str]:
    """What a group of studies says together."""
    speed = f" at {said(joint.speed_kmh, 'km/h')}" if joint.speed_kmh else ""
    count = len(joint.studies)
    lines = [f"Against {joint.reference}{speed}, {count} stud{'ies' if count != 1 else 'y'}:"]
    for i, p in enumerate(joint.placed):
        figures = (
            "the reference"
            if p.name == joint.reference
            else f"{effect_words(p.percent, p.interval_percent)}, {verdict_of(p.interval_percent)}"
        )
        lines.append(f"  {i + 1}. {p.name}: {figures}")
    lines.append(f"  {standing_words(joint)}")
    if len(joint.names) > 2:
        lines.append(f"  Chance of each place: {'; '.join(rank_lines(joint))}.")
    if count > 1:
        lines.append(f"  {joint.spread.words}")
    return lines


def again_lines(joint: Joint, changed: Sequence[Difference]) -> list[str]:
    """A question that was asked again: each answer, what moved, and what they say together."""
    effect, interval = joint.between(joint.names[0], joint.names[1])
    count = len(joint.studies)
    lines = [f"{joint.names[1]} against {joint.names[0]}, asked {'twice' if count == 2 else f'{count} times'}:"]
    lines += [f"  {finding_words(f)}" for f in joint.findings]
    moved = moved_since(joint)
    if moved is not None:
        lines.append(f"  From the first to the last: {effect_words(*moved)}; {stayed_words(moved[1])}")
    lines.append(f"  Together: {effect_words(effect, interval)}.")
    lines.append(f"  {joint.spread.words}")
    if changed:
        lines.append(f"  What was not alike: {'; '.join(d.words for d in changed)}.")
    may = unnoted(joint, changed)
    if may:
        lines.append(f"  What may have changed, and nobody noted: {', '.join(may)}.")
    return lines


#: Days after which wear and season are named, and nights of how unlike a season.
LONG_DAYS: Final = 90
OTHER_SEASON_DAYS: Final = 60


def unnoted(joint: Joint, changed: Sequence[Difference]) -> list[str]:
    """What time changes of a vehicle, where a question was asked long after, or in another season, and no note tells of it."""
    days = sorted(f.when for f in joint.findings if f.when)
    if len(days) < 2 or (days[-1] - days[0]).days < OTHER_SEASON_DAYS:
        return []
    between = (days[-1] - days[0]).days
    told = {d.what for d in changed if UNTOLD not in (d.before, d.after)}
    found = []
    if between >= LONG_DAYS:
        found += [
            "wear and age of the tyres",
            f"wear of \u201c{joint.names[1]}\u201d and how it is fitted",
            "the battery's age",
        ]
    apart = abs(days[-1].timetuple().tm_yday - days[0].timetuple().tm_yday)
    if min(apart, 365 - apart) >= OTHER_SEASON_DAYS:
        found.append("the season: tyres for it, damp roads, heating")
    found += [x for x in ("tyre pressure", "mass of the vehicle") if x not in told and _nobody_noted(x, changed)]
    return found


def _nobody_noted(what: str, changed: Sequence[Difference]) -> bool:
    """Whether one of two studies left a thing open; what both noted alike is not among what changed."""
    return any(d.what == what and UNTOLD in (d.before, d.after) for d in changed)


def stayed_words(interval: tuple[float, float]) -> str:
    """Whether an effect stayed: a wide interval around nothing is no proof that it did."""
    low, high = interval
    if low > 0 or high < 0:
        return "it did not stay so."
    if low >= -SAME_PERCENT and high <= SAME_PERCENT:
        return "it stayed so."
    return "it is not settled whether it stayed so."


def moved_words(k: Known, m: Moved) -> str:
    """A constant as it stood at one moment, with its interval."""
    return _with_interval(m.middle, m.interval, k.unit, k.decimals)


def _with_interval(middle: float, interval: tuple[float, float], unit: str, decimals: int) -> str:
    """A constant and its interval."""
    if unit in SENTENCE_UNITS:
        low, high = (said(x, unit, decimals, bare=True) for x in interval)
        return f"{said(middle, unit, decimals)} ({low} to {high})"
    low, high = (f"{x:.{decimals}f}" for x in interval)
    return f"{middle:.{decimals}f}{f' {unit}' if unit else ''} ({low} to {high})".replace("-", "\u2212")


def known_words(k: Known) -> str:
    """One constant of a vehicle, before and now."""
    if not k.narrower:
        return f"{k.label}: {moved_words(k, k.now)}; the studies say nothing that was not thought before"
    return f"{k.label}: {moved_words(k, k.now)}; thought before: {moved_words(k, k.before)}"


def facts_lines(known: KnownFacts, scatter: ScatterPrior) -> list[str]:
    """What is known of instruments, battery and the tester's hand."""
    lines = []
    if known.distance_error_percent is not None:
        p = known.distance_error_percent
        lines.append(f"Distance shown over GPS: {effect_words(p.value, p.interval)}, {p.studies} studies")
    if known.speed_error_percent is not None:
        p = known.speed_error_percent
        lines.append(f"Speed held over the aimed-for, by GPS: {effect_words(p.value, p.interval)}, {p.studies} studies")
    if known.capacity_kwh is not None:
        p = known.capacity_kwh
        lines.append(
            f"Usable capacity: {p.value:.1f} kWh ({p.interval[0]:.1f} to {p.interval[1]:.1f}), {p.studies} studies"
        )
    lines += [
        f"Step of {name.partition(', ')[0]}: {step:g} {unit_label(name.partition(', ')[2])}".rstrip()
        for name, step in known.steps.items()
    ]
    if scatter.studies:
        lines.append(
            f"Your scatter from run to run: {100 * scatter.share:.1f} % of a leg of {said(30.0, 'km')}, from {scatter.studies} studies"
        )
    return lines


def remembered_lines(remembered: Remembered) -> list[str]:
    """What a study begins with, a line a constant."""
    lines = []
    for v in remembered.values:
        rule = CONSTANTS.get(v.name)
        if rule is not None:
            half = intervals.deviate(intervals.USUAL) * v.sd
            ends = (v.mean - half, v.mean, v.mean + half)
            low, middle, high = (math.exp(x) for x in ends) if rule.logarithm else ends
            lines.append(f"{rule.label}: {_with_interval(middle, (low, high), rule.unit, rule.decimals)}")
    return lines


def road_lines(road: RoadKnowledge, known: VehicleKnowledge | None = None) -> list[str]:
    """What is known of a road; how much wind reaches it where a vehicle's studies tell."""
    count = len(road.studies)
    lines = [f"{count} stud{'ies' if count != 1 else 'y'}" + (f", {said(road.km, 'km', 1)}" if road.km else "")]
    if road.climb_m is not None and road.fall_m is not None:
        heights = f" (heights averaged over {road.heights_from} recordings)" if road.heights_from > 1 else ""
        lines.append(f"Out it climbs {said(road.climb_m, 'm')} and falls {said(road.fall_m, 'm')}{heights}")
    if road.bearing_deg is not None:
        lines.append(f"Out it lies to the {POINTS[round(road.bearing_deg / 45.0) % 8]} ({road.bearing_deg:.0f}\u00b0)")
    elif road.route:
        lines.append("It comes back to where it began")
    for h in road.held:
        mean, sd = h.mean_kmh, h.sd_kmh
        held = said(mean, "km/h") if sd is None else said_range(mean, sd, "km/h", 1, "\u00b1")
        lines.append(f"Speed held, {h.direction}: {held} over {h.legs} leg{'s' if h.legs != 1 else ''}")
    slow = [h for h in road.hours if h.held_up]
    if slow:
        told = "; ".join(
            f"{h.hour}:00 to {h.hour + 1}:00 {h.held_up} of {h.legs} legs, {h.minutes:.1f} min a leg" for h in slow
        )
        lines.append(f"Traffic that was noted: {told}")
    elif road.hours:
        lines.append("No traffic was noted")
    shelter = next(
        (k for k in (known.constants if known else ()) if k.name == f"height factor@{same_name(road.name)}"), None
    )
    if shelter is not None and shelter.narrower:
        lines.append(f"Wind that reaches it, over the terrain's usual: {moved_words(shelter, shelter.now)}")
    return lines


def vehicle_lines(known: VehicleKnowledge) -> list[str]:
    """All that is known of a vehicle."""
    if not known.studies:
        return ["No study of it says anything of its constants yet."]
    count = len(known.studies)
    until = f", up to {known.as_of:%d %b %Y}" if known.as_of else ""
    return [
        f"From {count} stud{'ies' if count != 1 else 'y'}{until}; intervals hold 95 %:",
        *(f"  {known_words(k)}" for k in known.constants),
    ]


# ---------------------------------------------------------------- JSON


def number(value: float | None, digits: int = 4) -> float | None:
    """A figure as JSON has it, rounded."""
    return None if value is None else round(value, digits)


def pair(values: tuple[float, float], digits: int = 4) -> list[float]:
    """Two figures as JSON has them, rounded."""
    return [round(v, digits) for v in values]


def finding_json(f: Finding, where: Locate) -> JsonValue:
    """One study's own result."""
    return {
        **where(f.study), "title": f.title, "when": f.when.isoformat() if f.when else None, "baseline": f.baseline,
        "trial": f.trial, "speed_kmh": number(f.speed_kmh), "effect_percent": number(f.percent),
        "interval_percent": pair(f.interval_percent), "confidence": f.confidence, "verdict": f.verdict,
    }  # fmt: skip


def _placed_json(p: Placed, where: Locate) -> JsonValue:
    return {
        "name": p.name, "effect_percent": number(p.percent), "interval_percent": pair(p.interval_percent),
        "mean_rank": number(p.mean_rank), "chances_of_ranks": [number(c) for c in p.chances],
        "studies": [where(s) for s in p.studies],
    }  # fmt: skip


def joint_json(joint: Joint, where: Locate) -> JsonValue:
    """What a group of studies says together."""
    s = joint.spread
    return {
        "reference": joint.reference,
        "speed_kmh": number(joint.speed_kmh),
        "confidence": joint.confidence,
        "configurations": [_placed_json(p, where) for p in joint.placed],
        "pairs": [
            {
                "first": p.first, "second": p.second, "effect_percent": number(p.percent),
                "interval_percent": pair(p.interval_percent), "told_apart": p.told_apart, "direct": p.direct,
            }
            for p in joint.pairs
        ],
        "spread": {
            "q": number(s.q), "freedom": s.freedom, "chance": number(s.chance), "percent": number(s.percent),
            "interval_percent": pair(s.interval_percent), "differ": s.differ, "words": s.words,
        },
        "words": standing_words(joint),
        "findings": [finding_json(f, where) for f in joint.findings],
    }  # fmt: skip


def left_json(left: Sequence[LeftOut], where: Locate) -> list[JsonValue]:
    """Findings that are not counted, and why."""
    return [{**finding_json(x.finding, where), "why": x.why} for x in left]


def again_json(joint: Joint, changed: Sequence[Difference], where: Locate) -> JsonValue:
    """A question that was asked again."""
    moved = moved_since(joint)
    effect, interval = joint.between(joint.names[0], joint.names[1])
    return {
        "vehicle": joint.vehicle,
        "baseline": joint.names[0],
        "trial": joint.names[1],
        "effect_percent": number(effect),
        "interval_percent": pair(interval),
        "moved_percent": None if moved is None else number(moved[0]),
        "moved_interval_percent": None if moved is None else pair(moved[1]),
        "spread": joint_json(joint, where)["spread"],
        "findings": [finding_json(f, where) for f in joint.findings],
        "changed": [{"what": d.what, "before": d.before, "after": d.after} for d in changed],
    }


def _moved_json(m: Moved, where: Locate) -> JsonValue:
    own: Mapping[str, Any] = where(m.study) if m.study else {}
    return {
        **own, "title": m.title, "when": m.when.isoformat() if m.when else None, "value": number(m.middle, 6),
        "interval": pair(m.interval, 6),
    }  # fmt: skip


def _pooled_json(p: Pooled | None) -> JsonValue | None:
    return None if p is None else {"value": number(p.value), "interval": pair(p.interval), "studies": p.studies}


def vehicle_json(known: VehicleKnowledge, facts: KnownFacts, scatter: ScatterPrior, where: Locate) -> JsonValue:
    """All that is known of a vehicle; `remembered` is what the next study would begin with."""
    return {
        "vehicle": known.vehicle,
        "as_of": known.as_of.isoformat() if known.as_of else None,
        "studies": [{**where(t.study), "title": t.title, "road": t.road} for t in known.studies],
        "constants": [
            {
                "name": k.name, "label": k.label, "unit": k.unit, "before": _moved_json(k.before, where),
                "now": _moved_json(k.now, where), "narrower": k.narrower, "steps": [_moved_json(m, where) for m in k.steps],
            }
            for k in known.constants
        ],
        "distance_error_percent": _pooled_json(facts.distance_error_percent),
        "speed_error_percent": _pooled_json(facts.speed_error_percent),
        "usable_capacity_kwh": _pooled_json(facts.capacity_kwh),
        "display_steps": dict(facts.steps),
        "scatter_percent": number(100 * scatter.share) if scatter.studies else None,
        "remembered": known.remembered().model_dump(mode="json"),
    }  # fmt: skip

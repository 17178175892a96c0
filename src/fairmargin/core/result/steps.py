"""From the figure as read to the effect, step by step, so that a pencil finds the same sum.

As read is what a tester would work out: of each side the mean over the directions driven of energy over distance shown, and their
ratio. The ledger's corrections are then laid on one line after another, and what each moves that same ratio by is its step: first
the part of legs on which its cause was noted, then that of legs where it is taken as usual. What is left to the effect of the fit is
a step of its own: the fit weighs its legs by how surely they were read, and holds what is scarcely told towards what is usual.

Shares of logarithms become shares of per cent by the logarithmic mean of both ratios, so that the sum is exact.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Final, Literal

from fairmargin.core.conditions import registry
from fairmargin.core.evidence.conditions import Conditions
from fairmargin.core.evidence.indirect import RUNNING
from fairmargin.core.evidence.reading import Observation

Kind = Literal["noted", "usual", "weights"]
WEIGHTS: Final = "weights"
NEGLIGIBLE: Final = 1e-6  # of a logarithm: a line that moves nothing is no step


@dataclass(frozen=True, slots=True)
class Step:
    """What one line moves the ratio by, in per cent of the baseline's consumption."""

    source: str
    percent: float
    kind: Kind


@dataclass(frozen=True, slots=True)
class Side:
    """One side's level as a pencil has it: of each direction energy and distance, and how much the direction counts."""

    directions: tuple[tuple[str, tuple[str, ...], float, float], ...]  # direction, first legs, energy [Wh], shown [km]
    weights: tuple[float, ...]
    wh_per_km: float
    unrolled: tuple[tuple[str, str, float], ...] = ()  # legs by a running average: legs, how, and what it makes [Wh/km]


Direction = Callable[[Observation], str]
Lines = Mapping[str, Mapping[str, float]]  # leg -> line -> Wh/km


def balanced(a: Sequence[Observation], b: Sequence[Observation], direction: Direction) -> tuple[Side, Side]:
    """Both sides as read, balanced by direction where both were driven in all of them, else total over total.

    Parameters
    ----------
    a, b : sequence of Observation
        Of the baseline and of the trial; at least one each.
    direction : callable
        Direction of an observation.
    """
    ways = [dict.fromkeys(direction(o) for o in side) for side in (a, b)]
    alike = len(ways[0]) > 1 and set(ways[0]) == set(ways[1])
    order = tuple(ways[0]) if alike else ("",)
    lengths = [_mean_km([o for o in (*a, *b) if not alike or direction(o) == way]) for way in order]
    weights = tuple(x / sum(lengths) for x in lengths)
    return _side(a, order, weights, direction), _side(b, order, weights, direction)


def _mean_km(every: Sequence[Observation]) -> float:
    return sum(o.shown_km for o in every) / len(every)


def _side(every: Sequence[Observation], order: Sequence[str], weights: tuple[float, ...], direction: Direction) -> Side:
    own = []
    for way in order:
        legs = [o for o in every if not way or direction(o) == way]
        own.append((way, tuple(o.legs[0] for o in legs), sum(o.energy_wh for o in legs), sum(o.shown_km for o in legs)))
    level = sum(w * wh / km for w, (_, _, wh, km) in zip(weights, own, strict=True))
    unrolled = tuple(
        (", ".join(o.legs), o.readings[0].shown, o.energy_wh / o.shown_km)
        for o in every
        if o.readings[0].instrument == RUNNING
    )
    return Side(tuple(own), weights, level, unrolled)


def steps(
    a: Sequence[Observation],
    b: Sequence[Observation],
    direction: Direction,
    lines: Lines,
    conditions: Mapping[str, Conditions],
    log_effect: float,
) -> tuple[Step, ...]:
    """Every step from as read to the effect; their percents and that of as read add up to the effect's.

    Parameters
    ----------
    a, b : sequence of Observation
        Of the baseline and of the trial.
    direction : callable
        Direction of an observation.
    lines : mapping of leg to mapping of line to float
        Corrections of each leg; none where nothing was corrected. [Wh/km]
    conditions : mapping of leg to Conditions
    log_effect : float
        Logarithm of the effect's ratio.
    """
    first, second = balanced(a, b, direction)
    start = math.log(second.wh_per_km / first.wh_per_km)
    made: list[tuple[str, Kind, float]] = []
    now, lost = start, 0.0
    energy = {o.legs[0]: o.energy_wh for o in (*a, *b)}
    known = registry.lines()
    keys = {key for legs in lines.values() for key in legs}
    order = [*(k for k in known if k in keys), *sorted(keys - set(known))]
    for key in order:
        line = known.get(key)
        moved: dict[Kind, float] = {"noted": 0.0, "usual": 0.0}
        for kind in moved:
            for o in (*a, *b):
                for name in o.legs:
                    c = conditions.get(name)
                    told = line is None or c is None or line.noted(c)
                    if told is (kind == "noted"):
                        energy[o.legs[0]] += lines.get(name, {}).get(key, 0.0) * o.shown_km / len(o.legs)
            after = math.log(_level(second, energy) / _level(first, energy))
            moved[kind] = after - now
            now = after
        if moved["noted"] * moved["usual"] < 0.0:
            # Taken as the noted legs have it: the two take each other back, and what is left is taken as usual.
            moved = {"noted": 0.0, "usual": moved["noted"] + moved["usual"]}
        for kind, by in moved.items():
            if abs(by) > NEGLIGIBLE:
                made.append((key, kind, by))
            else:
                lost += by
    made.append((WEIGHTS, "weights", log_effect - now + lost))
    factor = 100.0 * _log_mean(start, log_effect)
    return tuple(Step(key, factor * moved, kind) for key, kind, moved in made)


def _level(side: Side, energy: Mapping[str, float]) -> float:
    parts = zip(side.weights, side.directions, strict=True)
    return max(sum(w * sum(energy[name] for name in legs) / km for w, (_, legs, _, km) in parts), 1e-9)


def _log_mean(a: float, b: float) -> float:
    """Logarithmic mean of exp(a) and exp(b): (eᵇ − eᵃ)/(b − a)."""
    return math.exp(a) if abs(b - a) < 1e-9 else (math.exp(b) - math.exp(a)) / (b - a)


def rounded(start: float, parts: Sequence[float], end: float, decimals: int = 1) -> list[float]:
    """Parts rounded so that start, parts and end, each as printed, add up: the largest remainders are rounded up.

    Parameters
    ----------
    start, end : float
        As they are, not rounded; `parts` lead from one to the other.
    parts : sequence of float
    decimals : int

    Examples
    --------
    >>> rounded(147.02, [2.33, -0.04, 2.44], 151.75), rounded(0.45, [1.0], 1.45)
    ([2.3, 0.0, 2.5], [0.9])
    """
    unit = 10.0**-decimals
    exact = [v / unit for v in parts]
    # As they are printed: the decimals of a figure are rounded from its digits, not from a quotient.
    target = round(float(f"{end:.{decimals}f}") / unit) - round(float(f"{start:.{decimals}f}") / unit)
    whole = [math.floor(x) for x in exact]
    missing = target - sum(whole)
    # Where that is not enough (start and end round apart), the next remainders as well.
    by_remainder = sorted(range(len(exact)), key=lambda i: whole[i] - exact[i])
    for i in range(abs(missing) if exact else 0):
        at = by_remainder[i % len(exact)] if missing > 0 else by_remainder[-1 - i % len(exact)]
        whole[at] += 1 if missing > 0 else -1
    return [round(n * unit, decimals) for n in whole]


def as_shown(as_read: float, made: Sequence[Step], effect: float, decimals: int = 1) -> list[Step]:
    """Steps rounded so that as read, the steps and the effect, each as shown, add up (see `rounded`).

    Steps of one source and kind are one; those that show as nothing are left out where the sum stands without them.
    """
    together: dict[tuple[str, Kind], float] = {}
    for s in made:
        together[s.source, s.kind] = together.get((s.source, s.kind), 0.0) + s.percent
    shown = rounded(as_read, list(together.values()), effect, decimals)
    return [Step(source, x, kind) for (source, kind), x in zip(together, shown, strict=True) if x != 0]

"""What goes wrong on a rehearsed day, hidden in it: what it does to the drive, what can be seen of it, what it costs.

Afterwards it is told what of it was noticed. Sizes are common practice.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Final, Literal

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.study import Leg, Study, Trace
from fairmargin.simulation.drive import cumulated

Array = NDArray[np.float64]
MishapKind = Literal["reset", "lorry", "rain", "wrong turn", "frozen GPS"]
#: How often a day has each.
CHANCES: Final[Mapping[MishapKind, float]] = {"lorry": 0.6, "rain": 0.4, "wrong turn": 0.35, "frozen GPS": 0.5}
LEE: Final = (0.84, 0.92)  # of what is drawn, close behind a lorry
WET: Final = (1.04, 1.08)
DETOUR_M: Final = (500.0, 900.0)  # each way
DETOUR_M_S: Final = 12.5
FROZEN_S: Final = (50.0, 120.0)
#: What is seen of a mishap, and what looks like one and is none.
SEEN: Final[Mapping[MishapKind, str]] = {
    "lorry": "a lorry close ahead, its lights fill the windscreen",
    "rain": "rain on the windscreen, spray from the road",
    "wrong turn": "a village that is not on your road",
}
HARMLESS: Final = (
    "a lorry far ahead", "dark clouds over the hills; the road is dry",
    "a village away from the road, as always", "a van overtakes and is gone", "low sun",
)  # fmt: skip
NOTHING: Final = "a free road"
HARMLESS_SHARE: Final = 0.5  # of legs
#: Events that note a mishap.
NOTED_AS: Final[Mapping[MishapKind, str]] = {
    "lorry": "following-closely", "rain": "rain", "wrong turn": "wrong-turn",
}  # fmt: skip
RESET_SHOWS: Final = 1.15  # trip over the way between the gates, from which a reset did not take


@dataclass(frozen=True, slots=True)
class Mishap:
    """Something that goes wrong on a leg, in seconds since it set off.

    Attributes
    ----------
    cost_percent : float
        What it does to the leg's consumption over its distance; nought where it only spoils what is read.
    """

    kind: MishapKind
    leg: str
    from_s: float
    to_s: float
    cost_percent: float = 0.0


@dataclass(frozen=True, slots=True)
class Sight:
    """What is seen out of the window from one second of a leg to another."""

    leg: str
    from_s: float
    to_s: float
    words: str


@dataclass(frozen=True, slots=True)
class Beset:
    """Legs with what went wrong on them."""

    legs: Mapping[str, Trace]
    mishaps: tuple[Mishap, ...]
    sights: tuple[Sight, ...]


def beset(legs: Mapping[str, Trace], names: Sequence[str], seed: int) -> Beset:
    """Let things go wrong on some legs of a day, as the seed has it.

    Parameters
    ----------
    legs : mapping of str to Trace
        As they would be driven.
    names : sequence of str
        Legs on which something may happen: those of the plan.
    seed : int

    Returns
    -------
    Beset
    """
    rng = np.random.default_rng([seed, 80])
    where = [str(n) for n in rng.permutation(np.array(names))]
    made, mishaps, sights = dict(legs), [], []
    for i, (kind, chance) in enumerate(CHANCES.items()):
        happens = rng.random() < chance
        begins, lasts = float(rng.uniform(0.3, 0.5)), float(rng.uniform(0.2, 0.35))
        size = float(rng.random())
        if not happens:
            continue
        name = where[i % len(where)]
        trace, mishap = _happens(kind, name, made[name], begins, lasts, size)
        made[name] = trace
        mishaps.append(mishap)
        if kind in SEEN:
            sights.append(Sight(name, mishap.from_s, mishap.to_s, SEEN[kind]))
    struck = {m.leg for m in mishaps}
    for name in names:
        look, begins, which = rng.random(), float(rng.uniform(0.1, 0.6)), str(rng.choice(HARMLESS))
        if look < HARMLESS_SHARE and name not in struck:
            end = float(made[name].time_s[-1])
            sights.append(Sight(name, begins * end, (begins + 0.2) * end, which))
    return Beset(made, tuple(mishaps), tuple(sights))


def _happens(
    kind: MishapKind, name: str, trace: Trace, begins: float, lasts: float, size: float
) -> tuple[Trace, Mishap]:
    end = float(trace.time_s[-1])
    start, stop = begins * end, (begins + lasts) * end

    def within(span: tuple[float, float]) -> float:
        return span[0] + size * (span[1] - span[0])

    if kind == "frozen GPS":
        return trace, Mishap(kind, name, start, start + within(FROZEN_S))
    if kind == "wrong turn":
        turned = _detour(trace, start, within(DETOUR_M))
        lasted = float(turned.time_s[-1]) - end
        return turned, Mishap(kind, name, start, start + lasted, _cost(trace, turned))
    if kind == "rain":
        start, stop = 0.6 * start, end  # it does not stop before the leg does
    changed = _drawing(trace, start, stop, within(LEE if kind == "lorry" else WET))
    return changed, Mishap(kind, name, start, stop, _cost(trace, changed))


def _drawing(trace: Trace, start: float, stop: float, factor: float) -> Trace:
    """The same drive, drawing so much more for a while."""
    columns = dict(trace.columns())
    power = columns["power_kw"]
    there = (trace.time_s >= start) & (trace.time_s <= stop) & (power > 0)
    return Trace(**columns | {"power_kw": np.where(there, power * factor, power)})


def _detour(trace: Trace, start: float, each_way_m: float) -> Trace:
    """The same drive with a way off the road and back put in."""
    at = int(np.searchsorted(trace.time_s, start))
    columns = trace.columns()
    step = float(np.median(np.diff(trace.time_s)))
    n = max(4, round(2 * each_way_m / DETOUR_M_S / step))
    gone = np.abs(np.abs(np.linspace(-1.0, 1.0, n)) - 1.0) * each_way_m
    out: dict[str, Array] = {}
    for name, values in columns.items():
        put = np.full(n, values[at - 1])
        if name == "time_s":
            put = values[at - 1] + step * np.arange(1, n + 1)
        elif name == "speed_kmh":
            put = np.full(n, DETOUR_M_S * 3.6)
        elif name == "power_kw":
            # As much for a kilometre as on the road: slower air, and two turns.
            a_km = float(np.mean(values)) / max(float(np.mean(columns["speed_kmh"])), 1.0)
            put = np.full(n, a_km * DETOUR_M_S * 3.6 * 1.1)
        elif name == "latitude":
            # Across the road: north where it lies east, else west.
            put = values[at - 1] + gone / 111_250.0 * abs(_across(trace, at)[0])
        elif name == "longitude":
            narrow = math.cos(math.radians(float(columns["latitude"][at - 1])))
            put = values[at - 1] + gone / (111_320.0 * narrow) * _across(trace, at)[1]
        after = values[at:] + (step * n if name == "time_s" else 0.0)
        out[name] = np.concatenate([values[:at], put, after])
    return Trace(**out)


def _across(trace: Trace, at: int) -> tuple[float, float]:
    """Direction across the road at a sample: north and east."""
    assert trace.latitude is not None and trace.longitude is not None
    a, b = max(0, at - 10), min(len(trace.time_s) - 1, at + 10)
    north = float(trace.latitude[b] - trace.latitude[a])
    east = float(trace.longitude[b] - trace.longitude[a]) * math.cos(math.radians(float(trace.latitude[at])))
    long = math.hypot(north, east) or 1.0
    # Turned by a right angle, to the side that lies north.
    across = (east / long, -north / long)
    return across if across[0] >= 0 else (-across[0], -across[1])


def _cost(was: Trace, now: Trace) -> float:
    """What the one takes for a kilometre over the other. [%]"""
    a_km = [kwh[-1] / km[-1] for km, kwh in (cumulated(was), cumulated(now))]
    return 100.0 * (float(a_km[1] / a_km[0]) - 1.0)


# ---------------------------------------------------------------- afterwards


@dataclass(frozen=True, slots=True)
class Noticed:
    """A mishap, and what came of it.

    Attributes
    ----------
    by : str
        How it was noticed; empty where it was not.
    cost_percent : float, optional
        What it does to the leg's reading that is counted; None where the leg is not.
    side_percent : float, optional
        The same of the mean of the leg's configuration, over the legs of it that count.
    """

    mishap: Mishap
    by: str
    cost_percent: float | None
    side_percent: float | None


def noticed(study: Study, mishaps: Sequence[Mishap], deaf_reset: str) -> tuple[Noticed, ...]:
    """What of a day's mishaps was noticed, in the order of its legs; of legs that have no reading nothing is said."""
    every = [*mishaps, *([Mishap("reset", deaf_reset, 0.0, 0.0)] if deaf_reset else [])]
    at = {leg.leg: i for i, leg in enumerate(study.legs)}
    found = []
    for m in sorted((m for m in every if m.leg in at), key=lambda m: at[m.leg]):
        leg = study.leg(m.leg)
        if leg.average_shown is None and leg.energy_kwh is None and leg.duration_s is None:
            continue
        by = _by(study, leg, m)
        cost = None if not leg.included else _reset_cost(study, leg) if m.kind == "reset" else m.cost_percent
        if m.kind == "reset" and by and leg.included:
            cost = 0.0
        alike = sum(
            x.configuration == leg.configuration and x.included and x.duration_s is not None for x in study.legs
        )
        found.append(Noticed(m, by, cost, None if cost is None or not alike else cost / alike))
    return tuple(found)


def noted_for_nothing(study: Study, mishaps: Sequence[Mishap]) -> tuple[tuple[str, str], ...]:
    """Legs and kinds of events that were noted where nothing of the kind was."""
    there = {(m.leg, NOTED_AS[m.kind]) for m in mishaps if m.kind in NOTED_AS}
    kinds = set(NOTED_AS.values())
    said = dict.fromkeys((e.leg, e.kind) for e in study.events if e.kind in kinds)
    return tuple(pair for pair in said if pair not in there)


def _by(study: Study, leg: Leg, m: Mishap) -> str:
    """How a mishap was noticed."""
    if not leg.included:
        return f"left out: {leg.reason}" if leg.reason else "left out"
    kinds = {e.kind for e in study.events if e.leg == leg.leg}
    if m.kind in NOTED_AS and NOTED_AS[m.kind] in kinds:
        return "noted with its key"
    if m.kind == "rain" and leg.road not in {None, "", "dry"}:
        return f"road noted as {leg.road}"
    if m.kind == "frozen GPS":
        return "told by the program, and kept in the leg's note" if "GPS" in leg.note else ""
    if m.kind == "reset":
        if "reset-doubtful" in kinds:
            return "noted as doubtful"
        over = _trip_over_way(study, leg)
        return "pressed again" if over is not None and over < RESET_SHOWS else ""
    return "in the leg's note" if m.kind.split()[0] in leg.note.lower() else ""


def _trip_over_way(study: Study, leg: Leg) -> float | None:
    """The trip meter's distance over the way between the gates; None where either is not known."""
    plan = study.plan
    if leg.distance_km is None or plan.gate_start_m is None or plan.gate_end_m is None:
        return None
    return float(leg.distance_km) / ((plan.gate_end_m - plan.gate_start_m) / 1000.0)


def _reset_cost(study: Study, leg: Leg) -> float | None:
    """By how much a reading that holds the way before is off its likes' mean; None where there is none. [%]"""
    likes = [
        x.average_shown
        for x in study.legs
        if x is not leg and x.included and x.average_shown is not None
        and (x.configuration, x.direction, x.average_unit) == (leg.configuration, leg.direction, leg.average_unit)
    ]  # fmt: skip
    if not likes or leg.average_shown is None:
        return None
    return 100.0 * (float(leg.average_shown) / (sum(map(float, likes)) / len(likes)) - 1.0)

"""Speed: held, timed, missed; and standing."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import replace
from statistics import median
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.conditions.case import Case, names
from fairmargin.core.conditions.causes import Group
from fairmargin.core.conditions.design import DesignRows, Unknown, by_configuration, unknown_of
from fairmargin.core.conditions.room import Condition, Exchange, LegField, Line, Told
from fairmargin.core.conditions.rules import Finding, Registry
from fairmargin.core.evidence.hold_ups import full_stops, moments
from fairmargin.core.figures import NOTABLE, Prior, Size, Threshold
from fairmargin.core.laws import auxiliaries
from fairmargin.core.model.parameters import Parameter
from fairmargin.core.units import said
from fairmargin.core.words import signed

Array = NDArray[np.float64]
CONCERNS: Registry[Case] = Registry()

FIELDS: Final[Mapping[str, LegField]] = {
    "duration_s": LegField(
        "Time", "min:s such as 16:30, h:min:s such as 1:15:40, or 75.7 min", "duration",
        heads=("time", "duration", "duration_s", "minutes", "min", "mins", "driving time"),
    ),
    "speed_kmh": LegField(
        "Aimed at", "Speed aimed at, where it differs between legs", "speed", 0,
        heads=("speed", "speed_kmh", "aimed", "target", "km/h", "mph"), alike=True,
    ),
    "speed_held": LegField(
        "Speed held by", "cruise or foot", words=("cruise", "foot", "unknown"),
        heads=("speed held", "speed_held", "held", "cruise"), alike=True, carried=True,
    ),
    "stopped_s": LegField(
        "Stood", "Minutes standing in the driving time, car on or off: 3, or 2:30", "duration",
        heads=("stopped", "stood", "stopped_s", "standing"),
    ),
    "stopped_with_car_on_s": LegField(
        "Car on", "Minutes beside the drive with the car left on", "duration", column="Stopped, car on",
        heads=("stopped_with_car_on_s", "car on"),
    ),
}  # fmt: skip

AIM_OF_CONFIGURATION: Final = Prior(0.006, "log", "speed of one configuration's untimed legs, over the aim")
SURE_SPEED: Final = Size(0.002, "of speed", "one that is known to this share is taken as known")
SPEED_UNLIKE: Final = Threshold(0.015, "share", "1.5 % of speed is about 2 % of motorway consumption")
STOPPED_S: Final = Threshold(60.0, "s", "a traffic light's worth is scatter")
#: A leg that took this much longer than the median of its like is pointed out, where there are so many (common practice).
LONG_LEG: Final = 0.08
LIKE_LEGS: Final = 3


STOP: Final = Prior(0.4, "1", "what a stop takes, over what it takes at 1 m/s² either way")
STOP_TAKES_M: Final = 350.0  # of way at 90 km/h; it goes with the square of the speed
STOP_FROM_M_S: Final = 25.0


def unknowns(design: DesignRows) -> list[Unknown]:
    """Speeds not known well: of all legs of the driver alike, and of each leg."""
    out: list[Unknown] = []
    conditions = design.conditions
    alike = np.zeros(design.rows)
    alike[: len(conditions)] = [c.speed_alike_sd for c in conditions]
    if not design.study.target_speed_kmh:  # the result is for the speed driven, whatever that was
        alike[len(conditions) :] = float(np.mean(alike[: len(conditions)]))
    if alike.any():
        out.append(Unknown("speed of the driver", Group.SPEED_ALIKE, Parameter.SPEED, alike, 0.0, 1.0))
    for i, c in enumerate(conditions):
        if c.speed_sd > SURE_SPEED:
            on = np.zeros(design.rows)
            on[i] = 1.0
            out.append(Unknown("speed of leg", Group.SPEED, Parameter.SPEED, on, c.speed_off, c.speed_sd))
    return [*out, *_all_slower(design), *_stops(design), *_of_configurations(design)]


def _all_slower(design: DesignRows) -> list[Unknown]:
    """A configuration all of whose legs were slower: driven slower or held up, for one reason; as a share of what it was."""
    out: list[Unknown] = []
    for name in dict.fromkeys(c.configuration for c in design.conditions if c.slower_alike):
        own = [c for c in design.conditions if c.slower_alike and c.configuration == name]
        on = np.zeros(design.rows)
        on[: len(design.conditions)] = [c.slower_alike * (c.configuration == name) for c in design.conditions]
        found = np.array([moments(c.slower_by) for c in own]) / np.array([[c.slower_alike] for c in own])
        off, sd = found.mean(axis=0).tolist()
        out.append(Unknown(f"slower with {name}", Group.SPEED_ALIKE, Parameter.SPEED, on, off, sd))
    return out


def _stops(design: DesignRows) -> list[Unknown]:
    """What a full stop takes, more or less than ramps as usual; alike for all stops of a driver."""
    on = np.zeros(design.rows)
    for i, c in enumerate(design.conditions):
        stops = full_stops(design.study, c.leg, c.stopped_s)
        if stops and c.true_m:
            on[i] = stops * STOP_TAKES_M * (c.speed_m_s / STOP_FROM_M_S) ** 2 / c.true_m
    return [unknown_of("what a stop takes", Group.SPEED, Parameter.TOTAL, on, STOP)] if on.any() else []


def _of_configurations(design: DesignRows) -> list[Unknown]:
    """What the legs of one configuration miss the aim by, where nobody took their time: set anew at every swap."""
    by_hand = [not c.timed and design.study.leg(c.leg).speed_held != "cruise" for c in design.conditions]
    return [
        unknown_of(f"speed with {name}", Group.SPEED, Parameter.SPEED, on, AIM_OF_CONFIGURATION)
        for name, on in by_configuration(design, by_hand)
    ]


def exchange(e: Exchange) -> Exchange:
    """One speed for all, without stops; where there is none they stay those driven."""
    if e.steady is None:
        return e
    model = replace(e.model, paths=e.steady()).replaced(stopped_s=np.zeros(len(e.local)))
    local = e.local.copy()
    local[:, Parameter.SPEED] = 0.0
    return replace(e, model=model, local=local)


@CONCERNS.rule("speed-unlike", stage="correct", needs="times or logs", covered=None)
def speed_unlike(case: Case) -> Iterator[Finding]:
    """Trial legs faster or slower: priced as if all had been driven at one speed; of technique, a leg unlike its like."""
    a, b = case.both
    if not a or not b or case.study.change.subject == "speed":
        return
    if case.study.change.is_technique:
        yield from _long_legs(case)
        return
    fast = [float(np.mean([c.speed_m_s for c in side])) * 3.6 for side in (a, b)]
    if abs(fast[1] / fast[0] - 1) <= SPEED_UNLIKE:
        return
    middle = float(np.mean(fast)) / 3.6
    bias = case.with_conditions([replace(c, speed_m_s=middle) for c in case.conditions])
    yield Finding(
        "caution" if abs(bias or 0.0) > NOTABLE else "note",
        bias,
        names(b),
        f"Trial legs {said(abs(fast[1] - fast[0]), 'km/h', 1)} {'faster' if fast[1] > fast[0] else 'slower'}",
        f"Baseline legs averaged {said(fast[0], 'km/h', 1)}, trial legs {said(fast[1], 'km/h', 1)}.",
        "Corrected through the model. Hold the speed by GPS next time.",
        signed=True,
        covered=True,
    )


def _long_legs(case: Case) -> Iterator[Finding]:
    """Legs that took longer than their like, where nothing of how it was driven is corrected: priced by leaving them out."""
    timed: dict[tuple[str, str, str], list[tuple[str, float]]] = {}
    for leg in case.legs():
        if leg.duration_s and leg.distance_km:
            key = (leg.configuration, leg.direction, leg.sector)
            timed.setdefault(key, []).append((leg.leg, leg.duration_s / leg.distance_km))
    slow = [
        name
        for own in timed.values()
        for name, pace in own
        if len(own) >= LIKE_LEGS and pace > (1 + LONG_LEG) * median([x for _, x in own])
    ]
    if not slow:
        return
    yield Finding(
        "caution",
        case.dropping(slow),
        tuple(slow),
        f"{', '.join(slow)} took longer than the others",
        "Held up, or driven otherwise: where the way of driving is the change, nothing of it is corrected away.",
        "Drive it again, or leave it out with the reason if something held it up.",
        signed=True,
        covered=False,
    )


@CONCERNS.rule("slower-leg", stage="examine", needs="times", covered=True)
def slower_leg(case: Case) -> Iterator[Finding]:
    """Legs slower than their like, and nobody said why: priced as what the speeds leave open."""
    slow = [c for c in case.conditions if c.slower_by]
    if not slow or case.study.change.is_technique:
        return
    which = slow[0].leg if len(slow) == 1 else f"{len(slow)} legs"
    # Where all of a configuration were slower, its reason is in the effect: no number of such legs averages it out.
    one_sided = {c.configuration for c in slow if c.slower_alike}
    yield Finding(
        "caution" if len(one_sided) == 1 else "note",
        case.part_percent(Group.SPEED),
        names(slow),
        f"{which} slower than {'its' if len(slow) == 1 else 'their'} like: held up, or driven slower?",
        "A leg that stood takes a little more, one driven slower takes less. As long as nobody says which, both count, as far "
        "as the readings let them.",
        "Note what held it up (··· in Drive), or the speed it was driven for (More).",
    )


@CONCERNS.rule("outside-tested-speed", stage="question", needs="target speed, times or logs", covered=True)
def outside_tested_speed(case: Case) -> Iterator[Finding]:
    """Aimed at a speed that was not driven: said for what was driven, and what the other would make of it beside."""
    target = case.study.target_speed_kmh
    stated = case.stated_kmh
    if not target or not stated or case.as_driven or case.study.change.is_technique:
        return
    if abs(stated / target - 1) < 1e-6:
        return
    there = case.at_speed(target)
    beside = (
        ""
        if there is None
        else f" For the speed aimed at, which was not driven, it would be {signed(case.effect.percent - there)} %."
    )
    yield Finding(
        "note",
        there,
        names(case.conditions),
        "Driven at another speed than the one aimed for",
        f"The legs averaged {said(stated, 'km/h')} where {said(target, 'km/h')} was aimed for: the result is said for what was driven.{beside}",
        "Nothing to do; drive at the speed you want to know of.",
        signed=True,
    )


@CONCERNS.rule("stopped-with-car-on", stage="examine", needs="standing times or logs", covered=True)
def stopped_with_car_on(case: Case) -> Iterator[Finding]:
    """Stood with the auxiliaries running: priced as the difference of what they took."""
    a, b = case.both
    stopped = [c for c in case.conditions if c.stopped_s > STOPPED_S]
    if not stopped:
        return
    power_w = case.model.constants.auxiliary_w
    share = [
        100.0
        * auxiliaries.energy_wh(power_w, sum(c.stopped_s for c in side))
        / max(sum(c.true_m for c in side) / 1000.0 * case.effect.baseline_wh_per_km, 1.0)
        for side in (a, b)
    ]
    yield Finding(
        "note",
        share[1] - share[0] if a and b else None,
        names(stopped),
        "Stops with the car on",
        "Auxiliaries ran while the car stood, and each stop costs its speed's energy; both are in the model.",
        "Corrected. Plan a route without stops.",
        signed=True,
    )


CONDITION: Final = Condition(
    "speed",
    FIELDS,
    unknowns,
    lines=(Line("speed", "speed", 20, exchange, lambda c: c.timed and not c.slower_by),),
    told={
        Group.SPEED: Told(
            "speeds are open: times to the minute, stops, or legs slower than their like",
            "Note times to the second, and what held a leg up, or the speed that it was driven for.",
            lambda c: not c.timed,
            "driving times were not noted",
            "Note each leg's driving time.",
        )
    },
    concerns=CONCERNS.rules,
)

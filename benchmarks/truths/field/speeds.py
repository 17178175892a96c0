"""Field days of several speeds or sectors: one vehicle, road and change, driven at one after another."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from fairmargin.core.kinds import change_kind
from fairmargin.core.study import Change, Configuration, Leg, Study

from .days import FieldDay, _Day, sized, truth_of
from .machines import as_its_owner_knows, draw_machine
from .roads import as_noted, draw_road


@dataclass(frozen=True, slots=True)
class SpeedsStudy:
    """A study of several speeds, and what is true at each."""

    study: Study
    truth_percent: Mapping[float, float]


def field_speeds(seed: int, plan: FieldDay, speeds: Sequence[float], sectors: Sequence[str] = ()) -> SpeedsStudy:
    """Drive a plan's order at each speed in turn; sectors, one a speed, are named where they are given.

    The change has the plan's effect at the plan's own speed; what it has at the others follows from the truth.
    """
    rng = np.random.default_rng([seed, 777])
    road = draw_road(rng, 1000 * plan.length_km, plan.relief_m, False, False, plan.climb_m)
    machine, ways = draw_machine(plan.sort, rng), [False, True]
    change = sized(plan, machine, road, ways, rng)
    day = _Day(plan, machine, change, road, ways, rng)
    legs: list[Leg] = []
    truth: dict[float, float] = {}
    for k, kmh in enumerate(speeds):
        day.plan = replace(plan, speed_kmh=kmh)
        day.legs = []
        for i in range(len(plan.order)):
            day.run(i)
        for leg in day.legs:
            run = f"R{k * len(plan.order) + int(leg.run[1:]):02d}"
            sector = sectors[k] if sectors else ""
            legs.append(leg.with_(leg=f"L{len(legs) + 1:02d}", run=run, speed_kmh=kmh, sector=sector))
        truth[kmh] = truth_of(day.plan, machine, change, road, ways)
    study = Study(
        title=f"{plan.kind} at several speeds, seed {seed}",
        change=Change(kind=plan.kind, mechanism=change_kind(plan.kind).mechanism),
        vehicle=as_its_owner_knows(machine, plan.sort, rng),
        configurations=(
            Configuration(id="A", name="Without", baseline=True),
            Configuration(id="B", name="With", mass_delta_kg=round(change.mass_kg)),
        ),
        method=plan.method,
        target_speed_kmh=None if sectors else speeds[0],
        legs=tuple(legs),
        route=() if "route" in plan.forget else as_noted(road, rng),
    )
    return SpeedsStudy(study, truth)

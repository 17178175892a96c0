"""Field days of several speeds or sectors: one vehicle, road and change, driven at one after another."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from fairmargin.core.kinds import change_kind
from fairmargin.core.study import Change, Configuration, Leg, RoutePoint, Study, Trace

from .days import FieldDay, _Day, sized, truth_of
from .machines import as_its_owner_knows, draw_machine
from .roads import FieldRoad, as_noted, draw_road


@dataclass(frozen=True, slots=True)
class SpeedsStudy:
    """A study of several speeds, and what is true at each."""

    study: Study
    truth_percent: Mapping[float, float]
    traces: Mapping[str, Trace] = field(default_factory=dict)


def field_speeds(
    seed: int, plan: FieldDay, speeds: Sequence[float], sectors: Sequence[str] = (), own_roads: bool = False
) -> SpeedsStudy:
    """Drive a plan's order at each speed in turn; sectors, one a speed, are named where they are given.

    The change has the plan's effect at the plan's own speed on the first road; what it has at the others follows from the
    truth. Sectors may have roads of their own, told by the route, or by the logs of a logger.
    """
    rng = np.random.default_rng([seed, 777])
    road = draw_road(rng, 1000 * plan.length_km, plan.relief_m, False, False, plan.climb_m)
    machine, ways = draw_machine(plan.sort, rng), [False, True]
    change = sized(plan, machine, road, ways, rng)
    day = _Day(plan, machine, change, road, ways, rng)
    legs: list[Leg] = []
    truth: dict[float, float] = {}
    traces: dict[str, Trace] = {}
    roads = [road]
    for k, kmh in enumerate(speeds):
        if k and own_roads:
            road = draw_road(rng, 1000 * plan.length_km, 2.0 * plan.relief_m, False, False, plan.climb_m)
            roads.append(road)
            day.roads = {False: road, True: road.turned()}
        day.plan = replace(plan, speed_kmh=kmh)
        day.legs, day.traces = [], {}
        for i in range(len(plan.order)):
            day.run(i)
        for leg in day.legs:
            run = f"R{k * len(plan.order) + int(leg.run[1:]):02d}"
            sector = sectors[k] if sectors else ""
            name = f"L{len(legs) + 1:02d}"
            legs.append(leg.with_(leg=name, run=run, speed_kmh=kmh, sector=sector))
            if leg.leg in day.traces:
                traces[name] = day.traces[leg.leg]
        truth[kmh] = truth_of(day.plan, machine, change, road, ways)
    noted = as_noted(road, rng) if not own_roads else _one_after_another(roads, sectors, rng)
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
        route=() if "route" in plan.forget else noted,
    )
    return SpeedsStudy(study, truth, traces)


def _one_after_another(
    roads: Sequence[FieldRoad], sectors: Sequence[str], rng: np.random.Generator
) -> tuple[RoutePoint, ...]:
    """Sectors' roads as one route, each beginning where the one before it ends."""
    points: list[RoutePoint] = []
    for road, sector in zip(roads, sectors, strict=True):
        own = as_noted(road, rng)
        last = points.pop() if points else None
        for p in own:
            moved = {
                "distance_m": p.distance_m + (last.distance_m if last else 0.0),
                "latitude": round(float(p.latitude or 0.0) + (float(last.latitude or 0.0) - 51.0 if last else 0.0), 6),
                "longitude": round(
                    float(p.longitude or 0.0) + (float(last.longitude or 0.0) - 5.0 if last else 0.0), 6
                ),
            }
            points.append(p.model_copy(update={**moved, "sector": sector}))
    return tuple(points)

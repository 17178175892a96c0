"""All evidence of a study, ready for the fit: readings, conditions, and logs cut between their gates."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from fairmargin.core.evidence.coasts import coasting_legs
from fairmargin.core.evidence.conditions import Conditions, leg_conditions
from fairmargin.core.evidence.indirect import AVERAGES
from fairmargin.core.evidence.logs import GatedLog, Logs, gate_logs
from fairmargin.core.evidence.reading import Observation
from fairmargin.core.evidence.readings import observations
from fairmargin.core.study import Leg, Study, Trace, Vehicle
from fairmargin.core.study.sectors import on_own_road


@dataclass(frozen=True, eq=False, slots=True)
class Gathered:
    """What a study's notes and instruments say."""

    conditions: Mapping[str, Conditions]  # by leg
    observations: tuple[Observation, ...]
    logs: Mapping[str, Logs]  # by sector


def gather(study: Study, traces: Mapping[str, Trace], owners: Mapping[str, Vehicle] | None = None) -> Gathered:
    """Gather readings and conditions; logged legs count between their gates.

    `owners` are the vehicles of the legs of a study of several: each reads its own instruments.

    Where the way of driving is the change, nothing of it may be corrected away: logs then only give their energy, and
    speeds and standing times are made alike.
    """
    coasted = coasting_legs(study, traces)
    if coasted:  # what was coasted was not driven: its log's power is no consumption
        traces = {name: trace for name, trace in traces.items() if name not in coasted}
    conditions = leg_conditions(study, traces)
    every = _observed(study, traces, owners or {})
    true_m = {name: c.true_m for name, c in conditions.items()}
    logs = {
        sector: gate_logs(
            on_own_road(study, sector), [leg for leg in study.legs if leg.sector == sector], traces, true_m
        )
        for sector in dict.fromkeys(leg.sector for leg in study.legs)
    }
    if study.change.is_technique:
        logs = {sector: replace(found, gated={}) for sector, found in logs.items()}
        conditions = _alike_speeds(study, conditions, every)
    if study.method == "laps" and not logs_speak(logs):
        conditions = _alike_speeds(study, conditions, every)
    for o in every:
        if len(o.legs) == 1 and o.readings[0].instrument in AVERAGES:
            conditions[o.legs[0]] = _as_counted(conditions[o.legs[0]], o)
    gated = tuple(_between_gates(o, logs[study.leg(o.legs[0]).sector]) for o in every)
    for name in (name for o in gated if o.gated_km is not None for name in o.legs):
        log = logs[study.leg(name).sector].of(name)
        assert log is not None
        conditions[name] = _as_gated(conditions[name], log)
    return Gathered(conditions, gated, logs)


def _observed(study: Study, traces: Mapping[str, Trace], owners: Mapping[str, Vehicle]) -> list[Observation]:
    """Readings of every leg by its own vehicle's instruments."""
    groups: dict[int, tuple[Vehicle, list[Leg]]] = {}
    for leg in study.legs:
        vehicle = owners.get(leg.leg, study.vehicle)
        groups.setdefault(id(vehicle), (vehicle, []))[1].append(leg)
    if len(groups) < 2:
        return observations(study, traces)
    found = [
        o
        for vehicle, legs in groups.values()
        for o in observations(study.with_(vehicle=vehicle).with_legs(legs), traces)
    ]
    order = {leg.leg: i for i, leg in enumerate(study.legs)}
    return sorted(found, key=lambda o: order[o.legs[0]])


def logs_speak(logs: Mapping[str, Logs]) -> bool:
    """Whether any leg's speeds were logged."""
    return any(found.gated for found in logs.values())


def _as_counted(c: Conditions, o: Observation) -> Conditions:
    """A leg over the distance that its trip average was counted over: one leg's own jitter in length is none."""
    metres = 1000.0 * o.true_km
    if not c.true_m or not c.timed:
        return replace(c, true_m=metres)
    return replace(c, true_m=metres, speed_m_s=c.speed_m_s * metres / c.true_m)


def _alike_speeds(
    study: Study, conditions: Mapping[str, Conditions], every: Sequence[Observation]
) -> dict[str, Conditions]:
    """Give all legs of a sector and speed one speed and one standing time: differences belong to the change."""
    alike = dict(conditions)
    groups: dict[object, list[Conditions]] = {}
    for o in every:
        for name in o.legs:
            leg = study.leg(name)
            groups.setdefault((leg.sector, leg.speed_kmh, leg.direction), []).append(conditions[name])
    for members in groups.values():
        speed = float(np.mean([c.speed_m_s for c in members]))
        stopped = float(np.mean([c.stopped_s for c in members]))
        for c in members:
            alike[c.leg] = replace(
                c, speed_m_s=speed, speed_sd=0.0, speed_off=0.0, slower_by=(), slower_alike=0.0, stopped_s=stopped
            )
    return alike


def _between_gates(o: Observation, logs: Logs) -> Observation:
    """Give a logged observation its energy and distance between the gates."""
    if o.readings[0].instrument != "logger":
        return o
    cut = [log for name in o.legs if (log := logs.of(name)) is not None]
    energies = [log.energy_wh for log in cut if log.energy_wh is not None]
    energy, metres = sum(energies), sum(log.length_m for log in cut)
    if len(energies) < len(o.legs) or energy <= 0 or metres <= 0:
        return o
    return replace(o, gated_wh=energy, gated_km=metres / 1000.0)


def _as_gated(c: Conditions, log: GatedLog) -> Conditions:
    """Distance, speed and times of a logged leg between its gates."""
    t = log.at(np.array([log.start_m, log.end_m]))[0]
    stopped = log.stopped_s
    moving = max(float(t[1] - t[0]) - stopped, 1.0)
    metres = log.length_m
    return replace(c, true_m=metres, speed_m_s=metres / moving, moving_s=moving, stopped_s=stopped)

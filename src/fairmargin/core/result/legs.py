"""Every leg with a reading: as read, and through its corrections to corrected."""

from __future__ import annotations

import math
from collections.abc import Mapping

from fairmargin.core.evidence.logs import Logs
from fairmargin.core.evidence.readings import Observation
from fairmargin.core.result.types import LegResult, View
from fairmargin.core.study import Leg, Study


def leg_result(
    study: Study,
    leg: Leg,
    o: Observation,
    view: View,
    lines: Mapping[str, float] | None,
    sd_share: float,
    logs: Logs | None = None,
) -> LegResult:
    """One leg of an observation; `lines` are its corrections [Wh/km], None when it was not corrected."""
    own: Mapping[str, float] = {} if lines is None else lines
    corrected: float | None = None
    if lines is not None or (view == "as-measured" and leg.included):
        corrected = o.as_read_wh_per_km + sum(own.values())
    loop = "loop" if study.method in {"loop", "laps", "everyday"} else "out"
    return LegResult(
        leg=leg.leg,
        run=leg.run or leg.leg,
        configuration=leg.configuration,
        direction=leg.direction or loop,
        included=leg.included,
        reason=leg.reason,
        instrument=o.readings[0].instrument,
        shown=o.readings[0].shown,
        measured_wh_per_km=o.as_read_wh_per_km,
        corrected_wh_per_km=corrected,
        corrections_wh_per_km=own,
        sd_percent=100.0 * sd_share,
        others=tuple((r.instrument, r.energy_wh / o.shown_km) for r in o.readings[1:]),
        cut_km=None if logs is None else cut_km(logs, o),
        gap_percent=0.0 if logs is None else 100.0 * gap_share(logs, o),
    )


def cut_km(logs: Logs, o: Observation) -> tuple[float, float] | None:
    """What of a logged leg lies before its first gate and after its last; None for others. [km]"""
    log = logs.of(o.legs[0])
    if log is None or o.gated_km is None:
        return None
    before, after = log.cut_m
    return before / 1000.0, after / 1000.0


def gap_share(logs: Logs, o: Observation) -> float:
    """Share of the time between a leg's gates that its log does not cover."""
    log = logs.of(o.legs[0])
    return 0.0 if log is None else log.gap_share


def everyday_lines(o: Observation, log_corrections: Mapping[str, float]) -> dict[str, float]:
    """Corrections of one everyday trip, one after another, from logarithms. [Wh/km]"""
    level = o.true_wh_per_km
    lines = {"distance": level - o.as_read_wh_per_km}
    for line, shift in log_corrections.items():
        lines[line] = level * math.expm1(shift)
        level += lines[line]
    return lines

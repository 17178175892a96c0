"""Every leg with a reading: as read, and through its corrections to corrected."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import replace

from fairmargin.core.evidence.reading import Observation
from fairmargin.core.inference.foretold import Foretold
from fairmargin.core.result.types import LegResult, View
from fairmargin.core.study import Leg, Study


def leg_result(
    study: Study, leg: Leg, o: Observation, view: View, lines: Mapping[str, float] | None, sd_share: float
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
    )


def with_foretold(study: Study, results: Mapping[str, LegResult], foretold: Sequence[Foretold]) -> dict[str, LegResult]:
    """The legs that the others foretell, each with its band; legs of one reading have the same."""
    return {name: replace(results[name], held_out=f, confidence=study.confidence) for f in foretold for name in f.legs}


def everyday_lines(o: Observation, log_corrections: Mapping[str, float]) -> dict[str, float]:
    """Corrections of one everyday trip, one after another, from logarithms. [Wh/km]"""
    level = o.true_wh_per_km
    lines = {"distance": level - o.as_read_wh_per_km}
    for line, shift in log_corrections.items():
        lines[line] = level * math.expm1(shift)
        level += lines[line]
    return lines

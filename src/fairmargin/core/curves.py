"""Consumption and effect over speed, of a whole study: what the readings of all speeds say together."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Final

import numpy as np

from fairmargin.core.inference.curve import SpeedCurve, curves_over_speed
from fairmargin.core.inference.scatter import ScatterPrior
from fairmargin.core.outcome.parts import evidence_parts, fit_options
from fairmargin.core.result.types import View
from fairmargin.core.study import Study, Trace
from fairmargin.core.study.cells import held_kmh

#: Speeds that a curve is drawn over, as shares of the slowest and fastest driven; how many; and outermost ones. [km/h]
CURVE_REACH: Final = (0.65, 1.35)
CURVE_POINTS: Final = 15
CURVE_LIMITS_KMH: Final = (20.0, 160.0)


def speed_curves(
    study: Study,
    traces: Mapping[str, Trace] | None = None,
    view: View = "reference",
    scatter: ScatterPrior | None = None,
) -> tuple[SpeedCurve, ...]:
    """Consumption and effect over speed, of every vehicle and sector, through the legs of all speeds driven.

    Nothing for methods without one speed (laps, everyday, climbs), where the way of driving or the vehicle is the change, and
    in the view "as-measured".
    """
    if view == "as-measured" or study.method in {"laps", "everyday", "climb", "side-by-side"}:
        return ()
    if study.change.is_technique or study.change.subject == "vehicle":
        return ()
    options = fit_options(view, scatter)
    # Where the speed is the change, the curve is of what was driven: one configuration, at speeds of its own.
    plain = study if study.change.subject != "speed" else _one_configuration(study)
    found: list[SpeedCurve] = []
    for part in evidence_parts(plain, traces):
        if not any(c.timed or held_kmh(part.study, part.study.leg(c.leg)) for c in part.conditions):
            continue
        driven = [3.6 * c.speed_m_s for c in part.conditions]
        low = max(CURVE_REACH[0] * min(driven), CURVE_LIMITS_KMH[0])
        high = max(min(CURVE_REACH[1] * max(driven), CURVE_LIMITS_KMH[1]), low + 10.0)
        made = curves_over_speed(
            part.study, part.conditions, part.observations, part.logs, options,
            np.linspace(low, high, CURVE_POINTS).tolist(),
        )  # fmt: skip
        found += [replace(c, vehicle=part.vehicle, sector=part.sector) for c in made]
    return tuple(found)


def _one_configuration(study: Study) -> Study:
    """The study as if all its legs had been driven in its baseline, each at its configuration's speed."""
    speeds = {c.id: c.speed_kmh for c in study.configurations}
    legs = [
        leg.with_(configuration=study.baseline.id, speed_kmh=leg.speed_kmh or speeds[leg.configuration])
        for leg in study.legs
    ]
    return study.with_(
        configurations=(study.baseline,), legs=tuple(legs), known_differences=(), also_compared=(),
        change=study.change.with_(subject="configuration"),
    )  # fmt: skip

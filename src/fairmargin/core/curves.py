"""Consumption and effect over speed, of a whole study: what the readings of all speeds say together."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Final

import numpy as np

from fairmargin.core.evidence.gathered import gather
from fairmargin.core.fairness.records import check_records
from fairmargin.core.inference.curve import SpeedCurve, curves_over_speed
from fairmargin.core.inference.options import FitOptions
from fairmargin.core.inference.scatter import ScatterPrior
from fairmargin.core.result.types import View
from fairmargin.core.study import Study, Trace
from fairmargin.core.study.cells import by_vehicle

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
    prior = scatter or ScatterPrior()
    options = FitOptions(
        "study-mean" if view == "study-mean" else "reference",
        scatter_share=prior.share,
        scatter_freedom=prior.freedom,
    )
    # Where the speed is the change, the curve is of what was driven: one configuration, at speeds of its own.
    plain = study if study.change.subject != "speed" else _one_configuration(study)
    found: list[SpeedCurve] = []
    for name, part in by_vehicle(plain):
        good, _ = check_records(part, {} if traces is None else traces)
        evidence = gather(part, good)
        for sector in dict.fromkeys(part.leg(o.legs[0]).sector for o in evidence.observations):
            used = [
                o
                for o in evidence.observations
                if part.leg(o.legs[0]).sector == sector and all(part.leg(name).included for name in o.legs)
            ]
            own = [evidence.conditions[leg] for o in used for leg in o.legs]
            if not used or not any(
                c.timed or part.leg(c.leg).speed_kmh or part.target_speed_kmh for c in own
            ):
                continue
            driven = [3.6 * c.speed_m_s for c in own]
            low = max(CURVE_REACH[0] * min(driven), CURVE_LIMITS_KMH[0])
            high = max(min(CURVE_REACH[1] * max(driven), CURVE_LIMITS_KMH[1]), low + 10.0)
            made = curves_over_speed(
                part, own, used, evidence.logs[sector], options, np.linspace(low, high, CURVE_POINTS).tolist()
            )
            found += [replace(c, vehicle=name, sector=sector) for c in made]
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

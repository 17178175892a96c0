"""The ledger before the first leg: what a plan will leave open, source by source, if it is driven as it stands."""

from __future__ import annotations

from dataclasses import replace

from fairmargin.core.analysis import analyse
from fairmargin.core.conditions.causes import Group
from fairmargin.core.inference.scatter import ScatterPrior
from fairmargin.core.planning.already_known import known_step_kwh_per_100km
from fairmargin.core.planning.planned_day import planned
from fairmargin.core.planning.planned_runs import Consumption, leg_speed_kmh
from fairmargin.core.result.margin import MarginLine, told
from fairmargin.core.study import Study


def outlook(study: Study, scatter: ScatterPrior | None = None) -> tuple[MarginLine, ...]:
    """What would make the margin of the least certain comparison, were the plan driven with everything noted that it says.

    Legs are read with the display's step, in the forecast's weather, at the aimed-for speed, each trial as large as
    expected. Nothing where there is nothing to compare, or the plan has no order with both.

    Returns
    -------
    tuple of MarginLine
        Largest first, in per cent of the baseline's consumption.
    """
    order = study.order
    compares = bool(study.trials) or study.vehicles_take_turns
    if not compares or {"A", "B"} - set(order) or study.method in {"everyday", "climb"}:
        return ()
    laid, takes = planned(study, order), Consumption(study)
    step = known_step_kwh_per_100km(study) * 10.0
    legs = [
        leg.with_(
            average_shown=takes.wh_per_km(leg, leg_speed_kmh(study, leg)), average_unit="Wh/km", average_step=step
        )
        for leg in laid.legs
    ]
    bare = laid.with_(instruments={}, also_compared=(), known_differences=(), readings=()).with_legs(legs)
    found = analyse(bare, scatter=scatter).comparisons
    if not found:
        return ()
    least = max(found, key=lambda c: c.half_width_percent)
    # Nothing is driven yet: remedies are those of the sources, not of a verdict that nobody has.
    more = told()[Group.SCATTER].remedy
    return tuple(replace(x, remedy=more) if x.source == Group.SCATTER else x for x in least.margin)

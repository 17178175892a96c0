"""What kind of driving a leg was, and what its repeats scatter by over those of a careful drive in free flow.

A speed held by the cruise control repeats best; towing hunts and catches gusts, traffic brakes, a town has its lights. All
sizes are common practice, over repeats of 1 to 2 % for 20 to 50 km: laps of a town of some 10 km commonly differ by 3 to 6 %.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Final

from fairmargin.core.evidence.conditions import Conditions
from fairmargin.core.study import Study

TOWN_M_S: Final = 50.0 / 3.6  # mean moving speeds below it are a town's
#: Scatter over that of a careful drive, by kind of driving; what nobody told is as careful drives usually are.
SCATTER_OF: Final[Mapping[str, float]] = {
    "cruise control": 0.85, "careful": 1.0, "towing": 1.15, "in traffic": 1.2, "town": 1.25,
}  # fmt: skip


def kind_of_driving(study: Study, c: Conditions) -> str:
    """One of `SCATTER_OF`: the roughest that is known of a leg.

    Parameters
    ----------
    study : Study
    c : Conditions
        Of the leg.
    """
    if study.method == "laps" or (c.timed and c.speed_m_s < TOWN_M_S):
        return "town"
    if study.circumstances.traffic in {"some", "slow"} or any(
        e.leg == c.leg and e.kind in {"slow-traffic", "stop"} for e in study.events
    ):
        return "in traffic"
    if study.change.kind == "towing" and c.configuration != study.baseline.id:
        return "towing"
    return "cruise control" if study.leg(c.leg).speed_held == "cruise" else "careful"

"""Which legs of a study were driven, for all that is noted of them."""

from __future__ import annotations

from collections.abc import Mapping
from statistics import median
from typing import Final

from fairmargin.core.study import Leg, Study, Trace
from fairmargin.core.study.cells import pace_of

#: Speed over the ground of a leg that nobody read, within which its time is believed to be that of a drive. [km/h]
DRIVEN_KMH: Final = (5.0, 200.0)
DRIVEN_S: Final = 60.0  # a shorter one is a slip of the hand
LIKE_TIMES: Final = 2.0  # times as long or short as its like, where nobody knows how far it went


def legs_that_are(study: Study, traces: Mapping[str, Trace]) -> frozenset[str]:
    """Legs that were driven for all that is noted: read, logged, in a run that was read, or timed as a drive would be.

    A leg that is still planned, or was begun and read off by a slip, tells nothing of the others.
    """
    read = {leg.leg for leg in study.legs if leg.has_reading or leg.leg in traces}
    runs = {leg.run for leg in study.legs if leg.leg in read and leg.run}
    like: dict[object, list[float]] = {}
    for leg in study.legs:
        if leg.leg in read and leg.duration_s:
            like.setdefault(pace_of(study, leg), []).append(float(leg.duration_s))

    def timed(leg: Leg) -> bool:
        if leg.duration_s is None or leg.duration_s < DRIVEN_S:
            return False
        km = leg.gps_distance_km or leg.distance_km
        if km:
            return DRIVEN_KMH[0] <= 3600.0 * km / leg.duration_s <= DRIVEN_KMH[1]
        others = like.get(pace_of(study, leg))
        usual = median(others) if others else 0.0
        return usual / LIKE_TIMES <= leg.duration_s <= usual * LIKE_TIMES

    return frozenset(leg.leg for leg in study.legs if leg.leg in read or leg.run in runs or timed(leg))

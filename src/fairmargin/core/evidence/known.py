"""Known other differences: what a configuration or vehicle uses more for a reason that is not the change."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fairmargin.core.evidence.reading import Observation
from fairmargin.core.study import KnownDifference, Leg, Study

LEAST_LEFT: Final = 0.2  # of what was read, that a known difference must leave


def applies(known: KnownDifference, leg: Leg) -> bool:
    """Whether a known difference is in a leg's reading."""
    return leg.configuration == known.configuration if known.configuration else leg.vehicle == known.vehicle


def known_wh_per_km(study: Study, leg: Leg) -> float:
    """What a leg used for all its known other differences. [Wh/km]"""
    return sum(known.wh_per_km for known in study.known_differences if applies(known, leg))


def known_shifts(study: Study, known: KnownDifference, observations: Sequence[Observation]) -> NDArray[np.float64]:
    """Logarithm by which each observation was raised, for one Wh/km of a known difference. [1/(Wh/km)]

    ln(c / (c - d)) / d for a reading of c and a difference of d; 1/c where d is nothing.

    Examples
    --------
    200 Wh/km read, 7 of them for wheel caps: ln(200/193) = 3.6 %, or 0.51 % for each Wh/km.

    >>> from fairmargin.core.study import new_study
    >>> study = new_study(title="Drives", kind="other", order="AB", method="loop")
    >>> caps = KnownDifference(configuration="B", wh_per_km=7.0)
    >>> seen = [Observation((leg.leg,), (), 10.0, 10.0, 200.0) for leg in study.legs]
    >>> [round(float(x) * 7, 4) for x in known_shifts(study, caps, seen)]
    [0.0, 0.0356]
    """
    out = np.zeros(len(observations))
    for i, o in enumerate(observations):
        if not applies(known, study.leg(o.legs[0])):
            continue
        level = o.as_read_wh_per_km
        rest = max(level - known.wh_per_km, LEAST_LEFT * level)
        d = level - rest
        out[i] = math.log(level / rest) / d if d else 1.0 / level
    return out

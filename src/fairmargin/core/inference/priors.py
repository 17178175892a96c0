"""Priors of the fit that belong to no condition: scatter, segments, drives that were not driven; and the table of all."""

from __future__ import annotations

from typing import Final

from fairmargin.core.conditions import registry
from fairmargin.core.conditions.figures import Prior
from fairmargin.core.evidence.readings import SCATTER_KM, USUAL_SCATTER

# ---------------------------------------------------------------- scatter from run to run

SCATTER_SHARE: Final = USUAL_SCATTER
SCATTER_FREEDOM: Final = 6.0  # weight of that opinion, in degrees of freedom
SCATTER_REACH: Final = (0.7, 3.2)  # multiples of it that short and long drives are held within

# ---------------------------------------------------------------- drives that were not driven

SPEED_AWAY: Final = Prior(0.06, "log per log of speed", "the model away from the speeds driven")
WARMTH_AWAY: Final = Prior(0.0012, "1/K", "the model away from the temperatures driven")
SCATTER_OF_KM: Final = SCATTER_KM

# ---------------------------------------------------------------- road, day, tyres

PLACE_GRADIENT: Final = Prior(0.008, "1", "slope of one segment of a road whose heights nobody gave")
PLACE: Final = Prior(0.04, "log", "surface and height errors of one segment of the road")

# ---------------------------------------------------------------- instruments

LOGGER_NOISE: Final = 0.0005  # of a segment's energy

# ---------------------------------------------------------------- logged legs

SEGMENT_SHARE: Final = 0.02  # noise of one kilometre of a logged leg
SEGMENT_FREEDOM: Final = 8.0  # weight of that opinion
GUST_PART: Final = 0.65  # of a segment's noise variance that is gusts, at GUST_TURBULENCE_M_S
GUST_TURBULENCE_M_S: Final = 0.65
GAP_SHARE: Final = 0.5  # standard deviation of a bridged gap, of its share


def table() -> dict[str, Prior]:
    """Every prior by name, those of the conditions too."""
    return registry.priors() | {name: value for name, value in globals().items() if isinstance(value, Prior)}

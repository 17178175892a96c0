"""Priors of the fit that belong to no condition: scatter, segments, drives that were not driven or nothing corrects."""

from __future__ import annotations

from typing import Final

from fairmargin.core.evidence.readings import SCATTER_KM, USUAL_SCATTER
from fairmargin.core.figures import Prior, Size

# ---------------------------------------------------------------- scatter from run to run

SCATTER_SHARE: Final = USUAL_SCATTER
SCATTER_FREEDOM: Final = Size(6.0, "degrees of freedom", "weight of what drives usually scatter by")
SCATTER_REACH: Final = (0.7, 3.2)  # multiples of it that short and long drives are held within

# ---------------------------------------------------------------- drives that were not driven

SPEED_AWAY: Final = Prior(0.06, "log per log of speed", "the model away from the speeds driven")
WARMTH_AWAY: Final = Prior(0.0012, "1/K", "the model away from the temperatures driven")
SCATTER_OF_KM: Final = SCATTER_KM

# ---------------------------------------------------------------- road, day, tyres

PLACE_GRADIENT: Final = Prior(0.008, "1", "slope of one segment of a road whose heights nobody gave")
PLACE: Final = Prior(0.04, "log", "surface and height errors of one segment of the road")

# ---------------------------------------------------------------- logged legs

LOGGER_NOISE: Final = Size(0.0005, "of a segment's energy", "noise of a logger")
SEGMENT_SHARE: Final = Size(0.02, "log", "noise of one kilometre of a logged leg")
SEGMENT_FREEDOM: Final = Size(8.0, "degrees of freedom", "weight of that opinion")
GUST_PART: Final = Size(0.65, "of a segment's variance", "that is gusts, at `GUST_TURBULENCE_M_S`")
GUST_TURBULENCE_M_S: Final = Size(0.65, "m/s", "turbulence at the car that this goes with")
GAP_SHARE: Final = Size(0.5, "of its share", "a bridged gap")

# ---------------------------------------------------------------- drives that nothing corrects

AS_MEASURED_SCATTER: Final = Size(0.02, "log", "scatter of uncorrected legs: what weather adds unseen")
AS_MEASURED_FREEDOM: Final = Size(4.0, "degrees of freedom", "weight of that opinion")
DAYS_APART: Final = Size(0.02, "log", "what a day of its own adds to an uncorrected level")
WALL_METER: Final = Size(0.02, "log", "a wall meter counts as good to this")

# ---------------------------------------------------------------- drives to come

HELD_TO_COME: Final = Size(0.03, "of speed", "by what the mean speed of a drive to come misses the one it is asked for")

# ---------------------------------------------------------------- across studies

ABSOLUTE_LEVEL: Final = Size(0.06, "log", "how well the model is trusted in absolute terms")

"""What it takes for a concern to be raised: every threshold with its unit and its reason, in its condition's room, or here.

A threshold decides only whether a line appears and how loudly; what the thing is worth is worked out from the study.
Unless a source is named they are common practice.
"""

from __future__ import annotations

from typing import Final

from fairmargin.core.conditions import registry
from fairmargin.core.figures import Threshold

# ---------------------------------------------------------------- statistics

INFLUENCE_LEGS: Final = Threshold(4, "drives", "with fewer each decides, and one-pair-only says so")
INFLUENCE_OF_MARGIN: Final = Threshold(0.5, "half-widths", "one leg that moves the effect by half of its margin")
SCATTER_LARGE: Final = Threshold(1.8, "usual scatters", "rarer than one study in twenty by the prior")
SCATTER_VERY_LARGE: Final = Threshold(2.5, "usual scatters", "rarer than one in two hundred by the prior")

UNUSUAL_EFFECT: Final = Threshold(
    1.5, "usual effects", "of one drive each; from there a slip is as likely (`benchmarks/slips.py`)"
)
CARRIED: Final = Threshold(
    0.5, "share", "of an effect that must be left without any one reading (`benchmarks/slips.py`)"
)

COAST_WIND_M_S: Final = Threshold(5.0, "m/s", "mean wind that coasting runs may have", "UN GTR No. 15 (from memory)")

# ---------------------------------------------------------------- records

ROLLING_SLOPE: Final = Threshold(0.01, "share", "of a fall: about what rolling resistance takes")
LEAST_TAKEN: Final = Threshold(
    0.3, "share", "of what a level road takes at a usual speed; slow town driving takes twice that"
)
CLIMB_TIMES: Final = Threshold(1.5, "times", "what a level road takes; from there the way back may take nothing")
NO_DRIVE_M: Final = Threshold(50.0, "m", "the shortest leg a study may have is longer")
LOOKED_AT: Final = Threshold(60, "points", "of a log are looked at")
ON_ROAD_SHARE: Final = Threshold(
    0.3, "share", "of them must lie on the road; a phone's position is good to some ten metres"
)
FORWARD_SHARE: Final = Threshold(
    0.4, "share", "of its own length that a log must come along the road to have a direction"
)
OVERLAP_S: Final = Threshold(90.0, "s", "more than a note's own minute")
RUN_SPAN_DAYS: Final = Threshold(2.0, "days", "legs of one run follow each other")
DATED_RUNS: Final = Threshold(4, "runs", "with fewer, nothing tells which is far from the others")
FAR_DAYS: Final = Threshold(150.0, "days", "a single run so far off is dated wrongly more often than driven then")
NEAR_DAYS: Final = Threshold(31.0, "days", "the others lie within a month")

# ---------------------------------------------------------------- everyday logs

TRIPS_WARMER_K: Final = Threshold(3.0, "K", "about 2 % of everyday consumption")
TRIPS_FASTER_KMH: Final = Threshold(5.0, "km/h", "about 3 % of everyday consumption")
TRIPS_LONGER: Final = Threshold(0.2, "share", "of the mean trip")
MANY_DAYS: Final = Threshold(3, "days", "more days of each even out what a day does")
FEW_TRIPS: Final = Threshold(5, "trips", "everyday trips scatter by 5 % and more")


def table() -> dict[str, Threshold]:
    """Every threshold by name, those of the conditions too."""
    own = {name: value for name, value in globals().items() if isinstance(value, Threshold)}
    return registry.thresholds() | own


VARIES_LEGS: Final = Threshold(4, "legs", "of each configuration: fewer do not tell what the change goes with")
VARIES_Z: Final = Threshold(
    2.2, "standard deviations", "fewer than one study in twenty of four things looked at, where nothing is to be found"
)
VARIES_PERCENT: Final = Threshold(1.0, "%", "the same as NOTABLE")

"""What it takes for a concern to be raised: every threshold with its unit and its reason, in one table.

A threshold decides only whether a line appears and how loudly; what the thing is worth is worked out from the study.
Unless a source is named they are common practice.
"""

from __future__ import annotations

from typing import Final


class Threshold(float):
    """A number with its unit and its reason."""

    unit: str
    why: str
    source: str

    def __new__(cls, value: float, unit: str, why: str, source: str = "common practice") -> Threshold:
        """Make a threshold."""
        made = super().__new__(cls, value)
        made.unit, made.why, made.source = unit, why, source
        return made


# ---------------------------------------------------------------- how large is large

NOTABLE: Final = Threshold(1.0, "%", "a correction this large wants a look, whatever the effect")
SMALL: Final = Threshold(0.5, "%", "half of the smallest effect that testers usually care about")
TRIFLE: Final = Threshold(0.1, "%", "below this a step is not worth a line")

# ---------------------------------------------------------------- design

DAYS_APART_NOTE: Final = Threshold(2.0, "days", "up to a weekend apart, battery and road hardly change")
DAYS_TOLD: Final = Threshold(1.5, "days", "from here a gap is told in days, not as a day")
DRIFT_LEFT: Final = Threshold(
    0.3, "share", "ABAB keeps 0.33 of a steady drift and is worth a word, ABBA keeps none"
)
DRIFT_LEGS: Final = Threshold(6, "legs", "four unknowns (level, change, direction, drift) want two legs more")
DRIFT_SPAN_S: Final = Threshold(600.0, "s", "a shorter day has no drift to tell")
SPEED_OFF_TARGET: Final = Threshold(
    0.10, "share", "beyond it the model carries the result from one speed to another"
)

# ---------------------------------------------------------------- weather

HEADLESS_WIND_M_S: Final = Threshold(1.0, "m/s", "less wind does not matter, from wherever it blows")
STRONG_WIND_M_S: Final = Threshold(5.0, "m/s", "the limit most testers set themselves")
VERY_STRONG_WIND_M_S: Final = Threshold(
    8.0, "m/s", "coast-down standards stop before it (UN GTR 15 Annex 4, from memory)"
)
GUST_EXCESS_M_S: Final = Threshold(4.0, "m/s", "gusts commonly lie 1.3 to 1.5 times above the mean")
WARMER_K: Final = Threshold(3.0, "K", "about 1 % of consumption by air and tyres")
WIND_MOVED_M_S: Final = Threshold(1.5, "m/s", "along the road about 4 % of the drag at 90 km/h, one way")
WET_UNEVEN: Final = Threshold(1.0, "%", "the same as NOTABLE, in what the road costs")
SUN_UNLIKE: Final = Threshold(0.25, "share", "a quarter of the noon sun")
SUMMER_C: Final = Threshold(18.0, "°C", "above it the sun costs cooling, below it saves heating")

# ---------------------------------------------------------------- driving

SPEED_UNLIKE: Final = Threshold(0.015, "share", "1.5 % of speed is about 2 % of motorway consumption")
LENGTH_UNLIKE: Final = Threshold(0.02, "share", "odometer steps and lanes give less; a wrong turn gives more")
COLD_UNLIKE: Final = Threshold(0.12, "share", "a tenth of a leg on cold tyres")
COLD_LEG: Final = Threshold(0.3, "share", "a leg named as cold")
STOPPED_S: Final = Threshold(60.0, "s", "a traffic light's worth is scatter")

# ---------------------------------------------------------------- instruments

GAP_SHARE: Final = Threshold(0.01, "share", "seven seconds of a leg of twelve minutes")
GAP_LARGE: Final = Threshold(0.05, "share", "from here what was bridged may hold the effect")
AGREE_DEVIATES: Final = Threshold(3.0, "standard deviations", "of both readings together")
AGREE_SHARE: Final = Threshold(0.03, "share", "what instruments differ by that is common to all legs")

# ---------------------------------------------------------------- vehicle

PRESSURE_KPA: Final = Threshold(5.0, "kPa", "gauges agree to about that")
BATTERY_K: Final = Threshold(5.0, "K", "half a per cent of consumption")
BATTERY_LARGE_K: Final = Threshold(10.0, "K", "one per cent of consumption")
CHARGE_POINTS: Final = Threshold(25.0, "points", "a quarter of the gauge")
MASS_KG: Final = Threshold(10.0, "kg", "about 0.2 % of a car's consumption")
SECOND_MASS_SHARE: Final = Threshold(0.02, "share", "of the vehicle's mass: about 1 % of consumption in town")
SECOND_WHEELS: Final = Threshold(0.5, "%", "tread wear reaches 1 %")
FRONTAL_AREA_M2: Final = Threshold(0.02, "m²", "a roof bar has 0.02 to 0.04")
OTHER_DRIVER: Final = Threshold(2.0, "%", "what another driver or drive mode is commonly worth")

# ---------------------------------------------------------------- statistics

INFLUENCE_LEGS: Final = Threshold(4, "drives", "with fewer each decides, and one-pair-only says so")
INFLUENCE_OF_MARGIN: Final = Threshold(
    0.5, "half-widths", "one leg that moves the effect by half of its margin"
)
SCATTER_LARGE: Final = Threshold(1.8, "usual scatters", "rarer than one study in twenty by the prior")
SCATTER_VERY_LARGE: Final = Threshold(2.5, "usual scatters", "rarer than one in two hundred by the prior")

UNUSUAL_EFFECT: Final = Threshold(
    1.5, "usual effects", "of one drive each; from there a slip is as likely (`benchmarks/slips.py`)"
)
CARRIED: Final = Threshold(
    0.5, "share", "of an effect that must be left without any one reading (`benchmarks/slips.py`)"
)

# ---------------------------------------------------------------- records

ROLLING_SLOPE: Final = Threshold(0.01, "share", "of a fall: about what rolling resistance takes")
LEAST_TAKEN: Final = Threshold(
    0.3, "share", "of what a level road takes at a usual speed; slow town driving takes twice that"
)
CLIMB_TIMES: Final = Threshold(
    1.5, "times", "what a level road takes; from there the way back may take nothing"
)
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
FAR_DAYS: Final = Threshold(
    150.0, "days", "a single run so far off is dated wrongly more often than driven then"
)
NEAR_DAYS: Final = Threshold(31.0, "days", "the others lie within a month")

# ---------------------------------------------------------------- everyday logs

TRIPS_WARMER_K: Final = Threshold(3.0, "K", "about 2 % of everyday consumption")
TRIPS_FASTER_KMH: Final = Threshold(5.0, "km/h", "about 3 % of everyday consumption")
TRIPS_LONGER: Final = Threshold(0.2, "share", "of the mean trip")
MANY_DAYS: Final = Threshold(3, "days", "more days of each even out what a day does")
FEW_TRIPS: Final = Threshold(5, "trips", "everyday trips scatter by 5 % and more")


def table() -> dict[str, Threshold]:
    """Every threshold by name."""
    return {name: value for name, value in globals().items() if isinstance(value, Threshold)}


#: A leg that took this much longer than the median of its like is pointed out, where there are so many (common practice).
LONG_LEG: Final = 0.08
LIKE_LEGS: Final = 3

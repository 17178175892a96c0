"""What a change does in the wind of the place, from every side alike, beside what it does in still air.

Yaw makes the difference: a cover that saves in still air may save less, or more, where the wind comes from the side.

References
----------
.. [1] SAE J1252 (2012), "Wind Tunnel Test Procedure for Trucks and Buses": wind-averaged drag, the mean over all directions
   of a wind of one speed, each as likely (from memory).
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Final

from fairmargin.core.evidence.reported_wind import UNREPORTED_MEAN_M_S
from fairmargin.core.inference.prediction import Circumstances
from fairmargin.core.outcome.asking import Asking
from fairmargin.core.result.types import Comparison
from fairmargin.core.study import Study

DIRECTIONS: Final = 12  # of the wind, 30 degrees apart, none along the road
USUAL_WIND_MS: Final = float(UNREPORTED_MEAN_M_S)  # at the mast, over open land, where nobody said
MOST_WIND_MS: Final = 15.0


@dataclass(frozen=True, slots=True)
class WindAveraged:
    """One comparison in still air and in a wind from every side alike; per cent of the baseline's consumption there."""

    wind_ms: float
    still_percent: float
    still_interval: tuple[float, float]
    percent: float
    interval: tuple[float, float]


def all_directions(speed_kmh: float, wind_ms: float, temperature_c: float | None = None) -> tuple[Circumstances, ...]:
    """Drives at one speed, in a wind from every side in turn."""
    angles = [math.radians((i + 0.5) * 360.0 / DIRECTIONS) for i in range(DIRECTIONS)]
    return tuple(
        Circumstances(speed_kmh, temperature_c, head_wind_ms=wind_ms * math.cos(a), cross_wind_ms=wind_ms * math.sin(a))
        for a in angles
    )


def wind_averaged(
    asking: Asking, trial: str, baseline: str, speed_kmh: float, wind_ms: float, confidence: float
) -> WindAveraged | None:
    """A comparison in the wind of the place [1]_.

    Parameters
    ----------
    asking : Asking
    trial, baseline : str
        Configurations.
    speed_kmh : float
    wind_ms : float
        Mean wind of the place at the mast. [m/s]
    confidence : float

    Returns
    -------
    WindAveraged or None
        None where the model does not explain what was read of either.

    Raises
    ------
    ValueError
        If either was not driven, or the wind is not within 0 to 15 m/s.
    """
    if not 0 <= wind_ms <= MOST_WIND_MS:
        raise ValueError(f"expected a usual wind of 0 to {MOST_WIND_MS:g} m/s; got {wind_ms:g}")
    if {trial, baseline} & set(asking.anchors):
        return None
    still = asking.predictor.ratio(trial, baseline, [Circumstances(speed_kmh, head_wind_ms=0.0)])
    windy = asking.predictor.ratio(trial, baseline, all_directions(speed_kmh, wind_ms))
    return WindAveraged(
        wind_ms, still.percent, still.interval_percent(confidence), windy.percent, windy.interval_percent(confidence)
    )


def of_comparison(study: Study, asking: Asking, c: Comparison, told_ms: float | None) -> WindAveraged | None:
    """A study's comparison in the wind of the place, or a usual one; None where it is not for a wind to say.

    Raises
    ------
    ValueError
        If the wind is not within 0 to 15 m/s.
    """
    of_speed_or_road = study.change.subject != "configuration" or study.change.is_technique
    driven = {c.trial, c.baseline} <= set(asking.configurations)
    if of_speed_or_road or not driven or c.method != "model" or c.verdict == "not a fair comparison":
        return None
    wind = USUAL_WIND_MS if told_ms is None else told_ms
    found = wind_averaged(asking, c.trial, c.baseline, c.speed_kmh, wind, c.confidence)
    return found if found is None or study.reference.wind_speed_ms else _as_stated(found, c)


def _as_stated(found: WindAveraged, c: Comparison) -> WindAveraged:
    """In still air the effect as it is stated everywhere; in the wind what the wind makes of it."""

    def moved(stated: float, still: float, windy: float) -> float:
        return 100.0 * ((1 + stated / 100) * (1 + windy / 100) / (1 + still / 100) - 1)

    (low, high), (still_low, still_high), (windy_low, windy_high) = (
        c.interval_percent,
        found.still_interval,
        found.interval,
    )
    return WindAveraged(
        found.wind_ms,
        c.effect_percent,
        c.interval_percent,
        moved(c.effect_percent, found.still_percent, found.percent),
        (moved(low, still_low, windy_low), moved(high, still_high, windy_high)),
    )

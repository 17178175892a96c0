"""Other shapes of study, and the shortest leg that the display allows."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Final

from fairmargin.core import intervals
from fairmargin.core.inference.scatter import ScatterPrior
from fairmargin.core.orders import display_noise_percent
from fairmargin.core.planning.already_known import known_wh_per_km
from fairmargin.core.planning.expected import leg_km
from fairmargin.core.planning.planned_day import plan_day, usual_order
from fairmargin.core.study import Study
from fairmargin.core.study.layout import ways

EVERYDAY_KMH: Final = 60.0  # of trips that nobody aimed a speed at


def shortest_leg_km(study: Study, legs_each: int, share_of_smallest: float = 0.5) -> float:
    """Shortest leg for which the display's step alone stays below a share of the smallest effect that matters. [km]

    Displays of an average do not gain from longer legs, whole-kWh displays do: this is for a display that shows
    energy with the plan's step per 100 km as its step in kWh.
    """
    step_kwh = study.plan.display_step_kwh_per_100km
    per_km = known_wh_per_km(study) / 1000.0
    allowed = share_of_smallest * study.smallest_effect_percent
    one_km = display_noise_percent(step_kwh / per_km, legs_each, study.confidence)
    return one_km / allowed


@dataclass(frozen=True, slots=True)
class Shape:
    """Another shape of study, and what it would cost."""

    name: str
    half_width_percent: float
    hours: float
    words: str
    driving_only: bool = False  # whether the hours are those at the wheel; else of a day with all that belongs to it


def other_shapes(study: Study, runs: int, scatter: ScatterPrior | None = None) -> tuple[Shape, ...]:
    """Margins of other shapes of study, from scatter alone (the day cancels or averages out in both).

    Side by side with a swap: each pair of drives is a ratio of two legs, so scatter counts twice and weather
    hardly. Everyday: trips of this route's length scatter by 6 % of 10 km and 2.5 % a day (common practice).
    Nothing where nothing is compared, or where it is the speed, the road or the vehicle that is.
    """
    if not study.trials or study.change.subject != "configuration" or study.method == "climb":
        return ()
    prior, found = scatter or ScatterPrior(), list[Shape]()
    if study.method not in {"side-by-side", "everyday"} and not study.change.about.from_the_wall:
        km = leg_km(study)
        legs = max(runs // len(study.lettered), 1) * len(ways(study.method))
        one = prior.share * math.sqrt(30.0 / min(max(km, 5.0), 60.0))
        found.append(
            Shape(
                "two cars side by side, swapped half way",
                intervals.half_width_percent(one**2 * 4.0 / legs, study.confidence),
                plan_day(study, usual_order(study)).hours,
                "the day cancels; a second car and driver, and a swap of the change between the cars",
            )
        )
    if study.method != "everyday":
        found.append(everyday_shape(study, 20))
    return tuple(found)


def everyday_shape(study: Study, trips: int) -> Shape:
    """What so many everyday trips with each configuration would give, of this route's length."""
    km = leg_km(study)
    each = math.hypot(0.06 * math.sqrt(10.0 / min(max(km, 3.0), 33.0)), 0.025)
    return Shape(
        f"everyday log, {trips} trips of each",
        intervals.half_width_percent(each**2 * 2.0 / trips, study.confidence),
        len(study.lettered) * trips * km / (study.target_speed_kmh or EVERYDAY_KMH),
        "no test day; weeks of patience, and trips you make anyway",
        driving_only=True,
    )

"""Other shapes of study, and the shortest leg that the display allows."""

from __future__ import annotations

import math
from dataclasses import dataclass

from fairmargin.core import intervals
from fairmargin.core.inference.scatter import ScatterPrior
from fairmargin.core.orders import display_noise_percent
from fairmargin.core.planning.already_known import known_wh_per_km
from fairmargin.core.planning.expected import leg_km
from fairmargin.core.planning.patterns import order_of
from fairmargin.core.planning.planned_day import plan_day
from fairmargin.core.study import Study


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


def other_shapes(study: Study, runs: int, scatter: ScatterPrior | None = None) -> tuple[Shape, ...]:
    """Margins of other shapes of study, from scatter alone (the day cancels or averages out in both).

    Side by side with a swap: each pair of drives is a ratio of two legs, so scatter counts twice and weather
    hardly. Everyday: trips of this route's length scatter by 6 % of 10 km and 2.5 % a day (common practice).
    """
    prior = scatter or ScatterPrior()
    km = leg_km(study)
    legs = runs // 2 * (2 if study.method == "out-and-back" else 1)
    one = prior.share * math.sqrt(30.0 / min(max(km, 5.0), 60.0))
    beside = intervals.half_width_percent(one**2 * 4.0 / max(legs, 1), study.confidence)
    trips = 20
    each = math.hypot(0.06 * math.sqrt(10.0 / min(max(km, 3.0), 33.0)), 0.025)
    hours = plan_day(study, order_of("ABBA", runs)).hours
    return (
        Shape(
            "two cars side by side, swapped half way",
            beside,
            hours,
            "the day cancels; a second car and driver, and a swap of the change between the cars",
        ),
        Shape(
            "everyday log, 20 trips of each",
            intervals.half_width_percent(each**2 * 2.0 / trips, study.confidence),
            2 * trips * km / (study.target_speed_kmh or 60.0),
            "no test day; weeks of patience, and trips you make anyway",
        ),
    )

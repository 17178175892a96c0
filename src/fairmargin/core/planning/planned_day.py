"""The planned day: legs laid out in an order, each with the time and weather it is planned for, and the timetable."""

from __future__ import annotations

from datetime import date, datetime, timedelta
from functools import cache
from itertools import groupby
from typing import Final

import numpy as np

from fairmargin.core.orders import offered
from fairmargin.core.planning.already_known import known_wh_per_km
from fairmargin.core.planning.expected import planned_speed_kmh
from fairmargin.core.planning.planned_runs import legs_begin, planned_runs
from fairmargin.core.planning.timetable import Daylight, Fleet, Timetable, timetable
from fairmargin.core.planning.timetable import daylight as daylight_of
from fairmargin.core.study import Leg, Study
from fairmargin.core.study.cells import vehicle_label, vehicle_of
from fairmargin.core.study.place import place_of
from fairmargin.core.study.trip import Trip

DEFAULT_WIND_M_S: Final = 3.0


def planned(study: Study, order: str, day: date | None = None) -> Study:
    """Return the study with legs laid out in `order`, each with the time, weather and duration it is planned for.

    The planned warm-up counts as driven, which a study's own legs say only once somebody noted it.
    """
    plan = study.plan
    table = plan_day(study, order, day)
    forecast = plan.forecast
    starts = {s.run: s.start for s in table.steps if s.kind == "run"}
    first = table.steps[0].start
    legs: list[Leg] = []
    laid = planned_runs(study, order)[1]
    by_run = [list(own) for _, own in groupby(laid, key=lambda leg: leg.run)]
    after = [m for own in by_run for m in legs_begin(((x, (x.duration_s or 0.0) / 60.0) for x in own), plan.turn_min)]
    for leg, minutes in zip(laid, after, strict=True):
        begin = starts[leg.run] + timedelta(minutes=minutes)
        hours = (begin - first).total_seconds() / 3600.0
        air = 15.0 if forecast.temperature_c is None else forecast.temperature_c
        legs.append(
            leg.with_(
                started_at=begin,
                temperature_c=round(air + (forecast.warming_k_per_h or 0.0) * (hours % 24.0), 1),
                pressure_hpa=forecast.pressure_hpa or 1013.25,
                wind_speed_ms=forecast.wind_speed_ms if forecast.wind_speed_ms is not None else DEFAULT_WIND_M_S,
                wind_gust_ms=forecast.wind_gust_ms,
                wind_from_deg=forecast.wind_from_deg if forecast.wind_from_deg is not None else 0.0,
                climate="off",
                road=leg.road or "dry",
            )
        )
    warm = study.circumstances.with_(warm_up_min=0.0 if study.change.about.from_the_wall else plan.warm_up_min)
    return study.with_(
        legs=tuple(legs), events=(), weather=(), readings=(), circumstances=warm, outings=(), also_compared=()
    )


def usual_order(study: Study) -> str:
    """The order of the study's runs; where none are laid out, the one to prefer for as many sides as it has."""
    return study.order or next(iter(offered(len(study.lettered), at_once=study.method == "side-by-side")))


def drift_left_by_clock(study: Study, trial: str = "B") -> float:
    """Share of a steady drift over the planned day that stays in trial minus baseline, by the times that runs are planned for.

    Charging, pauses and swaps pull apart what the order alone would balance: `orders.drift_left` counts runs, this hours.

    Raises
    ------
    ValueError
        If the study's order lacks an A or the trial's letter.
    """
    order = study.order
    runs = [s for s in plan_day(study, order).steps if s.kind == "run"]
    middle = [s.start + (s.end - s.start) / 2 for s in runs]
    hours = np.array([(m - middle[0]).total_seconds() for m in middle]) / 3600.0
    sides = [np.array([letter == x for letter in order]) for x in ("A", trial)]
    if not all(side.any() for side in sides):
        raise ValueError(f'"{order}" needs at least one A and one {trial}')
    return float((hours[sides[1]].mean() - hours[sides[0]].mean()) / max(float(hours[-1]), 1e-9))


def light_of(study: Study, day: date, utc_offset: timedelta | None = None) -> Daylight | None:
    """Daylight where the study is driven; None where neither its plan nor a track tells that.

    `utc_offset` as for `plan_day`.
    """
    place = place_of(study)
    if place is None:
        return None
    offset = utc_offset if utc_offset is not None else timedelta(hours=round(place[1] / 15.0))
    return daylight_of(day, *place, offset)


def plan_day(
    study: Study,
    order: str,
    day: date | None = None,
    *,
    late_min: float = 0.0,
    done_runs: int = 0,
    now: datetime | None = None,
    utc_offset: timedelta | None = None,
) -> Timetable:
    """Timetable of the study's plan for an order of runs.

    `utc_offset` is that of the clock people go by; without it the longitude decides, to the hour and without
    summer time.
    """
    day = day or study.plan.day or date(2026, 6, 1)
    turns = study.vehicles_take_turns or study.method == "side-by-side"
    runs, legs = planned_runs(study, order)
    drive = dict.fromkeys(leg.vehicle for leg in legs) if turns or any(leg.vehicle for leg in legs) else {"": None}
    vehicles = {name: vehicle_of(study, name) for name in drive}
    return timetable(
        study.plan,
        day=day,
        kind=study.change.kind,
        runs=runs,
        fleet=Fleet(
            names={name: vehicle_label(study, name) for name in drive},
            capacity_kwh={n: v.capacity_kwh if v.energy == "electric" else None for n, v in vehicles.items()},
            wh_per_km=known_wh_per_km(study),
            speed_kmh=planned_speed_kmh(study),
            capacity_unknown=any(v.energy == "electric" and v.capacity_kwh is None for v in vehicles.values()),
            trip=study.trip or Trip(),
        ),
        light=cache(lambda on: light_of(study, on, utc_offset)),
        late_min=late_min,
        each_cold=study.change.about.from_the_wall,
        done_runs=done_runs,
        now=now,
    )

"""The planned day: legs laid out in an order, each with the time and weather it is planned for, and the timetable."""

from __future__ import annotations

from datetime import date, datetime, timedelta
from typing import Final

from fairmargin.core.planning.already_known import known_factors, known_wh_per_km
from fairmargin.core.planning.expected import DEFAULT_SPEED_KMH, leg_km
from fairmargin.core.planning.timetable import Daylight, Timetable, timetable
from fairmargin.core.planning.timetable import daylight as daylight_of
from fairmargin.core.study import Leg, Study, new_study

DEFAULT_WIND_M_S: Final = 3.0


def planned(study: Study, order: str, day: date | None = None) -> Study:
    """Return the study with legs laid out in `order`, each with the time, weather and duration it is planned for.

    The planned warm-up counts as driven, which a study's own legs say only once somebody noted it.
    """
    plan = study.plan
    made = new_study(title="", kind="other", order="A" * len(order), method=study.method)
    names = [_side(study, letter) for letter in order]
    table = plan_day(study, order, day)
    forecast = plan.forecast
    speed = study.target_speed_kmh or DEFAULT_SPEED_KMH
    km = leg_km(study)
    runs = {s.run: s for s in table.steps if s.kind == "run"}
    first = table.steps[0].start
    legs: list[Leg] = []
    for name, (run, own) in zip(names, made.runs(), strict=True):
        for j, leg in enumerate(own):
            begin = runs[run].start + timedelta(minutes=j * (60.0 * km / speed + plan.turn_min))
            hours = (begin - first).total_seconds() / 3600.0
            air = 15.0 if forecast.temperature_c is None else forecast.temperature_c
            legs.append(
                leg.with_(
                    configuration=name,
                    started_at=begin,
                    duration_s=round(3600.0 * km / speed),
                    distance_km=km,
                    temperature_c=round(air + (forecast.warming_k_per_h or 0.0) * hours, 1),
                    pressure_hpa=forecast.pressure_hpa or 1013.25,
                    wind_speed_ms=forecast.wind_speed_ms if forecast.wind_speed_ms is not None else DEFAULT_WIND_M_S,
                    wind_gust_ms=forecast.wind_gust_ms,
                    wind_from_deg=forecast.wind_from_deg if forecast.wind_from_deg is not None else 0.0,
                    climate="off",
                    road="dry",
                )
            )
    warm = study.circumstances.with_(warm_up_min=plan.warm_up_min)
    return study.with_(legs=tuple(legs), events=(), weather=(), circumstances=warm, outings=())


def _side(study: Study, letter: str) -> str:
    """What a letter of an order stands for; the baseline where the study has no such side yet."""
    return study.lettered.get(letter, study.baseline.id)


def light_of(study: Study, day: date, utc_offset: timedelta | None = None) -> Daylight | None:
    """Daylight where the study's road begins; None where no track tells that.

    `utc_offset` as for `plan_day`.
    """
    place = next((p for p in study.route if p.latitude is not None and p.longitude is not None), None)
    if place is None or place.latitude is None or place.longitude is None:
        return None
    offset = utc_offset if utc_offset is not None else timedelta(hours=round(place.longitude / 15.0))
    return daylight_of(day, place.latitude, place.longitude, offset)


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
    plan = study.plan
    day = day or plan.day or date(2026, 6, 1)
    turns = study.vehicles_take_turns
    labels = {v.id: v.label for v in study.vehicles} if turns else {c.id: c.label for c in study.configurations}
    speed = study.target_speed_kmh or DEFAULT_SPEED_KMH
    light = light_of(study, day, utc_offset)
    return timetable(
        plan,
        day=day,
        kind=study.change.kind,
        runs=[(f"R{i + 1}", _side(study, letter)) for i, letter in enumerate(order)],
        legs_per_run=2 if study.method in {"out-and-back", "climb"} else 1,
        leg_km=leg_km(study),
        speed_kmh=speed,
        wh_per_km=known_wh_per_km(study),
        factors=known_factors(study),
        capacity_kwh=study.vehicle.capacity_kwh if study.vehicle.energy == "electric" else None,
        names=labels,
        swaps=not turns,
        light=light,
        late_min=late_min,
        done_runs=done_runs,
        now=now,
    )

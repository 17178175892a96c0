"""Ranges and trips as JSON objects and in words, for the command line and whoever reads it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from fairmargin.core.inference.prediction import Circumstances
from fairmargin.core.outcome.alternatives import Beside
from fairmargin.core.outcome.asking import Predicted
from fairmargin.core.outcome.average_wind import WindAveraged
from fairmargin.core.outcome.trips import Fuelled, Stop, TripPlan, WhatIf
from fairmargin.core.study import Study
from fairmargin.core.study.cells import vehicle_label
from fairmargin.core.units import UnitChoice, in_units, plain, said
from fairmargin.core.words import sentence, signed
from fairmargin.exchange.words.figures import consumption_words, distance_words, span_words, volume_words
from fairmargin.exchange.words.names import units_of


def _rounded(values: Sequence[float], digits: int) -> list[float]:
    return [round(float(v), digits) for v in values]


def range_json(
    path: str, study: Study, asked: Circumstances, found: Sequence[Predicted], winds: Sequence[tuple[str, WindAveraged]]
) -> dict[str, Any]:
    """The result object of ``fairmargin range --json``; winds are by the trial's id."""
    return {
        "path": path,
        "title": study.title,
        "asked": {
            "speed_kmh": asked.speed_kmh,
            "temperature_c": asked.temperature_c,
            "cabin_k": asked.cabin_k,
            "head_wind_ms": asked.head_wind_ms,
            "road": asked.road,
            "climb_m_per_km": asked.climb_m_per_km,
            "load_kg": asked.load_kg,
        },
        "confidence": study.confidence,
        "predictions": [
            {
                "vehicle": p.vehicle,
                "sector": p.sector or None,
                "configuration": p.configuration,
                "wh_per_km": round(p.wh_per_km, 3),
                "interval_wh_per_km": _rounded(p.interval_wh_per_km, 3),
                "range_km": None if p.reach is None else round(p.reach.to_empty_km, 2),
                "to_reserve_km": None if p.reach is None else round(p.reach.to_reserve_km, 2),
                "to_reserve_interval_km": None if p.reach is None else _rounded(p.reach.interval_km, 2),
                "mostly": p.mostly,
                "not_driven": [plain(w) for w in p.not_driven],
            }
            for p in found
        ],
        "wind_averaged": [{"configuration": name, **wind_averaged_json(w)} for name, w in winds],
    }


def range_lines(study: Study, found: Sequence[Predicted], units: UnitChoice) -> list[str]:
    """A line for each configuration, and what was asked beyond what was driven."""
    lines = []
    for p in found:
        own = units_of(study, p.vehicle, units)
        name = study.configuration(p.configuration).label
        if p.vehicle:
            name = f"{vehicle_label(study, p.vehicle)}, {name}"
        if p.sector:
            name += f", {p.sector}"
        text = f"{name}: {consumption_words(p.wh_per_km, own)} ({span_words(p.interval_wh_per_km, own)})"
        if p.reach is not None:
            near, far = (distance_words(v, own) for v in p.reach.interval_km)
            text += f", {distance_words(p.reach.to_reserve_km, own)} to the reserve ({near} to {far}), {distance_words(p.reach.to_empty_km, own)} to empty"
        lines.append(f"{text}; mostly {p.mostly}")
    for words in dict.fromkeys(w for p in found for w in p.not_driven):
        lines.append(in_units(words, units))
    return lines


def wind_averaged_words(w: WindAveraged, units: UnitChoice) -> str:
    """One comparison in still air, and in the wind of the place."""
    blows = f"{units.show('wind', w.wind_ms):.3g} {units.wind}"
    still, windy = (
        f"{signed(x)} % ({signed(low)} to {signed(high)} %)"
        for x, (low, high) in ((w.still_percent, w.still_interval), (w.percent, w.interval))
    )
    return f"in still air {still}; in {blows} at the mast, from every side alike, {windy}."


def wind_averaged_json(w: WindAveraged) -> dict[str, Any]:
    """The same for a machine."""
    return {
        "wind_ms": w.wind_ms,
        "still_percent": round(w.still_percent, 3),
        "still_interval_percent": _rounded(w.still_interval, 3),
        "percent": round(w.percent, 3),
        "interval_percent": _rounded(w.interval, 3),
    }


def _stop_json(s: Stop) -> dict[str, Any]:
    return {
        "at_km": s.charger.at_km,
        "name": s.charger.name,
        "kw": s.charger.kw,
        "after_h": round(s.at_h, 3),
        "arrive_percent": round(s.arrival.percent, 2),
        "arrive_interval_percent": _rounded(s.arrival.interval, 2),
        "chance_of_reserve": round(s.arrival.chance, 4),
        "chance_of_arriving": round(s.arrival.chance_at_all, 4),
        "leave_percent": round(s.leave_percent, 2),
        "charging_min": round(s.charging_min, 2),
        "other_min": round(s.other_min, 2),
        "waiting_min": round(s.waiting_min, 2),
        "kwh": round(s.kwh, 3),
        "cost": None if s.cost is None else round(s.cost, 3),
    }


def trip_json(
    path: str, study: Study, plan: TripPlan, cases: Sequence[WhatIf], beside: Fuelled | None
) -> dict[str, Any]:
    """The result object of ``fairmargin trip --json``."""
    return {
        "path": path,
        "title": study.title,
        "configuration": plan.configuration,
        "km": round(plan.trip.km, 3),
        "wh_per_km": round(plan.wh_per_km, 3),
        "stops": [_stop_json(s) for s in plan.stops],
        "arrival": {
            "percent": round(plan.arrival.percent, 2),
            "interval_percent": _rounded(plan.arrival.interval, 2),
            "chance_as_wished": round(plan.arrival.chance, 4),
            "chance_of_arriving": round(plan.arrival.chance_at_all, 4),
        },
        "hours": {
            "total": round(plan.total_h, 3),
            "with_every_queue": round(plan.late_h, 3),
            "driving": round(plan.driving_h, 3),
            "charging": round(plan.charging_h, 3),
            "pauses": round(plan.pauses_h, 3),
            "waiting": round(plan.waiting_h, 3),
            "other": round(plan.other_h, 3),
        },
        "kwh": round(plan.kwh, 3),
        "kwh_interval": _rounded(plan.kwh_interval, 3),
        "cost": None if plan.cost is None else round(plan.cost, 2),
        "cost_interval": None if plan.cost_interval is None else _rounded(plan.cost_interval, 2),
        "missing": list(plan.missing),
        "not_driven": [plain(w) for w in plan.not_driven],
        "what_if": [
            {
                "case": w.name,
                "later_h": None if w.later_h is None else round(w.later_h, 3),
                "more_kwh": None if w.more_kwh is None else round(w.more_kwh, 3),
                "more_cost": None if w.more_cost is None else round(w.more_cost, 2),
                "stops": w.stops,
                "why_not": w.why_not,
            }
            for w in cases
        ],
        "fuel_vehicle": None
        if beside is None
        else {
            "litres": round(beside.litres, 2),
            "stops": beside.stops,
            "hours": round(beside.total_h, 3),
            "cost": None if beside.cost is None else round(beside.cost, 2),
        },
    }


def hours_words(hours: float) -> str:
    """A length of time: ``5 h 12 min``, ``48 min``.

    Examples
    --------
    >>> hours_words(5.2), hours_words(0.8), hours_words(1.999)
    ('5 h 12 min', '48 min', '2 h 00 min')
    """
    minutes = round(60 * hours)
    return f"{minutes // 60} h {minutes % 60:02d} min" if minutes >= 60 else f"{minutes} min"


def stop_words(s: Stop, units: UnitChoice) -> str:
    """One stop in a line."""
    low, high = s.arrival.interval
    queue = f", perhaps a queue ({s.waiting_min:.0f} min to be expected)" if s.waiting_min else ""
    cost = "" if s.cost is None else f", {s.cost:.2f}"
    place = (
        f"{s.charger.name}, {distance_words(s.charger.at_km, units)}"
        if s.charger.name
        else in_units(s.charger.label, units)
    )
    return (
        f"{sentence(place)}, after {hours_words(s.at_h)}: arrive with {s.arrival.percent:.0f} % ({_left(low)} to {_left(high)}), leave with "
        f"{s.leave_percent:.0f} %: {s.kwh:.1f} kWh in {s.charging_min:.0f} min, {s.other_min:.0f} min besides{queue}{cost}."
    )


def arrival_words(plan: TripPlan) -> str:
    """With what charge one arrives, and how surely."""
    a = plan.arrival
    low, high = a.interval
    risk = min([a.chance_at_all, *(s.arrival.chance_at_all for s in plan.stops)])
    text = f"Arrive with {a.percent:.0f} % ({_left(low)} to {_left(high)} %, nine times in ten); {100 * a.chance:.0f} % for the {plan.trip.arrive_percent:.0f} % wished for."
    if risk < 0.98:
        before = next((s.charger.label for s in plan.stops if s.arrival.chance_at_all == risk), "the end")
        text += f" {100 * (1 - risk):.0f} % that the battery is empty before {before}: plan more surely, or keep a larger reserve."
    return text


def _left(percent: float) -> str:
    """A charge on arrival; below nothing the battery is empty."""
    return "empty" if percent < 0.5 else f"{percent:.0f}"


def time_sum(plan: TripPlan) -> str:
    """The hours of a trip, written out."""
    stops = len(plan.stops)
    parts = [f"{hours_words(plan.driving_h)} driving"]
    if stops:
        other = " + ".join(f"{s.other_min:.0f}" for s in plan.stops)
        parts.append(f"{hours_words(plan.charging_h)} charging")
        parts.append(f"{other} min parking" + (" and unhitching" if plan.trip.unhitch_min else ""))
    if plan.waiting_h:
        parts.append(f"{hours_words(plan.waiting_h)} in queues, to be expected")
    if plan.pauses_h:
        parts.append(f"{hours_words(plan.pauses_h)} of pauses")
    return f"Time: {' + '.join(parts)} = {hours_words(plan.total_h)}"


def energy_sum(plan: TripPlan, units: UnitChoice) -> str:
    """The energy of a trip, written out."""
    text = f"Energy: {distance_words(plan.trip.km, units)} \u00d7 {consumption_words(plan.wh_per_km, units)} = {plan.kwh:.1f} kWh"
    if plan.stops:
        drawn = sum(s.kwh for s in plan.stops)
        share = plan.trip.charger_efficiency_percent
        text += (
            f"; {plan.home_kwh:.1f} were in the battery, {plan.kwh - plan.home_kwh:.1f} came on the way "
            f"({drawn:.1f} from the plug, of which {share:g} % arrives)"
        )
    return text


def money_sum(plan: TripPlan, units: UnitChoice) -> str:
    """What a trip costs, written out; empty where a price is missing."""
    if plan.cost is None:
        return ""
    parts = [
        f"{s.kwh:.1f} kWh \u00d7 {s.cost / s.kwh:.3g} = {s.cost:.2f}"
        for s in plan.stops
        if s.cost is not None and s.kwh
    ]
    if plan.home_kwh > 0 and plan.home_price is not None:
        share = 100 * plan.home_kwh / plan.home_wall_kwh
        cost = plan.home_wall_kwh * plan.home_price
        parts.append(f"at home {plan.home_kwh:.1f} kWh / {share:.0f} % \u00d7 {plan.home_price:.3g} = {cost:.2f}")
    if plan.roads_cost:
        per = plan.trip.road_price_per_km / units.show("distance", 1.0)
        parts.append(f"roads {distance_words(plan.trip.km, units)} \u00d7 {per:.3g} = {plan.roads_cost:.2f}")
    return f"Money: {'; '.join(parts)}; together {plan.cost:.2f}"


def open_words(plan: TripPlan) -> str:
    """Why the charge on arrival is open as it is."""
    told = ", ".join(f"{name} \u00b1{half:.0f} %" for name, half in plan.open_by[:3] if half >= 0.5)
    return f"How open it is: of the energy, nine times in ten, {told}" if told else ""


def sums(plan: TripPlan, units: UnitChoice) -> list[str]:
    """Time, energy and money written out, and what leaves the arrival open."""
    return [f"{x}." for x in (time_sum(plan), energy_sum(plan, units), money_sum(plan, units), open_words(plan)) if x]


def trip_lines(plan: TripPlan, cases: Sequence[WhatIf], beside: Fuelled | None, units: UnitChoice) -> list[str]:
    """A trip in words: stops, arrival, time, energy, money, what if."""
    low, high = plan.kwh_interval
    lines = [f"{distance_words(plan.trip.km, units)} in {hours_words(plan.total_h)}", *sums(plan, units)]
    lines += [stop_words(s, units) for s in plan.stops] or ["no stop is needed"]
    lines.append(in_units(arrival_words(plan), units))
    lines.append(f"{plan.kwh:.0f} kWh ({low:.0f} to {high:.0f})" + money_words(plan))
    for w in cases:
        lines.append(f"{w.name}: {case_words(w)}")
    if beside is not None:
        cost = "" if beside.cost is None else f", {beside.cost:.2f} in your money"
        lines.append(f"fuel vehicle: {volume_words(beside.litres, units)}, {hours_words(beside.total_h)}{cost}")
    lines += [in_units(w, units) for w in plan.not_driven]
    return lines


def money_words(plan: TripPlan) -> str:
    """What it costs, or what is missing to say so."""
    if plan.cost is None or plan.cost_interval is None:
        return f"; the cost wants {' and '.join(plan.missing)}"
    low, high = plan.cost_interval
    return f", {plan.cost:.2f} in your money ({low:.2f} to {high:.2f})"


def case_words(w: WhatIf) -> str:
    """What another case would do, in a line."""
    if w.later_h is None or w.more_kwh is None:
        return w.why_not
    later = (
        "no later"
        if abs(w.later_h) < 0.5 / 60
        else f"{hours_words(abs(w.later_h))} {'later' if w.later_h > 0 else 'sooner'}"
    )
    energy = "" if abs(w.more_kwh) < 0.05 else f", {signed(w.more_kwh, 1)} kWh"
    money = "" if w.more_cost is None or abs(w.more_cost) < 0.005 else f", {signed(w.more_cost, 2)} in your money"
    return f"{later}{energy}{money}, {w.stops} stop{'s' if w.stops != 1 else ''}"


def beside_words(b: Beside) -> str:
    """The trip in another vehicle or configuration, in a line."""
    if b.total_h is None or b.interval is None:
        return b.why_not
    low, high = b.interval
    amount = (
        f"{b.kwh:.0f} kWh ({low:.0f} to {high:.0f})"
        if b.litres is None
        else f"{said(b.litres, 'L', 1)} ({said(low, 'L', 1, bare=True)} to {said(high, 'L', 1, bare=True)})"
    )
    stops = (
        "without stops for fuel (the tank's size is not known)"
        if b.stops is None
        else f"{b.stops} stop{'s' if b.stops != 1 else ''}"
        if b.stops
        else "no stop"
    )
    cost = "" if b.cost is None else f", {b.cost:.2f} in your money"
    return f"{hours_words(b.total_h)}, {stops}, {amount}{cost}"

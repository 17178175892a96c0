"""The result object of ``fairmargin analyse --json``: a contract, field by field (docs/file-format.md)."""

from __future__ import annotations

import math
from typing import Any

from fairmargin.core.conditions.concern import Concern
from fairmargin.core.evidence.climb import Climb
from fairmargin.core.result.results import Result
from fairmargin.core.result.types import Analysis, Comparison, LegResult


def as_json(analysis: Analysis, path: str = "") -> dict[str, Any]:
    """Return the result object; figures are rounded to four decimals, what is not known is null."""
    claim, capacity = analysis.claim, analysis.capacity
    return {
        "path": path,
        "title": analysis.title,
        "view": analysis.view,
        "missing": analysis.missing,
        "comparisons": [_comparison(c) for c in analysis.comparisons],
        "results": [_result(r) for r in analysis.results],
        "legs": [_leg(leg) for leg in analysis.legs],
        "concerns": [_concern(c) for c in analysis.concerns],
        "claim": None if claim is None else {"verdict": claim.verdict, "reason": claim.reason},
        "capacity_kwh": None
        if capacity is None
        else {"estimate": _number(capacity.estimate), "interval": _interval(capacity.interval)},
        "climbs": [_climb(c) for c in analysis.climbs],
        "assumed": list(analysis.assumed),
    }


def _number(value: float | None) -> float | None:
    return None if value is None or not math.isfinite(value) else round(value, 4)


def _interval(interval: tuple[float, float]) -> list[float | None]:
    return [_number(v) for v in interval]


def _maybe(interval: tuple[float, float] | None) -> list[float | None] | None:
    return None if interval is None else _interval(interval)


def _result(r: Result) -> dict[str, Any]:
    return {
        "vehicle": r.vehicle,
        "configuration": r.configuration,
        "speed_kmh": _number(r.speed_kmh),
        "sector": r.sector,
        "as_driven_wh_per_km": _number(r.as_driven_wh_per_km),
        "as_driven_interval": _maybe(r.as_driven_interval),
        "wh_per_km": _number(r.wh_per_km),
        "interval_wh_per_km": _maybe(r.interval_wh_per_km),
        "range_km": _number(r.range_km),
        "range_interval_km": _maybe(r.range_interval_km),
        "legs": list(r.legs),
        "method": r.method,
        "margin": [
            {
                "source": x.source,
                "half_width_percent": _number(x.half_width_percent),
                "legs": list(x.legs),
                "remedy": x.remedy,
            }
            for x in r.margin
        ],
        "directions": [
            {
                "direction": d.direction,
                "as_driven_wh_per_km": _number(d.as_driven_wh_per_km),
                "as_driven_interval": _interval(d.as_driven_interval),
                "range_km": _number(d.range_km),
            }
            for d in r.directions
        ],
    }


def _comparison(c: Comparison) -> dict[str, Any]:
    time, grid = c.trip_time, c.grid
    return {
        "vehicle": c.vehicle,
        "baseline": c.baseline,
        "trial": c.trial,
        "speed_kmh": _number(c.speed_kmh),
        "sector": c.sector,
        "as_measured_percent": _number(c.as_measured_percent),
        "effect_percent": _number(c.effect_percent),
        "interval_percent": _interval(c.interval_percent),
        "confidence": c.confidence,
        "baseline_wh_per_km": _number(c.baseline_wh_per_km),
        "trial_wh_per_km": _number(c.trial_wh_per_km),
        "verdict": c.verdict,
        "pairs": c.pairs,
        "pairs_needed": c.pairs_needed,
        "range_change_percent": _number(c.range_change_percent),
        "reason": c.reason,
        "method": c.method,
        "standing": c.standing.word,
        "margin": [
            {
                "source": line.source,
                "half_width_percent": _number(line.half_width_percent),
                "legs": list(line.legs),
                "cause": line.cause,
                "remedy": line.remedy,
            }
            for line in c.margin
        ],
        "margin_budget_percent": {name: _number(v) for name, v in c.margin_budget},
        "open_charge_percent": _number(c.open_charge_percent),
        "scatter_percent": _number(c.scatter_percent),
        "as_driven": c.as_driven,
        "directions": [
            {
                "direction": d.direction,
                "as_measured_percent": _number(d.as_measured_percent),
                "effect_percent": _number(d.effect_percent),
                "interval_percent": _interval(d.interval_percent),
            }
            for d in c.directions
        ],
        "trip_time_min_per_100km": None if time is None else _interval((time.baseline_min, time.trial_min)),
        "with_grid": None
        if grid is None
        else {
            "effect_percent": _number(grid.effect_percent),
            "interval_percent": _interval(grid.interval_percent),
            "baseline_grid_wh_per_km": _number(grid.baseline_wh_per_km),
            "trial_grid_wh_per_km": _number(grid.trial_wh_per_km),
            "unread": list(grid.unread),
        },
    }


def _leg(leg: LegResult) -> dict[str, Any]:
    return {
        "leg": leg.leg,
        "configuration": leg.configuration,
        "included": leg.included,
        "instrument": leg.instrument,
        "measured_wh_per_km": _number(leg.measured_wh_per_km),
        "corrected_wh_per_km": _number(leg.corrected_wh_per_km),
        "corrections_wh_per_km": {k: _number(v) for k, v in leg.corrections_wh_per_km.items()},
    }


def _concern(c: Concern) -> dict[str, Any]:
    return {
        "code": c.code,
        "severity": c.severity,
        "charge_percent": _number(c.bias_percent),
        "legs": list(c.legs),
        "title": c.title,
        "message": c.message,
        "next_step": c.next_step,
        "covered": c.covered,
    }


def _climb(c: Climb) -> dict[str, Any]:
    return {
        "configuration": c.configuration,
        "up_wh": None if c.by_charge_alone else _number(c.up_wh),
        "down_wh": None if c.by_charge_alone else _number(c.down_wh),
        "returned_percent": _number(c.returned_percent),
        "interval_percent": _interval(c.interval_percent),
        "legs": list(c.legs),
    }

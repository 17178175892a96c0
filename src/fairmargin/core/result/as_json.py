"""The result object of ``fairmargin analyse --json``: a contract, field by field (docs/file-format.md)."""

from __future__ import annotations

import math
from typing import Any

from fairmargin.core.evidence.climb import Climb
from fairmargin.core.inference.coast_down import CoastLoad
from fairmargin.core.result.results import Result
from fairmargin.core.result.types import Analysis, Comparison
from fairmargin.core.serialised import picked, plain


def as_json(analysis: Analysis, path: str = "", *, sensitivity: bool = False) -> dict[str, Any]:
    """Return the result object; figures are rounded to four decimals, what is not known is null.

    `sensitivity`: with what each comparison would be with other priors, which takes a while.
    """
    claim, capacity = analysis.claim, analysis.capacity
    legs = "leg configuration included instrument measured_wh_per_km corrected_wh_per_km corrections_wh_per_km"
    made: dict[str, Any] = plain(
        {
            "path": path,
            **picked(analysis, "title view missing"),
            "comparisons": [_comparison(c) | (_sensitivity(c) if sensitivity else {}) for c in analysis.comparisons],
            "results": [_result(r) for r in analysis.results],
            "legs": [
                {**picked(leg, legs), "foretold_wh_per_km": leg.foretold and [leg.foretold.low, leg.foretold.high]}
                for leg in analysis.legs
            ],
            "concerns": [
                picked(c, "code severity charge_percent=bias_percent legs title message next_step covered")
                for c in analysis.concerns
            ],
            "claim": None if claim is None else picked(claim, "verdict reason"),
            "capacity_kwh": None if capacity is None else picked(capacity, "estimate interval"),
            "climbs": [_climb(c) for c in analysis.climbs],
            "coast_downs": [_coast_down(x) for x in analysis.coast_downs],
            "assumed": analysis.assumed,
        }
    )
    return made


def _result(r: Result) -> dict[str, Any]:
    names = (
        "vehicle configuration speed_kmh sector as_driven_wh_per_km as_driven_interval wh_per_km interval_wh_per_km "
        "range_km range_interval_km legs method"
    )
    return {
        **picked(r, names),
        "margin": [picked(x, "source half_width_percent legs remedy") for x in r.margin],
        "directions": [picked(d, "direction as_driven_wh_per_km as_driven_interval range_km") for d in r.directions],
    }


def _sensitivity(c: Comparison) -> dict[str, Any]:
    names = "prior change effect_percent interval_percent verdict"
    return {"sensitivity": [picked(row, names) for row in c.sensitivity()]}


def _comparison(c: Comparison) -> dict[str, Any]:
    time, grid = c.trip_time, c.grid
    names = (
        "vehicle baseline trial speed_kmh sector as_measured_percent effect_percent interval_percent confidence "
        "baseline_wh_per_km trial_wh_per_km verdict pairs pairs_needed range_change_percent reason method"
    )
    of_grid = (
        "effect_percent interval_percent baseline_grid_wh_per_km=baseline_wh_per_km "
        "trial_grid_wh_per_km=trial_wh_per_km unread"
    )
    return {
        **picked(c, names),
        "standing": c.standing.word,
        "look": None if c.look is None else picked(c.look, "level pairs of_pairs"),
        "margin": [picked(line, "source half_width_percent legs cause remedy") for line in c.margin],
        "margin_budget_percent": dict(c.margin_budget),
        **picked(c, "open_charge_percent scatter_percent as_driven plain_interval_percent"),
        "instruments": [picked(x, "instrument effect_percent interval_percent") for x in c.instruments],
        "questions": [
            {
                "code": q.code,
                "text": q.text,
                "worth_percent": q.worth_percent,
                "answers": [{"answer": words, "half_width_percent": half} for words, half in q.answers],
            }
            for q in c.asked()
        ],
        "if": [picked(x, "answer effect_percent interval_percent verdict") for x in c.if_answered()],
        "steps": [picked(s, "source percent kind") for s in c.steps],
        "directions": [
            picked(d, "direction as_measured_percent effect_percent interval_percent") for d in c.directions
        ],
        "trip_time_min_per_100km": None if time is None else (time.baseline_min, time.trial_min),
        "with_grid": None if grid is None else picked(grid, of_grid),
    }


def _coast_down(x: CoastLoad) -> dict[str, Any]:
    names = "f0_n f1_n_s_m f2_n_s2_m2"
    return {
        **picked(x, "configuration pairs drag_area_m2 drag_area_sd_m2 rolling rolling_sd"),
        "load": None if x.load is None else picked(x.load, names),
        "precision_percent": 100.0 * x.precision if math.isfinite(x.precision) else None,
    }


def _climb(c: Climb) -> dict[str, Any]:
    energies = {"up_wh": None, "down_wh": None} if c.by_charge_alone else picked(c, "up_wh down_wh")
    return {**picked(c, "configuration"), **energies, **picked(c, "returned_percent interval_percent legs")}

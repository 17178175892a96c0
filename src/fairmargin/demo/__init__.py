"""The demo logbook: the invented vans of the Wexmoor Bakers' Cooperative, made by the simulator."""

from __future__ import annotations

import json
from dataclasses import replace
from datetime import datetime
from pathlib import Path

import numpy as np

from fairmargin.core.analysis import analyse
from fairmargin.core.study import Change, Study
from fairmargin.logbook import Logbook
from fairmargin.simulation import DayPlan, SimulatedStudy, simulate, straight_road

SEED = 1847
DYKE_ROAD_M = 18_400.0


def demo_studies() -> list[SimulatedStudy]:
    """Make the demo studies: wheel discs, tyres three weeks apart, flour payload."""
    dyke_road = straight_road(np.random.default_rng(SEED), DYKE_ROAD_M)
    plans = [
        (
            "Wheel discs, Dyke Road",
            SEED + 1,
            DayPlan(
                kind="aero covers",
                effect_percent=-3.4,
                order="ABBAABBA",
                wind="mixed",
                start=datetime(2026, 5, 2, 8, 10),
                scatter=0.006,
                swap_minutes=8,
            ),
            ("Discs off", "Discs on"),
            -4.0,
            "Flat discs over the steel wheels. Same tyres, same pressures, both cold at 2.9 bar. Do they pay?",
        ),
        (
            "All-weather against summer tyres",
            SEED + 17,
            DayPlan(
                kind="tyres",
                effect_percent=4.5,
                order="AABB",
                wind="mixed",
                days=2,
                day_gap=21,
                day_warmer_k=-5.0,
                start=datetime(2026, 9, 26, 9, 0),
            ),
            ("Summer tyres", "All-weather tyres"),
            6.0,
            "The garage could only swap on the day of the yearly check, three weeks after the baseline.",
        ),
        (
            "320 kg of flour",
            SEED + 11,
            DayPlan(
                kind="payload",
                effect_percent=4.8,
                order="ABBA",
                wind="calm",
                speed_kmh=80.0,
                start=datetime(2026, 6, 13, 9, 30),
                traffic=0.1,
                swap_minutes=25,
            ),
            ("Empty", "320 kg of flour"),
            10.0,
            "Sixteen sacks on the floor of the load bay, strapped, nothing above the cab.",
        ),
    ]
    made = []
    for title, seed, plan, names, prediction, notes in plans:
        simulated = simulate(seed, plan, road=dyke_road, title=title)
        study = simulated.study
        configurations = tuple(
            c.with_(name=name, mass_delta_kg=320.0 if "flour" in name else c.mass_delta_kg)
            for c, name in zip(study.configurations, names, strict=True)
        )
        change = Change(
            kind=study.change.kind,
            mechanism=study.change.mechanism,
            prediction_percent=prediction,
            prediction_sealed_at=plan.start.replace(hour=7, minute=30),
        )
        study = study.with_(
            configurations=configurations, change=change, notes=notes, route_name="Dyke Road", title=title
        )
        study = _with_pressures(study)
        made.append(replace(simulated, study=study))
    return made


def _with_pressures(study: Study) -> Study:
    """Fill in what a careful note-taker also wrote down."""
    legs = tuple(
        leg.with_(tyre_pressure_kpa=290.0, note="Lock bridge was open, queue" if has_event else "")
        for leg in study.legs
        for has_event in [any(e.leg == leg.leg for e in study.events)]
    )
    study = study.with_(legs=legs)
    queues = [e for e in study.events if e.kind == "slow-traffic"]
    if len(study.legs) >= 16 and queues:
        worst = max(queues, key=lambda e: e.duration_s or 0.0)
        study = study.with_leg(
            worst.leg, included=False, reason="queue at the lock bridge", left_out_after_result=True
        )
    return study


def make_demo_logbook(path: str | Path) -> None:
    """Write the demo logbook; a file that is already there is left alone."""
    path = Path(path)
    if path.exists() and path.stat().st_size > 0:
        return
    with Logbook.open(path) as book:
        for simulated in demo_studies():
            result = analyse(simulated.study, simulated.traces)
            book.add(simulated.study, simulated.traces, study_summary(result))


def study_summary(result: object) -> str:
    """What the list says about a study, as JSON: words, legs used, effect and interval; and what it tells of scatter."""
    from fairmargin.core.analysis import Analysis

    assert isinstance(result, Analysis)
    used = sum(leg.included for leg in result.legs)
    if not result.comparisons:
        return json.dumps({"words": result.missing, "legs": used})
    c = result.comparisons[0]
    return json.dumps(
        {
            "scatter": [round(v, 3) for v in result.scatter_evidence],
            "words": c.verdict,
            "legs": used,
            "effect": round(c.effect_percent, 3),
            "low": round(c.interval_percent[0], 3),
            "high": round(c.interval_percent[1], 3),
        }
    )

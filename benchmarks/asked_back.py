"""Bare readings and the five questions asked first, answered truthfully, against the same study noted in full.

    .venv/bin/python benchmarks/asked_back.py [studies]

Of field days in still to strong wind, of one day and of several: coverage and half-width of the noted study, of readings and
distances alone, after each has had its five questions answered, and where every other answer is "not known".
"""

from __future__ import annotations

import os
import sys
from collections.abc import Mapping
from concurrent.futures import ProcessPoolExecutor

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

import numpy as np
from truths.field import FieldDay, field_day

from fairmargin.core.analysis import analyse
from fairmargin.core.result.questions import BANDS, answered
from fairmargin.core.study import Study
from fairmargin.core.study.circumstances import BEAUFORT_M_S

ROUNDS = 5
KINDS = {"aero covers": -4.0, "wheels": 4.0, "cargo": 12.0, "other": -6.0}
REGIMES: Mapping[str, dict[str, object]] = {
    "one day, still": {"wind": "calm"},
    "one day, light": {"wind": "mixed"},
    "one day, strong": {"wind": "windy"},
    "two days, light": {"wind": "mixed", "days": 2, "order": "AABB"},
    "three weeks apart, light": {"wind": "mixed", "days": 2, "day_gap": 21, "order": "AABB", "warmer_k": -6.0},
    "one pair, light": {"wind": "mixed", "order": "AB"},
}
NOTES = {
    "climate": "", "road": "", "temperature_c": None, "pressure_hpa": None, "humidity_percent": None, "wind_speed_ms": None,
    "wind_gust_ms": None, "wind_from_deg": None, "wind_age_s": None, "tyre_pressure_kpa": None, "started_at": None,
    "dated_only": False, "duration_s": None, "gps_distance_km": None, "stopped_s": None,
}  # fmt: skip


def truth_of(noted: Study) -> dict[str, object]:
    """What whoever drove would answer."""
    days = sorted({leg.started_at.date() for leg in noted.legs if leg.started_at})
    apart = (days[-1] - days[0]).days if days else 0
    wind = float(np.mean([leg.wind_speed_ms for leg in noted.legs if leg.wind_speed_ms is not None] or [0.0]))
    return {
        "outing": "one" if not apart else "days" if apart < 7 else "weeks",
        "road": "dry",
        "climate": noted.legs[0].climate or "off",
        "warm_up_min": 20.0,
        "wind": next((w for w, (_, high) in BEAUFORT_M_S.items() if wind <= high), "strong"),
        "speed_held": "cruise",
        "temperature_c": [leg.temperature_c for leg in noted.legs],
        "tyres": "alike",
        "load": "alike",
    }


def asked(study: Study, truth: Mapping[str, object], every_other: bool) -> Study:
    """The study after its five questions."""
    for i in range(ROUNDS):
        found = analyse(study).comparisons
        questions = found[0].asked() if found else ()
        if not questions:
            break
        code = questions[0].code
        value = None if every_other and i % 2 else truth.get(code)
        if code == "temperature_c" and value is not None:  # of the day that is asked about
            air = next(t for leg, t in zip(study.legs, value, strict=True) if leg.temperature_c is None)  # type: ignore[call-overload]
            low, high = next((ends for ends in BANDS if ends[0] <= air < ends[1]), BANDS[-1])
            value = f"{low:g}..{high:g}"
        study = answered(study, code, value)  # type: ignore[arg-type]
    return study


def one(job: tuple[str, int]) -> list[tuple[float, float, float]]:
    """Truth, error and half-width of each of the four."""
    name, seed = job
    kind = list(KINDS)[seed % len(KINDS)]
    made = field_day(80_000 + seed, FieldDay(**{"kind": kind, "effect_percent": KINDS[kind], **REGIMES[name]}))  # type: ignore[arg-type]
    noted = made.study
    bare = noted.with_(route=(), weather=(), events=()).with_legs([leg.with_(**NOTES) for leg in noted.legs])
    truth = truth_of(noted)
    out = []
    for study in (noted, bare, asked(bare, truth, False), asked(bare, truth, True)):
        c = analyse(study).comparisons[0]
        low, high = c.interval_percent
        out.append(
            (float(low <= made.truth_percent <= high), c.effect_percent - made.truth_percent, c.half_width_percent)
        )
    return out


def main() -> None:
    """Print the table."""
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 20
    print("| regime | | holds | half-width | over noted | over RMS |\n|---|---|---|---|---|---|")
    with ProcessPoolExecutor(os.cpu_count()) as pool:
        for name in REGIMES:
            rows = np.array(list(pool.map(one, [(name, seed) for seed in range(count)])))
            noted = float(np.median(rows[:, 0, 2]))
            for i, which in enumerate(("noted", "bare", "five answers", "every other not known")):
                half, rms = float(np.median(rows[:, i, 2])), float(np.sqrt(np.mean(rows[:, i, 1] ** 2)))
                print(
                    f"| {name} | {which} | {100 * rows[:, i, 0].mean():.0f} % | {half:.1f} | {half / noted:.2f} | {half / rms:.1f} |",
                    flush=True,
                )


if __name__ == "__main__":
    main()

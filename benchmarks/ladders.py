"""Does a note ever mislead? Identical drives with one kind of note after another, scored as intervals.

    .venv/bin/python benchmarks/ladders.py [studies per ladder] [ladder ...]

Each study is driven once; its notes are then blanked, and given back rung by rung: readings (over
the distance shown), dates, true distances, times, weather, route, vehicle, and at last climate and road. Prints how often the 95 % interval holds, its median
half-width, and the mean interval score (T. Gneiting, A. E. Raftery, J. Am. Stat. Assoc. 102 (2007) 359, eq. 43: width, and 40
times what it misses the truth by) over that of the readings alone; in the last columns the mean step of the score from the
rung before, with its standard error over studies.
"""

from __future__ import annotations

import os
import sys
from collections.abc import Mapping
from concurrent.futures import ProcessPoolExecutor
from typing import Any, Final

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

import numpy as np
from truths.field import FieldDay, field_day

from fairmargin.core.analysis import analyse
from fairmargin.core.study import Leg, Study

#: What each rung gives back of a leg; the route and the vehicle belong to the study.
RUNGS: Final[Mapping[str, tuple[str, ...]]] = {
    "readings": (),
    "dates": ("started_at",),
    "distances": ("gps_distance_km",),
    "times": ("duration_s", "stopped_s"),
    "weather": ("temperature_c", "pressure_hpa", "humidity_percent", "wind_speed_ms", "wind_from_deg", "wind_gust_ms"),
    "route": (),
    "vehicle": (),
    "circumstances": ("climate", "road"),
}
NOTED: Final = tuple(column for columns in RUNGS.values() for column in columns)
SORTS: Final = ("car", "city", "tall", "van")
KINDS: Final = {"aero covers": -4.0, "tyres": 3.0, "wheels": 4.0, "cargo": 12.0, "other": 0.0}
APART: Final[dict[str, Any]] = {"days": 2, "order": "AABB"}

LADDERS: Final[dict[str, dict[str, Any]]] = {
    "one day": {},
    "one day, windy": {"wind": "windy"},
    "hold-ups not noted": {"traffic": 0.5},
    "halts not noted": {"halts": 0.3},
    "two days": APART,
    "one pair": {"order": "AB"},
    "hills": {"relief_m": 300.0},
    "loop": {"method": "loop"},
    "town laps": {"method": "laps", "town": True, "length_km": 6.2, "speed_kmh": 50.0},
    "warm cabin in frost": {"temperature_c": -8.0, "heating_c": 20.0},
}


def driven(ladder: str, seed: int) -> tuple[Study, float]:
    """One study with every note that this tester made, and its true effect; nobody noted hold-ups."""
    kind = tuple(KINDS)[seed % len(KINDS)]
    plan = FieldDay(
        **{
            "kind": kind,
            "effect_percent": KINDS[kind],
            "sort": SORTS[(seed // 5) % 4],
            "forget": frozenset({"traffic"}),
        }
        | LADDERS[ladder]
    )
    made = field_day(60_000 + seed, plan)
    return made.study, made.truth_percent


def rung_of(study: Study, upto: int) -> Study:
    """The study with the notes of so many rungs."""
    names = tuple(RUNGS)[: upto + 1]
    kept = {column for name in names for column in RUNGS[name]}
    blank = {column: Leg.model_fields[column].default for column in NOTED if column not in kept}
    made = study.with_legs([leg.with_(**blank) for leg in study.legs])
    if "route" not in names:
        made = made.with_(route=())
    if "vehicle" not in names:
        made = made.with_(vehicle=made.vehicle.with_(mass_kg=None, drag_area_m2=None, rolling_coefficient=None))
    return made


def climbed(job: tuple[str, int]) -> list[tuple[float, float, bool]]:
    """Half-width, interval score and whether the interval held, on each rung; per cent of the trial's consumption."""
    ladder, seed = job
    study, truth = driven(ladder, seed)
    scale = 1 + truth / 100
    out = []
    for upto in range(len(RUNGS)):
        low, high = analyse(rung_of(study, upto)).comparisons[0].interval_percent
        missed = max(low - truth, truth - high, 0.0)
        out.append(((high - low) / 2 / scale, (high - low + 40.0 * missed) / scale, missed == 0.0))
    return out


def main() -> None:
    """Print the table."""
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 100
    wanted = [x for x in LADDERS if len(sys.argv) < 3 or x in sys.argv[2:]]
    print("| ladder | rung | holds | half-width | score over readings' | step | ± |\n|---|---|---|---|---|---|---|")
    with ProcessPoolExecutor(os.cpu_count()) as pool:
        for ladder in wanted:
            found = np.array(list(pool.map(climbed, [(ladder, i) for i in range(count)], chunksize=4)), dtype=float)
            half, score, held = np.moveaxis(found, 2, 0)
            for i, name in enumerate(RUNGS):
                step = score[:, i] - score[:, max(i - 1, 0)]
                print(
                    f"| {ladder} | {name} | {held[:, i].mean():.1%} | {np.median(half[:, i]):.2f} | "
                    f"{score[:, i].mean() / score[:, 0].mean():.2f} | {step.mean():+.2f} | {step.std() / count**0.5:.2f} |",
                    flush=True,
                )


if __name__ == "__main__":
    main()

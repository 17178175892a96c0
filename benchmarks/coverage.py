"""Does the 95 % interval hold the truth 93 to 98 % of the time? By regime, against the virtual test day.

    .venv/bin/python benchmarks/coverage.py [studies per regime]

Prints a table: coverage, RMS error against the naive (as measured) one, median half-width over RMS error,
and how often a null effect is called a difference.
"""

from __future__ import annotations

import os
import sys
from concurrent.futures import ProcessPoolExecutor

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

import numpy as np

from fairmargin.core.analysis import analyse
from fairmargin.simulation import DayPlan, simulate

ORDERS = ("ABBA", "ABAB", "AABB", "AB", "ABBABAAB")
KINDS = ("aero covers", "tyres", "payload", "cargo", "towing")
SIZES = {"aero covers": -4.0, "tyres": 3.0, "payload": 5.0, "cargo": 12.0, "towing": 60.0}
REGIMES: dict[str, dict[str, object]] = {
    "calm": {"wind": "calm"},
    "mixed": {"wind": "mixed"},
    "windy": {"wind": "windy"},
    "two days apart": {"wind": "mixed", "days": 2, "order": "AABB"},
    "weeks apart, colder": {"wind": "mixed", "days": 2, "day_gap": 21, "day_warmer_k": -8.0, "order": "AABB"},
    "null effect": {"wind": "mixed", "effect_percent": 0.0},
    "null, two days": {"wind": "mixed", "days": 2, "order": "AABB", "effect_percent": 0.0},
    "coarse display": {"wind": "mixed", "step": 0.5},
    "steadier tester": {"wind": "mixed", "scatter": 0.005},
    "less steady tester": {"wind": "mixed", "scatter": 0.013},
    "loop": {"wind": "mixed", "method": "loop", "speed_kmh": 70.0},
    "logged, mixed": {"wind": "mixed", "samples": True, "instrument": "logger"},
    "logged, two days": {
        "wind": "mixed",
        "days": 2,
        "order": "AABB",
        "samples": True,
        "instrument": "logger",
    },
}


#: Truth, effect, plain difference, interval's ends, verdict.
Result = tuple[float, float, float, float, float, str]


def one(job: tuple[str, int]) -> Result:
    """Truth, effect, naive effect, interval and verdict of one simulated study."""
    regime, seed = job
    fixed = dict(REGIMES[regime])
    kind = KINDS[seed % len(KINDS)]
    plan = {
        "kind": kind,
        "effect_percent": SIZES[kind],
        "order": ORDERS[(seed // len(KINDS)) % len(ORDERS)],
        "speed_kmh": (80.0, 90.0, 100.0, 110.0)[seed % 4],
        "step": (0.1, 0.5)[seed % 3 == 0],
    } | fixed
    made = simulate(10_000 + seed, DayPlan(**plan))
    c = analyse(made.study, made.traces).comparisons[0]
    truth = float(made.truth["effect_percent"])
    return truth, c.effect_percent, c.as_measured_percent, *c.interval_percent, c.verdict


def line(name: str, rows: list[Result]) -> str:
    """One row of the table."""
    truth, effect, naive, low, high = (np.array([r[i] for r in rows]) for i in range(5))
    scale = 1 + truth / 100  # errors relative to the size of the trial's consumption
    held = np.mean((low <= truth) & (truth <= high))
    rms, rms_naive = (np.sqrt(np.mean(((x - truth) / scale) ** 2)) for x in (effect, naive))
    half = np.median((high - low) / 2 / scale)
    said = np.mean([r[5] in {"uses more", "uses less"} for r in rows])
    return (
        f"| {name} | {len(rows)} | {held:.1%} | {rms:.2f} | {rms_naive:.2f} | {rms / rms_naive:.2f} | "
        f"{half / rms:.2f} | {said:.1%} |"
    )


def main() -> None:
    """Print the table: by regime, then over all regimes by kind of change and by order."""
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 300
    wanted = sys.argv[2:] or list(REGIMES)
    print(
        "| regime | n | coverage | RMS error, % | plain, % | ratio | hw/rms | said |\n|---|---|---|---|---|---|---|---|"
    )
    everything: list[tuple[int, bool, Result]] = []
    with ProcessPoolExecutor(os.cpu_count()) as pool:
        for regime in wanted:
            rows = list(pool.map(one, [(regime, i) for i in range(count)], chunksize=10))
            print(line(regime, rows), flush=True)
            everything += [(i, "order" not in REGIMES[regime], r) for i, r in enumerate(rows)]
    for i, kind in enumerate(KINDS):
        print(line(kind, [r for seed, _, r in everything if seed % len(KINDS) == i]))
    for i, order in enumerate(ORDERS):
        chosen = [r for seed, free, r in everything if free and (seed // len(KINDS)) % len(ORDERS) == i]
        if chosen:
            print(line(order, chosen))


if __name__ == "__main__":
    main()

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

ORDERS = ("ABBA", "ABAB", "AABB", "AB", "ABBAABBA")
KINDS = ("aero covers", "tyres", "payload", "cargo", "towing")
SIZES = {"aero covers": -4.0, "tyres": 3.0, "payload": 5.0, "cargo": 12.0, "towing": 60.0}
REGIMES: dict[str, dict[str, object]] = {
    "calm": {"wind": "calm"},
    "mixed": {"wind": "mixed"},
    "windy": {"wind": "windy"},
    "two days apart": {"wind": "mixed", "days": 2, "order": "AABB"},
    "weeks apart, colder": {"wind": "mixed", "days": 2, "day_gap": 21, "day_warmer_k": -8.0, "order": "AABB"},
    "null effect": {"wind": "mixed", "effect_percent": 0.0},
    "coarse display": {"wind": "mixed", "step": 0.5},
    "logged, mixed": {"wind": "mixed", "samples": True, "instrument": "logger"},
    "logged, two days": {
        "wind": "mixed",
        "days": 2,
        "order": "AABB",
        "samples": True,
        "instrument": "logger",
    },
}


def one(job: tuple[str, int]) -> tuple[float, float, float, float, float, str]:
    """Truth, effect, naive effect, interval and verdict of one simulated study."""
    regime, seed = job
    fixed = dict(REGIMES[regime])
    kind = KINDS[seed % len(KINDS)]
    plan = {
        "kind": kind,
        "effect_percent": SIZES[kind],
        "order": ORDERS[(seed // len(KINDS)) % len(ORDERS)],
        "speed_kmh": (80.0, 90.0, 100.0, 110.0)[seed % 4],
    } | fixed
    made = simulate(10_000 + seed, DayPlan(**plan))
    c = analyse(made.study, made.traces).comparisons[0]
    truth = float(made.truth["effect_percent"])
    return truth, c.effect_percent, c.as_measured_percent, *c.interval_percent, c.verdict


def main() -> None:
    """Print the table."""
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 300
    wanted = sys.argv[2:] or list(REGIMES)
    print(
        f"{'regime':22} {'n':>4} {'cover':>6} {'rms':>6} {'naive':>6} {'ratio':>6} {'hw/rms':>6} {'false':>6}"
    )
    with ProcessPoolExecutor(os.cpu_count()) as pool:
        for regime in wanted:
            rows = list(pool.map(one, [(regime, i) for i in range(count)], chunksize=10))
            truth, effect, naive, low, high = (np.array([r[i] for r in rows]) for i in range(5))
            scale = 1 + truth / 100  # errors relative to the size of the trial's consumption
            held = np.mean((low <= truth) & (truth <= high))
            rms, rms_naive = (np.sqrt(np.mean(((x - truth) / scale) ** 2)) for x in (effect, naive))
            half = np.median((high - low) / 2 / scale)
            said = np.mean([r[5] in {"uses more", "uses less"} for r in rows])
            print(
                f"{regime:22} {len(rows):4} {held:6.1%} {rms:6.2f} {rms_naive:6.2f} {rms / rms_naive:6.2f} "
                f"{half / rms:6.2f} {said:6.1%}",
                flush=True,
            )


if __name__ == "__main__":
    main()

"""Do the intervals of coasting runs hold the truth?

    .venv/bin/python benchmarks/coasting.py [sessions]

Prints one line a regime: how often the 95 % interval holds, bias, RMS error, median half-width, false verdicts of nulls.
"""

from __future__ import annotations

import os
import sys
from concurrent.futures import ProcessPoolExecutor

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

import numpy as np

from fairmargin.core.analysis import analyse
from fairmargin.simulation.coasting import CoastPlan, simulate_coasts
from fairmargin.simulation.vehicle import TrueEffect, true_van, van_as_known

NULL = TrueEffect()
REGIMES = {
    "two pairs each, covers": CoastPlan(),
    "one pair each, covers": CoastPlan(order="AB"),
    "four pairs each, covers": CoastPlan(order="ABBAABBA"),
    "four pairs each, nothing changed": CoastPlan(order="ABBAABBA", effect=NULL),
    "two pairs each, nothing changed": CoastPlan(effect=NULL),
    "two pairs each, tyres": CoastPlan(effect=TrueEffect(rolling=1.08), kind="tyres"),
    "wind of 3 m/s along, gusts": CoastPlan(effect=NULL, wind_m_s=3.0, gust_m_s=0.7),
    "steep": CoastPlan(effect=NULL, slope=0.006),
    "scatter of 2 %": CoastPlan(effect=NULL, scatter=0.02),
    "frost": CoastPlan(effect=NULL, temperature_c=-4.0),
    "from 70 km/h": CoastPlan(effect=NULL, from_kmh=72.0),
    "one way only": CoastPlan(effect=NULL, both_ways=False, order="ABBAABBA"),
}


def one(asked: tuple[int, CoastPlan]) -> tuple[float, float, float, float, bool, bool]:
    """Truth, estimate, interval, whether a side was said, and called fair."""
    seed, plan = asked
    rng = np.random.default_rng(seed)
    van = true_van(rng)
    made = simulate_coasts(seed, plan, van, van_as_known(van, rng))
    c = analyse(made.study, made.traces).comparisons[0]
    said = c.verdict in {"uses more", "uses less"}
    return float(made.truth["effect_percent"]), c.effect_percent, *c.interval_percent, said, c.standing.word == "fair"  # type: ignore[return-value,arg-type]


def main() -> None:
    """Print the table."""
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 60
    print("| regime | holds | bias | RMS | half-width | false | false and fair |\n|---|---|---|---|---|---|---|")
    with ProcessPoolExecutor(os.cpu_count()) as pool:
        for name, plan in REGIMES.items():
            rows = np.array(list(pool.map(one, [(s, plan) for s in range(count)], chunksize=4)))
            truth, found, low, high, said, fair = rows.T
            null = abs(truth).max() < 1e-9
            wrong = said * (truth == 0) if null else said * (np.sign(found) != np.sign(truth))
            print(
                f"| {name} | {np.mean((low <= truth) & (truth <= high)):.0%} | {np.mean(found - truth):+.2f} | "
                f"{np.sqrt(np.mean((found - truth) ** 2)):.2f} | {np.median(high - low) / 2:.2f} | {np.mean(wrong):.0%} | "
                f"{np.mean(wrong * fair):.0%} |",
                flush=True,
            )


if __name__ == "__main__":
    main()

"""Does the linearised posterior hold? Its effect and interval against sampling of the exact one, by regime.

    .venv/bin/python benchmarks/laplace.py [studies per regime] [samples] [regime ...]

Prints, at the scatter's mean size: what sampling moves the mean by over the half-width, and its width over the linearised
one; medians and worst. With s independent samples a mean is known to half-width/√s/2 and a width to some 10 % at s = 200.
"""

from __future__ import annotations

import os
import sys
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
sys.path.insert(0, str(Path(__file__).parent.parent))

import numpy as np
from regimes import REGIMES
from tests.sampled import compared


def one(job: tuple[str, int, int]) -> tuple[float, float, float]:
    """Shift, width and independent samples of one simulated study."""
    regime, seed, samples = job
    study, traces, _ = REGIMES[regime](seed)
    c = compared(study, traces, samples, seed)
    return c.shift, c.width, c.independent


def main() -> None:
    """Print the table."""
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 8
    samples = int(sys.argv[2]) if len(sys.argv) > 2 else 4000
    wanted = [
        n
        for n in REGIMES
        if not n.startswith("everyday") and (len(sys.argv) < 4 or any(n.startswith(a) for a in sys.argv[3:]))
    ]
    print("| regime | n | samples' worth | shift | worst | width | least | most |\n|---|---|---|---|---|---|---|---|")
    with ProcessPoolExecutor(os.cpu_count()) as pool:
        for regime in wanted:
            jobs = [(regime, i, samples) for i in range(count)]
            shift, width, worth = np.array(list(pool.map(one, jobs))).T
            worst = shift[np.argmax(np.abs(shift))]
            print(
                f"| {regime} | {count} | {np.median(worth):.0f} | {np.mean(shift):+.2f} | {worst:+.2f} | "
                f"{np.median(width):.2f} | {width.min():.2f} | {width.max():.2f} |",
                flush=True,
            )


if __name__ == "__main__":
    main()

"""Does the 95 % interval hold the truth? By regime, over simulated studies with known truth.

    .venv/bin/python benchmarks/coverage.py [studies per regime] [regime ...]

A regime is named whole or by its beginning. Prints a table: how often the interval holds, RMS error against the plain
(as measured) one, median half-width over RMS error, mean error, largest error, how often "more" or "less" was said, how
often "no difference that matters", how often the verdict was wrong, and wrong and called fair, and how many were refused.
"""

from __future__ import annotations

import os
import sys
from concurrent.futures import ProcessPoolExecutor

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

import numpy as np
from regimes import REGIMES

from fairmargin.core.analysis import analyse

#: Truth, effect, plain difference, interval's ends, verdict, method, how it stands, smallest effect; None where nothing was said.
Result = tuple[float, float, float, float, float, str, str, str, float]
LOGS_SHARE = 3  # logged regimes are slow: a third of the studies


def one(job: tuple[str, int]) -> Result | None:
    """Truth, effect, plain effect, interval, verdict and method of one simulated study."""
    regime, seed = job
    study, traces, truth = REGIMES[regime](seed)
    found = analyse(study, traces).comparisons
    if not found:
        return None
    c = found[0]
    return (
        truth, c.effect_percent, c.as_measured_percent, *c.interval_percent, c.verdict,
        c.method, c.standing.word, study.smallest_effect_percent,
    )  # fmt: skip


def is_wrong(r: Result) -> bool:
    """Whether a verdict is false: the wrong side, a difference where there is none, or none where it matters."""
    truth, said = r[0], r[5]
    return (
        (said == "uses more" and truth <= 0)
        or (said == "uses less" and truth >= 0)
        or (said == "no difference that matters" and abs(truth) > r[8])
    )


def line(name: str, every: list[Result | None]) -> str:
    """One row of the table."""
    rows = [r for r in every if r is not None]
    if not rows:
        return f"| {name} | 0 | nothing said |"
    truth, effect, naive, low, high = (np.array([r[i] for r in rows]) for i in range(5))
    scale = 1 + truth / 100  # errors relative to the size of the trial's consumption
    held = np.mean((low <= truth) & (truth <= high))
    error, plain = (effect - truth) / scale, (naive - truth) / scale
    rms, rms_plain = (float(np.sqrt(np.mean(x**2))) for x in (error, plain))
    half = float(np.median((high - low) / 2 / scale))
    said = np.mean([r[5] in {"uses more", "uses less"} for r in rows])
    none = np.mean([r[5] == "no difference that matters" for r in rows])
    wrong = [is_wrong(r) for r in rows]
    fair = [w and r[7] == "fair" for w, r in zip(wrong, rows, strict=True)]
    by_plain = np.mean([r[6] == "plain" for r in rows])
    return (
        f"| {name} | {len(rows)} | {held:.1%} | {rms:.2f} | {rms_plain:.2f} | {rms / rms_plain:.2f} | {half:.2f} | "
        f"{half / rms:.2f} | {error.mean():+.2f} | {np.abs(error).max():.1f} | {said:.0%} | {none:.0%} | "
        f"{np.mean(wrong):.0%} | {np.mean(fair):.0%} | "
        f"{by_plain:.0%} | {len(every) - len(rows)} |"
    )


def main() -> None:
    """Print the table."""
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 300
    wanted = [n for n in REGIMES if len(sys.argv) < 3 or any(n.startswith(a) for a in sys.argv[2:])]
    print(
        "| regime | n | holds | RMS, % | plain | ratio | half-width | hw/RMS | bias | worst | said | none | wrong | and fair | "
        "plain used | refused |\n|---|---|---|---|---|---|---|---|---|---|---|---|---|---|---|---|"
    )
    with ProcessPoolExecutor(os.cpu_count()) as pool:
        for regime in wanted:
            n = max(count // LOGS_SHARE, 20) if "logged" in regime else count
            rows = list(pool.map(one, [(regime, i) for i in range(n)], chunksize=5))
            print(line(regime, rows), flush=True)


if __name__ == "__main__":
    main()

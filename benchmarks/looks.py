"""What does looking on the way cost? Nulls looked at after each pair, and stopped when something is said.

    .venv/bin/python benchmarks/looks.py [studies]

Prints how often a difference is said at any look, where a number of pairs was sealed and where none was, and how many pairs an
effect of 5 % takes in both.
"""

from __future__ import annotations

import os
import sys
from concurrent.futures import ProcessPoolExecutor
from datetime import datetime

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

import numpy as np
from truths.field import FieldDay, field_day

from fairmargin.core.analysis import analyse
from fairmargin.core.study.registration import seal_of

ORDER = "ABBABAAB"
PAIRS = len(ORDER) // 2
SAID = {"uses more", "uses less"}


def stops(job: tuple[int, float, bool]) -> tuple[int, bool]:
    """After how many pairs one stops, and whether a difference was said then."""
    seed, effect, seals = job
    made = field_day(60_000 + seed, FieldDay(kind="aero covers", effect_percent=effect, order=ORDER))
    study = made.study
    if seals:
        study = study.with_(registration=seal_of(study, datetime(2026, 4, 11), PAIRS))
    for pairs in range(1, PAIRS + 1):
        found = analyse(study.with_legs(study.legs[: 4 * pairs])).comparisons[0]
        if found.verdict in SAID:
            return pairs, True
    return PAIRS, False


def main() -> None:
    """Print the table."""
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 200
    print("| effect | sealed | a difference is said | of them at the end | pairs driven |\n|---|---|---|---|---|")
    with ProcessPoolExecutor(os.cpu_count()) as pool:
        for effect in (0.0, -5.0):
            for seals in (False, True):
                rows = list(pool.map(stops, [(i, effect, seals) for i in range(count)], chunksize=5))
                said = np.array([s for _, s in rows])
                at_end = np.array([s and p == PAIRS for p, s in rows])
                pairs = np.mean([p for p, _ in rows])
                print(f"| {effect:g} % | {seals} | {said.mean():.1%} | {at_end.mean():.1%} | {pairs:.1f} |", flush=True)


if __name__ == "__main__":
    main()

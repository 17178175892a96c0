"""A million rows of a logger brought in: preview, the whole, its cuts; against `pandas.read_csv` of the same file.

Aims: preview under 0.3 s; the whole in at most 1.5 times pandas.
"""

from __future__ import annotations

import os
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

os.environ.setdefault("OPENBLAS_NUM_THREADS", "2")

import numpy as np
import pandas as pd

from fairmargin.core.study import new_study
from fairmargin.exchange.files.kinds import recognise
from fairmargin.exchange.logs.legs import piece_km, pieces_of, suggest, take
from fairmargin.exchange.logs.loggers import preview, read_log
from fairmargin.simulation.road import straight_road

ROWS = 1_000_000


def best(work: Callable[[], object], times: int = 5) -> float:
    """Shortest of several runs. [s]"""
    found = []
    for _ in range(times):
        start = time.perf_counter()
        work()
        found.append(time.perf_counter() - start)
    return min(found)


def main() -> int:
    """Print the figures."""
    rng = np.random.default_rng(1)
    points = straight_road(rng, 18_400.0).points
    at = np.array([p.distance_m for p in points])
    lat, lon = (np.array([getattr(p, k) for p in points], dtype=float) for k in ("latitude", "longitude"))
    # There and back all day at 25 m/s, 20 samples a second.
    place = np.abs((np.arange(ROWS) * 25.0 / 20.0) % (2 * at[-1]) - at[-1])
    table = pd.DataFrame(
        {
            "time_s": np.arange(ROWS) / 20.0,
            "speed_kmh": np.round(90 + rng.normal(0, 0.5, ROWS), 2),
            "power_kw": np.round(15 + rng.normal(0, 2, ROWS), 3),
            "latitude": np.round(np.interp(place, at, lat), 6),
            "longitude": np.round(np.interp(place, at, lon), 6),
        }
    )
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "day.csv"
        table.to_csv(path, index=False)
        print(f"{ROWS} rows, {path.stat().st_size / 1e6:.0f} MB")
        print(f"recognised in {1e3 * best(lambda: recognise(path)):.1f} ms")
        print(f"preview in {1e3 * best(lambda: preview(path)):.1f} ms (aim 300)")
        profile = preview(path).profile
        pairs = [  # in turn: the machine's moods hit both
            (best(lambda: read_log(path, profile), 1), best(lambda: pd.read_csv(path), 1)) for _ in range(9)
        ]
        ours, theirs = (min(p[i] for p in pairs) for i in range(2))
        print(f"the whole in {ours:.2f} s, pandas {theirs:.2f} s: {ours / theirs:.2f} times (aim 1.5)")
        log = read_log(path, profile)
    study = new_study(title="", kind="other", order="ABBA" * 4).with_(route=points)
    for how in ("gates", "stops"):
        start = time.perf_counter()
        pieces = pieces_of(study, log.trace, how)
        lengths = [piece_km(log.trace, p) for p in pieces]
        legs = suggest(study, (), None, pieces)
        take(study, log, pieces, legs)
        print(
            f"cut at {how}: {len(pieces)} pieces of {np.mean(lengths):.1f} km laid into legs in "
            f"{1e3 * (time.perf_counter() - start):.0f} ms"
        )
    return 0


if __name__ == "__main__":
    sys.exit(main())

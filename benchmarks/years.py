"""Years of tests of one simulated van: do joined effects hold the truth, are rankings true, does remembering narrow margins.

    .venv/bin/python benchmarks/years.py [logbooks] [studies-in-each] [--remember]

Prints one line a regime: how often single and joined 95 % intervals hold, pairs through the common baseline, logbooks with a
false ranking; with --remember, margins of studies that are judged alone, with the tester's own scatter, and with all that
earlier studies know.
"""

from __future__ import annotations

import sys
from concurrent.futures import ProcessPoolExecutor
from typing import Any, Final

import numpy as np
from truths.years import BASELINE, Years, simulate_years

from fairmargin.core.analysis import analyse
from fairmargin.core.inference.scatter import learned_scatter
from fairmargin.core.memory.findings import Finding, findings
from fairmargin.core.memory.network import joined
from fairmargin.core.memory.vehicle import taught, what_is_known

SEED: Final = 1000
REGIMES: Final[dict[str, dict[str, Any]]] = {
    "mixed wind": {},
    "covers 1.2 % apart": {"least_apart": 1.2},
    "effects differ 0.8 % from study to study": {"differs": 0.8},
    "windy, days a week apart": {"wind": "windy", "days": 2},
}


def one_logbook(asked: tuple[int, int, dict[str, Any]]) -> tuple[list[Finding], dict[str, float]]:
    """Findings of one logbook, and what is true of its covers."""
    seed, studies, regime = asked
    years = simulate_years(seed, studies, **regime)
    found: list[Finding] = []
    for i, s in enumerate(years.studies):
        found += findings(s.study, analyse(s.study, s.traces), i)
    return found, years.truth


def judge(name: str, logbooks: list[tuple[list[Finding], dict[str, float]]]) -> str:
    """One line of the table."""
    single, pooled, pairs, half, off, false, told = [], [], [], [], [], 0, []
    for found, truth in logbooks:
        for f in found:
            low, high = f.interval_percent
            single.append(low <= truth[f.trial] <= high)
        (joint,), _ = joined(found, found[0].vehicle)
        level = {**truth, BASELINE: 0.0}
        for cover in truth:
            effect, (low, high) = joint.between(BASELINE, cover)
            pooled.append(low <= truth[cover] <= high)
            half.append((high - low) / 2)
            off.append(effect - truth[cover])
        wrong = False
        for p in joint.pairs:
            true = 100 * ((1 + level[p.second] / 100) / (1 + level[p.first] / 100) - 1)
            pairs.append(p.interval_percent[0] <= true <= p.interval_percent[1])
            told.append(p.told_apart)
            wrong |= p.told_apart and (p.percent > 0) != (true > 0)
        false += wrong
    return (
        f"{name}: single {np.mean(single):.1%}, joined {np.mean(pooled):.1%} (half-width {np.mean(half):.2f} %, RMS {np.sqrt(np.mean(np.square(off))):.2f} %), "
        f"pairs {np.mean(pairs):.1%}, told apart {np.mean(told):.0%}, logbooks with a false ranking {false / len(logbooks):.1%}"
    )


def remembering(asked: tuple[int, int, dict[str, Any]]) -> list[list[tuple[float, float, float]]]:
    """Of each study after the first: error and ends of its interval, judged alone, with the own scatter, with all that is known."""
    seed, studies, regime = asked
    years: Years = simulate_years(seed, studies, **regime)
    known, evidence, out = [], [], []
    for i, s in enumerate(years.studies):
        truth = float(s.truth["effect_percent"])  # type: ignore[arg-type]
        plain = analyse(s.study, s.traces)
        if i:
            scatter = learned_scatter(evidence)
            before = what_is_known(known, s.study.vehicle).remembered(s.study.route_name)
            views = (
                plain,
                analyse(s.study, s.traces, scatter=scatter),
                analyse(s.study.with_(remembered=before), s.traces, scatter=scatter),
            )
            out.append(
                [
                    (c.effect_percent - truth, c.interval_percent[0] - truth, c.interval_percent[1] - truth)
                    for c in (v.comparisons[0] for v in views)
                ]
            )
        known += taught(s.study, plain, i)
        evidence.append(list(plain.scatter_evidence))
    return out


def main() -> None:
    """Print the tables."""
    numbers = [int(a) for a in sys.argv[1:] if a.isdigit()]
    count = numbers[0] if numbers else 60
    studies = numbers[1] if len(numbers) > 1 else 8
    with ProcessPoolExecutor(2) as pool:
        for name, regime in REGIMES.items():
            asked = [(SEED + i, studies, regime) for i in range(count)]
            if "--remember" not in sys.argv:
                print(judge(name, list(pool.map(one_logbook, asked, chunksize=2))), flush=True)
                continue
            table = np.array(list(pool.map(remembering, asked, chunksize=2)))
            late = table[:, table.shape[1] // 2 :]
            for k, words in enumerate(("alone", "own scatter", "all that is known")):
                error, low, high = (late[:, :, k, j] for j in range(3))
                print(
                    f"{name}, {words}: holds {np.mean((low <= 0) & (high >= 0)):.1%}, half-width {np.mean(high - low) / 2:.2f} %, "
                    f"RMS {np.sqrt(np.mean(error**2)):.2f} %",
                    flush=True,
                )


if __name__ == "__main__":
    main()

"""Does the page add up? Studies of every regime, their sums and words read as a tester with a pencil reads them.

    .venv/bin/python benchmarks/pencil.py [seeds of each regime]

Prints how many comparisons were read and how many break each rule: the steps and as read are the effect, exactly and as shown;
the sum written out comes out; the ratio of the sides' sums is the figure as read; the effect lies among its directions; it lies
among its corrected pairs, or the model is not used; the sentence and the object for machines have the same figure.
"""

from __future__ import annotations

import os
import re
import sys
from collections import Counter
from concurrent.futures import ProcessPoolExecutor

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

from regimes import REGIMES

from fairmargin.core.analysis import analyse
from fairmargin.core.result.as_json import as_json
from fairmargin.core.result.comparison import outside_its_pairs
from fairmargin.core.units import UNIT_CHOICES
from fairmargin.core.words import signed
from fairmargin.exchange.words.results import may_say
from fairmargin.exchange.words.steps import shown_steps, sum_lines, sum_of_steps


def number(text: str) -> float:
    """A figure as it is printed."""
    return float(text.replace("\u2212", "-").replace(" ", ""))


def one(job: tuple[str, int]) -> list[str]:
    """Rules that one study's comparisons break; "read" for each that was looked at."""
    regime, seed = job
    study, traces, _ = REGIMES[regime](seed)
    found = analyse(study, traces)
    out = []
    for c, written in zip(found.comparisons, as_json(found)["comparisons"], strict=True):
        out.append("read")
        if abs(c.as_measured_percent + sum(s.percent for s in c.steps) - c.effect_percent) > 1e-6:
            out.append("steps do not add up")
        shown = round(c.as_measured_percent, 1) + sum(s.percent for s in shown_steps(c))
        if abs(shown - number(f"{c.effect_percent:.1f}")) > 1e-6:
            out.append("steps as shown do not add up")
        left, right = sum_of_steps(c).removesuffix(" %").split(" = ")
        if abs(sum(number(x) for x in re.findall(r"[+\u2212]? ?[\d.]+", left)) - number(right)) > 1e-6:
            out.append("the sum written out does not come out")
        for choice in ("metric-wh", "us"):
            lines = sum_lines(c, ("A", "B"), UNIT_CHOICES[choice])
            if lines and number(lines[-1].split(" = ")[1].removesuffix(" %")) != number(signed(c.as_measured_percent)):
                out.append("the ratio of the sums is not the figure as read")
        ways = [d.effect_percent for d in c.directions]
        if len(ways) == 2 and not min(ways) - 1e-6 <= c.effect_percent <= max(ways) + 1e-6:
            out.append("outside of its directions")
        if c.method == "model" and outside_its_pairs(c):
            out.append("outside of its pairs")
        if c.verdict in {"uses more", "uses less"}:
            size = re.search(r"used ([\d.]+) %", may_say(study, c, UNIT_CHOICES["metric"]))
            if size is None or number(size[1]) != number(f"{abs(written['effect_percent']):.1f}"):
                out.append("sentence and object differ")
    return out


def main() -> None:
    """Print the count."""
    seeds = int(sys.argv[1]) if len(sys.argv) > 1 else 6
    jobs = [(name, seed) for name in REGIMES for seed in range(seeds)]
    with ProcessPoolExecutor(os.cpu_count()) as pool:
        told = Counter(x for found in pool.map(one, jobs, chunksize=8) for x in found)
    print(f"{len(jobs)} studies, {told.pop('read', 0)} comparisons; broken: {dict(told) or 'nothing'}")


if __name__ == "__main__":
    main()

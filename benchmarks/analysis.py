"""How fast is the analysis? Alone, against a plain least-squares solver, on as many samples as a package may have, on a hundred packages.

    .venv/bin/python benchmarks/analysis.py

Aims: 16 legs of 25 km with 50 m stretches in about 40 ms and at least 8 times faster than
``scipy.optimize.least_squares`` with finite differences on the same model; 630 000 samples read and analysed
in at most 1.5 times what ``pandas.read_csv`` takes for the files; a hundred packages in at most a hundred
times one.
"""

from __future__ import annotations

import contextlib
import io
import os
import statistics
import sys
import tempfile
import time
from collections.abc import Callable
from datetime import timedelta
from functools import partial
from pathlib import Path

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

import numpy as np
import pandas as pd
import typer
from scipy.optimize import least_squares

from fairmargin import cli
from fairmargin.core.analysis import analyse
from fairmargin.core.evidence.conditions import leg_conditions
from fairmargin.core.evidence.logs import gate_logs
from fairmargin.core.evidence.readings import observations
from fairmargin.core.inference.fit import fit_study
from fairmargin.core.inference.options import FitOptions
from fairmargin.core.inference.problem import prepare
from fairmargin.core.planning import compare_designs
from fairmargin.core.study import Study
from fairmargin.exchange.packages.reading import read_package
from fairmargin.exchange.packages.writing import write_package
from fairmargin.simulation import DayPlan, simulate, straight_road


def median_s(what: Callable[[], object], times: int = 9) -> float:
    """Median time of a call, after one to warm up. [s]"""
    what()
    taken = []
    for _ in range(times):
        begin = time.perf_counter()
        what()
        taken.append(time.perf_counter() - begin)
    return statistics.median(taken)


def sixteen_legs() -> None:
    """16 legs there and back over 25 km, against the plain solver."""
    road = straight_road(np.random.default_rng(5), 25_000.0)
    study = simulate(5, DayPlan(order="ABBAABBA"), road).study
    conditions = leg_conditions(study, {})
    found = observations(study, {})
    logs = gate_logs(study, study.legs, {}, {})
    own = [conditions[o.legs[0]] for o in found]
    ours = median_s(lambda: fit_study(study, own, found, logs, FitOptions()))
    whole = median_s(lambda: analyse(study))
    print(
        f"{len(study.legs)} legs of 25 km: analysis {1000 * whole:.0f} ms, {whole / ours:.1f} times a bare fit (goal: 2)"
    )
    problem = prepare(study, own, found, logs, FitOptions())
    sd = np.sqrt(problem.prior_var)
    noise = np.sqrt(problem.rows.reading_var + problem.owns @ problem.scatter_var)

    def residuals(theta: np.ndarray) -> np.ndarray:
        """Readings over the model, and unknowns over their priors, in standard deviations."""
        off = (problem.rows.measured - problem.linearise(theta).predicted) / noise
        return np.concatenate([off, (theta - problem.prior_mean) / sd])

    plain = median_s(lambda: least_squares(residuals, problem.prior_mean, x_scale=sd), 3)
    solved = least_squares(residuals, problem.prior_mean, x_scale=sd)
    print(
        f"  one fit with its margins {1000 * ours:.1f} ms; least_squares with finite differences on the same "
        f"{len(problem.prior_mean)} unknowns, no margins, {1000 * plain:.0f} ms ({solved.nfev} iterations): "
        f"{plain / ours:.0f} times"
    )


def season(days: int) -> Study:
    """Simulated days of 16 legs on one road in one study, every tenth leg held up."""
    road = straight_road(np.random.default_rng(5), 25_000.0)
    first = simulate(5, DayPlan(order="ABBAABBA"), road).study
    legs = []
    for day in range(days):
        for leg in simulate(100 + day, DayPlan(order="ABBAABBA"), road).study.legs:
            slower = 1.1 if len(legs) % 10 == 0 else 1.0
            legs.append(
                leg.with_(
                    leg=f"D{day:02d}{leg.leg}",
                    run=f"D{day:02d}{leg.run}",
                    started_at=leg.started_at and leg.started_at + timedelta(days=day),
                    duration_s=slower * (leg.duration_s or 0.0),
                )
            )
    return first.with_(legs=tuple(legs), events=(), readings=(), outings=(), registration=None)


def many_legs() -> None:
    """How the time grows with the legs of a study."""
    took = []
    for days in (3, 6, 12):
        study = season(days)
        took.append((len(study.legs), median_s(partial(analyse, study), 3)))
    print("analysis of " + ", ".join(f"{n} legs {s:.2f} s" for n, s in took))


def many_samples(folder: Path) -> None:
    """As many samples as a package may have, in 16 logged legs, against reading the same files with pandas alone."""
    made = simulate(3, DayPlan(order="ABBAABBA", samples=True, instrument="logger", sample_rate_hz=55.0))
    write_package(folder / "logged", made.study, made.traces)
    files = sorted((folder / "logged" / "samples").glob("*.csv"))
    count = sum(len(t.time_s) for t in made.traces.values())

    def whole() -> object:
        package = read_package(folder / "logged")
        return analyse(package.study, package.traces)

    alone = median_s(lambda: [pd.read_csv(f) for f in files], 5)
    both = median_s(whole, 5)
    print(
        f"{count} samples: pandas alone {alone:.2f} s, read and analysed {both:.2f} s: {both / alone:.2f} times (goal: 1.15)"
    )


def hundred_packages(folder: Path) -> None:
    """``fairmargin analyse`` of a hundred packages in one call."""
    paths = []
    for seed in range(100):
        paths.append(folder / f"p{seed:03d}")
        write_package(paths[-1], simulate(seed, DayPlan()).study)

    def call(chosen: list[Path]) -> float:
        begin = time.perf_counter()
        with contextlib.redirect_stdout(io.StringIO()), contextlib.suppress(SystemExit, typer.Exit):
            cli.app(["analyse", "--json", *map(str, chosen)], standalone_mode=False)
        return time.perf_counter() - begin

    call(paths[:1])
    one = statistics.median(call([p]) for p in paths[:9])
    every, cores = call(paths), len(os.sched_getaffinity(0))
    print(
        f"100 packages {every:.2f} s, one {1000 * one:.0f} ms: {every / one:.0f} times (goal: {100 / cores:.0f}, {cores} cores)"
    )


def designs() -> None:
    """Five orders of runs, 200 simulated days each (the aim: under 10 s)."""
    study = simulate(5, DayPlan()).study
    begin = time.perf_counter()
    made = list(compare_designs(study, runs=8))
    print(f"{len(made)} designs of 200 simulated days: {time.perf_counter() - begin:.1f} s")


def main() -> None:
    """Print one line a benchmark."""
    sixteen_legs()
    many_legs()
    designs()
    with tempfile.TemporaryDirectory() as name:
        many_samples(Path(name))
        hundred_packages(Path(name))
    sys.stdout.flush()


if __name__ == "__main__":
    main()

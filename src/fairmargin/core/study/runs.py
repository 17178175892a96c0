"""Runs laid out, and one more of them."""

from __future__ import annotations

from fairmargin.core.study.leg import Leg
from fairmargin.core.study.values import Study


def with_run(study: Study, configuration: str) -> Study:
    """Return the study with one more planned run of a configuration."""
    runs = study.runs()
    ways: tuple[str, ...] = {"out-and-back": ("out", "back"), "one-way": ("out",)}.get(
        study.method, ("loop",)
    )
    names = {leg.leg for leg in study.legs}
    labels = {run for run, _ in runs}
    run = next(f"R{i}" for i in range(len(runs) + 1, len(runs) + 500) if f"R{i}" not in labels)
    fresh = (f"L{i:02d}" for i in range(1, 100000) if f"L{i:02d}" not in names)
    block = runs[-1][1][0].block if runs else "1"
    in_block = sum(legs[0].block == block for _, legs in runs)
    if block.isdigit() and in_block >= 4:
        block = str(int(block) + 1)
    legs = [
        Leg(leg=next(fresh), run=run, block=block, configuration=configuration, direction=way) for way in ways
    ]
    return study.with_legs((*study.legs, *legs))

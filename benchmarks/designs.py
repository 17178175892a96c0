"""Planned margins against days driven as they were planned, shape by shape: how far the plan is off."""

from __future__ import annotations

import argparse
from dataclasses import replace

import numpy as np
from benchmarks.planned_days import PlannedShape, driven, laid

from fairmargin.core.analysis import analyse
from fairmargin.core.planning import compare_designs, patterns_of

#: Repeats of 20 to 50 km differ by 1 to 2 % (common practice); the days below are driven steadily but where they say so.
LAPS = PlannedShape(aim="laps", method="laps", order="ABABAB", length_km=6.0, speed_kmh=45.0, town=True)
SHAPES = {
    "there and back, one change": PlannedShape(),
    "there and back, AABB": PlannedShape(order="AABB"),
    "loops": PlannedShape(method="loop", order="ABBA"),
    "one way": PlannedShape(method="one-way", order="ABBA"),
    # Between lights drives scatter by a quarter more (common practice).
    "laps": replace(LAPS, scatter=1.25 * 0.013),
    "laps, steadier": replace(LAPS, scatter=1.25 * 0.010),
    "laps, rougher": replace(LAPS, scatter=1.25 * 0.016),
    "three covers": PlannedShape(order="ABCCBA", sizes=(-0.05, -0.08)),
    "five covers": PlannedShape(order="ABCDEEDCBA", sizes=(-0.02, -0.05, -0.08, -0.11)),
    "two speeds": PlannedShape(aim="speed", speeds_kmh=(70.0, 110.0)),
    "a change at two speeds": PlannedShape(at_kmh=(70.0, 100.0)),
    "two sectors": PlannedShape(sectors=("lanes", "trunk")),
    "three sectors": PlannedShape(sectors=("lanes", "ridge", "trunk"), length_km=30.0),
    "side by side, swapped": PlannedShape(aim="side", method="side-by-side", order="AABB"),
    "two vehicles in turn": PlannedShape(aim="vehicles", order="ABBA"),
    "calm": PlannedShape(wind="calm"),
    "windy": PlannedShape(wind="windy"),
}


def compared(shape: PlannedShape, days: int) -> tuple[float, float]:
    """Median half-width of the days as driven, and as planned for the same vehicles and roads. [per cent]"""
    found, planned = [], []
    for seed in range(days):
        study, _, _ = laid(seed, shape)
        names = patterns_of(study)
        sides = len(study.lettered)
        pattern = next(
            p
            for p in names
            if p == shape.order or (sides > 2 and p == "mirrored") or (shape.order == "ABABAB" and p == "ABAB")
        )
        (design,) = compare_designs(study, runs=len(shape.order), patterns=[pattern], days=25, seed=seed)
        planned.append(design.half_width_percent)
        widths = [c.half_width_percent for c in analyse(driven(seed, shape)).comparisons]
        found.append(max(widths))
    return float(np.median(found)), float(np.median(planned))


def main() -> None:
    """Print every shape's two margins, and how far apart they are."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--days", type=int, default=40)
    parser.add_argument("--only", default="")
    chosen = parser.parse_args()
    for name, shape in SHAPES.items():
        if chosen.only in name:
            as_driven, as_planned = compared(shape, chosen.days)
            print(
                f"{name:28s} driven ±{as_driven:5.2f} %   planned ±{as_planned:5.2f} %   {as_planned / as_driven - 1:+.0%}"
            )


if __name__ == "__main__":
    main()

"""Traces of 16 legs with 36 000 samples each: frames a second while panning and zooming, and memory.

QT_QPA_PLATFORM=offscreen .venv/bin/python benchmarks/traces.py
"""

from __future__ import annotations

import os
import resource
import time

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from fairmargin.core.units import UNIT_CHOICES
from fairmargin.desktop.application import make_application
from fairmargin.desktop.theme import theme
from fairmargin.desktop.widgets.traces import TracesPlot
from fairmargin.simulation import DayPlan, simulate


def main() -> None:
    """Print frames a second (the aim: 30) and the largest memory (the aim: under 600 MB)."""
    application = make_application([])
    theme.choose("light")
    made = simulate(11, DayPlan(order="ABBAABBA", samples=True, instrument="logger", sample_rate_hz=50.0))
    count = sum(len(t.time_s) for t in made.traces.values())
    plot = TracesPlot()
    plot.resize(900, 320)
    plot.show()
    begin = time.perf_counter()
    plot.show_traces(made.study, made.traces, "along:power", UNIT_CHOICES["metric"])
    application.processEvents()
    first = time.perf_counter() - begin
    frames, begin = 0, time.perf_counter()
    while time.perf_counter() - begin < 4.0:
        low = 2.0 + 0.05 * (frames % 60)
        plot.plotItem.vb.setXRange(low, low + 4.0 + 0.1 * (frames % 20), padding=0)
        application.processEvents()
        plot.grab()
        frames += 1
    memory = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    print(f"{count} samples in 16 legs: first drawn in {first:.2f} s, {frames / 4:.0f} frames/s, {memory:.0f} MB")


if __name__ == "__main__":
    main()
    os._exit(0)  # the plot's own tear-down is not what is measured

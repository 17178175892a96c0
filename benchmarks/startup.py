"""Start to usable window, against an empty PySide6 + pyqtgraph window, each in a fresh process, side by side.

    .venv/bin/python benchmarks/startup.py [rounds]

The goal: at most 1.5 times the empty window.
"""

from __future__ import annotations

import os
import statistics
import subprocess
import sys
import tempfile

EMPTY = """
import time; t = time.perf_counter()
import pyqtgraph
from PySide6.QtWidgets import QApplication, QMainWindow
a = QApplication([]); w = QMainWindow(); w.setCentralWidget(pyqtgraph.PlotWidget()); w.show(); a.processEvents()
print(time.perf_counter() - t)
"""
OURS = """
import sys, time; t = time.perf_counter()
from fairmargin.desktop.system.memory import hold_off
hold_off()
from fairmargin.desktop.application import make_application, open_first, settings
from fairmargin.desktop.state.session import Session
from fairmargin.desktop.theme import theme
from fairmargin.desktop.window import MainWindow
a = make_application([]); theme.choose("light")
w = MainWindow(Session(settings())); w.show(); a.processEvents()
open_first(w, None, demo=True); a.processEvents()
assert w.home.list.entries
print(time.perf_counter() - t)
"""


def once(script: str, home: str) -> float:
    """Run one start and return its seconds."""
    environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen", "XDG_DATA_HOME": home, "XDG_CONFIG_HOME": home}
    out = subprocess.run([sys.executable, "-c", script], env=environment, capture_output=True, text=True, check=True)
    return float(out.stdout.split()[-1])


def main() -> None:
    """Print medians."""
    rounds = int(sys.argv[1]) if len(sys.argv) > 1 else 7
    with tempfile.TemporaryDirectory() as home:
        first = once(OURS, home)  # makes the demo logbook
        empty, ours = [], []
        for _ in range(rounds):
            empty.append(once(EMPTY, home))
            ours.append(once(OURS, home))
    a, b = statistics.median(empty), statistics.median(ours)
    print(f"empty window {a:.2f} s, Fair Margin on the demo logbook {b:.2f} s: {b / a:.2f} times (goal: 1.5)")
    print(f"first start of the demo: {first:.2f} s (goal: 2.5)")


if __name__ == "__main__":
    main()

"""An edit on a 16-leg study: analyse, save, redraw. The aim: 100 ms.

QT_QPA_PLATFORM=offscreen .venv/bin/python benchmarks/edit.py
"""

from __future__ import annotations

import os
import statistics
import tempfile
import time
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PySide6.QtCore import QSettings

from fairmargin.core.analysis import analyse
from fairmargin.demo.studies import demo_studies
from fairmargin.desktop.application import make_application
from fairmargin.desktop.state.session import Session
from fairmargin.desktop.theme import theme
from fairmargin.desktop.window import MainWindow


def main() -> None:
    """Print medians per stage."""
    study = demo_studies()[0].study
    analyse(study)
    times = []
    for _ in range(20):
        t = time.perf_counter()
        analyse(study)
        times.append(time.perf_counter() - t)
    print(f"analysis alone, {len(study.legs)} legs: {1000 * statistics.median(times):.0f} ms")
    with tempfile.TemporaryDirectory() as folder:
        application = make_application([])
        theme.choose("light")
        session = Session(QSettings(str(Path(folder) / "s.ini"), QSettings.Format.IniFormat))
        window = MainWindow(session)
        window.resize(1280, 800)
        window.show()
        session.open_logbook(Path(folder) / "b.fairmargin")
        session.add_study(study)
        for stage in ("drive", "correct", "verdict"):
            window.go_to(stage)
            application.processEvents()
            times = []
            for i in range(15):
                after = session.study.with_leg("L01", average_shown=15.9 + 0.1 * (i % 2))
                t = time.perf_counter()
                session.edit(after, "reading")
                application.processEvents()
                times.append(time.perf_counter() - t)
            print(f"edit seen in {stage}: {1000 * statistics.median(times):.0f} ms (goal: 100)")
        window.close()


if __name__ == "__main__":
    main()

"""Stalls of the window: a heartbeat in the event loop while a scripted session works with it, as a histogram.

Run: ``python benchmarks/heartbeat.py``. A beat is asked for every 5 ms; what passes between two beats is how long the
window could not have answered. The script opens a logbook of 1 000 studies, walks the stages, edits, changes the colours,
brings in a package, saves 16 logged legs, writes both reports, and walks a study of 400 legs.
"""

from __future__ import annotations

import json
import os
import resource
import sys
import tempfile
import time
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
sys.path.insert(0, str(Path(__file__).parent.parent))

import numpy as np
from PySide6.QtCore import QSettings, QTimer
from PySide6.QtWidgets import QApplication

from fairmargin.core.study import Trace
from fairmargin.desktop.application import FIRST_WANTED, SETTLED_MS, make_application
from fairmargin.desktop.state.background import warm_up
from fairmargin.desktop.state.session import Session
from fairmargin.desktop.system.memory import settle
from fairmargin.desktop.theme import theme
from fairmargin.desktop.window import MainWindow
from fairmargin.exchange.packages.writing import write_package
from fairmargin.logbook import Logbook

EDGES_MS = (20, 50, 100, 200, 400, 1000)
STAGES = ("question", "plan", "drive", "examine", "correct", "verdict", "use")


def logs(study, samples: int) -> dict[str, Trace]:
    t = np.arange(float(samples)) * 0.1
    noise = np.random.default_rng(1)
    return {
        leg.leg: Trace(time_s=t, speed_kmh=80 + noise.normal(size=samples), power_kw=12 + noise.normal(size=samples))
        for leg in study.legs
    }


def main() -> None:
    from tests.conftest import driven_study

    folder = Path(tempfile.mkdtemp())
    study = driven_study("ABBA")
    summary = json.dumps({"words": "uses more", "effect": 1.0, "low": 0.0, "high": 2.0, "legs": 8})
    with Logbook.open(folder / "book.fairmargin") as book:
        for i in range(1000):
            book.add(study.with_(title=f"Study {i}"), None, summary)
        long = book.add(driven_study("ABBA" * 50, title="Long"))
        logged = book.add(driven_study("ABBAABBA", title="Logged"))
    write_package(folder / "p.zip", driven_study("ABBA", title="Package"), logs(study, 6000))

    application = make_application(["fairmargin"])
    theme.choose("light")
    begin = time.perf_counter()
    session = Session(QSettings(str(folder / "s.ini"), QSettings.Format.IniFormat))
    window = MainWindow(session)
    window.resize(1280, 800)
    window.show()

    beats: list[tuple[float, str]] = []
    now = {"doing": "start", "last": time.perf_counter()}
    timer = QTimer()
    timer.setInterval(5)

    def beat() -> None:
        at = time.perf_counter()
        beats.append((1000 * (at - now["last"]), now["doing"]))
        now["last"] = at

    timer.timeout.connect(beat)
    timer.start()

    def rest(ms: float = 250) -> None:
        until = time.perf_counter() + ms / 1000
        while time.perf_counter() < until:
            application.processEvents()
            time.sleep(0.001)

    def do(words: str, work) -> None:
        now["doing"] = words
        work()
        rest()

    QTimer.singleShot(100, lambda: warm_up(FIRST_WANTED))  # as the application does
    QTimer.singleShot(SETTLED_MS, settle)
    do("open 1 000 studies", lambda: session.open_logbook(folder / "book.fairmargin"))
    usable = time.perf_counter() - begin
    rest(4000)  # what the first study needs is loaded meanwhile
    do("open a study", lambda: window.show_study(1))
    for again in ("first", "again"):
        for stage in STAGES:
            do(f"{stage} ({again})", lambda s=stage: window.go_to(s))
    now["doing"] = "home again"
    back = time.perf_counter()
    window.go_home()
    QApplication.processEvents()
    home = time.perf_counter() - back
    rest()
    window.go_to("drive")
    for i in range(5):
        do("edit", lambda n=i: session.edit(session.study.with_leg("L01", note=f"{n}"), "note"))
    do("colours", window.cycle_theme)
    do("colours", window.cycle_theme)
    do("report, HTML", lambda: window.packages.report_to(folder / "r.html"))
    do("report, PDF", lambda: window.packages.report_to(folder / "r.pdf"))
    do("package in", lambda: window.packages.import_from(folder / "p.zip"))
    do("open logged", lambda: window.show_study(logged))
    do("save 16 logged legs", lambda: session.edit(session.study.with_(notes="x"), "logs", logs(session.study, 36_000)))
    rest(3000)
    do("open 400 legs", lambda: window.show_study(long))
    rest(4000)
    now["doing"] = "drive of 400 legs"
    back = time.perf_counter()
    window.go_to("drive")
    QApplication.processEvents()
    drive = time.perf_counter() - back
    rest(1000)
    times = []
    for i in range(3):
        back = time.perf_counter()
        do("edit of 400 legs", lambda n=i: session.edit(session.study.with_leg("L06", note=f"{n}"), "note"))
        times.append(time.perf_counter() - back - 0.25)
        rest(3000)

    gaps = np.array([g for g, _ in beats])
    print(f"usable with 1 000 studies after {usable:.2f} s, home again in {1000 * home:.0f} ms, drive of 400 legs in {1000 * drive:.0f} ms, "
          f"an edit there {1000 * min(times):.0f} to {1000 * max(times):.0f} ms, {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024:.0f} MB")  # fmt: skip
    low = 0
    for edge in (*EDGES_MS, None):
        inside = (gaps >= low) & (gaps < edge) if edge else gaps >= low
        print(f"  {low:5d} to {edge or 'more':>5} ms: {int(inside.sum()):6d}")
        low = edge or low
    print("longest by what was done:")
    worst: dict[str, float] = {}
    for gap, doing in beats:
        worst[doing] = max(worst.get(doing, 0.0), gap)
    for doing, gap in sorted(worst.items(), key=lambda x: -x[1])[:14]:
        print(f"  {gap:6.0f} ms  {doing}")
    timer.stop()
    window.close()


if __name__ == "__main__":
    main()

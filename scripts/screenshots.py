"""Take one picture of each main view on the demo data.

scripts/screenshots.py FOLDER [--size 1280x800] [--dark] [--only NAME]
"""

import argparse
import os
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
_home = tempfile.mkdtemp()
os.environ["XDG_CONFIG_HOME"] = os.environ["XDG_DATA_HOME"] = _home

from PySide6.QtCore import QSettings, QThreadPool  # noqa: E402
from PySide6.QtTest import QTest  # noqa: E402
from PySide6.QtWidgets import QApplication  # noqa: E402

from fairmargin.demo import make_demo_logbook  # noqa: E402
from fairmargin.desktop.application import make_application  # noqa: E402
from fairmargin.desktop.state.session import Session  # noqa: E402
from fairmargin.desktop.theme import theme  # noqa: E402
from fairmargin.desktop.widgets.stage_rail import STAGES  # noqa: E402
from fairmargin.desktop.window import MainWindow  # noqa: E402


def take_road(window: MainWindow, take: Callable[[str], None], home: Path, folder: Path) -> None:
    """Rehearse one leg of the ladder rack, and bring its log in as a logger's file."""
    from fairmargin.desktop.bringing.log import LogDialog

    ladder = next(s for s in window.session.logbook.studies() if "Ladder" in s.title)
    window.show_study(ladder.id)
    window.drive_now()
    controller = window.drive.controller

    def until(done: Callable[[], bool], seconds: float = 60.0) -> None:
        end = time.monotonic() + seconds
        while not done() and time.monotonic() < end:
            QApplication.processEvents()
            time.sleep(0.01)  # lets the instruments' threads breathe, as the application's own loop does

    controller.start_rehearsal(4, 60.0)
    until(lambda: len(controller.feeds) == 3 and all(f.state == "live" for f in controller.feeds.values()))
    controller.begin(controller.next_leg().leg)
    until(lambda: (controller.to_gate_km() or 9.0) < 0.05)
    controller.reset()
    until(lambda: controller.drive.reset_state != "unknown")
    if controller.drive.reset_state == "failed":
        controller.reset()
        until(lambda: controller.drive.reset_state == "took")
    until(lambda: controller.to_gate_km() < 9.0)
    controller.mark("slow-traffic")
    take("road")
    until(lambda: controller.to_gate_km() < 7.0)
    controller.mark("slow-traffic")
    until(lambda: controller.to_gate_km() <= 0.0)
    name = controller.drive.leg
    controller.read_off()
    take("road-readings")
    controller.finish()
    controller.stop_rehearsal()
    trace = window.session.traces[name]
    rows = ["Time [s];Speed [km/h];Power [W];Lat;Lon;Fan"]
    for lap in range(3):
        for i in range(len(trace.time_s)):
            cells = (trace.time_s[i] + 900.0 * lap, trace.speed_kmh[i], 1000.0 * trace.power_kw[i], trace.latitude[i], trace.longitude[i])  # fmt: skip
            rows.append(";".join(f"{v:.6g}" for v in cells).replace(".", ",") + ";on")
        rows += [f"{trace.time_s[-1] + 900.0 * lap + s};0;300;;;on".replace(".", ",") for s in (1, 100, 200)]
    path = home / "logger.csv"
    path.write_text("\n".join(rows))
    dialog = LogDialog(window.session, path, "log", window)
    dialog.show()
    dialog.read_whole()
    until(lambda: dialog.log is not None)
    QTest.qWait(100)
    dialog.grab().save(str(folder / "bring-in.png"))
    dialog.close()


def take_jobs(window: MainWindow, take: Callable[[str], None], folder: Path) -> None:
    """Jobs of docs/jobs.md, from an empty logbook of the demo's invented people."""
    from fairmargin.core.planning.load import read_item
    from fairmargin.core.study import Change, Configuration, Study, Vehicle
    from fairmargin.core.study.plan import LimitSource, Load, Plan
    from fairmargin.desktop.dialogs.new_study import NewStudyDialog

    van = Vehicle(name="Orrin 1", vehicle_class="van", mass_kg=1710, usable_capacity_kwh=52)

    dialog = NewStudyDialog(window.session.units, [van], (), window)
    dialog.title.setText("Wheel discs, Dyke Road")
    dialog.kind.setCurrentText("aero covers")
    dialog.baseline.setText("Discs off")
    dialog.trial.setText("Discs on")
    dialog.order.setCurrentIndex(dialog.order.findData("AB"))
    dialog.show()
    QTest.qWait(50)
    dialog.grab().save(str(folder / "job-new.png"))
    dialog.close()

    off, on = (Configuration(id="A", name="As it is", baseline=True), Configuration(id="B", name="Bread trailer"))
    items = [
        read_item(*x, "aboard") for x in (("two people", "158 kg"), ("tank", "52 kg"), ("water", "480 L at 18 \u00b0C"))
    ]
    load = Load(items=tuple(items), payload_limit=(LimitSource(mass_kg=735, source="plate"),), aboard_scale_kg=760)
    window.session.add_study(
        Study(
            title="480 litres aboard",
            change=Change(kind="payload", mechanism="mass"),
            vehicle=van,
            configurations=(off, on),
            plan=Plan(load=load),
        )
    )
    window.go_to("plan")
    window.stage("plan").show_page("load")
    take("job-load")


def main() -> int:
    """Write the pictures."""
    parser = argparse.ArgumentParser()
    parser.add_argument("folder", type=Path)
    parser.add_argument("--size", default="1280x800")
    parser.add_argument("--dark", action="store_true")
    parser.add_argument("--study", type=int, default=0)
    parser.add_argument("--only", nargs="*")
    arguments = parser.parse_args()
    arguments.folder.mkdir(parents=True, exist_ok=True)
    application = make_application(sys.argv[:1])
    theme.choose("dark" if arguments.dark else "light")
    logbook = Path(_home) / "demo.fairmargin"
    make_demo_logbook(logbook)
    session = Session(QSettings(str(Path(_home) / "s.ini"), QSettings.Format.IniFormat))
    window = MainWindow(session)
    width, height = (int(v) for v in arguments.size.split("x"))
    window.resize(width, height)
    window.show()
    session.open_logbook(logbook)

    def take(name: str) -> None:
        if arguments.only and name not in arguments.only:
            return
        for _ in range(4):
            application.processEvents()
            QTest.qWait(15)
        window.grab().save(str(arguments.folder / f"{name}.png"))

    take("studies")
    for page in ("together", "vehicles", "practice"):
        window.home.show_page(page)
        take(f"home-{page}")
    window.home.show_page("studies")
    window.show_study(session.logbook.studies()[arguments.study].id)
    for stage in STAGES:
        window.go_to(stage)
        if window.focusWidget():
            window.focusWidget().clearFocus()
        take(stage)
        if stage == "plan" and not arguments.only:
            plans = window.stage("plan")
            trailer = next(e for e in session.logbook.studies() if "trailer" in e.title)
            window.show_study(trailer.id)
            window.go_to("plan")
            plans.designs.compare()
            QThreadPool.globalInstance().waitForDone()
            take("plan")
            plans.show_page("day")
            take("plan-day")
            plans.show_page("design")
            window.go_to("use")
            window.stage("use").show_page("trip")
            QThreadPool.globalInstance().waitForDone()
            take("use-trip")
            window.stage("use").show_page("range")
            window.show_study(session.logbook.studies()[arguments.study].id)
    if not arguments.dark and not arguments.only:
        theme.choose("dark")
        window.go_to("verdict")
        take("verdict-dark")
        theme.choose("light")
    if not arguments.only:
        # Last: it leaves a rehearsal open, and every other picture is of a finished study.
        take_road(window, take, Path(_home), arguments.folder)
        window.drive.show_view(False)
    if not arguments.only or any(name.startswith("job-") for name in arguments.only):
        session.open_logbook(Path(_home) / "jobs.fairmargin")
        take_jobs(window, take, arguments.folder)
    window.close()
    return 0


if __name__ == "__main__":
    sys.exit(main())

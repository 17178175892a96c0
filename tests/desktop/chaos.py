"""Rehearsed days by a careless hand: random keys, clicks beside, feeds that fail, kills; and the virtual car's truth beside.

What the instruments say is handed over step by step instead of by threads and ports (these are tried in `test_road`);
the sentences of the GPS go through its decoder. A kill is a copy of what is on the disk, opened by another window.
"""

from __future__ import annotations

import shutil
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from pathlib import Path

import numpy as np
from PySide6.QtCore import QCoreApplication, QEvent, QSettings, Qt, QThreadPool
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QDialog, QInputDialog, QMenu, QMessageBox, QWidget
from tests.desktop.on_the_road import plan

from fairmargin.desktop.state.session import Session
from fairmargin.desktop.window import MainWindow
from fairmargin.instruments.feed import Feed, GpsFeed
from fairmargin.instruments.samples import Sample
from fairmargin.instruments.standins import GARBAGE, nmea

RATE = 10.0
SETTINGS = "fairmargin.desktop.stages.driving.rehearsal_set"
KEYS = (
    Qt.Key.Key_Space, Qt.Key.Key_Space, Qt.Key.Key_T, Qt.Key.Key_F, Qt.Key.Key_O, Qt.Key.Key_S, Qt.Key.Key_W, Qt.Key.Key_R,
    Qt.Key.Key_G, Qt.Key.Key_L, Qt.Key.Key_Y, Qt.Key.Key_N, Qt.Key.Key_P, Qt.Key.Key_Tab, Qt.Key.Key_Escape, Qt.Key.Key_Return,
    Qt.Key.Key_1, Qt.Key.Key_Backspace, Qt.Key.Key_Up, Qt.Key.Key_Down,
)  # fmt: skip
CARELESS = 0.12  # of steps, at which the hand does something that nobody meant
KILLED = 0.004
FAULTY = 0.02


class Silent:
    """In place of a stand-in: nothing speaks by itself."""

    INTERFACE = "virtual"
    address, channel, url = "socket://127.0.0.1:9", "none", "http://127.0.0.1:9/metar.txt"

    def __init__(self, *_):
        pass

    def start(self):
        """Say nothing."""

    stop = start


class Time:
    """Wall seconds that move when the day moves."""

    def __init__(self):
        self.at = 0.0

    def __call__(self):
        return self.at

    def beat(self):
        """The window's heart does not move it."""


class _Handed:
    """A feed without a thread: what it says is handed to it."""

    def start(self):
        self.state = "waiting"

    def stop(self):
        self.let_go()
        self.state = "off"


class HandedGps(_Handed, GpsFeed):
    """The GPS, by its own decoder."""

    def __init__(self, clock, sink):
        GpsFeed.__init__(self, clock, sink, "socket://127.0.0.1:9")

    def say(self, data):
        self._hand_on(list(self.decoder.feed(data, self.clock.seconds())))


class HandedBus(_Handed, Feed):
    """The vehicle's bus, decoded."""

    def __init__(self, clock, sink):
        Feed.__init__(self, "vehicle", clock, sink, quiet_s=3.0)

    def say(self, at, values):
        self._hand_on([Sample(at, "vehicle", values)])

    def _connect(self):
        """Nothing to connect to."""

    _read = _disconnect = _connect


@dataclass
class Truth:
    """Where the virtual car was and what it had used, moment by moment; one stretch for each life of the window."""

    moments: list[datetime] = field(default_factory=list)
    km: list[float] = field(default_factory=list)
    kwh: list[float] = field(default_factory=list)

    def between(self, start, end):
        """Distance and energy between two moments; None where this stretch does not hold them."""
        if not self.moments or start < self.moments[0] or end > self.moments[-1] + timedelta(seconds=3):
            return None
        at = np.array([(m - self.moments[0]).total_seconds() for m in self.moments])
        a, b = ((m - self.moments[0]).total_seconds() for m in (start, end))
        return tuple(float(np.interp(b, at, x) - np.interp(a, at, x)) for x in (self.km, self.kwh))


class ChaosDay:
    """One rehearsed day, driven to its end by a hand that is careless now and then."""

    def __init__(self, seed: int, folder: Path, monkeypatch) -> None:
        self.rng = np.random.default_rng(seed)
        self.seed, self.folder, self.lives = seed, folder, 0
        self.log: list[str] = []
        self.accidents: list[str] = []
        self.truths: list[Truth] = []
        self.faults = {"gps": "", "bus": ""}
        self.window: MainWindow | None = None
        self._patch(monkeypatch)
        (folder / "0").mkdir(parents=True)
        self._open(folder / "0")
        session = self.window.session
        session.add_study(plan(str(self.rng.choice(["AB", "ABBA"], p=[0.7, 0.3])), 5200))
        self.window.drive_now()

    # ------------------------------------------------------------ the world around

    def _patch(self, monkeypatch):
        for name in ("GpsStandIn", "VehicleStandIn", "StationStandIn"):
            monkeypatch.setattr(f"{SETTINGS}.{name}", Silent)
        monkeypatch.setattr(f"{SETTINGS}.Patience", lambda: self.time)
        made = lambda _settings, clock, sink: {"gps": HandedGps(clock, sink), "vehicle": HandedBus(clock, sink)}  # noqa: E731
        monkeypatch.setattr("fairmargin.desktop.stages.driving.hub.make_feeds", made)
        yes, no = QMessageBox.StandardButton.Yes, QMessageBox.StandardButton.No
        monkeypatch.setattr(QMessageBox, "question", lambda *a, **k: yes if self.rng.random() < 0.5 else no)
        for name in ("warning", "information", "critical"):
            monkeypatch.setattr(QMessageBox, name, lambda *a, **k: QMessageBox.StandardButton.Ok)
        monkeypatch.setattr(QMessageBox, "exec", lambda *a, **k: QMessageBox.StandardButton.Cancel)
        monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("spoilt", bool(self.rng.random() < 0.7)))
        monkeypatch.setattr(QDialog, "exec", lambda *a, **k: QDialog.DialogCode.Rejected)
        monkeypatch.setattr(QDialog, "open", lambda *a, **k: None)
        monkeypatch.setattr(QMenu, "exec", lambda *a, **k: None)

    def _open(self, folder: Path) -> None:
        self.time = Time()
        settings = QSettings(str(folder / "settings.ini"), QSettings.Format.IniFormat)
        session = Session(settings)
        assert session.open_logbook(folder / "book.fairmargin")
        self.window = MainWindow(session)
        self.window.resize(1100, 700)
        self.window.show()
        self.home = folder

    def kill(self) -> None:
        """The process is gone: what is on the disk is opened by another one."""
        self.lives += 1
        study_id = self.window.session.study_id
        there = self.folder / str(self.lives)
        shutil.copytree(self.home, there)
        self.log.append(f"killed, {self._where()}")
        self.close()
        self._open(there)
        if study_id is not None:
            self.window.show_study(study_id)
            self.window.drive_now()

    def close(self) -> None:
        """Let go of the window without a word in its recording."""
        controller = self.controller
        if controller is not None:
            controller._recorder = None
            controller.drive = None
        self.window.session.leaving.disconnect()
        QThreadPool.globalInstance().waitForDone(3000)
        self.window.drive.release()
        self.window.close()
        self.window.session.close()
        self.window.deleteLater()
        QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
        QApplication.processEvents()

    @property
    def controller(self):
        """The drive's controller."""
        return self.window.drive.controller

    def _where(self) -> str:
        drive = self.controller.drive
        return "between legs" if drive is None else f"{drive.leg} {drive.phase}"

    # ------------------------------------------------------------ time

    def pass_time(self, seconds: float) -> None:
        """Let the drive go on; the instruments say what they do, or what their fault makes of it."""
        controller = self.controller
        if controller.rehearsal is None:
            self.time.at += seconds / RATE
            return
        car, clock = controller.rehearsal.car, controller.rehearsal.clock
        before = clock.seconds()
        truth = self.truths[-1]
        for second in range(int(before) + 1, int(before + seconds) + 1):
            self.time.at += (second - clock.seconds()) / RATE + 1e-9
            state, shown = car.state(second), car.display(second)
            km, kwh = car._totals(second, controller.drive.leg if controller.drive else "")
            truth.moments.append(clock.moment(second))
            truth.km.append(km)
            truth.kwh.append(kwh)
            gps, bus = controller.feeds.get("gps"), controller.feeds.get("vehicle")
            if gps is not None and self.faults["gps"] != "stalled":
                utc = clock.moment(second + (3600 if self.faults["gps"] == "clock" else 0)).astimezone()
                seen = car.seen_by_gps(second)
                data = nmea(utc, seen.latitude, seen.longitude, seen.elevation_m, seen.speed_kmh)
                gps.say(GARBAGE if self.faults["gps"] == "garbage" else data)
            if bus is not None and self.faults["bus"] != "stalled":
                trip, average = shown.trip_km, shown.average_kwh_per_100km
                bus.say(
                    float(second),
                    {
                        "speed_kmh": state.speed_kmh,
                        "power_kw": state.power_kw,
                        "trip_km": trip,
                        "trip_average_kwh_per_100km": average,
                        "soc_percent": round(state.soc_percent, 2),
                    },
                )
            for feed in controller.feeds.values():
                feed._watch()
        controller.tick()
        QApplication.processEvents()

    # ------------------------------------------------------------ the hand

    def press(self, key, modifier=Qt.KeyboardModifier.NoModifier) -> None:
        """A key as the desktop sends it: to what has the focus; and whether it read a leg off by accident."""
        drive = self.controller.drive
        before = drive.phase if drive is not None else ""
        asked = self.controller._asked_s is not None
        target = QApplication.focusWidget() or self.window
        QTest.keyClick(target, key, modifier)
        QApplication.processEvents()
        after = self.controller.drive
        if before == "driving" and after is drive and after is not None and after.phase == "reading":
            left = self._truly_left_km()
            self.log.append(f"{after.leg} read off with {left:.1f} km to go")
            if left > 1.2 and not asked:
                self.accidents.append(self.log[-1])

    def _truly_left_km(self) -> float:
        """What of the way between the gates was not driven since the reset, in truth."""
        controller, drive = self.controller, self.controller.drive
        car, now = controller.rehearsal.car, controller.clock.seconds()
        driven = car._totals(now, drive.leg)[0] - car._totals(drive.reset_s, drive.leg)[0]
        return controller.places().between_km - driven

    def _to_the_landmark_km(self) -> float:
        """What a passenger who looks out sees: how far it is to the line where the meter is reset."""
        controller, drive = self.controller, self.controller.drive
        state, places = controller.rehearsal.car.state(controller.clock.seconds()), controller.places()
        at = places.along_km(state.latitude, state.longitude, drive.backwards, places.gates(drive.backwards)[0])
        return places.gates(drive.backwards)[0] - (at or 0.0)

    def careless(self) -> None:
        """Something that nobody meant."""
        what = self.rng.random()
        if what < 0.7:
            key = KEYS[int(self.rng.integers(len(KEYS)))]
            self.log.append(f"{Qt.Key(key).name} while {self._where()}")
            self.press(key)
        elif what < 0.8:
            self.log.append(f"Ctrl+Z while {self._where()}")
            self.press(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
        else:
            inside = [
                w for w in self.window.findChildren(QWidget)
                if w.isVisible() and w.isEnabled() and w.focusPolicy() != Qt.FocusPolicy.NoFocus
            ]  # fmt: skip
            one = inside[int(self.rng.integers(len(inside)))]
            self.log.append(f"focus to {type(one).__name__} while {self._where()}")
            one.setFocus()
            QApplication.processEvents()

    def faulty(self) -> None:
        """An instrument begins to fail, or stops failing."""
        which = str(self.rng.choice(["gps", "bus"]))
        kinds = ["", "", "stalled", "garbage", "clock"] if which == "gps" else ["", "stalled"]
        self.faults[which] = str(self.rng.choice(kinds))
        self.log.append(f"{which}: {self.faults[which] or 'well'} while {self._where()}")

    # ------------------------------------------------------------ what a passenger means to do

    def sober(self) -> float:
        """Do what the page asks for; returns how long until the next look. [s]"""
        window, controller = self.window, self.controller
        if not window.drive.view.isVisible():
            window.drive_now()
            QApplication.processEvents()
        if controller.rehearsal is None:
            self.time.at = 0.0
            assert controller.start_rehearsal(self.seed, RATE), controller.says
            self.truths.append(Truth())
            self.pass_time(2.0)
            return 1.0
        view, drive = window.drive.view, controller.drive
        if drive is None:
            if controller.going_home:
                controller.go_home(False)
            if view.prepare.cut_short.isVisible():
                (view.prepare.take_cut if self.rng.random() < 0.5 else view.prepare.drop_cut).click()
                return 1.0
            if controller.next_leg() is not None:
                view.setFocus()
                self.press(Qt.Key.Key_Space)
            return 5.0
        return self._read_the_display() if drive.phase == "reading" else self._on_the_leg()

    def _read_the_display(self) -> float:
        """Type what the display shows where no instrument filled it in, and go on."""
        view, controller = self.window.drive.view, self.controller
        drive = controller.drive
        if drive is not None:
            leg = controller.study.leg(drive.leg)
            if leg.average_shown is None and leg.energy_kwh is None and drive.reset_state != "failed":
                # What the display shows, as a passenger types it.
                shown = controller.display()
                if shown.trip_km > 0.2:
                    for key, text in (
                        ("average", f"{shown.average_kwh_per_100km:.1f} kWh/100km"),
                        ("distance", f"{shown.trip_km:.1f}"),
                    ):
                        field = view.reading.cards[key].edit
                        field.setText(text)
                        field.setModified(True)
                        field.editingFinished.emit()
            controller.finish()
        return 5.0

    def _on_the_leg(self) -> float:
        """Reset at the line, look whether it took, read off at the gate."""
        view, controller = self.window.drive.view, self.controller
        drive = controller.drive
        left = controller.to_gate_km()
        if drive.phase == "approach":
            left = self._to_the_landmark_km()
            if left < 0.06:
                view.setFocus()
                self.press(Qt.Key.Key_Space)
            return 2.0 if left < 0.4 else 6.0
        if drive.reset_state == "failed":
            view.setFocus()
            self.press(Qt.Key.Key_Space)
            return 2.0
        if drive.reset_state != "took" and controller.since_reset_s() > 30:
            # Nothing on the bus: the passenger looks at the display.
            controller.reset_seen(controller.display().trip_km)
        if left is not None and left <= 0.03:
            view.setFocus()
            self.press(Qt.Key.Key_Space)
            if controller.drive is drive and drive.phase == "driving":
                self.pass_time(12.0)  # asked about: the second press is meant
                self.press(Qt.Key.Key_Space)
            return 2.0
        return 2.0 if left is not None and left < 0.3 else 6.0

    def run(self, most: int = 1600) -> bool:
        """Drive until every leg has been; returns whether it came to that."""
        calm_from = int(0.6 * most)  # at the last the hand is careful: the day can be finished from wherever it stands
        for step in range(most):
            controller = self.controller
            if step > 3 and controller.rehearsal is not None and controller.drive is None and not controller.left():
                return True
            if step < calm_from:
                if self.rng.random() < KILLED:
                    self.kill()
                if self.rng.random() < FAULTY:
                    self.faulty()
                if self.rng.random() < CARELESS and self.controller.rehearsal is not None:
                    self.careless()
            elif step == calm_from:
                self.faults = {"gps": "", "bus": ""}
            self.pass_time(self.sober())
        return False

    # ------------------------------------------------------------ the truth beside it

    def disagreements(self) -> list[str]:
        """Legs that are stored as something else than the virtual car drove, and bear no mark of doubt."""
        study = self.window.session.study
        found = []
        for leg in study.legs:
            if not leg.included or leg.note or not leg.has_reading:
                continue
            if {e.kind for e in study.events if e.leg == leg.leg} & {"reset-doubtful", "wrong-turn"}:
                continue
            if leg.started_at is None or leg.duration_s is None:
                found.append(f"{leg.leg}: a reading without its time")
                continue
            end = leg.started_at + timedelta(seconds=float(leg.duration_s))
            known = [t for truth in self.truths if (t := truth.between(leg.started_at, end)) is not None]
            if not known:
                found.append(f"{leg.leg}: no drive from {leg.started_at:%H:%M:%S} for {leg.duration_s:.0f} s")
                continue
            # Lives of the window overlap in their clocks: one of them has to agree.
            wrong = [self._wrong(leg, km, kwh) for km, kwh in known]
            if all(wrong):
                found.append(f"{leg.leg}: {wrong[0]}")
        return found

    def _wrong(self, leg, km, kwh) -> str:
        if leg.gps_distance_km is not None and abs(leg.gps_distance_km - km) > 0.04 * km + 0.1:
            return f"{leg.gps_distance_km:.2f} km by GPS where {km:.2f} were driven"
        if leg.distance_km is not None and abs(leg.distance_km - km) > 0.04 * km + 0.2:
            return f"{leg.distance_km:.2f} km where {km:.2f} were driven"
        if leg.average_shown is not None and km > 0.5:
            true = 100.0 * kwh / km
            if abs(leg.average_shown - true) > 0.04 * abs(true) + 0.25 + 8.0 / km * 0.1:
                return f"{leg.average_shown:.1f} kWh/100 km where {true:.1f} were used over {km:.2f} km"
        return ""

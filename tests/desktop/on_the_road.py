"""Hands on the road: a plan to drive, keys, and a rehearsal's time that moves when a test says so."""

import time

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication, QLabel
from tests.conftest import VAN, straight_route

from fairmargin.core.study import new_study

RATE = 40.0


def until(condition, seconds=20.0):
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        QApplication.processEvents()
        if condition():
            return
        time.sleep(0.002)
    raise AssertionError("waited in vain")


class Life:
    """A rehearsal's time that moves when the test says so, ten seconds at a time and two near a line.

    Each step waits for what GPS and bus say of it: no machine is too slow for it.
    """

    def __init__(self):
        self.at, self.controller = 0.0, None

    def __call__(self):
        return self.at

    def beat(self):
        """The window's heart does not move it."""

    def step(self):
        left = self.controller.to_gate_km()
        self.at += (10.0 if left is not None and left > 0.6 else 2.0) / RATE
        now = self.controller.clock.seconds()
        feeds = [self.controller.feeds[x] for x in ("gps", "vehicle")]
        until(lambda: all(max((at for _, at in f.latest.values()), default=-1.0) >= now - 1.0 for f in feeds))
        self.controller.tick()  # as the window's own timer would, at once

    def until_live(self):
        """Until every instrument has spoken: one connected late hears only what is said afterwards."""
        for _ in range(80):
            self.at += 1.0 / RATE
            end = time.monotonic() + 0.25
            while time.monotonic() < end:
                QApplication.processEvents()
                if {f.state for f in self.controller.feeds.values()} == {"live"}:
                    return
                time.sleep(0.002)
        raise AssertionError({name: f.state for name, f in self.controller.feeds.items()})

    def set_off(self):
        """Until the van has left, GPS tells where it stood."""
        for _ in range(3):
            self.step()

    def until(self, condition):
        for _ in range(600):
            QApplication.processEvents()
            if condition():
                return
            self.step()
        raise AssertionError("never came")


def rehearsing(controller, monkeypatch, seed, **how):
    """Begin a rehearsal whose time moves when the test says so; every instrument has spoken."""
    life = Life()
    life.controller = controller
    monkeypatch.setattr("fairmargin.desktop.stages.driving.rehearsal_set.Patience", lambda: life)
    assert controller.start_rehearsal(seed, RATE, **how)
    life.until_live()
    return life


def texts(widget):
    QApplication.processEvents()
    return " | ".join(x.text() for x in widget.findChildren(QLabel) if x.isVisibleTo(widget))


def plan(order="ABBA", route_m=8000):
    study = new_study(
        title="Discs", kind="aero covers", order=order, speed_kmh=90, vehicle=VAN, baseline_name="Off", trial_name="On"
    )
    return study.with_(route=straight_route(route_m))


def press(qtbot, window, key, modifier=Qt.KeyboardModifier.NoModifier):
    window.drive.view.setFocus()
    qtbot.keyClick(window.drive.view, key, modifier)
    QApplication.processEvents()


def drive_leg(qtbot, window, until=until, set_off=lambda: None):
    """One leg by keyboard: set off, reset at the line, look at the trip meter, read off at the gate, next."""
    controller, view = window.drive.controller, window.drive.view
    name = controller.next_leg().leg
    assert name in view.prepare.set_off.text()
    press(qtbot, window, Qt.Key.Key_Space)
    assert controller.drive.phase == "approach"
    set_off()
    until(lambda: (controller.to_gate_km() or 9.0) < 0.05)
    press(qtbot, window, Qt.Key.Key_Space)
    for _ in range(4):
        until(lambda: controller.drive.reset_state != "unknown")
        if controller.drive.reset_state == "took":
            break
        until(lambda: "did not take" in view.driving.prompt.text())
        press(qtbot, window, Qt.Key.Key_Space)  # pressed again: the leg begins there
    until(lambda: controller.to_gate_km() <= 0.0)
    # At a hundred times the speed of life the line may be behind by the next look.
    until(lambda: any(words in view.driving.prompt.text() for words in ("READ OFF NOW", "read off at once")))
    press(qtbot, window, Qt.Key.Key_Space)
    assert controller.drive.phase == "reading"
    press(qtbot, window, Qt.Key.Key_Return, Qt.KeyboardModifier.ControlModifier)
    assert controller.drive is None
    return name

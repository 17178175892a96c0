"""What the window loaded is not looked through for garbage again; what comes afterwards is."""

import gc
import os
import subprocess
import sys
import weakref

from fairmargin.desktop.system.memory import hold_off, settle

WINDOW = """
import gc
from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication
import fairmargin.desktop.application as application
from fairmargin.cli import open_window

application.SETTLED_MS = 200
was = QApplication.exec

def looked():
    print("looks", gc.isenabled(), "kept out", gc.get_freeze_count() > 20_000)
    QApplication.quit()

def started(*_):
    print("looks", gc.isenabled())
    QTimer.singleShot(1500, looked)
    return was()

QApplication.exec = started
open_window(None)
"""


class Ring:
    def __init__(self):
        self.me = self


def test_rings_that_come_later_are_found_and_what_was_there_is_left():
    early = Ring()
    seen = weakref.ref(early)
    hold_off()
    try:
        assert not gc.isenabled()
        settle()
        assert gc.isenabled() and gc.get_freeze_count() > 10_000
        del early
        late = weakref.ref(Ring())
        gc.collect()
        assert late() is None and seen() is not None
    finally:
        gc.unfreeze()
        gc.enable()
    gc.collect()
    assert seen() is None


def test_the_window_loads_without_a_look_and_settles(tmp_path):
    home = {name: str(tmp_path) for name in ("XDG_DATA_HOME", "XDG_CONFIG_HOME", "XDG_CACHE_HOME")}
    out = subprocess.run(
        [sys.executable, "-c", WINDOW], env={**os.environ, **home, "QT_QPA_PLATFORM": "offscreen"},
        capture_output=True, text=True, timeout=60, check=False,
    )  # fmt: skip
    assert out.stdout.split("\n")[:2] == ["looks False", "looks True kept out True"], out.stderr[-2000:]

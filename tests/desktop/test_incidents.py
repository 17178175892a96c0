"""What nobody expected is told in one sentence, written down without readings, and never ends the window."""

import stat
import sys
import threading
from functools import partial

import pytest
from PySide6.QtCore import QTimer, QtMsgType, qInstallMessageHandler, qWarning
from PySide6.QtWidgets import QApplication

from fairmargin.desktop.system.incidents import LOG_BYTES, OFTEN, SENTENCE, Incidents, WhatHappenedDialog, masked
from fairmargin.desktop.system.permissions import keep_private


@pytest.fixture
def incidents(qapp, tmp_path):
    hooks = sys.excepthook, sys.unraisablehook, threading.excepthook
    before = qInstallMessageHandler(None)
    made = Incidents(tmp_path / "log" / "fairmargin.log")
    made.install()
    yield made
    sys.excepthook, sys.unraisablehook, threading.excepthook = hooks
    qInstallMessageHandler(before)
    made.close()


def boom():
    raise ValueError('leg "Dyke Road" shows 172.4 Wh/km in /home/anna/book.fairmargin')


def test_a_message_is_written_without_readings_names_and_places():
    assert masked('leg "Dyke Road" shows 172.4 in /home/anna/b.csv') == "leg \u2026 shows # in \u2026"


def test_errors_of_slots_and_threads_and_warnings_of_the_toolkit_are_written_down(incidents, qtbot):
    with qtbot.waitSignal(incidents.happened):
        QTimer.singleShot(0, boom)
    with qtbot.waitSignal(incidents.happened):
        thread = threading.Thread(target=boom)
        thread.start()
        thread.join()
    qWarning("size 31 is odd")
    text = incidents.path.read_text()
    assert "ValueError: leg \u2026 shows # Wh\u2026 in \u2026" in text and "in boom" in text
    assert text.count("in boom") == 2 and "toolkit: size # is odd" in text
    assert "Dyke" not in text and "172" not in text and "anna" not in text
    assert stat.S_IMODE(incidents.path.stat().st_mode) == 0o600


def test_a_fault_that_repeats_is_told_once_and_the_log_stays_small(incidents, qtbot):
    told = []
    incidents.happened.connect(partial(told.append, 1))
    for _ in range(OFTEN + 30):
        try:
            boom()
        except ValueError as error:
            incidents.exception(type(error), error, error.__traceback__)
    for i in range(6000):
        incidents.toolkit(QtMsgType.QtWarningMsg, None, "x" * 100 + chr(0x4E00 + i))
    assert told == [1]
    assert incidents.path.read_text().count("in boom") <= OFTEN
    files = list(incidents.path.parent.iterdir())
    assert len(files) == 3 and all(f.stat().st_size <= LOG_BYTES for f in files)


def test_the_window_says_one_sentence_and_shows_the_record(window, qtbot, tmp_path):
    window.incidents.exception(ZeroDivisionError, ZeroDivisionError("division"), None)
    qtbot.waitUntil(window.notice.isVisible)
    assert window.notice_text.text() == SENTENCE
    dialog = WhatHappenedDialog(window.incidents, window)
    assert "ZeroDivisionError: division" in dialog.text.toPlainText()
    dialog.save_to(tmp_path / "what.txt")
    assert "Fair Margin" in (tmp_path / "what.txt").read_text()
    dialog.save_to(tmp_path / "absent" / "what.txt")
    assert "cannot be written" in dialog.words.text()
    QApplication.processEvents()


def test_what_is_kept_is_taken_from_other_eyes(tmp_path):
    inner = tmp_path / "data" / "book.recordings" / "1"
    inner.mkdir(parents=True)
    file = inner / "L01.drive"
    file.write_text("{}")
    file.chmod(0o644)
    keep_private([tmp_path / "data", tmp_path / "absent"])
    assert stat.S_IMODE(file.stat().st_mode) == 0o600
    assert stat.S_IMODE((tmp_path / "data").stat().st_mode) == 0o700

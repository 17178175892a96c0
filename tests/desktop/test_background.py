"""Long work off the GUI thread: the newest counts, faults are told, what is forgotten is dropped."""

import threading

import shiboken6
from PySide6.QtCore import QThread, QThreadPool
from PySide6.QtWidgets import QApplication

from fairmargin.desktop.state.background import Background, Work


def test_the_result_arrives_in_the_gui_thread(qtbot, qapp):
    background, got = Background(), []
    background.run(
        lambda: QThread.currentThread() is qapp.thread(),
        lambda result, fault: got.append((result, fault, QThread.currentThread() is qapp.thread())),
    )
    assert background.busy
    qtbot.waitUntil(lambda: bool(got))
    assert got == [(False, None, True)] and not background.busy


def test_a_fault_is_handed_over_not_raised(qtbot, qapp):
    background, got = Background(), []

    def fail():
        raise ValueError("no such column")

    background.run(fail, lambda result, fault: got.append((result, str(fault))))
    qtbot.waitUntil(lambda: bool(got))
    assert got == [(None, "no such column")]


def test_an_older_work_is_overtaken(qtbot, qapp):
    background, got, gate = Background(), [], threading.Event()
    background.run(lambda: gate.wait(5) and "old", lambda r, f: got.append(r))
    background.run(lambda: "new", lambda r, f: got.append(r))
    qtbot.waitUntil(lambda: bool(got))
    gate.set()
    QThreadPool.globalInstance().waitForDone(3000)
    QApplication.processEvents()
    assert got == ["new"]


def test_what_is_forgotten_is_dropped(qtbot, qapp):
    background, got = Background(), []
    background.run(lambda: 1, lambda r, f: got.append(r))
    background.forget()
    assert not background.busy
    QThreadPool.globalInstance().waitForDone(3000)
    qtbot.wait(50)
    assert got == []


def test_work_that_outlives_the_application_ends_quietly(qtbot):
    """A window closed while an analysis runs left a traceback behind."""
    work = Work(1, lambda: 7)
    shiboken6.delete(work.signals)
    work.run()
    assert (work.result, work.fault) == (7, None)

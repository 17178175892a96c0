"""Long work off the GUI thread, its end told in the GUI thread."""

from __future__ import annotations

import contextlib
import threading
from collections.abc import Callable, Sequence
from importlib import import_module
from typing import TypeVar, cast

from PySide6.QtCore import QEventLoop, QObject, QRunnable, Qt, QThreadPool, Signal
from PySide6.QtWidgets import QProgressDialog, QWidget

from fairmargin.core.study.base import build_checks
from fairmargin.desktop.widgets.basics import PlainLabel

SOON_MS = 400  # work that is done sooner shows no bar

Then = Callable[[object, Exception | None], None]


class _Signals(QObject):
    # The ticket alone: a Python object that crosses threads in a signal can lock the toolkit against the interpreter.
    done = Signal(int)
    step = Signal(int, int)  # ticket, and how far it is


Result = TypeVar("Result")


class Work(QRunnable):
    """Work in another thread: its result or its fault, told when done; `tell` says how far it is meanwhile.

    Whoever starts it keeps it until it is done. `stop` asks it to end; it looks when it can.
    """

    def __init__(self, ticket: int, work: Callable[[], object]) -> None:
        super().__init__()
        self.signals = _Signals()
        self.result: object = None
        self.fault: Exception | None = None
        self.stop = False
        self._ticket, self._work = ticket, work
        self.setAutoDelete(False)

    def start(self) -> None:
        """Begin as soon as a thread is free."""
        QThreadPool.globalInstance().start(self)

    def tell(self, step: int) -> None:
        """Say how far the work is, from its own thread."""
        self.signals.step.emit(self._ticket, step)

    def run(self) -> None:
        """Do it, in the pool's thread."""
        try:
            self.result = self._work()
        except Exception as error:  # told to the person, never lost
            self.fault = error
        # Where the application ended meanwhile, nobody is left to be told.
        with contextlib.suppress(RuntimeError):
            self.signals.done.emit(self._ticket)


def warm_up(modules: Sequence[str]) -> None:
    """Load beside the work what the first study needs, so that opening it does not wait for that.

    Parameters
    ----------
    modules : sequence of str
        In the order in which they are wanted.
    """

    def load() -> None:
        import scipy.linalg
        import scipy.special

        build_checks()
        for name in modules:
            import_module(name)
        import pandas

        assert pandas and scipy

    threading.Thread(target=load, name="warm-up", daemon=True).start()


class Background(QObject):
    """Runs the newest work; what an older one brings is dropped, and so is everything after `forget`."""

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._running: dict[int, tuple[Work, Then]] = {}
        self._ticket = 0

    @property
    def busy(self) -> bool:
        """Whether the newest work is still under way."""
        return self._ticket in self._running

    def run(self, work: Callable[[], object], then: Then) -> None:
        """Do `work` in another thread, then call `then` with its result or its fault in this one."""
        self._ticket += 1
        job = Work(self._ticket, work)
        self._running[self._ticket] = (job, then)
        job.signals.done.connect(self._arrived, Qt.ConnectionType.QueuedConnection)
        job.start()

    def _arrived(self, ticket: int) -> None:
        job, then = self._running.pop(ticket)
        if ticket == self._ticket:
            then(job.result, job.fault)

    def forget(self) -> None:
        """Drop whatever is under way."""
        self._ticket += 1


def meanwhile(work: Callable[[], Result]) -> Result:
    """Do `work` in another thread while the window goes on painting; what is typed waits until it is done.

    Raises
    ------
    Exception
        Whatever `work` raised.
    """
    loop = QEventLoop()
    job = Work(0, work)
    job.signals.done.connect(loop.quit, Qt.ConnectionType.QueuedConnection)
    QThreadPool.globalInstance().start(job)
    loop.exec(QEventLoop.ProcessEventsFlag.ExcludeUserInputEvents)
    if job.fault is not None:
        raise job.fault
    return cast(Result, job.result)


def waited(parent: QWidget, words: str, work: Callable[[], Result]) -> Result | None:
    """Do `work` in another thread while a bar says so after a moment; None when the person does not want to wait.

    Raises
    ------
    Exception
        Whatever `work` raised.
    """
    loop = QEventLoop()
    bar = QProgressDialog("", "Stop", 0, 0, parent)
    bar.setLabel(PlainLabel(words))
    bar.setMinimumDuration(SOON_MS)
    bar.setWindowModality(Qt.WindowModality.WindowModal)
    background = Background()
    arrived: list[tuple[object, Exception | None]] = []

    def then(result: object, fault: Exception | None) -> None:
        arrived.append((result, fault))
        loop.quit()

    bar.canceled.connect(loop.quit)
    background.run(work, then)
    loop.exec()
    background.forget()
    bar.canceled.disconnect()
    bar.close()
    bar.deleteLater()
    if not arrived:
        return None
    result, fault = arrived[0]
    if fault is not None:
        raise fault
    return cast(Result, result)

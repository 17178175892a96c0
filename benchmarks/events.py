"""Random clicks, keys, wheels and sizes over the whole window: nothing may raise, and undoing all restores every study.

    .venv/bin/python benchmarks/events.py [seeds] [events a seed] [first seed]

Every dialog that opens is given some events of its own and closed. What is told at the end: events, edits, exceptions with
their place, and studies that differ from those at the beginning after everything was undone.
"""

from __future__ import annotations

import os
import random
import shutil
import sys
import tempfile
import traceback
from collections import Counter
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
_home = tempfile.mkdtemp()
for _name in ("XDG_CONFIG_HOME", "XDG_DATA_HOME", "XDG_CACHE_HOME", "XDG_STATE_HOME"):
    os.environ[_name] = _home

from PySide6.QtCore import QPoint, QPointF, QSettings, Qt, QThreadPool, QTimer  # noqa: E402
from PySide6.QtGui import QWheelEvent  # noqa: E402
from PySide6.QtTest import QTest  # noqa: E402
from PySide6.QtWidgets import (  # noqa: E402
    QAbstractButton,
    QAbstractItemView,
    QApplication,
    QComboBox,
    QDialog,
    QLineEdit,
    QMenu,
    QPlainTextEdit,
    QWidget,
)

from fairmargin.demo import make_demo_logbook  # noqa: E402
from fairmargin.desktop.application import make_application  # noqa: E402
from fairmargin.desktop.state.session import Session  # noqa: E402
from fairmargin.desktop.widgets.stage_rail import STAGES  # noqa: E402
from fairmargin.desktop.window import MainWindow  # noqa: E402

TEXTS = (
    "17.4",
    "3,45",
    "12 mi",
    "9:35",
    "82-71 %",
    "2026-05-03",
    "AB",
    "x",
    "",
    "15.0; 18 kWh/100km",
    "no difference",
    "-5",
    "1e9",
    "<b>",
)
KEYS = (
    Qt.Key.Key_Tab,
    Qt.Key.Key_Return,
    Qt.Key.Key_Down,
    Qt.Key.Key_Up,
    Qt.Key.Key_Escape,
    Qt.Key.Key_Space,
    Qt.Key.Key_Delete,
)
CHORDS = (
    Qt.Key.Key_Z,
    Qt.Key.Key_U,
    Qt.Key.Key_M,
    Qt.Key.Key_D,
    Qt.Key.Key_K,
    *(getattr(Qt.Key, f"Key_{i}") for i in range(8)),
)
SIZES = ((800, 560), (1100, 700), (1280, 800), (1920, 1080), (2560, 1440))


class Monkey:
    """One run over a window."""

    def __init__(self, seed: int, book: Path) -> None:
        self.dice = random.Random(seed)
        self.raised: Counter[str] = Counter()
        self.session = Session(QSettings(str(Path(_home) / f"{seed}.ini"), QSettings.Format.IniFormat))
        assert self.session.open_logbook(book)
        self.window = MainWindow(self.session)
        self.window.resize(1280, 800)
        self.window.show()
        sys.excepthook = self.caught
        self.patience = 3  # events that a dialog gets before it is closed
        self.timer = QTimer(self.window)
        self.timer.timeout.connect(self.relieve)
        self.timer.start(25)

    def caught(self, kind: type[BaseException], error: BaseException, trace: object) -> None:
        """Note an exception with its place."""
        place = traceback.extract_tb(trace)[-1] if trace else None  # type: ignore[arg-type]
        self.raised[
            f"{kind.__name__}: {str(error)[:80]} at {place.filename.split('src/')[-1]}:{place.lineno}"
            if place
            else str(error)
        ] += 1

    def step(self) -> None:
        """One event, to the dialog or menu that is open, else to the window."""
        menu, dialog = QApplication.activePopupWidget(), QApplication.activeModalWidget()
        if isinstance(menu, QMenu):
            menu.close()
            return
        if dialog is not None:
            if self.dice.random() < 0.3 and isinstance(dialog, QDialog):
                dialog.reject()
            elif self.dice.random() < 0.1:
                dialog.close()
            else:
                self.touch(dialog)
            return
        what = self.dice.random()
        if what < 0.10:
            self.window.resize(*self.dice.choice(SIZES))
        elif what < 0.18 and self.session.study is not None:
            self.window.go_to(self.dice.choice(STAGES))
        elif what < 0.23:
            self.window.go_home()
        elif what < 0.30 and self.session.logbook is not None and (every := self.session.logbook.studies()):
            self.window.show_study(self.dice.choice(every).id)
        elif what < 0.36 and (focus := QApplication.focusWidget()) is not None:
            QTest.keyClick(focus, self.dice.choice(CHORDS), Qt.KeyboardModifier.ControlModifier)
        else:
            self.touch(self.window)
        QApplication.processEvents()

    def touch(self, top: QWidget) -> None:
        """Click, turn the wheel over, or type into one widget in sight."""
        seen = [w for w in top.findChildren(QWidget) if w.isVisible() and w.isEnabled()]
        seen = [
            w
            for w in seen
            if isinstance(w, QAbstractButton | QLineEdit | QComboBox | QPlainTextEdit | QAbstractItemView)
        ]
        if not seen:
            return
        widget = self.dice.choice(seen)
        if self.dice.random() < 0.15:
            at = QPointF(widget.rect().center())
            turned = QPoint(0, self.dice.choice((-120, 120)))
            where = QPointF(widget.mapToGlobal(at.toPoint()))
            QApplication.sendEvent(
                widget,
                QWheelEvent(
                    at,
                    where,
                    turned,
                    turned,
                    Qt.MouseButton.NoButton,
                    Qt.KeyboardModifier.NoModifier,
                    Qt.ScrollPhase.NoScrollPhase,
                    False,
                ),
            )
        elif isinstance(widget, QLineEdit | QPlainTextEdit):
            widget.setFocus()
            if self.dice.random() < 0.6:
                widget.selectAll()
            QTest.keyClicks(widget, self.dice.choice(TEXTS))
            QTest.keyClick(widget, self.dice.choice(KEYS))
        elif isinstance(widget, QComboBox):
            if widget.count():
                index = self.dice.randrange(widget.count())
                widget.setCurrentIndex(index)
                widget.activated.emit(index)
                widget.textActivated.emit(widget.itemText(index))
        else:
            target = widget.viewport() if isinstance(widget, QAbstractItemView) else widget
            QTest.mouseClick(target, Qt.MouseButton.LeftButton)

    def run(self, events: int) -> tuple[int, list[str]]:
        """So many events; edits made, and studies that undoing all does not restore."""
        before = self.bodies()
        for _ in range(events):
            try:
                self.step()
            except Exception as error:  # raised through the event that was sent
                self.note(error)
        for _ in range(20):
            dialog = QApplication.activeModalWidget()
            if dialog is None:
                break
            dialog.close()
            QApplication.processEvents()
        self.timer.stop()
        self.window.finish_typing()
        QThreadPool.globalInstance().waitForDone(5000)
        QApplication.processEvents()
        edits = self.session.undo.index()
        while self.session.undo.canUndo():
            self.session.undo.undo()
        after = self.bodies()
        return edits, [f"study {i}" for i, body in before.items() if after.get(i) != body]

    def relieve(self) -> None:
        """Dialogs run an event loop of their own: what is open gets a few events, and is closed from within it."""
        popup, dialog = QApplication.activePopupWidget(), QApplication.activeModalWidget()
        if popup is not None:
            popup.close()
        elif dialog is not None:
            self.patience -= 1
            if self.patience > 0:
                # Not from within this slot: a timer does not fire again before its slot is done.
                QTimer.singleShot(0, self.touch_open)
            else:
                self.patience = self.dice.randrange(5)
                dialog.close()

    def touch_open(self) -> None:
        """One event to the dialog that is open; what it raises is counted."""
        dialog = QApplication.activeModalWidget()
        if dialog is None:
            return
        try:
            self.touch(dialog)
        except Exception as error:
            self.note(error)

    def note(self, error: Exception) -> None:
        """Count what an event raised through the program; what the events themselves did wrong is not its fault."""
        if "src/fairmargin" in "".join(f.filename for f in traceback.extract_tb(error.__traceback__)):
            self.caught(type(error), error, error.__traceback__)

    def bodies(self) -> dict[int, str]:
        """Every study of the list as it is kept."""
        book = self.session.logbook
        assert book is not None
        return {e.id: book.read(e.id).study.model_dump_json() for e in book.studies()}


def main() -> None:
    """Run the seeds."""
    seeds = int(sys.argv[1]) if len(sys.argv) > 1 else 10
    events = int(sys.argv[2]) if len(sys.argv) > 2 else 3000
    first = int(sys.argv[3]) if len(sys.argv) > 3 else 0
    make_application(["fairmargin"])
    demo = Path(_home) / "demo.fairmargin"
    make_demo_logbook(demo)
    for seed in range(first, first + seeds):
        book = Path(_home) / f"{seed}.fairmargin"
        shutil.copy(demo, book)
        monkey = Monkey(seed, book)
        edits, changed = monkey.run(events)
        print(
            f"seed {seed}: {events} events, {edits} edits, {sum(monkey.raised.values())} exceptions, not restored: {', '.join(changed) or 'none'}",
            flush=True,
        )
        for words, count in monkey.raised.most_common():
            print(f"  {count:4d}  {words}")
        monkey.window.close()
        monkey.window.deleteLater()
        QApplication.processEvents()


if __name__ == "__main__":
    main()

"""What nobody expected: one sentence for the person, the rest in a log file on this machine. Nothing is sent anywhere.

The log holds kinds of errors and places in the program, never readings: numbers and quoted texts of a message are
masked, and no values of variables are written.
"""

from __future__ import annotations

import contextlib
import logging
import logging.handlers
import os
import platform
import re
import sys
import threading
import traceback
from collections import Counter
from datetime import datetime
from pathlib import Path
from types import TracebackType
from typing import Any, Final

from PySide6.QtCore import QObject, QtMsgType, Signal, qInstallMessageHandler, qVersion
from PySide6.QtGui import QFontDatabase
from PySide6.QtWidgets import QDialog, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from fairmargin import __version__
from fairmargin.desktop.widgets.basics import label
from fairmargin.desktop.widgets.files import ask_save
from fairmargin.desktop.widgets.inputs import Words

LOG_BYTES: Final = 256_000
LOG_FILES: Final = 3
#: The same fault at the same place is written so often, then only counted.
OFTEN: Final = 20
_QUOTED: Final = re.compile("\"[^\"]*\"|'[^']*'|\u201c[^\u201d]*\u201d|/[^\\s:,;]+")
_DIGITS: Final = re.compile(r"\d+(?:[.,]\d+)*")
SENTENCE: Final = (
    "Something went wrong that should not have. What you typed is saved; what you did last may not be. "
    "Help, What happened, tells more."
)


def masked(message: str) -> str:
    """Take numbers, quoted texts and file names out of a message."""
    return _DIGITS.sub("#", _QUOTED.sub("\u2026", message))[:300]


def described(kind: type[BaseException], error: BaseException | None, tb: TracebackType | None) -> str:
    """Kind of the error, its message without readings, and where it happened; causes first."""
    parts = []
    cause = error.__cause__ if error is not None else None
    if cause is not None and cause is not error:
        parts.append(described(type(cause), cause, cause.__traceback__))
    frames = traceback.extract_tb(tb)[-24:]
    lines = [f"{kind.__name__}: {masked(str(error))}"]
    lines += [f"  {_short(f.filename)}:{f.lineno} in {f.name}" for f in frames]
    return "\n".join([*parts, *lines])


def _short(name: str) -> str:
    parts = Path(name).parts
    for root in ("fairmargin", "site-packages"):
        if root in parts:
            at = len(parts) - 1 - parts[::-1].index(root)
            return "/".join(parts[at + (root == "site-packages") :])
    return Path(name).name


class _PrivateLog(logging.handlers.RotatingFileHandler):
    def _open(self) -> Any:
        return open(os.open(self.baseFilename, os.O_WRONLY | os.O_CREAT | os.O_APPEND, 0o600), "a", encoding="utf-8")


class Incidents(QObject):
    """Takes in everything unexpected, from any thread, and says so once in the window.

    Parameters
    ----------
    path : Path
        The log file; that it cannot be written is no reason to fail.
    """

    happened = Signal()  # something new; told in the GUI thread

    def __init__(self, path: Path, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.path = path
        self.lines: list[str] = []
        self._seen: Counter[str] = Counter()
        self._lock = threading.Lock()
        self._log = logging.Logger("fairmargin.incidents")
        try:
            path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
            handler: logging.Handler = _PrivateLog(path, maxBytes=LOG_BYTES, backupCount=LOG_FILES - 1, delay=True)
        except OSError:
            handler = logging.NullHandler()
        handler.setFormatter(logging.Formatter("%(asctime)s %(levelname)s %(message)s"))
        self._log.addHandler(handler)

    def install(self) -> None:
        """Become the end of every path that an unexpected error takes."""
        sys.excepthook = self.exception
        sys.unraisablehook = lambda u: self.exception(u.exc_type, u.exc_value, u.exc_traceback)
        threading.excepthook = lambda a: self.exception(a.exc_type, a.exc_value, a.exc_traceback)
        qInstallMessageHandler(self.toolkit)

    def exception(self, kind: type[BaseException], error: BaseException | None, tb: TracebackType | None) -> None:
        """Write an exception down, and tell of it."""
        if issubclass(kind, KeyboardInterrupt):
            sys.__excepthook__(kind, error or kind(), tb)
            return
        if self._write(logging.ERROR, described(kind, error, tb)):
            self.happened.emit()

    def toolkit(self, kind: QtMsgType, context: Any, message: str) -> None:
        """Write a message of the toolkit down; only the person's own log shows it."""
        level = {
            QtMsgType.QtCriticalMsg: logging.ERROR,
            QtMsgType.QtFatalMsg: logging.CRITICAL,
            QtMsgType.QtWarningMsg: logging.WARNING,
        }.get(kind, logging.INFO)
        self._write(level, f"toolkit: {masked(message)}")

    def _write(self, level: int, words: str) -> bool:
        with self._lock:
            self._seen[words] += 1
            often = self._seen[words]
            if often > OFTEN:
                return False
            stamp = f"{datetime.now():%Y-%m-%d %H:%M:%S}"
            self.lines.append(f"{stamp} {words}")
            del self.lines[:-200]
        with contextlib.suppress(Exception):  # a full disk: the window still tells
            self._log.log(level, words)
        return often == 1

    def report(self) -> str:
        """Everything a report of a fault needs, for the person to read and save."""
        head = (
            f"Fair Margin {__version__}\nPython {platform.python_version()}, Qt {qVersion()}, {platform.platform()}\n"
            f"Log file: {self.path}\n"
        )
        return head + "\n" + ("\n\n".join(self.lines) or "Nothing unexpected happened since the start.")

    def close(self) -> None:
        """Let go of the log file."""
        for handler in list(self._log.handlers):
            handler.close()
            self._log.removeHandler(handler)


class WhatHappenedDialog(QDialog):
    """The record of this session, to be read and, if the person wants, saved."""

    def __init__(self, incidents: Incidents, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("What happened")
        self.resize(760, 460)
        self._incidents = incidents
        layout = QVBoxLayout(self)
        layout.addWidget(
            label(
                "For a report of a fault: kinds of errors and places in the program. Readings, names and places are not in it, "
                "and nothing is sent anywhere.",
                "muted",
                wrap=True,
            )
        )
        self.text = Words(incidents.report())
        self.text.setReadOnly(True)
        self.text.setFont(QFontDatabase.systemFont(QFontDatabase.SystemFont.FixedFont))
        layout.addWidget(self.text, 1)
        self.words = label("", wrap=True)
        layout.addWidget(self.words)
        row = QHBoxLayout()
        row.addStretch()
        self.save = QPushButton("Save\u2026")
        self.save.clicked.connect(self._ask)
        close = QPushButton("Close")
        close.clicked.connect(self.accept)
        row.addWidget(self.save)
        row.addWidget(close)
        layout.addLayout(row)

    def _ask(self) -> None:
        path, _ = ask_save(self, "Save", "what-happened.txt", "Text (*.txt)")
        if path:
            self.save_to(Path(path))

    def save_to(self, path: Path) -> None:
        """Write the record to a file."""
        try:
            path.write_text(self._incidents.report() + "\n", encoding="utf-8")
        except OSError as error:
            self.words.setText(f"{path}: cannot be written: {error.strerror or error}")
            return
        self.words.setText(f"Saved as {path}.")

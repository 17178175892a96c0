"""Starting the application."""

from __future__ import annotations

import os
import signal
import sys
from importlib import resources
from pathlib import Path
from typing import Final

from PySide6.QtCore import QSettings, Qt, QTimer
from PySide6.QtGui import QGuiApplication, QIcon, QPixmap
from PySide6.QtWidgets import QApplication

from fairmargin.desktop.commands.sizing import come_back
from fairmargin.desktop.state.background import warm_up
from fairmargin.desktop.state.session import Session
from fairmargin.desktop.system import memory, size
from fairmargin.desktop.system.incidents import Incidents
from fairmargin.desktop.system.paths import config_folder, data_folder, log_path, settings_path
from fairmargin.desktop.system.permissions import keep_private
from fairmargin.desktop.theme import font, load_fonts, theme
from fairmargin.desktop.widgets.drawn import tell_roles
from fairmargin.desktop.window import MainWindow
from fairmargin.logbook import default_path
from fairmargin.logbook.store import SUFFIX

#: By then the window stands, and what the first study needs is loaded beside it.
SETTLED_MS: Final = 3000
#: What the first study needs and the list of studies does not, in the order in which it is wanted.
FIRST_WANTED: Final = (
    "fairmargin.core.analysis",
    "fairmargin.desktop.stage_progress",
    *(
        f"fairmargin.desktop.stages.{stage}"
        for stage in ("drive", "verdict", "question", "plan", "correct", "use", "examine")
    ),
    "pyqtgraph",  # draws Examine's charts; makes no widget and no picture of its own when it is loaded
)


def settings() -> QSettings:
    """Return the person's settings, an INI file by the XDG rules."""
    return QSettings(str(settings_path()), QSettings.Format.IniFormat)


def make_application(arguments: list[str]) -> QApplication:
    """Make the Qt application with fonts, icon and colours."""
    application = QApplication(arguments)
    application.setApplicationName("fairmargin")
    application.setApplicationDisplayName("Fair Margin")
    application.setDesktopFileName("fairmargin")
    application.setStyle("Fusion")
    # The screens are in English; what is drawn by hand reads from left to right. Names may be in any script.
    application.setLayoutDirection(Qt.LayoutDirection.LeftToRight)
    load_fonts()
    application.setFont(font(13))
    icon = QPixmap()
    icon.loadFromData((resources.files("fairmargin.desktop") / "data" / "fairmargin.svg").read_bytes())
    application.setWindowIcon(QIcon(icon))
    tell_roles()
    return application


def follow_desktop() -> None:
    """Restyle when the desktop turns light or dark."""
    hints = QGuiApplication.styleHints()
    if hints is not None:
        hints.colorSchemeChanged.connect(
            lambda _scheme: theme.choose(theme.choice) if theme.choice == "desktop" else None
        )


def has_display() -> bool:
    """Whether there is anywhere to draw."""
    return bool(os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY") or os.environ.get("QT_QPA_PLATFORM"))


def run(path: str | None, demo: bool = False) -> int:
    """Open the window on a logbook, a package, the demo, or the person's own logbook."""
    if not has_display():
        print(
            "fairmargin: no display here. With a virtual one: xvfb-run -s '-screen 0 1280x800x24' fairmargin",
            file=sys.stderr,
        )
        return 2
    os.umask(0o077)
    keep_private([data_folder(), config_folder()])
    kept = settings()
    os.environ.update(size.prepare(kept))
    application = make_application(sys.argv[:1])
    if size.desktop_changed(kept):
        size.start_anew()
    incidents = Incidents(log_path(), application)
    incidents.install()
    signal.signal(signal.SIGINT, signal.SIG_DFL)
    theme.choose(str(kept.value("theme", "desktop")))
    follow_desktop()
    session = Session(kept)
    window = MainWindow(session, incidents)
    window.show()
    QTimer.singleShot(0, window, lambda: open_first(window, path, demo))
    QTimer.singleShot(SETTLED_MS, memory.settle)
    QTimer.singleShot(100, lambda: warm_up(FIRST_WANTED))
    QTimer.singleShot(600, window, lambda: offer_guide(window))
    return application.exec()


def offer_guide(window: MainWindow) -> None:
    """Say once, at the first start, that there is a guide; never over what else is told."""
    kept = window.session.settings
    if not kept.value("guide/offered") and not window.notice.isVisible():
        kept.setValue("guide/offered", "yes")
        window.tell("New here? Ctrl+F1 opens the guide at what you look at, F1 lists every key.")


def open_first(window: MainWindow, path: str | None, demo: bool) -> None:
    """Open what was asked for; what cannot be opened is told, and the own logbook opened instead."""
    if come_back(window, window.session.settings):
        return
    if demo:
        if path is None:
            window.logbooks.open_demo()
            return
        from fairmargin.demo import make_demo_logbook
        from fairmargin.exchange.files.faults import InvalidInput

        try:
            make_demo_logbook(path)
        except InvalidInput as fault:
            window.session.open_logbook(default_path())
            window.tell(str(fault))
            return
    if path is None:
        window.session.open_logbook(default_path())
        return
    target = Path(path)
    is_package = target.is_dir() or target.suffix.lower() == ".zip" or target.name == "study.json"
    if is_package:
        window.session.open_logbook(default_path())
        window.packages.import_from(target)
    elif not target.exists() and target.suffix != SUFFIX:
        window.session.open_logbook(default_path())
        window.tell(f"{path}: there is no such file. Your own logbook is open instead.")
    elif not window.session.open_logbook(target):
        words = window.notice_text.text()
        window.session.open_logbook(default_path())
        window.tell(words)

"""The menus: every command with its words and keys; the finder offers the same."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING, Protocol

from PySide6.QtCore import QObject
from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QMenu

from fairmargin.desktop.commands.helping import Helping
from fairmargin.desktop.commands.intake import Intake
from fairmargin.desktop.commands.logbooks import Logbooks
from fairmargin.desktop.commands.packages import Packages
from fairmargin.desktop.commands.printing import Printing
from fairmargin.desktop.commands.sizing import Sizing
from fairmargin.desktop.shell import Shell
from fairmargin.desktop.widgets.inputs import PROGRAM_KEYS, REDO, UNDO
from fairmargin.desktop.widgets.stage_rail import STAGES

if TYPE_CHECKING:
    from fairmargin.core.result.types import View

VIEWS: tuple[tuple[str, View], ...] = (
    ("Reference conditions", "reference"),
    ("Mean of the study", "study-mean"),
    ("As measured", "as-measured"),
)
#: Pages of Home beside the list.
HOME_PAGES: tuple[tuple[str, str], ...] = (
    ("What studies say &together", "together"),
    ("&Vehicles and roads", "vehicles"),
    ("&Practice", "practice"),
)


class Commands(Protocol):
    """The window's own commands, as the menus call them."""

    helping: Helping
    logbooks: Logbooks
    packages: Packages
    intake: Intake
    sizing: Sizing
    printing: Printing

    def new_study(self) -> None:
        """See the window."""

    def take_off(self) -> None:
        """See the window."""

    def paste(self) -> None:
        """See the window."""

    def drive_full(self) -> None:
        """See the window."""

    def go_home(self, page: str = "studies") -> None:
        """See the window."""

    def find_anything(self) -> None:
        """See the window."""

    def choose_units(self) -> None:
        """See the window."""

    def cycle_theme(self) -> None:
        """See the window."""

    def ask(self) -> None:
        """See the window."""

    def drive_now(self) -> bool:
        """See the window."""

    def add_run(self, baseline: bool) -> None:
        """See the window."""

    def more_fields(self) -> None:
        """See the window."""

    def on_the_road(self, what: str) -> None:
        """See the window."""


class Menus(QObject):
    """The menu bar of a window, and its commands by name."""

    def __init__(self, window: Shell, own: Commands) -> None:
        super().__init__(window)
        self.window, self.own = window, own
        self.commands: list[tuple[str, Callable[[], object]]] = []
        self._logbook()
        self._study()
        self._road()
        self._edit()
        self._go()
        self._view()
        self._help()

    def _menu(self, words: str) -> QMenu:
        menu = self.window.menuBar().addMenu(words)
        assert isinstance(menu, QMenu)
        return menu

    def _add(self, menu: QMenu, words: str, run: Callable[[], object], *keys: str) -> QAction:
        action = QAction(words, self.window)
        action.setShortcuts([QKeySequence(k) for k in keys])
        PROGRAM_KEYS.update(keys)

        def begin(_checked: bool = False) -> None:
            self.window.store_typing()  # a command works on what is seen
            run()

        action.triggered.connect(begin)
        menu.addAction(action)
        self.commands.append((words.replace("&", "").replace("\u2026", ""), run))
        return action

    def _logbook(self) -> None:
        menu = self._menu("&Logbook")
        self._add(menu, "&Open\u2026", self.own.logbooks.choose_logbook, "Ctrl+O")
        self.recent = menu.addMenu("&Recent")
        self._add(menu, "My &own logbook", self.own.logbooks.open_default)
        self._add(menu, "&Demo logbook", self.own.logbooks.open_demo)
        self._add(menu, "&Earlier copies\u2026", self.own.logbooks.show_copies)
        menu.addSeparator()
        self._add(menu, "&Quit", self.window.close, "Ctrl+Q")

    def _study(self) -> None:
        packages, intake, menu = self.own.packages, self.own.intake, self._menu("&Study")
        self.new_action = self._add(menu, "&New\u2026", self.own.new_study, "Ctrl+N")
        self._add(menu, "&Import a package\u2026", packages.import_package, "Ctrl+I")
        self._add(menu, "Import a package &folder\u2026", packages.import_folder)
        self._add(menu, "&Bring in another laptop's readings\u2026", packages.merge_package)
        self._add(menu, "&Export as a package\u2026", packages.export_package, "Ctrl+E")
        self._add(menu, "&Report\u2026", packages.write_report, "Ctrl+R")
        self._add(menu, "Result &card\u2026", packages.write_card, "Ctrl+Shift+R")
        self._add(menu, "&Print\u2026", self.own.printing.ask, "Ctrl+P")
        self._add(menu, "Save legs and corrections\u2026", packages.write_table)
        self._add(menu, "&Take off the list", self.own.take_off)
        menu.addSeparator()
        self._add(menu, "Add a &baseline run", lambda: self.own.add_run(True), "Ctrl+Shift+B")
        self._add(menu, "Add a &trial run", lambda: self.own.add_run(False), "Ctrl+Shift+A")
        self._add(menu, "&More fields on every leg", self.own.more_fields, "Ctrl+M")
        self._add(menu, "&Paste legs\u2026", self.own.paste, "Ctrl+Shift+V")
        self._add(menu, "Bring &readings in\u2026", intake.bring_in, "Ctrl+Shift+I")
        self._add(menu, "&Weather reports\u2026", lambda: intake.bring_weather(""))
        self._add(menu, "&Charging receipts\u2026", lambda: intake.bring_receipts(""))

    def _road(self) -> None:
        menu = self._menu("On the &road")
        self._add(menu, "&Drive now", self.own.drive_now, "Ctrl+D")
        self._add(menu, "&Full screen", self.own.drive_full, "F11")
        self._add(menu, "&Instruments\u2026", lambda: self.own.on_the_road("choose_instruments"), "Ctrl+Shift+J")
        self._add(menu, "&Rehearse the day\u2026", lambda: self.own.on_the_road("choose_rehearsal"))

    def _edit(self) -> None:
        stack = self.window.session.undo
        undo, redo = stack.createUndoAction(self.window, "Undo"), stack.createRedoAction(self.window, "Redo")
        for action, keys in ((undo, UNDO), (redo, REDO)):
            action.setShortcut(QKeySequence(keys))
            PROGRAM_KEYS.add(keys)
        self._menu("&Edit").addActions([undo, redo])
        self.commands += [("Undo", stack.undo), ("Redo", stack.redo)]

    def _go(self) -> None:
        menu = self._menu("&Go")
        self._add(menu, "All &studies", self.own.go_home, "Ctrl+0")
        for words, page in HOME_PAGES:
            self._add(menu, words, partial(self.own.go_home, page))
        for i, name in enumerate(STAGES, start=1):
            self._add(menu, f"&{i}  {name.capitalize()}", partial(self.window.go_to, name), f"Ctrl+{i}")
        self._add(menu, "&Answer a question", self.own.ask, "Ctrl+Shift+Q")
        self._add(menu, "&Find anything\u2026", self.own.find_anything, "Ctrl+K")

    def _view(self) -> None:
        menu = self._menu("&View")
        self._add(menu, "&Units\u2026", self.own.choose_units, "Ctrl+U")
        self._add(menu, "&Light, dark, or like the desktop", self.own.cycle_theme, "Ctrl+Shift+D")
        self._add(menu, "L&arger", self.own.sizing.larger, "Ctrl++", "Ctrl+=")
        self._add(menu, "&Smaller", self.own.sizing.smaller, "Ctrl+-")
        self._add(menu, "As large as the &desktop's type", self.own.sizing.as_it_was, "Ctrl+Shift+0")
        for words, view in VIEWS:
            self._add(menu, f"Corrected to: {words}", partial(self.window.session.set_view, view))

    def _help(self) -> None:
        menu = self._menu("&Help")
        self._add(menu, "&Guide", self.own.helping.show_guide, "Ctrl+F1")
        self._add(menu, "&Keys", self.own.helping.show_keys, "F1")
        self._add(menu, "&What happened\u2026", self.own.helping.show_what_happened)
        self._add(menu, "&About", self.own.helping.about)

    def fill_recent(self) -> None:
        """List the logbooks opened lately."""
        self.recent.clear()
        for path in self.window.session.recent():
            action = self.recent.addAction(path)
            action.triggered.connect(lambda _=False, p=path: self.own.logbooks.open_existing(p))
        self.recent.setEnabled(not self.recent.isEmpty())

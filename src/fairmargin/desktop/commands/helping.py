"""Help from the menu: the guide, the keys, what happened, what this is."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QMenu

from fairmargin.desktop.shell import Shell
from fairmargin.desktop.system.incidents import Incidents, WhatHappenedDialog

if TYPE_CHECKING:
    from fairmargin.desktop.dialogs.guide import GuideDialog


class Helping(QObject):
    """Commands that explain.

    Parameters
    ----------
    window : Shell
    in_sight : callable
        What one looks at: home, a stage, or the road.
    incidents : Incidents
    """

    def __init__(self, window: Shell, in_sight: Callable[[], str], incidents: Incidents) -> None:
        super().__init__(window)
        self.window, self._in_sight, self._incidents = window, in_sight, incidents
        self.guide: GuideDialog | None = None

    def show_guide(self) -> None:
        """Show the guide beside the work, at what is in sight."""
        from fairmargin.desktop.dialogs.guide import GuideDialog

        if self.guide is None:
            self.guide = GuideDialog(self.window)
        self.guide.show()
        self.guide.raise_()
        self.guide.open_at(self._in_sight())

    def show_keys(self) -> None:
        """Show the sheet of keys."""
        from fairmargin.desktop.dialogs.forms import KeysDialog

        KeysDialog(self.menus(), self.window).exec()

    def menus(self) -> list[QMenu]:
        """The menus of the bar, in their order."""
        found = [action.menu() for action in self.window.menuBar().actions()]
        return [menu for menu in found if isinstance(menu, QMenu)]

    def show_what_happened(self) -> None:
        """Show the record of what nobody expected."""
        dialog = WhatHappenedDialog(self._incidents, self.window)
        dialog.exec()
        dialog.deleteLater()

    def about(self) -> None:
        """Say what this is."""
        from fairmargin import __version__

        self.window.tell(
            f"Fair Margin {__version__}: what a change does to a vehicle's consumption. Apache-2.0; type: Atkinson "
            "Hyperlegible Next, SIL OFL 1.1. It is not a weighbridge and no licensed trade: plates, handbook and local law come first."
        )

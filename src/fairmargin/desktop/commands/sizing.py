"""Everything larger, smaller, or as the desktop has it: the window opens anew at the same page."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path
from typing import Final

from PySide6.QtCore import QCoreApplication, QObject, QSettings

from fairmargin.desktop.shell import Shell
from fairmargin.desktop.system import size

_AGAIN: Final = "window/again"


class Sizing(QObject):
    """Commands of how large everything is drawn.

    Parameters
    ----------
    window : Shell
    in_sight : callable
        The stage in sight, or none at home.
    driving : callable
        Whether a leg is being driven: then nothing opens anew.
    """

    def __init__(self, window: Shell, in_sight: Callable[[], str | None], driving: Callable[[], bool]) -> None:
        super().__init__(window)
        self.window, self._in_sight, self._driving = window, in_sight, driving
        self.anew = size.start_anew

    def larger(self) -> None:
        """One step larger."""
        self._become(size.larger(self._wish, +1), "No larger: the window would not fit this screen.")

    def smaller(self) -> None:
        """One step smaller."""
        self._become(size.larger(self._wish, -1), "No smaller than this.")

    def as_it_was(self) -> None:
        """As large as the desktop's own type."""
        self._become(1.0, "It is as large as the desktop's own type.")

    @property
    def _wish(self) -> float:
        return size.wish(self.window.session.settings)

    def _become(self, wished: float, at_the_end: str) -> None:
        kept, now = self.window.session.settings, self._wish
        screen = self.window.screen().availableGeometry()
        grows = wished > now and wished > 1.0
        if wished == now or (grows and not size.fits(wished, now, (screen.width(), screen.height()))):
            self.window.tell(at_the_end)
        elif self._driving():
            self.window.tell("A leg is being driven: another size opens the window anew. Read the leg off first.")
        else:
            size.wish_for(kept, wished)
            self._note()
            self.window.close()  # what is typed is stored, the logbook closed
            QCoreApplication.processEvents()
            self.anew()

    def _note(self) -> None:
        """Keep what is open, for the window that comes."""
        session = self.window.session
        book = session.logbook
        where = None if book is None else str(book.path)
        stage = self._in_sight()
        session.settings.setValue(_AGAIN, json.dumps([where, session.study_id if stage else None, stage]))
        session.settings.sync()


def come_back(window: Shell, kept: QSettings) -> bool:
    """Open what was open before the size changed; whether there was anything."""
    told = kept.value(_AGAIN)
    if not told:
        return False
    kept.remove(_AGAIN)
    where, study, stage = json.loads(str(told))
    if where is None or not window.session.open_logbook(Path(where)):
        return False
    if study is not None and window.session.open_study(int(study)):
        window.go_to(stage)
    return True

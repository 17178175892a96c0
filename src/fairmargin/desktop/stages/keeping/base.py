"""What the pages of Home share: shown again only while they are in sight."""

from __future__ import annotations

from PySide6.QtWidgets import QWidget

from fairmargin.desktop.state.session import Session
from fairmargin.desktop.theme import theme


class KeepingPage(QWidget):
    """A page of Home."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self._stale = True
        session.unitsChanged.connect(self.touch)
        theme.changed.connect(self.touch)

    def touch(self) -> None:
        """Show it again now if it is in sight, else when it comes."""
        self._stale = True
        if self.isVisible():
            self._renew()

    def showEvent(self, _event: object) -> None:
        if self._stale:
            self._renew()

    def _renew(self) -> None:
        self._stale = False
        self.refresh()

    def refresh(self) -> None:
        """Show everything anew."""

"""What commands need of the window they are given from; the window itself stands above them."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QLabel, QMainWindow

from fairmargin.desktop.state.session import Session

if TYPE_CHECKING:
    from fairmargin.desktop.stages.drive import DriveStage


class Shell(QMainWindow):
    """A window with a session, a line to say things in, and stages to go to."""

    session: Session
    notice_text: QLabel

    @property
    def drive(self) -> DriveStage:
        """The Drive stage."""
        raise NotImplementedError

    def tell(self, words: str) -> None:
        """Say something at the top of the page; it stays until closed."""
        raise NotImplementedError

    def go_to(self, name: str) -> None:
        """Show a stage of the open study."""
        raise NotImplementedError

    def store_typing(self) -> None:
        """Store what is being typed as if its field had been left."""
        raise NotImplementedError

    def land(self) -> None:
        """Go to the stage where the open study's work stands."""
        raise NotImplementedError

    def import_from(self, path: Path) -> bool:
        """Add a package to the logbook and show it."""
        raise NotImplementedError

    def merge_from(self, path: Path) -> bool:
        """Merge a package into the open study."""
        raise NotImplementedError

"""Photographs and small files of one thing: shown by name, opened by a click, taken away by a cross."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtWidgets import QHBoxLayout, QPushButton, QToolButton, QWidget

from fairmargin.core.study import Study
from fairmargin.core.study.attachments import PLACES
from fairmargin.desktop.bringing.attaching import KINDS, attach, attached_to, detach, open_attached
from fairmargin.desktop.state.session import Session
from fairmargin.desktop.widgets.basics import as_tip, clear
from fairmargin.desktop.widgets.files import ask_open


class AttachedRow(QWidget):
    """What is attached to the study, the load or a tyre plate, and a button for more."""

    def __init__(self, session: Session, of: str) -> None:
        super().__init__()
        self.session, self.of = session, of
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        self._files = QHBoxLayout()
        self._files.setSpacing(4)
        self.add = QPushButton(f"Attach to {PLACES[of]}\u2026")
        self.add.setToolTip("A photograph, a plate, a receipt: kept with the study, in small")
        self.add.clicked.connect(self._choose)
        row.addWidget(self.add)
        row.addLayout(self._files)
        row.addStretch()
        self._shown: object = None

    def refresh(self, study: Study) -> None:
        """Show what is attached."""
        own = attached_to(study, self.of)
        self.add.setEnabled(not self.session.read_only)
        if self._shown == own:
            return
        self._shown = own
        clear(self._files)
        for item in own:
            button = QPushButton(item.file)
            button.setObjectName("link")
            button.setToolTip(as_tip(item.note or "Open a copy"))
            button.clicked.connect(lambda _=False, file=item.file: open_attached(self.session, file))
            self._files.addWidget(button)
            gone = QToolButton()
            gone.setText("\u00d7")
            gone.setAccessibleName(f"Remove {item.file}")
            gone.clicked.connect(lambda _=False, file=item.file: detach(self.session, file))
            self._files.addWidget(gone)

    def _choose(self) -> None:
        choose_for(self, self.session, self.of)


def choose_for(parent: QWidget, session: Session, of: str) -> None:
    """Ask for a file and attach it."""
    path = ask_open(parent, "Attach", KINDS)
    if path:
        attach(session, Path(path), of)

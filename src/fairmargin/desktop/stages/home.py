"""Home: the studies of the logbook, or a first step when there are none."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QFrame, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from fairmargin.desktop.session import Session
from fairmargin.desktop.stages.keeping.listing import StudyList
from fairmargin.desktop.theme import theme
from fairmargin.desktop.widgets.basics import Elided, as_tip, label
from fairmargin.desktop.widgets.charts import OrderStrip
from fairmargin.logbook import LogbookFault

#: The day the first screen draws.
_DAY = ((None, "baseline"), (0, "trial"), (0, "trial"), (None, "baseline"))


class HomePage(QWidget):
    """The list of studies."""

    newStudy = Signal()
    importPackage = Signal()
    openDemo = Signal()
    studyChosen = Signal(int)

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("page")
        self.session = session
        self._stale = True
        page = QVBoxLayout(self)
        page.setContentsMargins(24, 16, 24, 16)
        page.setSpacing(12)
        head = QHBoxLayout()
        head.addWidget(label("Studies", "title"))
        self.where = Elided()
        self.where.setMinimumWidth(50)
        head.addWidget(self.where, 1, Qt.AlignmentFlag.AlignBottom)
        self.bring = QPushButton("Import a package\u2026")
        self.bring.clicked.connect(self.importPackage)
        head.addWidget(self.bring)
        self.new = QPushButton("New study\u2026")
        self.new.setObjectName("primary")
        self.new.clicked.connect(self.newStudy)
        head.addWidget(self.new)
        page.addLayout(head)
        self.list = StudyList()
        self.list.chosen.connect(self.studyChosen)
        self.list.removed.connect(session.remove_study)
        page.addWidget(self.list, 1)
        self.empty = self._empty()
        page.addWidget(self.empty)
        self._room = QWidget()
        page.addWidget(self._room, 1)
        self.legend = label(
            "Bars: effect of the trial on consumption, \u221212 % to +12 % of baseline, arrows beyond; the line is no difference. "
            "Delete takes a study off the list.",
            "muted",
        )
        page.addWidget(self.legend)
        session.studiesChanged.connect(self.touch)
        session.logbookChanged.connect(self.touch)
        theme.changed.connect(self.list.viewport().update)

    def showEvent(self, _event: object) -> None:
        if self._stale:
            self.refresh()

    def touch(self) -> None:
        """Read the list again now if it is in sight, else when it comes."""
        self._stale = True
        if self.isVisible():
            self.refresh()

    def refresh(self) -> None:
        """Read the list from the logbook."""
        book = self.session.logbook
        if book is None:
            return
        self._stale = False
        self.where.setText(f"{book.path.name}{' (reading only)' if book.read_only else ''}")
        self.where.setToolTip(as_tip(str(book.path)))
        for button in (self.new, self.bring):
            button.setEnabled(not book.read_only)
        self.list.may_remove = not book.read_only
        healed = len(book.healed)
        try:
            entries = book.studies()
        except LogbookFault as fault:
            self.session.failed.emit(str(fault))
            return
        if len(book.healed) > healed:
            self.session.failed.emit(" ".join(book.healed[healed:]))
        self.list.show_entries(entries)
        for part, seen in (
            (self.list, bool(entries)),
            (self.legend, bool(entries)),
            (self.empty, not entries),
            (self._room, not entries),
        ):
            part.setVisible(seen)

    def _empty(self) -> QWidget:
        frame = QFrame()
        frame.setObjectName("panel")
        layout = QVBoxLayout(frame)
        layout.setContentsMargins(32, 28, 32, 28)
        layout.setSpacing(10)
        layout.addWidget(label("What did that change do to your consumption?", "title"))
        layout.addWidget(
            label(
                "A study is one question: with the wheel discs or without, these tyres or those, loaded or empty. Drive both "
                "there and back on one day, A-B-B-A, type what the car shows, and see the effect of the change alone, with "
                "its margin.",
                wrap=True,
            )
        )
        strip = OrderStrip()
        strip.show_runs([(f"run {i + 1}", trial, word, "") for i, (trial, word) in enumerate(_DAY)])
        layout.addWidget(strip)
        row = QHBoxLayout()
        first = QPushButton("Start your first study")
        first.setObjectName("primary")
        first.clicked.connect(self.newStudy)
        row.addWidget(first)
        demo = QPushButton("Look at finished ones first")
        demo.clicked.connect(self.openDemo)
        row.addWidget(demo)
        row.addStretch()
        layout.addLayout(row)
        return frame

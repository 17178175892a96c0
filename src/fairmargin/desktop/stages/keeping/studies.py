"""The studies of the logbook: searched, grouped, sorted, tagged, put aside; or a first step when there are none."""

from __future__ import annotations

from typing import cast

from PySide6.QtCore import Signal
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import QCheckBox, QFrame, QHBoxLayout, QInputDialog, QPushButton, QVBoxLayout, QWidget

from fairmargin.core.study.entry import words_of
from fairmargin.core.words import signed
from fairmargin.desktop.commands.study_list import put_aside, read_tags, tag
from fairmargin.desktop.stages.keeping.base import KeepingPage
from fairmargin.desktop.stages.keeping.listing import StudyList
from fairmargin.desktop.state.session import Session
from fairmargin.desktop.state.upkeep import Upkeep
from fairmargin.desktop.theme import theme
from fairmargin.desktop.widgets.basics import label, show_choice
from fairmargin.desktop.widgets.charts import OrderStrip
from fairmargin.desktop.widgets.inputs import Choice, Line
from fairmargin.logbook import LogbookFault, StudyEntry
from fairmargin.logbook.arrange import GROUPS, SORTS, Arrangement, Group, Sort, arrange

#: The day the first screen draws.
_DAY = ((None, "baseline"), (0, "trial"), (0, "trial"), (None, "baseline"))
KEEPS = "home/"  # of the settings


class StudiesPage(KeepingPage):
    """The list of studies."""

    newStudy = Signal()
    openDemo = Signal()
    studyChosen = Signal(int)

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(session, parent)
        self.setObjectName("page")
        self._every: list[StudyEntry] = []
        self.upkeep = Upkeep(session)
        page = QVBoxLayout(self)
        page.setContentsMargins(0, 0, 0, 0)
        page.setSpacing(10)
        self.tools = self._tools()
        page.addWidget(self.tools)
        self.list = StudyList()
        self.list.chosen.connect(self.studyChosen)
        self.list.removed.connect(session.remove_study)
        self.list.putAside.connect(lambda i, title, aside: put_aside(session, i, title, aside))
        self.list.tagging.connect(self.ask_tags)
        page.addWidget(self.list, 1)
        self.nothing = label("", "muted", wrap=True)
        page.addWidget(self.nothing)
        self.empty = self._empty()
        page.addWidget(self.empty)
        self._room = QWidget()
        page.addWidget(self._room, 1)
        self.legend = label("", "muted", wrap=True)
        page.addWidget(self.legend)
        session.studiesChanged.connect(self.touch)
        session.logbookChanged.connect(self.touch)
        self.upkeep.progressed.connect(self._tell_upkeep)
        theme.changed.connect(self.list.viewport().update)

    def _tools(self) -> QWidget:
        """Search, group, sort, what was put aside."""
        holder = QWidget()
        row = QHBoxLayout(holder)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(10)
        self.search = Line()
        self.search.setPlaceholderText("Search titles, notes, vehicles, roads, tags (Ctrl+F)")
        self.search.setAccessibleName("Search studies")
        self.search.setClearButtonEnabled(True)
        self.search.textChanged.connect(self._arrange)
        self.search.returnPressed.connect(self.list_first)
        row.addWidget(self.search, 1)
        self.group, self.sort = Choice(), Choice()
        for words, box, choices, kept in (
            ("Group by", self.group, GROUPS, "group"),
            ("Sort by", self.sort, SORTS, "sort"),
        ):
            row.addWidget(label(words, "muted"))
            box.setAccessibleName(words)
            box.addItems(list(choices))
            show_choice(box, self._kept(kept, choices))
            box.currentTextChanged.connect(lambda text, k=kept: self._choose(k, text))
            row.addWidget(box)
        self.aside = QCheckBox("Put aside")
        self.aside.setToolTip("Show the studies that were put aside, and only those")
        self.aside.toggled.connect(self._arrange)
        row.addWidget(self.aside)
        find = QShortcut(QKeySequence("Ctrl+F"), self)
        find.activated.connect(self._find)
        return holder

    def _find(self) -> None:
        self.search.setFocus()
        self.search.selectAll()

    def _kept(self, name: str, choices: tuple[str, ...]) -> str:
        value = str(self.session.settings.value(KEEPS + name, choices[0]))
        return value if value in choices else choices[0]

    def _choose(self, name: str, text: str) -> None:
        self.session.settings.setValue(KEEPS + name, text)
        self._arrange()

    def list_first(self) -> None:
        """Go to the list, from the search."""
        if self.list.entries:
            self.list.setFocus()

    def showEvent(self, event: object) -> None:
        super().showEvent(event)
        self.upkeep.soon()

    def refresh(self) -> None:
        """Read the list from the logbook."""
        book = self.session.logbook
        if book is None:
            return
        self.list.may_remove = not book.read_only
        healed = len(book.healed)
        try:
            self._every = book.studies()
        except LogbookFault as fault:
            self.session.failed.emit(str(fault))
            return
        if len(book.healed) > healed:
            self.session.failed.emit(" ".join(book.healed[healed:]))
        self._arrange()

    def _arrange(self) -> None:
        """Show what is asked for."""
        every = self._every
        aside = sum(e.archived for e in every)
        self.aside.setText(f"Put aside ({aside})" if aside else "Put aside")
        self.aside.setEnabled(bool(aside) or self.aside.isChecked())
        how = Arrangement(
            self.search.text(),
            cast(Group, self.group.currentText()),
            cast(Sort, self.sort.currentText()),
            self.aside.isChecked(),
        )
        rows = arrange(every, how)
        self.list.show_entries(rows, self.session.own_units)
        low, high = self.list.list_model.reach
        self.legend.setText(
            f"Bars: effect of the trial, {signed(low, 0)} % to {signed(high, 0)} % of the baseline's consumption, arrows beyond; the "
            "upright line is no difference. The menu of a study (right button) has tags, put aside, take off the list."
        )
        self.nothing.setText("" if rows else "No study is like that." if every else "")
        for part, seen in (
            (self.tools, bool(every)),
            (self.list, bool(rows)),
            (self.nothing, bool(every) and not rows),
            (self.legend, bool(rows)),
            (self.empty, not every),
            (self._room, not rows),
        ):
            part.setVisible(seen)

    def _tell_upkeep(self) -> None:
        """Say that lines are being brought up to date."""
        if self.upkeep.waiting:
            count = self.upkeep.waiting
            self.legend.setText(f"{count} stud{'ies are' if count != 1 else 'y is'} being analysed again\u2026")
        elif self._every:
            self._arrange()

    def ask_tags(self, study_id: int) -> None:
        """Ask for a study's tags."""
        entry = next((e for e in self._every if e.id == study_id), None)
        if entry is None:
            return
        text, done = QInputDialog.getText(self, "Tags", "Tags, between commas:", text=", ".join(entry.about.tags))
        if not done:
            return
        try:
            tag(self.session, study_id, read_tags(text))
        except ValueError as error:
            self.session.failed.emit(words_of(error))

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
        strip.show_runs([(f"run {i + 1}", (trial,), word, "") for i, (trial, word) in enumerate(_DAY)])
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

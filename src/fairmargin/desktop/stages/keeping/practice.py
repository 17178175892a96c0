"""Practice: a case with a hidden flaw; say verdict, flaw and an interval, then see the truth, and how well your intervals hold."""

from __future__ import annotations

import json
from dataclasses import replace
from datetime import datetime
from typing import cast

import numpy as np
from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QFont
from PySide6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QHeaderView,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from fairmargin.core.memory.practice import (
    FLAWS,
    VERDICTS,
    Answer,
    Beside,
    FlawName,
    answer_to,
    as_record,
    calibration,
    first_answers,
    from_record,
    over_time,
)
from fairmargin.core.result.verdict import VerdictWord
from fairmargin.core.study.entry import words_of
from fairmargin.core.units import UnitChoice, read_in
from fairmargin.desktop.stages.base import Field
from fairmargin.desktop.stages.keeping.base import KeepingPage
from fairmargin.desktop.state.background import Background
from fairmargin.desktop.state.session import Session
from fairmargin.desktop.widgets.basics import as_tip, label, named_choice, panel, scrolling
from fairmargin.desktop.widgets.decimals import typed_here
from fairmargin.desktop.widgets.keeping.calibration import CalibrationChart, TruthBar
from fairmargin.desktop.widgets.tables import Table
from fairmargin.exchange.words.practice import answer_lines, case_columns, case_rows, case_words
from fairmargin.logbook import LogbookFault
from fairmargin.practice import Case, generated, shipped
from fairmargin.simulation.sealed import PRACTICE

FIGURES = {"set off", "driven", "km", "mi", "shown", "unspoilt", "air", "wind", "tyres"}  # columns set to the right
UNSAID = "say what you think"


class PracticePage(KeepingPage):
    """Cases at the left, the one in hand at the right, and what all answers say of the tester below."""

    studyChosen = Signal(int)

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(session, parent)
        self._beside = Background(self)
        self.cases: list[Case] = []
        self.case: Case | None = None
        self.answers: list[Answer] = []
        self._shown: Answer | None = None
        page = QHBoxLayout(self)
        page.setContentsMargins(0, 0, 0, 0)
        page.setSpacing(12)
        left = QVBoxLayout()
        self.list = QListWidget()
        self.list.setAccessibleName("Practice cases")
        self.list.setFixedWidth(150)
        self.list.currentRowChanged.connect(self._choose)
        left.addWidget(self.list, 1)
        self.another = QPushButton("One from chance")
        self.another.clicked.connect(self._from_chance)
        left.addWidget(self.another)
        page.addLayout(left)
        inner = QWidget()
        self.body = QVBoxLayout(inner)
        self.body.setContentsMargins(0, 0, 8, 0)
        self.body.setSpacing(12)
        page.addWidget(scrolling(inner), 1)
        self._lay_case()
        self._lay_answer()
        self._lay_truth()
        frame, box = panel()
        box.addWidget(label("How well your intervals hold", "heading"))
        self.told = label("", wrap=True)
        box.addWidget(self.told)
        self.chart = CalibrationChart()
        box.addWidget(self.chart)
        self.body.addWidget(frame)
        self.body.addStretch()
        session.logbookChanged.connect(self.touch)

    # ------------------------------------------------------------ building

    def _lay_case(self) -> None:
        frame, box = panel()
        self.title = label("", "heading")
        box.addWidget(self.title)
        self.question = label("", "muted", wrap=True)
        box.addWidget(self.question)
        self.table = Table(0, 0, "What was noted")
        self.table.setShowGrid(False)
        self.table.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        box.addWidget(self.table)
        self.body.addWidget(frame)

    def _lay_answer(self) -> None:
        self.answer_frame, box = panel()
        box.addWidget(label("What do you say?", "heading"))
        row = QHBoxLayout()
        holder, self.verdict = named_choice("Verdict", (UNSAID, *VERDICTS), lambda _: None)
        row.addWidget(holder)
        holder, self.flaw = named_choice("What is wrong with it", (), lambda _: None)
        self.flaw.addItem(UNSAID)
        self.flaw.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.flaw.setMinimumContentsLength(12)
        self.verdict.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.verdict.setMinimumContentsLength(14)
        for key, words in FLAWS.items():
            self.flaw.addItem(words, key)
        row.addWidget(holder, 1)
        box.addLayout(row)
        row = QHBoxLayout()
        self.low = Field("You are 80 % sure: from", self._kept, unit="%", width=90)
        self.high = Field("to", self._kept, unit="%", width=90)
        row.addWidget(self.low)
        row.addWidget(self.high)
        row.addStretch()
        self.show_truth = QPushButton("Show the truth")
        self.show_truth.setObjectName("primary")
        self.show_truth.clicked.connect(self._answer)
        row.addWidget(self.show_truth, 0, Qt.AlignmentFlag.AlignBottom)
        box.addLayout(row)
        self.fault = label("", "fault", wrap=True)
        self.fault.hide()
        box.addWidget(self.fault)
        box.addWidget(
            label(
                "The effect of the change alone, in per cent of the baseline's consumption; + is more. Eight intervals in ten should hold it.",
                "muted",
                wrap=True,
            )
        )
        self.body.addWidget(self.answer_frame)

    def _lay_truth(self) -> None:
        self.truth_frame, box = panel()
        box.addWidget(label("The truth", "heading"))
        self.bar = TruthBar()
        box.addWidget(self.bar)
        self.truth = label("", wrap=True)
        box.addWidget(self.truth)
        row = QHBoxLayout()
        self.next = QPushButton("Next case")
        self.next.setObjectName("primary")
        self.next.clicked.connect(self._next)
        row.addWidget(self.next)
        self.as_study = QPushButton("Look at it as a study")
        self.as_study.setToolTip("Put it into the logbook as a rehearsal: nothing is learned from it")
        self.as_study.clicked.connect(self._open)
        row.addWidget(self.as_study)
        row.addStretch()
        box.addLayout(row)
        self.body.addWidget(self.truth_frame)

    def _kept(self, text: str) -> None:
        if text:
            read_in(text, "%")

    # ------------------------------------------------------------ showing

    def refresh(self) -> None:
        """Read the cases and the answers."""
        book = self.session.logbook
        self.answers = []
        for body in [] if book is None else book.practice():
            try:
                self.answers.append(from_record(json.loads(body)))
            except (ValueError, TypeError, KeyError):
                continue
        if not self.cases:
            self.cases = list(shipped())
            for case in self.cases:
                self.list.addItem(QListWidgetItem(case.id))
        self._name_cases()
        if self.list.currentRow() < 0:
            self.list.setCurrentRow(self._first_unanswered())
        else:
            self._show()
        found = calibration(self.answers)
        self.told.setText(found.words)
        self.chart.show_shares(over_time(self.answers), [a.holds for a in first_answers(self.answers)])
        self.chart.setVisible(bool(self.answers))

    def _name_cases(self) -> None:
        done = {a.case: a for a in first_answers(self.answers)}
        for i, case in enumerate(self.cases):
            item = self.list.item(i)
            a = done.get(case.id)
            mark = "" if a is None else "\u2713 " if a.well_said else "\u2022 "
            number = case.id.removeprefix("case-").lstrip("0") if case.id.startswith("case-") else case.id
            item.setText(f"{mark}{number}  {case.grade}")

    def _first_unanswered(self) -> int:
        done = {a.case for a in self.answers}
        return next((i for i, c in enumerate(self.cases) if c.id not in done), 0)

    def _choose(self, row: int) -> None:
        if 0 <= row < len(self.cases):
            self.case = self.cases[row]
            self._shown = None
            self._clear()
            self._show()

    def _clear(self) -> None:
        self.verdict.setCurrentIndex(0)
        self.flaw.setCurrentIndex(0)
        for field in (self.low, self.high):
            field.edit.clear()
            field.edit.setModified(False)
        self.fault.hide()

    def _show(self) -> None:
        """Show the case, and its truth once it was answered."""
        case = self.case
        if case is None:
            return
        study, units = case.study, self.session.own_units
        self.title.setText(f"{study.title} ({case.grade})")
        self.question.setText(
            f"What does it do to consumption? {case_words(study, units)} One thing may be wrong with it, or nothing."
        )
        given = self._shown or next((a for a in self.answers if a.case == case.id), None)
        self._fill(case, units, given is not None)
        self.answer_frame.setVisible(given is None)
        self.truth_frame.setVisible(given is not None)
        if given is not None:
            self.bar.show_answer(given)
            self.truth.setText("\n".join(answer_lines(given, study, case.solution, units)))

    def _fill(self, case: Case, units: UnitChoice, answered: bool) -> None:
        """Lay the legs out; once it was answered with what each would have shown, those that give the flaw away in bold."""
        study, solution = case.study, case.solution
        columns = case_columns(study, units, answered)
        rows = case_rows(study, units, solution.clean if answered else None)
        bold = QFont(self.table.font())
        bold.setBold(True)
        self.table.setColumnCount(len(columns))
        self.table.setHorizontalHeaderLabels(columns)
        self.table.setRowCount(len(rows))
        for i, row in enumerate(rows):
            for j, text in enumerate(row):
                item = QTableWidgetItem(text)
                item.setToolTip(as_tip(text))
                if columns[j].partition(",")[0] in FIGURES:
                    item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                if answered and row[0] in solution.told_by and len(solution.told_by) < len(rows):
                    item.setFont(bold)
                self.table.setItem(i, j, item)
        if answered and (unspoilt := self.table.horizontalHeaderItem(columns.index("unspoilt"))) is not None:
            unspoilt.setToolTip("What the same display would have shown without the flaw")
        header = self.table.horizontalHeader()
        header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        header.setSectionResizeMode(len(columns) - 1, QHeaderView.ResizeMode.Stretch)
        self.table.resizeRowsToContents()
        height = header.sizeHint().height() + sum(self.table.rowHeight(i) for i in range(len(rows))) + 16
        self.table.setFixedHeight(height)

    # ------------------------------------------------------------ answering

    def _answer(self) -> None:
        """Hold what was said against the truth, and keep it."""
        case = self.case
        if case is None:
            return
        try:
            verdict, flaw = (self._said(self.verdict, "a verdict"), self._said(self.flaw, "what is wrong with it"))
            low, high = (self._number(f.edit, w) for f, w in ((self.low, "from"), (self.high, "to")))
            given = answer_to(
                case.id, case.solution, datetime.now().astimezone().isoformat(timespec="seconds"),
                cast(VerdictWord, verdict), cast(FlawName, flaw), low, high,
            )  # fmt: skip
        except ValueError as error:
            self.fault.setText(words_of(error))
            self.fault.show()
            return
        self.fault.hide()
        self.show_truth.setEnabled(False)

        def then(result: object, fault: Exception | None) -> None:
            self.show_truth.setEnabled(True)
            if fault is not None:
                self.session.failed.emit(f"What the program says of the case could not be worked out: {fault}")
            self._keep(replace(given, beside=cast(Beside | None, result)))

        self._beside.run(case.beside, then)

    def _keep(self, given: Answer) -> None:
        """Show what an answer was worth, and keep it."""
        book = self.session.logbook
        if self.case is not None and self.case.id == given.case:
            self._shown = given
        if book is not None and not book.read_only:
            try:
                book.add_practice(json.dumps(as_record(given)))
            except LogbookFault as fault:
                self.session.failed.emit(str(fault))
        self.refresh()

    def _said(self, box: QComboBox, what: str) -> str:
        if box.currentIndex() <= 0:
            raise ValueError(f"choose {what} first")
        data = box.currentData()
        return str(data) if data is not None else box.currentText()

    @typed_here()
    def _number(self, edit: QLineEdit, what: str) -> float:
        text = edit.text().strip()
        if not text:
            raise ValueError(f'your interval: "{what}" is empty; expected a per cent such as \u22124')
        return read_in(text, "%")

    def _next(self) -> None:
        """Go to the next case that has no answer."""
        row = self._first_unanswered()
        if self.cases[row].id in {a.case for a in self.answers}:
            self._from_chance()
            return
        self.list.setCurrentRow(row)

    def _from_chance(self) -> None:
        """Make a case from a seed that nobody has had."""
        seed = int(np.random.default_rng().integers(1000, 2**31))
        self.another.setEnabled(False)

        def then(result: object, fault: Exception | None) -> None:
            self.another.setEnabled(True)
            if fault is not None:
                self.session.failed.emit(f"The case could not be made: {fault}")
                return
            self.cases.append(cast(Case, result))
            self.list.addItem(QListWidgetItem(""))
            self._name_cases()
            self.list.setCurrentRow(len(self.cases) - 1)

        self._beside.run(lambda: generated(seed), then)

    def _open(self) -> None:
        """Put the case into the logbook as a rehearsal."""
        if self.case is None:
            return
        study = self.case.study
        details = {**study.plan.details, PRACTICE: self.case.id}
        added = self.session.add_study(
            study.with_(title=f"Practice: {study.title}", plan=study.plan.with_(details=details))
        )
        if added is not None:
            self.studyChosen.emit(added)

"""What every dialog that brings readings in shares: nothing is taken before it was seen and agreed to."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date, datetime
from typing import Final

import numpy as np
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QDialog, QDialogButtonBox, QHBoxLayout, QInputDialog, QVBoxLayout, QWidget

from fairmargin.core.study import Study, Trace, WeatherRow
from fairmargin.core.units.dates import Order, UndecidedDates, long_date
from fairmargin.desktop.state.session import Session
from fairmargin.desktop.widgets.basics import label
from fairmargin.desktop.widgets.inputs import Choice
from fairmargin.desktop.widgets.tables import Table
from fairmargin.exchange.meteorology.stations import read_weather

MOST_ROWS: Final = 400


def plain_table(heads: list[str], name: str) -> Table:
    """A table to look at, without row numbers."""
    made = Table(0, len(heads), name)
    made.setHorizontalHeaderLabels(heads)
    made.horizontalHeader().setStretchLastSection(True)
    return made


def day_of(study: Study) -> datetime:
    """Return the study's day: its last leg's, its plan's, else today."""
    started = [leg.started_at for leg in study.legs if leg.started_at is not None]
    if started:
        return max(started, key=lambda m: m.replace(tzinfo=None)).replace(tzinfo=None)
    if study.plan.day is not None:
        return datetime.combine(study.plan.day, study.plan.start)
    return datetime.now()


def days_of(study: Study) -> tuple[date, ...]:
    """Days on which the study was driven, or is planned: a table that may be read in two ways is most likely of these."""
    days = {leg.started_at.date() for leg in study.legs if leg.started_at is not None}
    return tuple(sorted(days | ({study.plan.day} if study.plan.day is not None else set())))


def weather_of(study: Study, text: str, order: Order = "") -> tuple[tuple[WeatherRow, ...], tuple[str, ...]]:
    """Read reports for a study: its day for those that state none, its road's height for pressures.

    Raises
    ------
    ValueError
        If the text is no weather, in words.
    """
    heights = [p.elevation_m for p in study.route if p.elevation_m is not None]
    return read_weather(
        text, day_of(study), height_m=float(np.mean(heights)) if heights else 0.0, order=order, near=days_of(study)
    )


def ask_order(parent: QWidget, fault: UndecidedDates) -> Order:
    """Ask which day a date means, in a dialog of its own; empty where nobody says."""
    words: dict[str, Order] = {long_date(fault.day_first): "day-first", long_date(fault.month_first): "month-first"}
    said, agreed = QInputDialog.getItem(parent, "Which day?", f'"{fault.text}" is', list(words), 0, editable=False)
    return words[said] if agreed else ""


class DatesChoice(QWidget):
    """The line that asks which day a date in figures means; hidden until one may be two."""

    chosen = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.order: Order = ""
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 0, 0, 0)
        self.words = label("", "caution")
        line.addWidget(self.words)
        self.box = Choice()
        self.box.setAccessibleName("Which day the dates mean")
        self.box.activated.connect(self._choose)
        line.addWidget(self.box)
        line.addStretch()
        self.hide()

    def ask(self, fault: UndecidedDates) -> None:
        """Ask, with both readings in words."""
        self.words.setText(f'"{fault.text}" is')
        self.box.clear()
        self.box.addItem("which day?", "")
        self.box.addItem(long_date(fault.day_first), "day-first")
        self.box.addItem(long_date(fault.month_first), "month-first")
        self.show()

    def _choose(self) -> None:
        order = self.box.currentData()
        if order:
            self.order = order
            self.chosen.emit()


#: What a file can be taken for, where it was not recognised as what it is.
KINDS: Final = {
    "legs": "rows of legs",
    "log": "a log of one drive",
    "weather": "weather reports",
    "receipts": "charging receipts",
}


class KindChoice(QWidget):
    """The line that says what a file is taken for, and lets another be chosen."""

    def __init__(self, dialog: QDialog, now: str) -> None:
        super().__init__(dialog)
        self.instead = ""
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 0, 0, 0)
        line.addWidget(label("This file is taken for", "muted"))
        self.box = Choice()
        self.box.setAccessibleName("What this file is")
        for key, words in KINDS.items():
            self.box.addItem(words, key)
        self.box.setCurrentIndex(list(KINDS).index(now))
        self.box.activated.connect(lambda _: self._chosen(dialog, now))
        line.addWidget(self.box)
        line.addStretch()

    def _chosen(self, dialog: QDialog, now: str) -> None:
        kind = str(self.box.currentData())
        if kind != now:
            self.instead = kind
            dialog.reject()


class BringDialog(QDialog):
    """A dialog that shows what would be taken, and takes it only when told to."""

    #: Among `KINDS`, what this dialog reads; "" where nothing else could be meant.
    KIND = ""

    def __init__(self, session: Session, title: str, agree: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(title)
        self.resize(980, 740)
        assert session.study is not None
        self.session, self.study = session, session.study
        self.after: Study | None = None
        self.traces: Mapping[str, Trace] = {}
        outer = QVBoxLayout(self)
        outer.setSpacing(10)
        self.kind_choice = KindChoice(self, self.KIND) if self.KIND else None
        if self.kind_choice is not None:
            outer.addWidget(self.kind_choice)
            self.kind_choice.hide()  # until a file is behind it
        self.page = QVBoxLayout()
        outer.addLayout(self.page, 1)
        self.dates = DatesChoice()
        self.dates.chosen.connect(self.read_again)
        outer.addWidget(self.dates)
        self.words = label("", wrap=True)
        outer.addWidget(self.words)
        self.fault = label("", "fault", wrap=True)
        self.fault.setFixedHeight(2 * self.fault.fontMetrics().height())
        outer.addWidget(self.fault)
        self.buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Cancel)
        self.take_button = self.buttons.addButton(agree, QDialogButtonBox.ButtonRole.AcceptRole)
        self.take_button.setObjectName("primary")
        self.take_button.setEnabled(False)
        self.buttons.accepted.connect(self.accept)
        self.buttons.rejected.connect(self.reject)
        outer.addWidget(self.buttons)

    def read_again(self) -> None:
        """Read what stands there, with the dates as they were said to be."""

    def refuse(self, fault: Exception) -> None:
        """Say why nothing can be taken; a date that may be two is asked about."""
        self.fault.setText(str(fault))
        if isinstance(fault, UndecidedDates):
            self.dates.ask(fault)

"""What happened on a leg: every note on a line of its own, in the person's units, to add, change or remove."""

from __future__ import annotations

from PySide6.QtWidgets import QDialog, QDialogButtonBox, QGridLayout, QPushButton, QToolButton, QVBoxLayout, QWidget

from fairmargin.core.study import EVENT_KINDS, Event, Study
from fairmargin.core.study.entry import show_number, words_of
from fairmargin.core.units import UnitChoice, read_duration_s, read_quantity, show_duration
from fairmargin.desktop.stages.base import Field
from fairmargin.desktop.widgets.basics import label
from fairmargin.desktop.widgets.decimals import typed_here
from fairmargin.desktop.widgets.inputs import Choice

#: How the kinds of notes are called.
KIND_WORDS = {
    "slow-traffic": "slow traffic, a jam",
    "following-closely": "followed closely",
    "stop": "a stop, car on",
    "overtaking": "full throttle, overtaking",
    "wrong-turn": "a wrong turn",
    "rain": "rain",
    "gust": "a gust",
    "lift-off": "lifted off before the read-off",
    "reset-doubtful": "reset doubtful",
    "other": "something else",
}


class _Line:
    """One note: kind, place, duration, speed, words; all but the kind may stay empty."""

    def __init__(self, units: UnitChoice, event: Event) -> None:
        self.units, self.event = units, event
        self.kind = Choice()
        self.kind.setAccessibleName("What happened")
        for kind in EVENT_KINDS:
            self.kind.addItem(KIND_WORDS[kind].capitalize(), kind)
        self.kind.setCurrentIndex(EVENT_KINDS.index(event.kind))
        self.at = Field(f"At, {units.distance}", lambda _text: None, tip="Where on the leg; empty: not known")
        self.lasted = Field("Lasted, min:s", lambda _text: None, tip="3, 2:30 or 90 s; empty: not known")
        self.speed = Field(f"Speed, {units.speed}", lambda _text: None, tip="How fast meanwhile; 0 for standing")
        self.words = Field("Words", lambda _text: None)
        self.at.show_text("" if event.at_km is None else show_number(units.show("distance", event.at_km), 2))
        self.lasted.show_text(show_duration(event.duration_s))
        self.speed.show_text("" if event.speed_kmh is None else show_number(units.show("speed", event.speed_kmh), 0))
        self.words.show_text(event.note)
        self.remove = QToolButton()
        self.remove.setText("Remove")
        self.gone = False

    @property
    def widgets(self) -> tuple[QWidget, ...]:
        return (self.kind, self.at, self.lasted, self.speed, self.words, self.remove)

    @typed_here()
    def read(self) -> Event:
        """The note as it stands (ValueError in words)."""
        at, lasted, speed = (f.edit.text().strip() for f in (self.at, self.lasted, self.speed))
        return self.event.with_(
            kind=str(self.kind.currentData()),
            at_km=read_quantity(at, "distance", self.units.distance) if at else None,
            duration_s=read_duration_s(lasted) if lasted else None,
            speed_kmh=read_quantity(speed, "speed", self.units.speed) if speed else None,
            note=self.words.edit.text().strip(),
        )


class NotesDialog(QDialog):
    """The notes of one leg."""

    def __init__(
        self, study: Study, leg: str, units: UnitChoice, kind: str = "", parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(f"What happened on {leg}")
        self.setMinimumWidth(760)
        self._study, self._leg, self._units = study, leg, units
        self.result_study: Study | None = None
        layout = QVBoxLayout(self)
        layout.addWidget(label(f"What happened on {leg}", "title"))
        layout.addWidget(
            label(
                "Only what it was is needed. A place and a time let it be priced; none are asked of a route.",
                "muted",
                wrap=True,
            )
        )
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(8)
        layout.addLayout(self._grid)
        self.lines: list[_Line] = []
        for event in study.events:
            if event.leg == leg:
                self._add(event)
        if kind or not self.lines:
            self._add(Event(leg=leg, kind=kind or "slow-traffic"))
        more = QPushButton("Another note")
        more.clicked.connect(lambda: self._add(Event(leg=leg, kind="other")))
        layout.addWidget(more)
        self.fault = label("", "fault", wrap=True)
        self.fault.hide()
        layout.addWidget(self.fault)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Cancel)
        self.keep = buttons.addButton("Keep these notes", QDialogButtonBox.ButtonRole.AcceptRole)
        self.keep.setObjectName("primary")
        self.keep.setDefault(True)
        buttons.accepted.connect(self._accept)
        buttons.rejected.connect(self.reject)
        layout.addWidget(buttons)

    def _add(self, event: Event) -> None:
        line = _Line(self._units, event)
        row = self._grid.rowCount()
        for column, widget in enumerate(line.widgets):
            self._grid.addWidget(widget, row, column)
        self._grid.setColumnStretch(4, 1)
        line.remove.clicked.connect(lambda: self._remove(line))
        self.lines.append(line)
        line.at.edit.setFocus()

    def _remove(self, line: _Line) -> None:
        line.gone = True
        for widget in line.widgets:
            widget.hide()

    def _accept(self) -> None:
        try:
            events = [line.read() for line in self.lines if not line.gone]
            others = [e for e in self._study.events if e.leg != self._leg]
            self.result_study = self._study.with_(events=(*others, *events))
        except ValueError as error:
            self.fault.setText(words_of(error))
            self.fault.show()
            return
        self.accept()

"""One leg on the run sheet: fields, state, what else is known of it, and how to leave it out."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from typing import Protocol, cast

from PySide6.QtCore import QObject, Qt
from PySide6.QtWidgets import (
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QMenu,
    QPushButton,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from fairmargin.core import units
from fairmargin.core.conditions.concern import Concern
from fairmargin.core.conditions.typed import INSTRUMENT_KEYS, alike, caption, doubt, leg_fields, more, show_leg_field
from fairmargin.core.study import Leg, Study
from fairmargin.core.study.entry import show_readings
from fairmargin.core.study.runs import way_words
from fairmargin.core.units import in_units
from fairmargin.desktop.bringing.attaching import attached_to, detach, open_attached
from fairmargin.desktop.dialogs.notes import KIND_WORDS
from fairmargin.desktop.stages.base import Field
from fairmargin.desktop.state.session import Session
from fairmargin.desktop.widgets.attached import choose_for
from fairmargin.desktop.widgets.basics import Elided, as_tip, label
from fairmargin.desktop.widgets.decimals import as_here


class Sheet(Protocol):
    """What a card needs of the run sheet it lies on."""

    session: Session

    def commit(self, name: str, key: str, text: str, study_id: int | None, apart: Sequence[str] = ()) -> None:
        """Store one field typed for a study; ValueError in words when it is refused.

        A text typed over a leg's readings replaces them, but for the instruments `apart`, which have fields of their own.
        """

    def confirm_reading(self, name: str, study_id: int | None) -> None:
        """Say that the instruments showed what stands there."""

    def clear_leg(self, name: str) -> None:
        """Take every reading off a leg."""

    def toggle_left_out(self, name: str) -> None:
        """Leave a leg out with a reason, or take it back in."""

    def edit_notes(self, name: str, kind: str = "") -> None:
        """Show what happened on a leg, to add, change or remove; `kind` begins a new note."""

    def comment(self, name: str) -> None:
        """Ask what there is to say now, and add it to the leg's note with the time."""

    def same_for_all(self, name: str, keys: Sequence[str]) -> None:
        """Copy fields of a leg to every other leg."""

    def change_run(self, name: str, what: str, value: str = "") -> None:
        """Remove, turn or give another configuration to the run of a leg."""

    def open_more(self, name: str, wanted: bool) -> None:
        """Show every field there is of a leg, or only those that are needed."""

    def refit(self, name: str) -> None:
        """Give a card the height that it needs now."""


#: Rows of the fields that are always open: (row, key, stretch).
_ALWAYS = (
    (0, "reading", 6), (0, "distance_km", 4), (0, "duration_s", 4), (1, "started_at", 4), (1, "temperature_c", 3),
    (1, "wind_speed_ms", 4), (1, "wind_from_deg", 3), (1, "pressure_hpa", 5), (2, "note", 2),
)  # fmt: skip


class LegCard(QFrame):
    """One leg on the sheet: fields, state, and how to leave it out."""

    def __init__(self, stage: Sheet, name: str, across: int = 3) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.stage, self.name, self._across = stage, name, across
        self._study_id = stage.session.study_id
        layout = QVBoxLayout(self)
        layout.setContentsMargins(9, 5, 9, 7)
        layout.setSpacing(3)
        head = QHBoxLayout()
        head.setSpacing(6)
        self.head = label("", "heading")
        head.addWidget(self.head)
        self.state = Elided()
        head.addWidget(self.state, 3)
        layout.addLayout(head)
        self.fields: dict[str, Field] = {}
        self.fault = label("", "fault", wrap=True)
        self.doubt: QLabel | None = None
        self.answers: QWidget | None = None  # to a doubt about the reading: yes, or what it was
        rows = (QHBoxLayout(), QHBoxLayout(), head)
        for row in rows[:2]:
            row.setSpacing(5)
            layout.addLayout(row)
        for which, key, stretch in _ALWAYS:
            rows[which].addWidget(self._make(key), stretch, Qt.AlignmentFlag.AlignTop)
        self.more_button = QToolButton()
        self.more_button.setText("More")
        self.more_button.setCheckable(True)
        self.more_button.setToolTip("Every field there is of this leg (Ctrl+M for all legs)")
        self.more_button.setAccessibleName(f"More fields, leg {name}")
        self.more_button.clicked.connect(lambda wanted: stage.open_more(name, wanted))
        head.addWidget(self.more_button)
        self.menu_button = QToolButton()
        self.menu_button.setText("\u00b7\u00b7\u00b7")
        self.menu_button.setAccessibleName(f"What to do with leg {name}")
        self.menu_button.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.menu = QMenu(self.menu_button)
        self.menu.aboutToShow.connect(self._fill_menu)
        self.menu_button.setMenu(self.menu)
        head.addWidget(self.menu_button)
        self._extra = QGridLayout()
        self._extra.setHorizontalSpacing(5)
        self._extra.setVerticalSpacing(3)
        layout.addLayout(self._extra)
        layout.addWidget(self.fault)
        self._shown_extra: tuple[str, ...] = ()

    def _make(self, key: str) -> Field:
        """One field of the leg."""
        known = leg_fields()[key]
        field = Field(known.caption, self._committer(key), tip=known.tip, fault=self.fault)
        field.edit.setMinimumWidth(24)
        field.edit.setObjectName("cell")
        field.caption.setMinimumWidth(1)
        field.edit.setAccessibleName(f"{known.caption or known.tip}, leg {self.name}")
        if not known.caption:
            field.edit.setPlaceholderText(known.tip)
        if known.words:
            field.edit.setPlaceholderText(", ".join(known.words[:3]))
        field.edit.installEventFilter(cast(QObject, self.stage))
        field.edit.setProperty("leg", self.name)
        field.edit.setProperty("key", key)
        self.fields[key] = field
        return field

    def _committer(self, key: str) -> Callable[[str], None]:
        def commit(text: str) -> None:
            shown = [k for k in INSTRUMENT_KEYS if k in self.fields]  # they keep what they show
            self.stage.commit(self.name, key, text, self._study_id, shown)

        return commit

    def _fill_menu(self) -> None:
        """What can be done with this leg now."""
        menu, stage, name = self.menu, self.stage, self.name
        menu.clear()
        study = stage.session.study
        if study is None:
            return
        leg = study.leg(name)
        leave = menu.addAction("Take back in" if not leg.included else "Leave out\u2026")
        leave.triggered.connect(lambda: stage.toggle_left_out(name))
        notes = menu.addMenu("Note what happened")
        for kind, words in KIND_WORDS.items():
            notes.addAction(words.capitalize() + "\u2026").triggered.connect(partial(self._note, kind))
        if any(e.leg == name for e in study.events):
            menu.addAction("Change or remove notes\u2026").triggered.connect(lambda: stage.edit_notes(name))
        menu.addAction("Comment now\u2026").triggered.connect(lambda: stage.comment(name))
        menu.addAction("Attach a photograph or a file\u2026").triggered.connect(
            lambda: choose_for(self.more_button.window(), stage.session, name)
        )
        own = attached_to(study, name)
        if own:
            files = menu.addMenu(f"Attached ({len(own)})")
            for item in own:
                files.addAction(f"Open {item.file}").triggered.connect(partial(open_attached, stage.session, item.file))
                files.addAction(f"Remove {item.file}").triggered.connect(partial(detach, stage.session, item.file))
        filled = [key for key in alike() if show_leg_field(key, leg, stage.session.units_of(leg), study)]
        if filled:
            same = menu.addMenu("Same for all legs")
            same.addAction("All of these").triggered.connect(lambda: stage.same_for_all(name, filled))
            same.addSeparator()
            for key in filled:
                words = f"{leg_fields()[key].caption or key}: {show_leg_field(key, leg, stage.session.units_of(leg), study)}"
                same.addAction(words).triggered.connect(partial(self._same, key))
        run = menu.addMenu("This run")
        for configuration in study.configurations:
            action = run.addAction(f"was driven with {configuration.label}")
            action.setEnabled(configuration.id != leg.configuration)
            action.triggered.connect(partial(self._run, "configuration", configuration.id))
        run.addSeparator()
        run.addAction("one reading over there and back").triggered.connect(partial(self._run, "join", ""))
        run.addAction("earlier").triggered.connect(partial(self._run, "earlier", ""))
        run.addAction("later").triggered.connect(partial(self._run, "later", ""))
        run.addAction("Remove this run").triggered.connect(partial(self._run, "remove", ""))
        run.addAction("Remove this leg").triggered.connect(partial(self._run, "remove leg", ""))
        menu.addAction("Clear this leg's readings").triggered.connect(lambda: stage.clear_leg(name))

    def _note(self, kind: str, _checked: bool = False) -> None:
        self.stage.edit_notes(self.name, kind)

    def _same(self, key: str, _checked: bool = False) -> None:
        self.stage.same_for_all(self.name, (key,))

    def _run(self, what: str, value: str, _checked: bool = False) -> None:
        self.stage.change_run(self.name, what, value)

    def holds(self) -> bool:
        """Whether a field holds text that is not stored."""
        return any(field.has_fault or field.edit.isModified() for field in self.fields.values())

    def open_fields(self, needed: Sequence[str], every: bool) -> None:
        """Open the fields that the study needs, or every one; a field being typed in stays."""
        wanted = more() if every else tuple(needed)
        self.more_button.setChecked(every)
        busy = {k for k, f in self.fields.items() if k in more() and (f.has_fault or f.edit.isModified())}
        wanted = tuple(k for k in more() if k in wanted or k in busy)
        if wanted == self._shown_extra:
            return
        self._shown_extra = wanted
        while self._extra.count():
            self._extra.takeAt(0)
        for key in [k for k in self.fields if k in more() and k not in wanted]:
            gone = self.fields.pop(key)
            gone.hide()
            gone.setParent(None)
            gone.deleteLater()
        for i, key in enumerate(wanted):
            field = self.fields.get(key) or self._make(key)
            self._extra.addWidget(field, i // self._across, i % self._across)
            field.show()
        for column in range(self._across):
            self._extra.setColumnStretch(column, 1)
        self.stage.refit(self.name)

    def show_leg(self, study: Study, leg: Leg, events: Sequence[str], asked: Concern | None = None) -> None:
        """Show the leg's stored values, what happened on it, and what is asked of its reading."""
        choice = self.stage.session.units_of(leg)
        way = {"out": "Out", "back": "Back", "loop": "Round"}.get(way_words(study, leg), "There and back")
        way = way if leg.direction else "Leg"
        if study.method == "climb":
            way = {"out": "Up", "back": "Down"}.get(leg.direction, way)
        self.head.setText(f"{way} \u00b7 {leg.leg}")
        words = self.stage.session.state(leg)
        if words == "left out":
            words = f"left out: {leg.reason or 'no reason given'}"
        elif events:
            words += f" \u00b7 {', '.join(dict.fromkeys(events))}"
        self.state.setText(words)
        self.state.setToolTip(as_tip(words))
        f = self.fields
        own = units.label(choice.consumption)
        for key, field in f.items():
            text = show_leg_field(key, leg, choice, study)
            if key == "reading":
                field.edit.setToolTip(as_tip(text or leg_fields()[key].tip))
                text = "; ".join(part.removesuffix(f" {own}") for part in text.split("; "))
            field.show_text(text)
            if key != "note" and field.caption.text() != (named := caption(key, choice)):
                field.caption.setText(named)
        started = leg.started_at
        f["started_at"].edit.setToolTip(
            leg_fields()["started_at"].tip
            if started is None
            else f"{started:%Y-%m-%d}"
            if leg.dated_only
            else f"{started:%Y-%m-%d %H:%M}"
        )
        read_only = self.stage.session.read_only
        for field in f.values():
            if field.edit.isReadOnly() != read_only:
                field.edit.setReadOnly(read_only)
        words = doubt(study, leg)
        if asked is not None and not words:
            words = f"{asked.title}. {asked.message}"
        self._show_doubt(in_units(words, self.stage.session.units))
        self._show_answers(asked, show_readings(leg))

    def _show_answers(self, asked: Concern | None, shown: str) -> None:
        """Two buttons below a doubt about the reading: it showed that, and what it most likely was."""
        wanted = None if asked is None or self.stage.session.read_only else [shown, asked.suggested]
        if (None if self.answers is None else self.answers.property("key")) == wanted:
            return
        if self.answers is not None:
            self.answers.hide()
            self.answers.deleteLater()
            self.answers = None
        if wanted is not None:
            self.answers = self._make_answers(*wanted)
            self.answers.setProperty("key", wanted)
            layout = self.layout()
            assert layout is not None
            layout.addWidget(self.answers)
        self.stage.refit(self.name)

    def _make_answers(self, shown: str, suggested: str) -> QWidget:
        made = QWidget()
        column = QVBoxLayout(made)  # below each other: beside, they would widen the card
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        confirm = QPushButton(as_here(f"Yes, it showed {shown}"))
        confirm.clicked.connect(lambda: self.stage.confirm_reading(self.name, self._study_id))
        column.addWidget(confirm, 0, Qt.AlignmentFlag.AlignLeft)
        if suggested:
            mend = QPushButton(as_here(f"It was {suggested}"))
            mend.clicked.connect(lambda: self._take(suggested))
            column.addWidget(mend, 0, Qt.AlignmentFlag.AlignLeft)
        return made

    def _take(self, text: str) -> None:
        """Type what the reading most likely was."""
        field = self.fields["reading"]
        field.edit.setText(text)
        field.edit.setModified(True)
        field.edit.editingFinished.emit()

    def _show_doubt(self, words: str) -> None:
        """What is odd about the figures, as a question."""
        if self.doubt is None and words:
            self.doubt = label("", "caution", wrap=True)
            layout = self.layout()
            assert layout is not None
            layout.addWidget(self.doubt)
        if self.doubt is not None and self.doubt.text() != as_here(words):
            self.doubt.setText(words)
            self.doubt.setVisible(bool(words))
            self.stage.refit(self.name)

    def mark_next(self, is_next: bool) -> None:
        """Show whether this is the leg to drive now."""
        if bool(self.property("next")) != is_next:
            self.setProperty("next", is_next)
            self.style().unpolish(self)
            self.style().polish(self)

"""What all stages share: the title line, and redrawing only while visible."""

from __future__ import annotations

import re
from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout, QWidget

from fairmargin.core.study import Study
from fairmargin.core.study.entry import words_of
from fairmargin.core.words import minus
from fairmargin.desktop.state.background import Background
from fairmargin.desktop.state.session import Session
from fairmargin.desktop.theme import theme
from fairmargin.desktop.widgets.basics import Elided, PlainLabel, as_tip, label, scrolling
from fairmargin.desktop.widgets.decimals import as_here, typed_here
from fairmargin.desktop.widgets.inputs import Line


class Stage(QWidget):
    """A page of the window; shows the session and computes nothing."""

    def __init__(self, session: Session, title: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("page")
        self.session = session
        self._stale = True
        self._study_id: int | None = None  # whose figures the fields show
        self.page = QVBoxLayout(self)
        self.page.setContentsMargins(24, 12, 16, 16)
        self.page.setSpacing(12)
        head = QHBoxLayout()
        head.setSpacing(8)
        self.title = label(title, "title")
        self.subtitle = Elided("muted")
        self.subtitle.setMinimumWidth(40)
        head.addWidget(self.title)
        head.addWidget(self.subtitle, 1, Qt.AlignmentFlag.AlignBottom)
        self.head = head
        self.page.addLayout(head)
        for signal in (session.studyChanged, session.analysisChanged, session.unitsChanged, theme.changed):
            signal.connect(self.touch)

    def scrolled(self) -> QVBoxLayout:
        """Return a column that keeps its lines however small the window is: what does not fit is scrolled to."""
        inner = QWidget()
        body = QVBoxLayout(inner)
        body.setContentsMargins(0, 0, 0, 0)
        body.setSpacing(12)
        self.page.addWidget(scrolling(inner), 1)
        return body

    def may_rest(self) -> bool:
        """Whether the page may be taken down while out of sight, and built anew when it is wanted."""
        typed = any(f.has_fault or f.edit.isModified() for f in self.findChildren(Field))
        return not self.isVisible() and not typed and not any(b.busy for b in self.findChildren(Background))

    def touch(self) -> None:
        """Redraw now if visible, else when shown."""
        self._stale = True
        if self.isVisible():
            self._redraw()

    def showEvent(self, _event: object) -> None:
        if self._stale:
            self._redraw()

    def _redraw(self) -> None:
        self._stale = False
        if self.session.study is not None:
            if self._study_id != self.session.study_id:
                for field in self.findChildren(Field):
                    field.forget()  # what was refused for one study is not offered to another
                self._study_id = self.session.study_id
            self.refresh(self.session.study)

    def refresh(self, study: Study) -> None:
        """Redraw everything from the session's study and analysis."""


#: A figure alone, with a sign that was typed.
_FIGURE = re.compile(r"-[\d.,]+")


class Field(QWidget):
    """A line edit with its label above, unit behind, and its fault below in words.

    `commit` gets the text and returns nothing, or raises ValueError with the words to show.
    """

    def __init__(
        self,
        text: str,
        commit: Callable[[str], None],
        *,
        unit: str = "",
        placeholder: str = "",
        width: int | None = None,
        tip: str = "",
        fault: QLabel | None = None,
    ) -> None:
        super().__init__()
        self._commit = commit
        self.has_fault = False
        self._shown = ""
        self._column = QVBoxLayout(self)
        # Together at the top, beside a field that has to say what is wrong.
        self._column.setAlignment(Qt.AlignmentFlag.AlignTop)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(1)
        self.caption = PlainLabel(text, self)
        self.caption.setVisible(bool(text))
        self.caption.setObjectName("muted")
        self.edit = Line()
        self.edit.setAccessibleName(text)
        self.caption.setBuddy(self.edit)
        self.edit.setPlaceholderText(placeholder)
        self.show_tip(tip)
        self._row = QHBoxLayout()
        self._row.setSpacing(4)
        self._row.addWidget(self.edit, 1)
        # Labels of what most fields have not are made when they are wanted: pages have hundreds of fields.
        self._unit: QLabel | None = None
        # Narrow fields share a line of their card for their faults.
        self._fault = fault
        if fault is not None:
            fault.hide()
        if text:
            self._column.addWidget(self.caption)
        self._column.addLayout(self._row)
        self._show_unit(unit)
        if width:
            self.edit.setFixedWidth(width)
        self.edit.editingFinished.connect(self._finished)

    @property
    def unit(self) -> QLabel:
        """Stands behind the field."""
        if self._unit is None:
            self._unit = PlainLabel("", self)  # without a parent it would flash as a window of its own
            self._unit.setObjectName("unit")
            self._unit.hide()
            self._row.addWidget(self._unit)
        return self._unit

    @property
    def fault(self) -> QLabel:
        """Says below the field, or in the card's own line, what is wrong with its text."""
        if self._fault is None:
            self._fault = label("", "fault", wrap=True)
            self._fault.hide()
            self._fault.setAlignment(Qt.AlignmentFlag.AlignTop)
            self._column.addWidget(self._fault)
        return self._fault

    def _show_unit(self, unit: str) -> None:
        if unit or self._unit is not None:
            self.unit.setText(unit)
            self.unit.setVisible(bool(unit))

    def show_tip(self, words: str) -> None:
        """Say what is meant, with an example in the person's units."""
        if words:
            self.edit.setToolTip(as_tip(words))

    def show_text(self, text: str, unit: str | None = None) -> None:
        """Show a stored value; a field that is being typed in or holds a fault keeps its text."""
        text = as_here(minus(text) if _FIGURE.fullmatch(text) else text)
        if unit is not None:
            self._show_unit(unit)
        if text == self._shown and (self.edit.isModified() or self.has_fault):
            return
        self._shown = text
        if self.edit.text() != text:
            self.edit.setText(text)
            self.edit.setCursorPosition(0)
        self.edit.setModified(False)
        self.say("")

    def forget(self) -> None:
        """Let go of text that is not stored."""
        self.say("")
        if self.edit.text() != self._shown:
            self.edit.setText(self._shown)
        self.edit.setModified(False)

    def _finished(self) -> None:
        text = self.edit.text().strip()
        if not self.edit.isModified() and not self.has_fault:
            return
        if text == self._shown:
            self.say("")
            return
        try:
            with typed_here():
                self._commit(text)
        except ValueError as error:
            self.say(words_of(error))
            return
        self.say("")
        self.edit.setModified(False)

    def say(self, words: str) -> None:
        """Say what is wrong with the text; nothing where nothing is."""
        if not words and not self.has_fault:
            return  # another field's fault may stand in a shared line
        self.fault.setText(words)
        if self.fault.parentWidget() is self:
            # A layout held to its top has no room for lines that break; one with a sentence in it leaves all below to that.
            self._column.setAlignment(Qt.AlignmentFlag(0) if words else Qt.AlignmentFlag.AlignTop)
            self._column.setStretchFactor(self.fault, 1 if words else 0)
        self.fault.setVisible(bool(words))
        if self.has_fault != bool(words):
            self.has_fault = bool(words)
            self.edit.setProperty("fault", self.has_fault)
            self.edit.style().unpolish(self.edit)
            self.edit.style().polish(self.edit)

"""Kit: the checklist of this kind of study; every line can be edited and ticked."""

from __future__ import annotations

from typing import get_args

from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QPushButton, QToolButton, QVBoxLayout, QWidget

from fairmargin.core.planning.checklists import caution, kit
from fairmargin.core.study import Study
from fairmargin.core.study.plan import CheckItem, CheckWhen
from fairmargin.desktop.stages.planning.page import PlanPage
from fairmargin.desktop.stages.planning.pressure_panel import PressurePanel
from fairmargin.desktop.state.session import Session
from fairmargin.desktop.widgets.basics import clear, label, panel, scrolling
from fairmargin.desktop.widgets.inputs import Line


class KitPage(PlanPage):
    """What to take along and to look at, in the order of the day."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(session, parent)
        frame, box = panel()
        head = QHBoxLayout()
        self.heading = label("Checklist", "heading")
        head.addWidget(self.heading, 1)
        self.fresh = QPushButton("Back to the usual list")
        self.fresh.clicked.connect(self._usual)
        head.addWidget(self.fresh)
        box.addLayout(head)
        inner = QWidget()
        self.lines = QVBoxLayout(inner)
        self.lines.setContentsMargins(0, 0, 8, 0)
        self.lines.setSpacing(3)
        box.addWidget(scrolling(inner, on_panel=True), 1)
        row = QHBoxLayout()
        self.new = Line()
        self.new.setPlaceholderText("Another line, then Enter")
        self.new.setAccessibleName("New line")
        self.new.returnPressed.connect(self._add)
        row.addWidget(self.new, 1)
        box.addLayout(row)
        self.caution = label("", "caution", wrap=True)
        box.addWidget(self.caution)
        self.body.addWidget(frame, 1)
        self.pressures = PressurePanel(session)
        self.body.addWidget(self.pressures)
        self._shown: object = None

    def items(self, study: Study) -> tuple[CheckItem, ...]:
        """Return the study's own list, or the usual one of its kind."""
        return kit(study)

    def refresh(self, study: Study) -> None:
        items = self.items(study)
        self.pressures.refresh(study)
        self.caution.setText(caution(study.change.kind))
        done = sum(i.done for i in items)
        self.heading.setText(f"Checklist, {study.change.kind}: {done} of {len(items)} done")
        self.fresh.setEnabled(bool(study.plan.checklist))
        if items == self._shown:
            return
        self._shown = items
        clear(self.lines)
        order = {when: i for i, when in enumerate(get_args(CheckWhen))}
        last = ""
        for index, item in sorted(enumerate(items), key=lambda pair: (order[pair[1].when], pair[0])):
            if item.when != last:
                last = item.when
                self.lines.addWidget(label(item.when.capitalize(), "heading"))
            row = QHBoxLayout()
            tick = QCheckBox()
            tick.setChecked(item.done)
            tick.setAccessibleName(f"Done: {item.text}")
            tick.clicked.connect(lambda on, i=index: self._put(i, done=bool(on)))
            row.addWidget(tick)
            edit = Line(item.text)
            edit.setObjectName("cell")
            edit.setCursorPosition(0)
            edit.editingFinished.connect(lambda i=index, e=edit: self._put(i, text=e.text().strip()))
            row.addWidget(edit, 1)
            gone = QToolButton()
            gone.setText("\u2715")
            gone.setToolTip("Take this line off the list")
            gone.clicked.connect(lambda _=False, i=index: self._remove(i))
            row.addWidget(gone)
            self.lines.addLayout(row)
        self.lines.addStretch()

    def _save(self, items: tuple[CheckItem, ...], text: str) -> None:
        self.change(text, checklist=items)

    def _put(self, index: int, **changes: object) -> None:
        items = list(self.items(self.study))
        if index >= len(items):
            return
        after = items[index].with_(**changes)
        if not after.text:
            self._remove(index)
        elif after != items[index]:
            items[index] = after
            self._save(tuple(items), "checklist")

    def _remove(self, index: int) -> None:
        items = list(self.items(self.study))
        del items[index]
        self._save(tuple(items), "checklist line off")

    def _add(self) -> None:
        text = self.new.text().strip()
        if text:
            self.new.clear()
            self._save((*self.items(self.study), CheckItem(text=text, when="each run")), "checklist line")

    def _usual(self) -> None:
        self._save((), "usual checklist")

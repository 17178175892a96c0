"""What the pages of the Plan stage share."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date, datetime, time, timedelta
from typing import Any

from PySide6.QtWidgets import QVBoxLayout, QWidget

from fairmargin.core.study import Study
from fairmargin.core.study.entry import words_of
from fairmargin.core.units import read_in, read_quantity
from fairmargin.desktop.stages.base import Field
from fairmargin.desktop.state.session import Session


def clock_offset(day: date) -> timedelta | None:
    """What the clock on the wall is ahead of UTC at noon of a day."""
    return datetime.combine(day, time(12)).astimezone().utcoffset()


class PlanPage(QWidget):
    """One page; edits the study's plan through the session."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.fields: dict[str, Field] = {}
        self.body = QVBoxLayout(self)
        self.body.setContentsMargins(0, 0, 0, 0)
        self.body.setSpacing(12)

    def refresh(self, study: Study) -> None:
        """Redraw from the study."""

    @property
    def study(self) -> Study:
        """The study that is open."""
        assert self.session.study is not None
        return self.session.study

    def field(self, key: str, words: str, commit: Callable[[str], None], unit: str = "", tip: str = "") -> Field:
        """Make a field with its caption, unit and fault line."""
        made = Field(words, commit, unit=unit, tip=tip)
        self.fields[key] = made
        return made

    def change(self, text: str, **changes: Any) -> None:
        """Change the plan; a value that cannot be is refused in words."""
        try:
            after = self.study.with_(plan=self.study.plan.with_(**changes))
        except ValueError as error:
            raise ValueError(words_of(error)) from error
        if not self.session.edit(after, text):
            raise ValueError("could not be saved")

    def change_part(self, part: str, text: str, **changes: Any) -> None:
        """Change a part of the plan (forecast, limits, load)."""
        try:
            new = getattr(self.study.plan, part).with_(**changes)
        except ValueError as error:
            raise ValueError(words_of(error)) from error
        self.change(text, **{part: new})

    def number(self, part: str, name: str, text: str, quantity: str = "", unit: str = "") -> Callable[[str], None]:
        """Return a commit for a number of a part, typed in the person's unit of `quantity`, or in `unit`."""

        def commit(typed: str) -> None:
            value: float | None = None
            if typed:
                if unit == "K":
                    value = read_quantity(typed, "temperature difference", self.session.units.difference)
                elif quantity:
                    value = read_quantity(typed, quantity, getattr(self.session.units, quantity))
                else:
                    value = read_in(typed, unit)
            if part == "plan":
                self.change(text, **{name: value})
            else:
                self.change_part(part, text, **{name: value})

        return commit

"""Decimals as the desktop's locale writes them: sentences are made with a point, and shown with its sign.

Everything that shows text passes it through here: labels, tips, lines to type in, cells, painted words, axes. What somebody
typed in words of their own stands as it was; files, reports and the command line have the point.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any, Final

from PySide6.QtCore import QAbstractItemModel, QLocale, QModelIndex, QPersistentModelIndex, Qt
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QLineEdit, QStyledItemDelegate, QWidget

from fairmargin.core.study import Study
from fairmargin.core.study.own_words import own_words
from fairmargin.core.units import typed_with_groups

POINT: Final = "."
#: A figure with decimals; versions, file names and dates have letters or points beside them. What parts it from the next one.
_FIGURE: Final = re.compile(r"(?<![\w.,])(\d+)\.(\d+)(?!\w|\.\w)(, (?=[+\-\u2212\u00b1]?\d))?")
_BEFORE_FIGURE: Final = re.compile(r"(?<=\d), (?=[+\-\u2212\u00b1]?\d+\.\d)")
_ONE: Final = r"[+\-\u2212]?(?:\d+:)?\d+(?:\.\d+)?(?: ?[^\d\s.,;:]+(?:/100 ?(?:km|mi))?)?"
#: What a field for figures holds: one or several, each with its unit or without.
_ALONE: Final = re.compile(rf"{_ONE}(?:; ?{_ONE})*")

#: A fault quotes what was typed.
_QUOTED: Final = r'"[^"\n]*"'


class _Typed:
    """Texts with figures in them that stand as somebody typed them."""

    def __init__(self) -> None:
        self.ask(lambda: None)

    def ask(self, study: Callable[[], Study | None]) -> None:
        """Leave the words of the study that is open then as they are."""
        self._study = study
        self._of: Study | None = None
        self._found = re.compile(f"({_QUOTED})")

    def found(self) -> re.Pattern[str]:
        """What finds them, as its one group."""
        study = self._study()
        if study is not self._of:
            words = [] if study is None else own_words(study)
            own = [re.escape(x) for x in words if _FIGURE.search(x) and re.search(r"[^\W\d_]", x)]
            own_ones = rf"|(?<![\w.,])(?:{'|'.join(own)})(?!\w)" if own else ""
            self._of, self._found = study, re.compile(f"({_QUOTED}{own_ones})")
        return self._found


_typed = _Typed()


def leave_as_typed(study: Callable[[], Study | None]) -> None:
    """Leave the words of a study as they were typed.

    Parameters
    ----------
    study : callable
        Gives the one that is open; asked when something is shown.
    """
    _typed.ask(study)


def as_here(text: str) -> str:
    """A text with its figures as the desktop's locale writes them.

    Where the comma is the decimal sign, a semicolon parts figures that follow each other. What stands between plain quotation
    marks was typed so.

    Parameters
    ----------
    text : str
        With points.
    """
    if POINT not in text:
        return text
    sign = QLocale().decimalPoint()
    if sign == POINT or _FIGURE.search(text) is None:
        return text

    parting = "; " if sign == "," else ", "

    def write(part: str) -> str:
        return _FIGURE.sub(lambda x: f"{x[1]}{sign}{x[2]}{parting if x[3] else ''}", _BEFORE_FIGURE.sub(parting, part))

    parts = _typed.found().split(text)
    return "".join(part if i % 2 else write(part) for i, part in enumerate(parts))


def figure_here(text: str) -> str:
    """Figures alone, with their units or without, as the desktop's locale writes them; any other text as it is."""
    return as_here(text) if _ALONE.fullmatch(text) else text


@contextmanager
def typed_here() -> Iterator[None]:
    """Read what is typed as the desktop's locale groups thousands: 1,350 is asked about where a comma does."""
    groups = QLocale().groupSeparator()
    with typed_with_groups(groups if groups in {POINT, ","} else ""):
        yield


class Painter(QPainter):
    """Paints words with decimals as the desktop's locale writes them."""

    def drawText(self, *args: object) -> Any:
        shown: list[Any] = [as_here(x) if isinstance(x, str) else x for x in args]
        return super().drawText(*shown)


class Cells(QStyledItemDelegate):
    """Shows and takes cells with decimals as the desktop's locale writes them; the table itself holds points."""

    def displayText(self, value: object, locale: QLocale | QLocale.Language) -> str:
        return super().displayText(as_here(value) if isinstance(value, str) else value, locale)

    def setEditorData(self, editor: QWidget, index: QModelIndex | QPersistentModelIndex) -> None:
        super().setEditorData(editor, index)
        if isinstance(editor, QLineEdit):
            editor.setText(as_here(editor.text()))

    def setModelData(
        self, editor: QWidget, model: QAbstractItemModel, index: QModelIndex | QPersistentModelIndex
    ) -> None:
        was = str(index.data(Qt.ItemDataRole.EditRole) or "")
        if not isinstance(editor, QLineEdit) or editor.text() != as_here(was):
            super().setModelData(editor, model, index)

"""Small building blocks: panels, labels, marks, number texts."""

from __future__ import annotations

import html
from collections.abc import Callable, Sequence
from typing import Final

from PySide6.QtCore import QEvent, QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QColor, QPainter, QPen, QPolygonF, QResizeEvent
from PySide6.QtGui import Qt as RichText
from PySide6.QtWidgets import (
    QButtonGroup,
    QComboBox,
    QFrame,
    QLabel,
    QLayout,
    QPushButton,
    QScrollArea,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from fairmargin.core.words import signed
from fairmargin.desktop.theme import TRIAL_COLOURS, theme, trial_colour
from fairmargin.desktop.widgets.decimals import Painter, as_here
from fairmargin.desktop.widgets.inputs import Choice


def percent(value: float, decimals: int = 1) -> str:
    """Write a per cent with a true minus sign; no digit below a tenth."""
    return f"{signed(value, decimals)} %"


class PlainLabel(QLabel):
    """A label that shows a text as it is, but for the decimal sign: names and notes may come from strangers."""

    def __init__(self, text: str = "", parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setText(text)

    def setText(self, text: str) -> None:
        super().setText(as_here(text))


class WrappedLabel(PlainLabel):
    """A label of several lines whose text can be copied.

    Layouts ask for its height at a width again and again, those of pages behind others too, and each time the text would be
    broken into lines anew: that was a third of what the window did. The answers are kept until text or type is another.
    """

    def __init__(self, text: str = "", parent: QWidget | None = None) -> None:
        self._heights: dict[int, int] = {}
        super().__init__(text, parent)
        self.setWordWrap(True)
        self.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)

    def heightForWidth(self, width: int) -> int:
        known = self._heights.get(width)
        if known is None:
            known = self._heights[width] = super().heightForWidth(width)
        return known

    def setText(self, text: str) -> None:
        was = self.text()
        super().setText(text)
        if was != self.text():
            self._heights.clear()

    def changeEvent(self, event: QEvent) -> None:
        self._heights.clear()
        super().changeEvent(event)


def as_tip(text: str) -> str:
    """Return a text for a tool tip, which would read a text that looks like HTML as such."""
    text = as_here(text)
    if not RichText.mightBeRichText(text):
        return text
    return f"<qt>{html.escape(text)}</qt>".replace("\n", "<br>")


def label(text: str = "", name: str = "", wrap: bool = False) -> QLabel:
    """Return a label with an object name for the style sheet."""
    # Sentences can be copied. A caption cannot: that would cost a text document each.
    made = WrappedLabel(text) if wrap else PlainLabel(text)
    if name:
        made.setObjectName(name)
    return made


class Elided(PlainLabel):
    """A label of one line that ends in an ellipsis where there is no room; the tip has it all."""

    def __init__(self, name: str = "muted") -> None:
        super().__init__()
        self.setObjectName(name)
        self.setMinimumWidth(24)

    def setText(self, text: str) -> None:
        super().setText(text)
        self._tell()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._tell()

    def _tell(self) -> None:
        """Say all of it in the tip where it is cut."""
        cut = self.fontMetrics().horizontalAdvance(self.text()) > self.width()
        self.setToolTip(as_tip(self.text()) if cut else "")

    def paintEvent(self, _event: object) -> None:
        painter = Painter(self)
        shown = self.fontMetrics().elidedText(self.text(), Qt.TextElideMode.ElideRight, self.width())
        painter.setPen(self.palette().color(self.foregroundRole()))
        painter.drawText(self.rect(), Qt.AlignmentFlag.AlignVCenter, shown)
        painter.end()


def panel(margins: tuple[int, int, int, int] = (18, 12, 18, 12), spacing: int = 8) -> tuple[QFrame, QVBoxLayout]:
    """Return a panel with a hairline and its layout."""
    frame = QFrame()
    frame.setObjectName("panel")
    layout = QVBoxLayout(frame)
    layout.setContentsMargins(*margins)
    layout.setSpacing(spacing)
    return frame, layout


def link(text: str) -> QPushButton:
    """Return a button that reads as a link, with a chevron for "go there"."""
    made = QPushButton(f"{as_here(text)}  \u203a")
    made.setObjectName("link")
    made.setCursor(Qt.CursorShape.PointingHandCursor)
    return made


def scrolling(inner: QWidget, on_panel: bool = False) -> QScrollArea:
    """Wrap a widget so that it scrolls vertically; on a panel it has the panel's colour."""
    area = QScrollArea()
    area.setWidgetResizable(True)
    area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    inner.setObjectName("scrolledpanel" if on_panel else "scrolled")
    area.setObjectName("onpanel" if on_panel else "")
    area.setWidget(inner)
    area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
    return area


def draw_mark(
    painter: QPainter, centre: QPointF, size: float, trial: int | None, colour: QColor, filled: bool = True
) -> None:
    """Draw a configuration's mark: circle for the baseline; for trials diamond, triangle, square, triangle on its tip, hexagon."""
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(colour, 1.8))
    painter.setBrush(QBrush(colour) if filled else QBrush(theme.colour("panel")))
    x, y, r = centre.x(), centre.y(), size / 2
    if trial is None:
        painter.drawEllipse(QRectF(x - r, y - r, 2 * r, 2 * r))
    elif (which := trial % len(TRIAL_COLOURS)) == 0:
        painter.drawPolygon(QPolygonF([QPointF(x, y - r), QPointF(x + r, y), QPointF(x, y + r), QPointF(x - r, y)]))
    elif which == 1:
        painter.drawPolygon(QPolygonF([QPointF(x, y - r), QPointF(x + r, y + r * 0.8), QPointF(x - r, y + r * 0.8)]))
    elif which == 2:
        painter.drawRect(QRectF(x - r * 0.85, y - r * 0.85, 1.7 * r, 1.7 * r))
    elif which == 3:
        painter.drawPolygon(QPolygonF([QPointF(x, y + r), QPointF(x + r, y - r * 0.8), QPointF(x - r, y - r * 0.8)]))
    else:
        ends = [
            QPointF(x + r * a, y + r * b)
            for a, b in ((1, 0), (0.5, 0.87), (-0.5, 0.87), (-1, 0), (-0.5, -0.87), (0.5, -0.87))
        ]
        painter.drawPolygon(QPolygonF(ends))
    painter.restore()


#: The same shapes as characters, for cells and lists: diamond, triangle, square, triangle on its tip, hexagon.
SIGNS: Final = ("\u25c6", "\u25b2", "\u25a0", "\u25bc", "\u2b22")


def sign_of(trial: int | None) -> str:
    """A configuration's mark as a character."""
    return "\u25cf" if trial is None else SIGNS[trial % len(SIGNS)]


class Mark(QWidget):
    """A configuration's mark as a widget."""

    def __init__(self, trial: int | None, size: int = 14, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._trial, self._size = trial, size
        self.setFixedSize(size + 4, size + 4)

    def set_trial(self, trial: int | None) -> None:
        """Show another configuration's mark."""
        self._trial = trial
        self.update()

    def paintEvent(self, _event: object) -> None:
        painter = Painter(self)
        name = "baseline" if self._trial is None else trial_colour(self._trial)
        draw_mark(painter, QPointF(self.width() / 2, self.height() / 2), self._size, self._trial, theme.colour(name))
        painter.end()


def page_buttons(
    parent: QWidget, pages: Sequence[tuple[str, str]], show: Callable[[str], object]
) -> dict[str, QToolButton]:
    """A button for each page of a stage, of which one is pressed at a time."""
    group = QButtonGroup(parent)
    made = {}
    for name, words in pages:
        button = made[name] = QToolButton()
        button.setText(words)
        button.setCheckable(True)
        button.clicked.connect(lambda _=False, n=name: show(n))
        group.addButton(button)
    return made


def clear(layout: QLayout) -> None:
    """Remove and delete everything in a layout."""
    while layout.count():
        item = layout.takeAt(0)
        assert item is not None
        widget, inner = item.widget(), item.layout()
        if widget is not None:
            widget.hide()
            widget.setParent(None)
            widget.deleteLater()
        elif inner is not None:
            clear(inner)


def show_choice(box: QComboBox, text: str) -> None:
    """Turn a box to a text, which is added where it is not among the choices."""
    index = box.findText(text)
    if index < 0:
        box.addItem(text)
        index = box.findText(text)
    box.setCurrentIndex(index)


def named_choice(words: str, options: Sequence[str], commit: Callable[[str], None]) -> tuple[QWidget, QComboBox]:
    """A choice with its name above it: what holds both, and the box."""
    holder = QWidget()
    layout = QVBoxLayout(holder)
    layout.setContentsMargins(0, 0, 0, 0)
    layout.setSpacing(1)
    layout.addWidget(label(words, "muted"))
    box = Choice()
    box.setAccessibleName(words)
    box.addItems(list(options))
    box.textActivated.connect(commit)
    layout.addWidget(box)
    layout.addStretch()
    return holder, box

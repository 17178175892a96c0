"""The stages as stops on a road, at the left of the window."""

from __future__ import annotations

from collections.abc import Hashable, Sequence
from dataclasses import dataclass
from typing import Final, Literal

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QFontMetricsF,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
    QPixmap,
    QResizeEvent,
)
from PySide6.QtWidgets import QAbstractButton, QSizePolicy, QToolTip, QWidget

from fairmargin.desktop.theme import font, theme
from fairmargin.desktop.widgets.decimals import Painter, as_here

STAGES: Final = ("question", "plan", "drive", "examine", "correct", "verdict", "use")
WIDTH: Final = 148
Progress = Literal["done", "begun", "open"]


@dataclass(frozen=True, slots=True)
class Stop:
    """State of one stage: done, begun or open, with a word."""

    stage: str
    state: Progress
    word: str


class _Unseen(QAbstractButton):
    """A button that draws nothing: its place is drawn by what it lies on."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)

    def paintEvent(self, _event: QPaintEvent) -> None:
        """Draw nothing."""


class StageRoad(QWidget):
    """Seven stops; the chosen one opens towards the page."""

    stageChosen = Signal(str)
    homeChosen = Signal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFixedWidth(WIDTH)
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Expanding)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName("Stages")
        self._title, self._sub = "", ""
        self._stops = tuple(Stop(s, "open", "") for s in STAGES)
        self._current: str | None = None
        self._hover: int | None = None
        self._drawn: tuple[Hashable, QPixmap] | None = None
        # What is drawn is there as buttons for whoever hears the window; the pointer and the keys are the rail's own.
        self.buttons = [self._button(stage) for stage in STAGES]
        theme.changed.connect(self.update)

    def _button(self, stage: str) -> QAbstractButton:
        button = _Unseen(self)
        button.clicked.connect(lambda: self.stageChosen.emit(stage))
        return button

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        for i, button in enumerate(self.buttons):
            button.setGeometry(8, int(self.stop_centre(i).y()) - 25, WIDTH - 14, 52)

    def sizeHint(self) -> QSize:
        return QSize(WIDTH, 600)

    def show_stops(self, title: str, sub: str, stops: tuple[Stop, ...], current: str | None) -> None:
        """Redraw what is new; without a current stage the logbook is shown."""
        if (title, sub, stops, current) == (self._title, self._sub, self._stops, self._current):
            return
        self._title, self._sub, self._stops, self._current = title, sub, stops, current
        chosen = next((s for s in stops if s.stage == current), None)
        self.setAccessibleDescription(as_here(f"{current}: {chosen.word}" if chosen else "logbook"))
        for stop, button in zip(stops, self.buttons, strict=True):
            button.setAccessibleName(stop.stage.capitalize())
            here = ", shown now" if stop.stage == current else ""
            button.setAccessibleDescription(as_here(f"{stop.state}{f': {stop.word}' if stop.word else ''}{here}"))
            button.setVisible(bool(title))
        self.update()

    def stops(self) -> tuple[Stop, ...]:
        """Return what is shown."""
        return self._stops

    def stop_centre(self, index: int) -> QPointF:
        """Where a stop is drawn."""
        top, bottom = 134.0, max(420.0, self.height() - 186.0)
        y = top + (bottom - top) * index / (len(STAGES) - 1)
        sway = (0.0, -1.5, -0.5, 1.0, 3.0, 4.0, 2.0)[index]
        return QPointF(29.0 + sway, y)

    def paintEvent(self, _event: object) -> None:
        p = Painter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        centres = [self.stop_centre(i) for i in range(len(STAGES))]
        if self._title:
            p.drawPixmap(0, 0, self._tarmac(centres))
        else:
            p.fillRect(self.rect(), theme.colour("rail"))
        ink, muted = theme.colour("rail_ink"), theme.colour("rail_muted")
        p.setPen(ink)
        p.setFont(font(20, 600))
        p.drawText(QRectF(18, 14, WIDTH - 20, 28), Qt.AlignmentFlag.AlignVCenter, "Fair Margin")
        p.setFont(font(13))
        metrics = QFontMetricsF(font(13))
        wrap = Qt.AlignmentFlag.AlignTop | Qt.TextFlag.TextWordWrap
        title = metrics.elidedText(self._title or "Logbook", Qt.TextElideMode.ElideRight, 1.8 * (WIDTH - 26))
        taken = metrics.boundingRect(QRectF(0, 0, WIDTH - 24, 60), int(wrap), title).height()
        p.drawText(QRectF(18, 46, WIDTH - 24, 38), int(wrap), title)
        p.setFont(font(12))
        p.setPen(muted)
        sub = QFontMetricsF(font(12)).elidedText(self._sub, Qt.TextElideMode.ElideRight, WIDTH - 30)
        p.drawText(QRectF(18, 48 + min(taken, 36), WIDTH - 24, 18), Qt.AlignmentFlag.AlignVCenter, sub)
        if self._title:
            self._draw_stops(p, centres)
        p.setPen(muted)
        p.setFont(font(12))
        foot = self.height() - 46.0
        p.drawText(QPointF(18, foot), "Ctrl+0  all studies")
        p.drawText(QPointF(18, foot + 20), "Ctrl+K  find anything")
        p.end()

    def _tarmac(self, centres: Sequence[QPointF]) -> QPixmap:
        """The road without its stops, kept as a picture: its curves cost more than all the rest."""
        ratio = self.devicePixelRatioF()
        key = (self.height(), ratio, theme.colours)
        if self._drawn is not None and self._drawn[0] == key:
            return self._drawn[1]
        picture = QPixmap((self.size().toSizeF() * ratio).toSize())
        picture.setDevicePixelRatio(ratio)
        picture.fill(theme.colour("rail"))
        p = Painter(picture)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        path = QPainterPath(QPointF(centres[0].x(), centres[0].y() - 16))
        path.lineTo(centres[0])
        for a, b in zip(centres, centres[1:], strict=False):
            middle = (a.y() + b.y()) / 2
            path.cubicTo(QPointF(a.x(), middle), QPointF(b.x(), middle), b)
        path.lineTo(QPointF(centres[-1].x(), centres[-1].y() + 18))
        tarmac = theme.colour("rail_muted", 0.55)
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(QPen(tarmac, 10, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
        p.drawPath(path)
        p.setPen(QPen(theme.colour("rail"), 6, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
        p.drawPath(path)
        dashes = QPen(tarmac, 1.4, Qt.PenStyle.DashLine)
        p.setPen(dashes)
        p.drawPath(path)
        p.end()
        self._drawn = key, picture
        return picture

    def _draw_stops(self, p: QPainter, centres: Sequence[QPointF]) -> None:
        for i, (stop, c) in enumerate(zip(self._stops, centres, strict=True)):
            here = stop.stage == self._current
            if here:
                p.setPen(Qt.PenStyle.NoPen)
                p.setBrush(theme.colour("paper"))
                p.drawRoundedRect(QRectF(8, c.y() - 25, WIDTH + 10, 52), 6, 6)
            elif i == self._hover:
                p.setPen(Qt.PenStyle.NoPen)
                p.setBrush(theme.colour("rail_ink", 0.08))
                p.drawRoundedRect(QRectF(8, c.y() - 25, WIDTH - 14, 52), 6, 6)
            self._draw_stop(p, c, stop.state, here)
            name = theme.colour("ink" if here else "rail_ink")
            word = theme.colour("muted" if here else "rail_muted")
            p.setPen(name)
            p.setFont(font(15, 600 if here else 500))
            p.drawText(QPointF(50, c.y() - 1), stop.stage.capitalize())
            p.setPen(word)
            room = WIDTH - 54
            # A consumption with its unit is a little wider than a word: smaller, it is whole.
            type_of_word = font(12 if QFontMetricsF(font(12)).horizontalAdvance(stop.word) <= room else 11)
            p.setFont(type_of_word)
            shown = QFontMetricsF(type_of_word).elidedText(stop.word, Qt.TextElideMode.ElideRight, room)
            p.drawText(QPointF(50, c.y() + 16), shown)
        if self.hasFocus():
            index = STAGES.index(self._current) if self._current in STAGES else 0
            p.setPen(QPen(theme.colour("here"), 2))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawRoundedRect(QRectF(9, centres[index].y() - 24, WIDTH - 12, 50), 6, 6)

    def _draw_stop(self, p: QPainter, c: QPointF, state: str, here: bool) -> None:
        light = theme.colour("rail_ink")
        if here:
            p.setPen(QPen(theme.colour("here"), 3))
            p.setBrush(theme.colour("rail"))
            p.drawEllipse(c, 9.5, 9.5)
            return
        p.setPen(QPen(light, 2.2))
        if state == "done":
            p.setBrush(light)
            p.drawEllipse(c, 8, 8)
            p.setPen(QPen(theme.colour("rail"), 2))
            p.drawPolyline(
                [QPointF(c.x() - 4, c.y()), QPointF(c.x() - 1, c.y() + 3.2), QPointF(c.x() + 4, c.y() - 3.4)]
            )
        elif state == "begun":
            p.setBrush(theme.colour("rail"))
            p.drawEllipse(c, 8, 8)
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(light)
            p.drawPie(QRectF(c.x() - 5, c.y() - 5, 10, 10), 90 * 16, -180 * 16)
        else:
            p.setBrush(theme.colour("rail"))
            p.drawEllipse(c, 8, 8)

    def _at(self, y: float) -> int | None:
        if not self._title:
            return None
        for i in range(len(STAGES)):
            if abs(y - self.stop_centre(i).y()) <= 26:
                return i
        return None

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        hover = self._at(event.position().y())
        if hover != self._hover:
            self._hover = hover
            self.setCursor(Qt.CursorShape.PointingHandCursor if hover is not None else Qt.CursorShape.ArrowCursor)
            if hover is not None:
                stop = self._stops[hover]
                QToolTip.showText(event.globalPosition().toPoint(), f"{stop.stage.capitalize()}: {stop.word}", self)
            self.update()

    def leaveEvent(self, _event: object) -> None:
        self._hover = None
        self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        index = self._at(event.position().y())
        if index is not None:
            self.stageChosen.emit(STAGES[index])
        elif event.position().y() < 90 or event.position().y() > self.height() - 70:
            self.homeChosen.emit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if self._title and event.key() in {Qt.Key.Key_Up, Qt.Key.Key_Down}:
            now = STAGES.index(self._current) if self._current in STAGES else 0
            step = 1 if event.key() == Qt.Key.Key_Down else -1
            self.stageChosen.emit(STAGES[max(0, min(len(STAGES) - 1, now + step))])
            return
        super().keyPressEvent(event)

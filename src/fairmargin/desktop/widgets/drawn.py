"""What every drawn chart has: a role and words for whoever hears it, a ring where the keys are, a picture to take along."""

from __future__ import annotations

from pathlib import Path
from typing import Final

from PySide6.QtCore import QBuffer, QEvent, QIODevice, QMimeData, QObject, QPoint, QRect, Qt
from PySide6.QtGui import (
    QAccessible,
    QAccessibleInterface,
    QContextMenuEvent,
    QFocusEvent,
    QKeyEvent,
    QKeySequence,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QResizeEvent,
)
from PySide6.QtWidgets import QAccessibleWidget, QApplication, QMenu, QMessageBox, QWidget

from fairmargin.desktop.theme import theme
from fairmargin.desktop.widgets.decimals import as_here
from fairmargin.desktop.widgets.files import ask_save

KINDS: Final = "Picture (*.png);;Vectors (*.svg)"
_CHART: Final = "chart"
SHARP: Final = 2.0  # pixels of a saved picture for one of the screen
#: How somebody comes to a widget who needs to see where the keys are.
_BY_KEYS: Final = frozenset({Qt.FocusReason.TabFocusReason, Qt.FocusReason.BacktabFocusReason})


class _Ring(QWidget):
    """Drawn over a widget that has the keys; 3:1 against paper and panel."""

    def __init__(self, over: QWidget) -> None:
        super().__init__(over)
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.hide()

    def paintEvent(self, _event: QPaintEvent) -> None:
        p = QPainter(self)
        p.setPen(QPen(theme.colour("ink"), 2))
        p.drawRect(QRect(1, 1, self.width() - 2, self.height() - 2))
        p.end()


class Drawn(QWidget):
    """A widget that draws itself.

    Its accessible name says what it shows; it can be reached with Tab, copied as a picture and saved.
    """

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self._ring = _Ring(self)

    def setAccessibleName(self, name: str) -> None:
        super().setAccessibleName(as_here(name))

    def setAccessibleDescription(self, description: str) -> None:
        super().setAccessibleDescription(as_here(description))

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._ring.resize(self.size())

    def focusInEvent(self, event: QFocusEvent) -> None:
        super().focusInEvent(event)
        self._ring.setVisible(event.reason() in _BY_KEYS)
        self._ring.raise_()

    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        self._ring.hide()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.matches(QKeySequence.StandardKey.Copy):
            copy_picture(self)
        else:
            super().keyPressEvent(event)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        menu = QMenu(self)
        add_picture(menu, self)
        menu.exec(event.globalPos())
        menu.deleteLater()


class _AsDrawn(QObject):
    """Gives a chart of a library what every drawn widget has: a ring, Ctrl+C and a menu for its picture."""

    def __init__(self, chart: QWidget) -> None:
        super().__init__(chart)
        self._chart, self._ring = chart, _Ring(chart)
        chart.installEventFilter(self)

    def eventFilter(self, _watched: QObject, event: QEvent) -> bool:
        """Move the ring with the chart and the keys; copy at Ctrl+C."""
        if isinstance(event, QResizeEvent):
            self._ring.resize(event.size())
        elif isinstance(event, QFocusEvent):
            self._ring.setVisible(event.gotFocus() and event.reason() in _BY_KEYS)
            self._ring.raise_()
        elif isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            if event.matches(QKeySequence.StandardKey.Copy):
                copy_picture(self._chart)
                return True
        elif isinstance(event, QContextMenuEvent):
            menu = QMenu(self._chart)
            add_picture(menu, self._chart)
            menu.exec(event.globalPos())
            menu.deleteLater()
            return True
        return False


def as_drawn(chart: QWidget) -> None:
    """Let a chart that a library draws be heard, reached with Tab, copied and saved as those that draw themselves."""
    chart.setProperty(_CHART, True)
    chart.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
    _AsDrawn(chart)


def add_picture(menu: QMenu, widget: QWidget) -> None:
    """Add copying and saving as a picture to a menu."""
    copy = menu.addAction("Copy the picture")
    copy.setShortcut(QKeySequence(QKeySequence.StandardKey.Copy))
    copy.triggered.connect(lambda: copy_picture(widget))
    menu.addAction("Save as PNG or SVG\u2026").triggered.connect(lambda: save_picture(widget))


def _pixmap(widget: QWidget) -> QPixmap:
    """The widget on its own ground, as sharp as print wants it (a view of a scene renders otherwise: the widget's is asked)."""
    made = QPixmap((widget.size().toSizeF() * SHARP).toSize())
    made.setDevicePixelRatio(SHARP)
    made.fill(theme.colour("panel"))
    QWidget.render(widget, made, QPoint(0, 0), renderFlags=QWidget.RenderFlag.DrawChildren)
    return made


def _svg(widget: QWidget, buffer: QBuffer) -> None:
    from PySide6.QtSvg import QSvgGenerator

    made = QSvgGenerator()
    made.setOutputDevice(buffer)
    made.setSize(widget.size())
    made.setViewBox(widget.rect())
    made.setTitle(widget.accessibleName())
    painter = QPainter(made)
    painter.fillRect(widget.rect(), theme.colour("panel"))
    QWidget.render(widget, painter, QPoint(0, 0), renderFlags=QWidget.RenderFlag.DrawChildren)
    painter.end()


def copy_picture(widget: QWidget) -> None:
    """Put a widget as a picture, with what it says in words, on the clipboard."""
    both = QMimeData()
    both.setImageData(_pixmap(widget).toImage())
    if widget.accessibleName():
        both.setText(widget.accessibleName())
    QApplication.clipboard().setMimeData(both)


def save_picture(widget: QWidget) -> bool:
    """Ask where to, and save a widget as PNG or SVG."""
    from fairmargin.exchange.files.atomic import write_whole
    from fairmargin.exchange.files.faults import InvalidInput

    path, kind = ask_save(widget, "Save the picture", "chart.png", KINDS)
    if not path:
        return False
    where = Path(path)
    if where.suffix.lower() not in {".png", ".svg"}:
        where = where.with_name(where.name + (".svg" if "svg" in kind else ".png"))
    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    if where.suffix.lower() == ".svg":
        _svg(widget, buffer)
    else:
        _pixmap(widget).save(buffer, "PNG")
    try:
        write_whole(where, bytes(buffer.data().data()))
    except InvalidInput as fault:
        QMessageBox.warning(widget, "Not saved", fault.faults[0])
        return False
    return True


def _heard_as(_class_name: str, heard: QObject) -> QAccessibleInterface | None:
    if isinstance(heard, Drawn) or (isinstance(heard, QWidget) and heard.property(_CHART)):
        return QAccessibleWidget(heard, QAccessible.Role.Chart)
    return None


def tell_roles() -> None:
    """Let screen readers hear drawn widgets as charts; once for an application."""
    QAccessible.installFactory(_heard_as)

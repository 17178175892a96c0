"""The list of studies: its model, how a line is drawn, how it is opened and taken off."""

from __future__ import annotations

import json
from typing import Any

from PySide6.QtCore import (
    QAbstractListModel,
    QModelIndex,
    QObject,
    QPersistentModelIndex,
    QPointF,
    QRectF,
    QSize,
    Qt,
    QTimer,
    Signal,
)
from PySide6.QtGui import QContextMenuEvent, QKeyEvent, QPainter, QPen
from PySide6.QtWidgets import (
    QFrame,
    QListView,
    QMenu,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
)

from fairmargin.desktop.theme import font, theme
from fairmargin.desktop.widgets.axis import Axis
from fairmargin.desktop.widgets.basics import draw_mark, percent
from fairmargin.logbook import StudyEntry


def read_summary(text: str) -> dict[str, Any]:
    """Read what the logbook keeps about a study; empty when it was never analysed."""
    try:
        value = json.loads(text) if text else {}
    except ValueError:
        return {}
    return value if isinstance(value, dict) else {}


def summary_words(known: dict[str, Any]) -> str:
    """Word the summary for the list."""
    if "effect" not in known:
        return str(known.get("words") or "not analysed yet")
    return (
        f"{known['words']} \u00b7 {percent(known['effect'])} ({percent(known['low'])} to {percent(known['high'])}) "
        f"\u00b7 {known['legs']} legs"
    )


#: Scale shared by the whole list, ± per cent of consumption.
REACH = 12.0
ROW = 76
GAP = 8

ENTRY = Qt.ItemDataRole.UserRole


def draw_mini_bar(p: QPainter, area: QRectF, known: dict[str, Any]) -> None:
    """Draw the effect and its interval on the list's scale."""
    middle, y, half = area.center().x(), area.center().y(), area.width() / 2 - 14
    p.setPen(QPen(theme.colour("rule"), 1.5))
    p.drawLine(QPointF(middle - half, y), QPointF(middle + half, y))
    p.setPen(QPen(theme.colour("ink"), 1.6))
    p.drawLine(QPointF(middle, y - 13), QPointF(middle, y + 13))
    if "effect" not in known:
        return
    axis = Axis(-REACH, REACH, middle - half, middle + half)
    lo, hi = (axis.at(max(-REACH, min(REACH, known[end]))) for end in ("low", "high"))
    p.fillRect(QRectF(lo, y - 5, hi - lo, 10), theme.colour("trial", 0.35))
    effect = float(known["effect"])
    if abs(effect) <= REACH:
        draw_mark(p, QPointF(axis.at(effect), y), 14, 0, theme.colour("trial"))
        return
    # Beyond the scale: an arrow, so that it is not read as a value.
    side = 1.0 if effect > 0 else -1.0
    p.setPen(QPen(theme.colour("trial"), 2.4))
    for back in (0.0, 7.0):
        tip = QPointF(middle + side * (half - back), y)
        p.drawLine(tip, QPointF(tip.x() - side * 6, y - 6))
        p.drawLine(tip, QPointF(tip.x() - side * 6, y + 6))


class StudyModel(QAbstractListModel):
    """The logbook's list; what is drawn of a line is worked out when it is drawn."""

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.entries: list[StudyEntry] = []

    def show_entries(self, entries: list[StudyEntry]) -> None:
        """Take over a list; lines that only changed are redrawn where they stand."""
        if [e.id for e in entries] == [e.id for e in self.entries]:
            changed = [i for i, (a, b) in enumerate(zip(entries, self.entries, strict=True)) if a != b]
            self.entries = entries
            for i in changed:
                self.dataChanged.emit(self.index(i), self.index(i))
            return
        self.beginResetModel()
        self.entries = entries
        self.endResetModel()

    def rowCount(self, parent: QModelIndex | QPersistentModelIndex = QModelIndex()) -> int:
        return 0 if parent.isValid() else len(self.entries)

    def data(
        self, index: QModelIndex | QPersistentModelIndex, role: int = Qt.ItemDataRole.DisplayRole
    ) -> Any:
        if not index.isValid():
            return None
        entry = self.entries[index.row()]
        if role == ENTRY:
            return entry
        if role == Qt.ItemDataRole.DisplayRole:
            return entry.title or "(no title)"
        if role == Qt.ItemDataRole.AccessibleTextRole:
            return f"{entry.title}, {entry_words(entry)}"
        return None


def entry_words(entry: StudyEntry) -> str:
    """Second line of a study in the list."""
    return f"\u2715 {entry.damage}" if entry.damage else summary_words(read_summary(entry.summary))


class StudyDelegate(QStyledItemDelegate):
    """Draws one line of the list: title, result in words, its bar, when it changed."""

    def sizeHint(self, _option: QStyleOptionViewItem, _index: QModelIndex | QPersistentModelIndex) -> QSize:
        return QSize(200, ROW + GAP)

    def paint(
        self, p: QPainter, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex
    ) -> None:
        entry: StudyEntry = index.data(ENTRY)
        known = read_summary(entry.summary)
        p.save()
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(option.rect).adjusted(1, 1, -1, -1 - GAP)
        here = bool(option.state & QStyle.StateFlag.State_Selected) and bool(
            option.state & QStyle.StateFlag.State_HasFocus
        )
        over = bool(option.state & QStyle.StateFlag.State_MouseOver)
        p.setPen(QPen(theme.colour("here" if here else "muted" if over else "rule"), 2.0 if here else 1.0))
        p.setBrush(theme.colour("panel"))
        p.drawRoundedRect(box, 6, 6)
        inner = box.adjusted(18, 10, -16, -10)
        changed = f"changed {entry.changed_at:%d %b %Y, %H:%M}" if entry.changed_at else ""
        p.setFont(font(12))
        wide = p.fontMetrics().horizontalAdvance("changed 00 Mmm 0000, 00:00") + 8
        p.setPen(theme.colour("muted"))
        p.drawText(
            QRectF(inner.right() - wide, inner.top(), wide, inner.height()),
            Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
            changed,
        )
        left = inner.width() - wide - 24
        words = QRectF(inner.left(), inner.top(), left * 0.62, inner.height())
        draw_mini_bar(p, QRectF(words.right() + 12, inner.top(), left * 0.38 - 12, inner.height()), known)
        verdict = str(known.get("words", ""))
        colour = {"uses more": "caution", "uses less": "fine", "no difference that matters": "fine",
                  "not a fair comparison": "blocks"}.get(verdict, "muted")  # fmt: skip
        if entry.damage:
            colour = "blocks"
        half = words.height() / 2
        for text, made, ink, top in (
            (entry.title or "(no title)", font(14, 600), "ink", 0.0),
            (entry_words(entry), font(13), colour, half),
        ):
            p.setFont(made)
            p.setPen(theme.colour(ink))
            line = QRectF(words.left(), words.top() + top, words.width(), half)
            short = p.fontMetrics().elidedText(
                text.replace("\n", " "), Qt.TextElideMode.ElideRight, int(line.width())
            )
            p.drawText(line, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, short)
        p.restore()


class StudyList(QListView):
    """The list; Enter or a click opens, Delete or the menu takes off the list."""

    chosen = Signal(int)
    removed = Signal(int, str)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("studies")
        self.setAccessibleName("Studies")
        self.setModel(StudyModel(self))
        self.setItemDelegate(StudyDelegate(self))
        self.setUniformItemSizes(True)
        self.setMouseTracking(True)
        self.setVerticalScrollMode(QListView.ScrollMode.ScrollPerPixel)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.may_remove = True
        self.clicked.connect(self._open)

    @property
    def entries(self) -> list[StudyEntry]:
        """What the list shows."""
        model = self.model()
        assert isinstance(model, StudyModel)
        return model.entries

    def show_entries(self, entries: list[StudyEntry]) -> None:
        """Show a list; the place in it stays."""
        model = self.model()
        assert isinstance(model, StudyModel)
        row = self.currentIndex().row()
        model.show_entries(entries)
        if entries and not self.currentIndex().isValid():
            self.setCurrentIndex(model.index(min(max(row, 0), len(entries) - 1)))

    @property
    def current(self) -> StudyEntry | None:
        """The study that is chosen."""
        entry = self.currentIndex().data(ENTRY) if self.currentIndex().isValid() else None
        return entry if isinstance(entry, StudyEntry) else None

    def _open(self, index: QModelIndex) -> None:
        entry = index.data(ENTRY)
        # The list may be made anew by what follows: open once this event is over.
        QTimer.singleShot(0, self, lambda: self.chosen.emit(entry.id))

    def take_off(self) -> None:
        """Take the chosen study off the list; undo puts it back."""
        entry = self.current
        if entry is not None and self.may_remove:
            self.removed.emit(entry.id, entry.title)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in {Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space} and self.current:
            self._open(self.currentIndex())
        elif event.key() == Qt.Key.Key_Delete:
            self.take_off()
        else:
            super().keyPressEvent(event)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        index = self.indexAt(event.pos())
        if not index.isValid():
            return
        self.setCurrentIndex(index)
        menu = QMenu(self)
        menu.addAction("Open").triggered.connect(lambda: self._open(index))
        off = menu.addAction("Take off the list")
        off.setEnabled(self.may_remove)
        off.triggered.connect(self.take_off)
        menu.exec(event.globalPos())
        menu.deleteLater()

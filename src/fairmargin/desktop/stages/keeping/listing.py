"""The list of studies: its model, how a line is drawn, how it is opened, put aside and taken off."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
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
from PySide6.QtGui import QContextMenuEvent, QFontMetricsF, QKeyEvent, QPainter, QPen
from PySide6.QtWidgets import QFrame, QListView, QMenu, QStyle, QStyledItemDelegate, QStyleOptionViewItem

from fairmargin.core.units import UnitChoice, in_units, plain
from fairmargin.core.units import label as unit_label
from fairmargin.desktop.theme import font, theme
from fairmargin.desktop.widgets.axis import Axis
from fairmargin.desktop.widgets.basics import draw_mark, percent
from fairmargin.desktop.widgets.dates import day_words
from fairmargin.desktop.widgets.decimals import as_here
from fairmargin.logbook import StudyEntry
from fairmargin.logbook.arrange import Heading, Row, reach_of, read_summary, state_of
from fairmargin.logbook.lines import NOT_FAIR, OPEN, PLANNED, SETTLED_STATE, TOLD, UNDERWAY

ROW = 84
HEADING = 34
GAP = 8

ENTRY = Qt.ItemDataRole.UserRole
REACH = Qt.ItemDataRole.UserRole + 1
UNITS = Qt.ItemDataRole.UserRole + 2

#: Colour of a state's words and mark.
STATE_INK: Mapping[str, str] = {
    PLANNED: "muted", UNDERWAY: "link", OPEN: "caution", NOT_FAIR: "blocks", SETTLED_STATE: "fine", TOLD: "fine",
}  # fmt: skip


def summary_words(known: Mapping[str, Any], units: UnitChoice | None = None) -> str:
    """Word the summary for the list."""
    if "effect" not in known:
        level = known.get("level")
        if isinstance(level, int | float) and units is not None:
            value = units.show_consumption(float(level))
            return f"{value:.{0 if value >= 100 else 1}f} {unit_label(units.consumption)} \u00b7 {known['legs']} legs"
        return str(known.get("words") or "not analysed yet")
    more = int(known.get("comparisons", 1)) - 1
    others = f" \u00b7 and {more} more" if more > 0 else ""
    return (
        f"{known['words']} \u00b7 {percent(known['effect'])} ({percent(known['low'])} to {percent(known['high'])}) "
        f"\u00b7 {known['legs']} legs{others}"
    )


def entry_words(entry: StudyEntry, units: UnitChoice | None = None) -> str:
    """Second line of a study in the list."""
    return f"\u2715 {entry.damage}" if entry.damage else summary_words(read_summary(entry.summary), units)


def third_line(entry: StudyEntry, units: UnitChoice | None = None) -> str:
    """What to do next, else where and with what it was driven."""
    step = str(read_summary(entry.summary).get("next") or "")
    a = entry.about
    where = " \u00b7 ".join(part for part in (a.vehicle, a.road, a.kind) if part)
    step = plain(step) if units is None else in_units(step, units)
    return f"Next: {step}" if step else where


def draw_mini_bar(p: QPainter, area: QRectF, known: Mapping[str, Any], reach: tuple[float, float]) -> None:
    """Draw the effect and its interval on the list's scale."""
    y, start, end = area.center().y(), area.left() + 14, area.right() - 14
    axis = Axis(*reach, start, end)
    p.setPen(QPen(theme.colour("rule"), 1.5))
    p.drawLine(QPointF(start, y), QPointF(end, y))
    p.setPen(QPen(theme.colour("ink"), 1.6))
    p.drawLine(QPointF(axis.at(0.0), y - 13), QPointF(axis.at(0.0), y + 13))
    if "effect" not in known:
        return
    effect, low, high = (float(known[k]) for k in ("effect", "low", "high"))
    a, b = (axis.at(max(reach[0], min(reach[1], v))) for v in (low, high))
    p.fillRect(QRectF(a, y - 5, max(b - a, 1.0), 10), theme.colour("trial", 0.35))
    if reach[0] <= effect <= reach[1]:
        draw_mark(p, QPointF(axis.at(effect), y), 14, 0, theme.colour("trial"))
        return
    # Beyond the scale: an arrow, so that it is not read as a value.
    side, tip_x = (1.0, end) if effect > 0 else (-1.0, start)
    p.setPen(QPen(theme.colour("trial"), 2.4))
    for back in (0.0, 7.0):
        tip = QPointF(tip_x - side * back, y)
        p.drawLine(tip, QPointF(tip.x() - side * 6, y - 6))
        p.drawLine(tip, QPointF(tip.x() - side * 6, y + 6))


def draw_state(p: QPainter, centre: QPointF, state: str, damaged: bool = False) -> None:
    """Draw a study's state: a shape of its own for each, so that colour is not needed to tell them."""
    x, y, r = centre.x(), centre.y(), 8.0
    ink = theme.colour("blocks" if damaged else STATE_INK.get(state, "muted"))
    p.setPen(QPen(ink, 1.8))
    p.setBrush(Qt.BrushStyle.NoBrush)
    if damaged or state == NOT_FAIR:
        p.drawEllipse(QRectF(x - r, y - r, 2 * r, 2 * r))
        for sign in (1, -1):
            p.drawLine(QPointF(x - 3.5, y - 3.5 * sign), QPointF(x + 3.5, y + 3.5 * sign))
    elif state in {SETTLED_STATE, TOLD}:
        p.setBrush(ink)
        p.drawEllipse(QRectF(x - r, y - r, 2 * r, 2 * r))
        p.setPen(QPen(theme.colour("panel"), 2))
        p.drawPolyline([QPointF(x - 4, y), QPointF(x - 1, y + 3.5), QPointF(x + 4, y - 3)])
    elif state == UNDERWAY:
        p.drawEllipse(QRectF(x - r, y - r, 2 * r, 2 * r))
        p.setBrush(ink)
        p.drawPie(QRectF(x - r, y - r, 2 * r, 2 * r), 90 * 16, -180 * 16)
    elif state == OPEN:
        p.drawEllipse(QRectF(x - r, y - r, 2 * r, 2 * r))
        p.drawLine(QPointF(x - 4, y), QPointF(x + 4, y))
    else:
        p.setPen(QPen(ink, 1.5, Qt.PenStyle.DotLine))
        p.drawEllipse(QRectF(x - r, y - r, 2 * r, 2 * r))


def when_words(entry: StudyEntry) -> str:
    """When a study was driven; when it was changed where nothing tells."""
    if entry.about.last is not None:
        return f"driven {day_words(entry.about.last)}"
    return f"changed {day_words(entry.changed_at)}" if entry.changed_at else ""


class StudyModel(QAbstractListModel):
    """The logbook's list; what is drawn of a line is worked out when it is drawn."""

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.rows: list[Row] = []
        self.reach = (-5.0, 5.0)
        self.units: UnitChoice | None = None

    @property
    def entries(self) -> list[StudyEntry]:
        """The studies shown, without the lines above groups."""
        return [row for row in self.rows if isinstance(row, StudyEntry)]

    def show_entries(self, rows: Sequence[Row]) -> None:
        """Take over a list; lines that only changed are redrawn where they stand."""
        rows = list(rows)
        self.reach = reach_of(rows)
        if [_key(r) for r in rows] == [_key(r) for r in self.rows]:
            changed = [i for i, (a, b) in enumerate(zip(rows, self.rows, strict=True)) if a != b]
            self.rows = rows
            for i in changed:
                self.dataChanged.emit(self.index(i), self.index(i))
            return
        self.beginResetModel()
        self.rows = rows
        self.endResetModel()

    def rowCount(self, parent: QModelIndex | QPersistentModelIndex = QModelIndex()) -> int:
        return 0 if parent.isValid() else len(self.rows)

    def flags(self, index: QModelIndex | QPersistentModelIndex) -> Qt.ItemFlag:
        if index.isValid() and isinstance(self.rows[index.row()], Heading):
            return Qt.ItemFlag.ItemIsEnabled
        return super().flags(index)

    def data(self, index: QModelIndex | QPersistentModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if not index.isValid():
            return None
        if role == REACH:
            return self.reach
        if role == UNITS:
            return self.units
        row = self.rows[index.row()]
        if role == ENTRY:
            return row
        if isinstance(row, Heading):
            if role in {Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole}:
                return f"{row.words}, {row.count}"
            return None
        if role == Qt.ItemDataRole.DisplayRole:
            return row.title or "(no title)"
        if role == Qt.ItemDataRole.AccessibleTextRole:
            return f"{row.title}, {state_of(row)}, {as_here(entry_words(row, self.units))}, {as_here(third_line(row, self.units))}"
        return None


def _key(row: Row) -> object:
    return row.id if isinstance(row, StudyEntry) else row.words


class StudyDelegate(QStyledItemDelegate):
    """Draws one line of the list: state, title, result in words, next step, its bar, when it was driven."""

    def sizeHint(self, _option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex) -> QSize:
        return QSize(200, HEADING if isinstance(index.data(ENTRY), Heading) else ROW + GAP)

    def paint(self, p: QPainter, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex) -> None:
        row = index.data(ENTRY)
        p.save()
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        if isinstance(row, Heading):
            p.setFont(font(14, 600))
            p.setPen(theme.colour("ink"))
            area = QRectF(option.rect).adjusted(4, 6, 0, -6)
            p.drawText(area, Qt.AlignmentFlag.AlignVCenter, row.words)
            wide = QFontMetricsF(p.font()).horizontalAdvance(row.words)
            p.setFont(font(12))
            p.setPen(theme.colour("muted"))
            count = f"{row.count} stud{'ies' if row.count != 1 else 'y'}"
            p.drawText(area.adjusted(wide + 10, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, count)
        else:
            self._entry(p, option, row, index.data(REACH), index.data(UNITS))
        p.restore()

    def _entry(
        self,
        p: QPainter,
        option: QStyleOptionViewItem,
        entry: StudyEntry,
        reach: tuple[float, float],
        units: UnitChoice | None,
    ) -> None:
        known, state = read_summary(entry.summary), state_of(entry)
        box = QRectF(option.rect).adjusted(1, 1, -1, -1 - GAP)
        here = bool(option.state & QStyle.StateFlag.State_Selected) and bool(
            option.state & QStyle.StateFlag.State_HasFocus
        )
        over = bool(option.state & QStyle.StateFlag.State_MouseOver)
        p.setPen(QPen(theme.colour("here" if here else "muted" if over else "rule"), 2.0 if here else 1.0))
        p.setBrush(theme.colour("panel"))
        p.drawRoundedRect(box, 6, 6)
        inner = box.adjusted(14, 8, -16, -8)
        draw_state(p, QPointF(inner.left() + 9, inner.center().y()), state, bool(entry.damage))
        p.setFont(font(12))
        wide = p.fontMetrics().horizontalAdvance("changed 00 Mmm 0000") + 8
        p.setPen(theme.colour("muted"))
        right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        p.drawText(QRectF(inner.right() - wide, inner.top(), wide, inner.height()), right, when_words(entry))
        left = inner.width() - wide - 24 - 32
        words = QRectF(inner.left() + 32, inner.top(), left * 0.64, inner.height())
        draw_mini_bar(p, QRectF(words.right() + 12, inner.top(), left * 0.36 - 12, inner.height()), known, reach)
        self._words(p, entry, words, units)

    def _words(self, p: QPainter, entry: StudyEntry, words: QRectF, units: UnitChoice | None) -> None:
        """Title with its tags, result, next step."""
        state = state_of(entry)
        ink = "blocks" if entry.damage else STATE_INK.get(state, "muted")
        third = words.height() / 3
        tags = "   ".join(entry.about.tags)
        for i, (text, made, colour) in enumerate(
            (
                (entry.title or "(no title)", font(14, 600), "ink"),
                (as_here(entry_words(entry, units)), font(13), ink),
                (as_here(third_line(entry, units)), font(12), "muted"),
            )
        ):
            p.setFont(made)
            p.setPen(theme.colour(colour))
            line = QRectF(words.left(), words.top() + i * third, words.width(), third)
            room = line.width()
            if i == 0 and tags:
                p.setFont(font(12))
                room -= min(p.fontMetrics().horizontalAdvance(tags) + 16, room / 2)
                p.setFont(made)
            short = p.fontMetrics().elidedText(text.replace("\n", " "), Qt.TextElideMode.ElideRight, int(room))
            p.drawText(line, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, short)
            if i == 0 and tags:
                after = line.left() + p.fontMetrics().horizontalAdvance(short) + 14
                p.setFont(font(12))
                p.setPen(theme.colour("link"))
                rest = QRectF(after, line.top(), line.right() - after, third)
                p.drawText(
                    rest,
                    Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter,
                    p.fontMetrics().elidedText(tags, Qt.TextElideMode.ElideRight, int(rest.width())),
                )


class StudyList(QListView):
    """The list; Enter or a click opens, Delete or the menu takes off the list."""

    chosen = Signal(int)
    removed = Signal(int, str)
    putAside = Signal(int, str, bool)
    tagging = Signal(int)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("studies")
        self.setAccessibleName("Studies")
        self.setModel(StudyModel(self))
        self.setItemDelegate(StudyDelegate(self))
        self.setMouseTracking(True)
        self.setVerticalScrollMode(QListView.ScrollMode.ScrollPerPixel)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.may_remove = True
        self.clicked.connect(self._open)

    @property
    def list_model(self) -> StudyModel:
        """The model."""
        model = self.model()
        assert isinstance(model, StudyModel)
        return model

    @property
    def entries(self) -> list[StudyEntry]:
        """What the list shows."""
        return self.list_model.entries

    def show_entries(self, rows: Sequence[Row], units: UnitChoice | None = None) -> None:
        """Show a list; the chosen study stays chosen, else the place in the list."""
        model = self.list_model
        row, before = self.currentIndex().row(), self.current
        model.units = units
        # Every line as high as every other is quicker to lay out.
        self.setUniformItemSizes(not any(isinstance(r, Heading) for r in rows))
        model.show_entries(rows)
        if not rows or self.currentIndex().isValid():
            self.viewport().update()
            return
        at = next(
            (
                i
                for i, r in enumerate(model.rows)
                if isinstance(r, StudyEntry) and before is not None and r.id == before.id
            ),
            min(max(row, 0), len(rows) - 1),
        )
        if isinstance(model.rows[at], Heading):
            at = min(at + 1, len(rows) - 1)
        self.setCurrentIndex(model.index(at))

    @property
    def current(self) -> StudyEntry | None:
        """The study that is chosen."""
        entry = self.currentIndex().data(ENTRY) if self.currentIndex().isValid() else None
        return entry if isinstance(entry, StudyEntry) else None

    def _open(self, index: QModelIndex) -> None:
        entry = index.data(ENTRY)
        # The list may be made anew by what follows: open once this event is over.
        if isinstance(entry, StudyEntry):
            QTimer.singleShot(0, self, lambda: self.chosen.emit(entry.id))

    def take_off(self) -> None:
        """Take the chosen study off the list; undo puts it back."""
        entry = self.current
        if entry is not None and self.may_remove:
            self.removed.emit(entry.id, entry.title)

    def put_aside(self) -> None:
        """Put the chosen study aside, or take it back among the others."""
        entry = self.current
        if entry is not None and self.may_remove:
            self.putAside.emit(entry.id, entry.title, not entry.archived)

    def tag(self) -> None:
        """Ask for the chosen study's tags."""
        entry = self.current
        if entry is not None and self.may_remove and not entry.damage:
            self.tagging.emit(entry.id)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in {Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space} and self.current:
            self._open(self.currentIndex())
        elif event.key() == Qt.Key.Key_Delete:
            self.take_off()
        else:
            super().keyPressEvent(event)

    def menu_of(self, entry: StudyEntry) -> QMenu:
        """What can be done with a study."""
        menu = QMenu(self)
        menu.addAction("Open").triggered.connect(lambda: self._open(self.currentIndex()))
        for words, run in (
            ("Tags\u2026", self.tag),
            ("Take back among the others" if entry.archived else "Put aside", self.put_aside),
            ("Take off the list", self.take_off),
        ):
            action = menu.addAction(words)
            action.setEnabled(self.may_remove)
            action.triggered.connect(run)
        return menu

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        index = self.indexAt(event.pos())
        if not index.isValid() or not isinstance(index.data(ENTRY), StudyEntry):
            return
        self.setCurrentIndex(index)
        menu = self.menu_of(index.data(ENTRY))
        menu.exec(event.globalPos())
        menu.deleteLater()

"""Rows that wrap: as many things beside each other as there is room for."""

from __future__ import annotations

from PySide6.QtCore import QMargins, QPoint, QRect, QSize, Qt
from PySide6.QtWidgets import QLayout, QLayoutItem, QWidget


class Flow(QLayout):
    """Lays things beside each other at their least width, wraps what has no room, and shares out what is left of a row.

    With `even`, all columns are alike, so that things below each other line up.
    """

    def __init__(self, parent: QWidget | None = None, *, even: bool = False, gap: int = 12, below: int = 6) -> None:
        super().__init__(parent)
        self._items: list[QLayoutItem] = []
        self._even, self._gap, self._below = even, gap, below
        self.setContentsMargins(QMargins(0, 0, 0, 0))

    def addItem(self, item: QLayoutItem) -> None:
        self._items.append(item)

    def count(self) -> int:
        return len(self._items)

    def itemAt(self, index: int) -> QLayoutItem | None:
        return self._items[index] if 0 <= index < len(self._items) else None

    def takeAt(self, index: int) -> QLayoutItem | None:
        return self._items.pop(index) if 0 <= index < len(self._items) else None

    def expandingDirections(self) -> Qt.Orientation:
        return Qt.Orientation(0)

    def hasHeightForWidth(self) -> bool:
        return True

    def heightForWidth(self, width: int) -> int:
        return self._lay(QRect(0, 0, width, 0), move=False)

    def setGeometry(self, rect: QRect) -> None:
        super().setGeometry(rect)
        self._lay(rect, move=True)

    def sizeHint(self) -> QSize:
        return self.minimumSize()

    def minimumSize(self) -> QSize:
        shown = [i.minimumSize() for i in self._shown()]
        margins = self.contentsMargins()
        wide = max((s.width() for s in shown), default=0) + margins.left() + margins.right()
        return QSize(wide, max((s.height() for s in shown), default=0) + margins.top() + margins.bottom())

    def _shown(self) -> list[QLayoutItem]:
        return [i for i in self._items if not i.isEmpty()]

    def _rows(self, width: int) -> list[list[tuple[QLayoutItem, int]]]:
        """Things of each row, with their widths."""
        shown = self._shown()
        if not shown:
            return []
        least = [i.minimumSize().width() for i in shown]
        if self._even:
            columns = max(1, min((width + self._gap) // (max(least) + self._gap), len(shown)))
            each = (width - self._gap * (columns - 1)) // columns
            return [[(i, each) for i in shown[k : k + columns]] for k in range(0, len(shown), columns)]
        rows: list[list[tuple[QLayoutItem, int]]] = [[]]
        used = 0
        for item, wants in zip(shown, least, strict=True):
            if rows[-1] and used + self._gap + wants > width:
                rows.append([])
                used = 0
            used += wants + (self._gap if rows[-1] else 0)
            rows[-1].append((item, wants))
        made = []
        for row in rows:
            spare = max(width - sum(w for _, w in row) - self._gap * (len(row) - 1), 0)
            made.append([(i, w + spare // len(row)) for i, w in row])
        return made

    def _lay(self, rect: QRect, *, move: bool) -> int:
        """Place everything within a rectangle; return the height that it takes."""
        margins = self.contentsMargins()
        inner = rect.marginsRemoved(margins)
        y = inner.y()
        for number, row in enumerate(self._rows(inner.width())):
            y += self._below if number else 0
            tall = max(i.heightForWidth(w) if i.hasHeightForWidth() else i.sizeHint().height() for i, w in row)
            x = inner.x()
            for item, wide in row:
                if move:
                    item.setGeometry(QRect(QPoint(x, y), QSize(wide, tall)))
                x += wide + self._gap
            y += tall
        return y - rect.y() + margins.bottom()

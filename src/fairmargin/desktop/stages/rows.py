"""Rows of a long sheet that are built when they come into sight, and let go again."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from typing import Final, Generic, TypeVar

from PySide6.QtCore import QEvent, QObject
from PySide6.QtWidgets import QApplication, QHBoxLayout, QScrollArea, QVBoxLayout, QWidget

from fairmargin.desktop.widgets.basics import clear, label

Card = TypeVar("Card", bound=QWidget)

#: Rows built at a time beyond those in sight; what is farther away is let go.
KEPT: Final = 16
#: Pixels beyond the edges of the view that are built as well.
AHEAD: Final = 240
#: Height of a row nobody has built yet.
GUESS: Final = 140


class Row(QWidget, Generic[Card]):
    """One row: empty but of the right height until it is built."""

    def __init__(self, names: tuple[str, ...], make: Callable[[QHBoxLayout], dict[str, Card]]) -> None:
        super().__init__()
        self.names = names
        self._make = make
        self.cards: dict[str, Card] = {}
        self._line: QHBoxLayout | None = None

    @property
    def built(self) -> bool:
        """Whether its cards are there."""
        return bool(self.cards)

    def build(self) -> None:
        """Make its cards."""
        if self._line is None:
            self._line = QHBoxLayout(self)
            self._line.setContentsMargins(0, 0, 0, 0)
            self._line.setSpacing(8)
        self.cards = self._make(self._line)
        for card in self.cards.values():
            card.show()

    def let_go(self) -> None:
        """Drop its cards; its place keeps its height."""
        self.setMinimumHeight(self.height())
        self.cards = {}
        if self._line is not None:
            clear(self._line)


class _Watch(QObject):
    """Tells when the view is shown or resized."""

    def __init__(self, area: QScrollArea, look: Callable[[], None]) -> None:
        super().__init__(area)
        self._look = look
        area.viewport().installEventFilter(self)

    def eventFilter(self, _watched: QObject, event: QEvent) -> bool:
        if event.type() in {QEvent.Type.Resize, QEvent.Type.Show}:
            self._look()
        return False


class LazyRows(Mapping[str, Card], Generic[Card]):
    """The rows of a sheet in a scroll area; as a mapping, every card by its name (made when asked for).

    Parameters
    ----------
    area : QScrollArea
    column : QVBoxLayout
        Where the rows stand.
    show : callable
        Shows a card that was just made.
    busy : callable
        Whether a card holds something that is not stored yet, such as text being typed.
    """

    def __init__(
        self, area: QScrollArea, column: QVBoxLayout, show: Callable[[str, Card], None], busy: Callable[[Card], bool]
    ) -> None:
        self._area, self._column, self._show, self._busy = area, column, show, busy
        self.rows: list[Row[Card]] = []
        self._items: list[QWidget] = []
        self._of: dict[str, Row[Card]] = {}
        area.verticalScrollBar().valueChanged.connect(lambda _value: self.look())
        self._watch = _Watch(area, self.look)

    def clear(self) -> None:
        """Take every row away."""
        clear(self._column)
        self.rows, self._items, self._of = [], [], {}

    def add(self, names: tuple[str, ...], make: Callable[[QHBoxLayout], dict[str, Card]]) -> None:
        """Add a row at the end."""
        row = Row(names, make)
        row.setMinimumHeight(GUESS)
        self.rows.append(row)
        self._items.append(row)
        self._of.update(dict.fromkeys(names, row))
        self._column.addWidget(row)

    def add_heading(self, words: str) -> None:
        """Add a line of words at the end."""
        self._items.append(label(words, "muted"))
        self._column.addWidget(self._items[-1])

    # ------------------------------------------------------------ as a mapping

    def __getitem__(self, name: str) -> Card:
        row = self._of[name]
        if not row.built:
            self._build(row)
        return row.cards[name]

    def __iter__(self) -> Iterator[str]:
        return iter(self._of)

    def __len__(self) -> int:
        return len(self._of)

    def __bool__(self) -> bool:
        return bool(self._of)

    @property
    def there(self) -> dict[str, Card]:
        """The cards that are built now."""
        return {name: card for row in self.rows for name, card in row.cards.items()}

    # ------------------------------------------------------------ building

    def refit(self, name: str) -> None:
        """Give a row the height that its cards need now."""
        row = self._of.get(name)
        if row is not None and row.built:
            row.setMinimumHeight(0)
            layout = row.layout()
            if layout is not None:
                layout.invalidate()
            row.setMinimumHeight(row.sizeHint().height())

    def look(self) -> None:
        """Build what is in sight, and let go of what is far from it."""
        if not self.rows or not self._area.isVisible():
            return
        top = self._area.verticalScrollBar().value()
        low, high = top - AHEAD, top + self._area.viewport().height() + AHEAD
        at = self._tops()
        inside = [row for row in self.rows if at[row] < high and at[row] + row.minimumHeight() > low]
        for row in inside:
            if not row.built:
                self._build(row)
        built = [row for row in self.rows if row.built and row not in inside]
        if len(built) > KEPT:
            focus = QApplication.focusWidget()
            built.sort(key=lambda row: abs(at[row] - top))
            for row in built[KEPT:]:
                held = focus is not None and row.isAncestorOf(focus)
                if not held and not any(self._busy(card) for card in row.cards.values()):
                    row.let_go()

    def _tops(self) -> dict[Row[Card], int]:
        """Where every row stands; reckoned, since the layout knows it only after the next events."""
        at: dict[Row[Card], int] = {}
        here = 0
        for widget in self._items:
            if isinstance(widget, Row):
                at[widget] = here
                here += max(widget.minimumHeight(), widget.height() if widget.built else 0)
            else:
                here += widget.sizeHint().height()
            here += self._column.spacing()
        return at

    def _build(self, row: Row[Card]) -> None:
        row.build()
        for name, card in row.cards.items():
            self._show(name, card)
        height = row.sizeHint().height()
        if row.minimumHeight() != height:
            row.setMinimumHeight(height)
            for other in self.rows:
                if not other.built and other.minimumHeight() == GUESS:
                    other.setMinimumHeight(height)

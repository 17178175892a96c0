"""The sheet as a table: a leg a row, as many columns as the study uses; typed, copied, pasted and filled down like any sheet."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Final, Protocol

from PySide6.QtCore import (
    QAbstractTableModel,
    QEvent,
    QModelIndex,
    QObject,
    QPersistentModelIndex,
    QPoint,
    Qt,
    QTimer,
    Signal,
)
from PySide6.QtGui import QGuiApplication, QKeyEvent, QKeySequence
from PySide6.QtWidgets import QAbstractItemView, QMenu, QTableView, QVBoxLayout, QWidget

from fairmargin.core.conditions.concern import Concern
from fairmargin.core.conditions.typed import INSTRUMENT_KEYS, doubt, leg_fields, more, needed_fields, show_leg_field
from fairmargin.core.study import Leg, Study
from fairmargin.core.study.runs import way_words
from fairmargin.core.units import UNIT_CHOICES, in_units
from fairmargin.desktop.state.session import Session
from fairmargin.desktop.theme import theme, trial_colour
from fairmargin.desktop.widgets.basics import label, link
from fairmargin.desktop.widgets.decimals import Cells, as_here, typed_here
from fairmargin.desktop.widgets.tables import add_outgoing, put_on_clipboard

#: Columns that are always there, and those that stand beside them.
FIRST: Final = ("reading", "distance_km", "duration_s", "started_at")
BESIDE: Final = ("temperature_c", "wind_speed_ms", "wind_from_deg", "pressure_hpa", "note")
NAMES: Final = ("Leg", "Configuration", "Way")
#: Columns that have a sum at the foot; the others have a mean, where they are numbers.
SUMMED: Final = frozenset({"distance_km", "duration_s"})

Index = QModelIndex | QPersistentModelIndex


class Sheet(Protocol):
    """The stage whose legs these are."""

    @property
    def session(self) -> Session:
        """Whose study is open."""

    def commit(self, name: str, key: str, text: str, study_id: int | None, apart: Sequence[str] = ()) -> None:
        """Store one field typed for a study; ValueError in words when it is refused."""

    def commit_cells(self, cells: Sequence[tuple[str, str, str]], study_id: int | None) -> dict[int, str]:
        """Store several cells in one undo step; what is refused is told by its place."""


def columns_used(study: Study, wanted: Sequence[str], known: Used | None = None) -> tuple[str, ...]:
    """Fields that the table shows: the first, those with a value on any leg, those asked for; in the sheet's order.

    `known` keeps what each leg has a value of, from one edit to the next: an edit is one leg's.
    """
    every = (*FIRST, *BESIDE, *more())
    plain = UNIT_CHOICES["metric"]
    known = {} if known is None else known
    now: Used = {}
    for leg in study.legs:
        kept_leg = known.get(id(leg))
        if kept_leg is None or kept_leg[0] is not leg:
            has = (k for k in every if k not in INSTRUMENT_KEYS and show_leg_field(k, leg, plain, study))
            kept_leg = (leg, frozenset(has))
        now[id(leg)] = kept_leg
    known.clear()
    known.update(now)
    used = frozenset[str]().union(*(has for _, has in now.values()))
    kept = {*FIRST, *used, *wanted, *needed_fields(study)}
    return tuple(key for key in every if key in kept)


def _caption(key: str) -> str:
    """What a column is called."""
    known = leg_fields()[key]
    return known.column or known.caption or key


#: A column is as wide as what stands in the rows in sight and so many more.
ROWS_MEASURED: Final = 60
#: Of each leg, by its identity, itself and the fields that have a value.
Used = dict[int, tuple[Leg, frozenset[str]]]


class LegModel(QAbstractTableModel):
    """Legs as rows; what is typed goes through the stage, and what it refuses stands in `fault`."""

    told = Signal()  # what is typed was taken, or refused

    def __init__(self, stage: Sheet, parent: QObject) -> None:
        super().__init__(parent)
        self.stage = stage
        self.keys: tuple[str, ...] = ()
        self.legs: tuple[Leg, ...] = ()
        self.fault = ""
        self.changed: list[int] = []  # rows that the last look at the study changed
        self._study: Study | None = None
        self._around: object = None  # what else the cells are written by
        self._used: Used = {}

    def show_study(self, study: Study, wanted: Sequence[str]) -> None:
        """Show a study's legs; rows and columns are laid anew only where there are others."""
        shown = self._study
        if shown is None or shown.readings != study.readings or shown.events != study.events:
            self._used.clear()  # what stands on a leg is told of it elsewhere as well
        keys = columns_used(study, wanted, self._used)
        same = keys == self.keys and [x.leg for x in self.legs] == [x.leg for x in study.legs]
        around = (study.with_(legs=(), events=(), weather=()), self.stage.session.units, theme.colours)
        alike = same and around == self._around
        if not same:
            self.beginResetModel()
        before, self._around = self.legs, around
        self._study, self.legs, self.keys = study, study.legs, keys
        if not same:
            self.endResetModel()
            return
        # Only what changed is drawn anew: an edit is one leg's.
        last = self.columnCount() - 1
        self.changed = [
            i for i, (was, now) in enumerate(zip(before, self.legs, strict=True)) if not alike or was is not now
        ]
        for i in self.changed:
            self.dataChanged.emit(self.index(i, 0), self.index(i, last))

    def rowCount(self, _parent: Index = QModelIndex()) -> int:
        return len(self.legs)

    def columnCount(self, _parent: Index = QModelIndex()) -> int:
        return len(NAMES) + len(self.keys)

    def key(self, column: int) -> str:
        """The field of a column; "" of those that name the leg."""
        return "" if column < len(NAMES) else self.keys[column - len(NAMES)]

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if orientation is not Qt.Orientation.Horizontal:
            return None
        key = self.key(section)
        if role == Qt.ItemDataRole.DisplayRole:
            if not key:
                return NAMES[section]
            known = leg_fields()[key]
            unit = getattr(self.stage.session.units, known.quantity, "") if known.quantity else ""
            return f"{_caption(key)}{f', {unit}' if unit else ''}"
        if role == Qt.ItemDataRole.ToolTipRole and key:
            return leg_fields()[key].tip
        return None

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        study = self._study
        if study is None or not index.isValid() or index.row() >= len(self.legs):
            return None
        leg, key = self.legs[index.row()], self.key(index.column())
        if role in {Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.EditRole}:
            if key:
                return show_leg_field(key, leg, self.stage.session.units_of(leg), study)
            left_out = "" if leg.included else " (out)"
            return (
                f"{leg.leg}{left_out}",
                study.configuration(leg.configuration).label,
                way_words(study, leg) or "\u2013",
            )[index.column()]
        if role == Qt.ItemDataRole.ForegroundRole:
            if not leg.included:
                return theme.colour("muted")
            if index.column() == 1:
                trials = [t.id for t in study.trials]
                name = "baseline" if leg.configuration not in trials else trial_colour(trials.index(leg.configuration))
                return theme.colour(name)
        if role == Qt.ItemDataRole.TextAlignmentRole and key and key != "note":
            return int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        return None

    def flags(self, index: Index) -> Qt.ItemFlag:
        base = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
        editable = bool(self.key(index.column())) and not self.stage.session.read_only
        return base | Qt.ItemFlag.ItemIsEditable if editable else base

    def setData(self, index: Index, value: object, role: int = Qt.ItemDataRole.EditRole) -> bool:
        key = self.key(index.column())
        if role != Qt.ItemDataRole.EditRole or not key:
            return False
        taken = self.type_in([(self.legs[index.row()].leg, key, str(value))])
        self.told.emit()
        return taken

    @typed_here()
    def type_in(self, cells: Sequence[tuple[str, str, str]]) -> bool:
        """Store cells (leg, field, text) as typed, in one undo step; what is refused is told and nothing of it kept."""
        session, study = self.stage.session, self.stage.session.study
        typed = [
            (name, key, text.strip())
            for name, key, text in cells
            if study is None
            or text.strip() != show_leg_field(key, leg := study.leg(name), session.units_of(leg), study)
        ]
        self.fault = ""
        if not typed:
            return True
        try:
            if len(typed) == 1:
                self.stage.commit(*typed[0], session.study_id)
                return True
            faults = self.stage.commit_cells(typed, session.study_id)
        except ValueError as error:
            faults = {0: str(error)}
        told = [f"{typed[i][0]}, {_caption(typed[i][1])}: {words}" for i, words in faults.items()]
        self.fault = "; ".join(told[:3]) + (f"; and {len(told) - 3} more" if len(told) > 3 else "")
        return not told

    def foot(self) -> str:
        """Sums and means of what stands in the columns, of the legs that count."""
        study, own = self._study, [x for x in self.legs if x.included]
        parts = []
        for key in self.keys:
            known = leg_fields()[key]
            values = [v for x in own if isinstance(v := getattr(x, key, None), int | float)]
            if not values or key == "reading" or known.quantity == "direction":
                continue  # a mean of directions is none
            value = sum(values) if key in SUMMED else sum(values) / len(values)
            word = "sum" if key in SUMMED else "mean"
            if key == "duration_s":
                shown = f"{value / 60:.0f} min"
            elif known.quantity and hasattr(self.stage.session.units, known.quantity):
                units = self.stage.session.units
                shown = f"{units.show(known.quantity, value):.1f} {getattr(units, known.quantity)}"
            else:
                shown = f"{value:.1f}" + (" %" if known.quantity == "percent" else "")
            parts.append(f"{_caption(key)}: {word} {shown}".replace("-", "\u2212"))
        read = sum(map(self.stage.session.has_reading, own))
        return " \u00b7 ".join([f"{read} of {len(self.legs)} legs read", *parts]) if study is not None else ""


MOST_WIDE: Final = 190  # a column, px
USUAL_READING: Final = "888.8 kWh/100 km"  # has room before it is typed, so that nothing moves


class LegTable(QWidget):
    """The table, its faults and its foot."""

    cardWanted = Signal(str)  # leg, whose doubt is answered on its card

    def __init__(self, stage: Sheet, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.stage = stage
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        self.view = QTableView()
        self.view.setAccessibleName("Legs, a row each")
        self.view.setItemDelegate(Cells(self.view))
        self.view.setTabKeyNavigation(False)
        self.view.setSelectionMode(QAbstractItemView.SelectionMode.ContiguousSelection)
        self.view.setEditTriggers(
            QAbstractItemView.EditTrigger.AnyKeyPressed
            | QAbstractItemView.EditTrigger.DoubleClicked
            | QAbstractItemView.EditTrigger.EditKeyPressed
        )
        self.view.verticalHeader().hide()
        self.view.verticalHeader().setDefaultSectionSize(25)
        head = self.view.horizontalHeader()
        head.setResizeContentsPrecision(ROWS_MEASURED)
        head.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        head.customContextMenuRequested.connect(self._columns_menu)
        self.view.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.view.customContextMenuRequested.connect(self._menu)
        self.model = LegModel(stage, self)
        self.view.setModel(self.model)
        self.model.told.connect(self._show_fault)
        self.view.installEventFilter(self)
        column.addWidget(self.view, 1)
        self.fault = label("", "fault", wrap=True)
        self.fault.hide()
        column.addWidget(self.fault)
        self.doubt = link("")
        self.doubt.hide()
        self.doubt.clicked.connect(self._go_to_doubt)
        column.addWidget(self.doubt, 0, Qt.AlignmentFlag.AlignLeft)
        self._doubtful = ""
        self.foot = label("", "muted", wrap=True)
        column.addWidget(self.foot)
        self._laid: tuple[str, ...] = ()

    @property
    def wanted(self) -> tuple[str, ...]:
        """Columns that the tester asked for, whether or not anything stands in them."""
        kept = str(self.stage.session.settings.value("table/columns", "") or "")
        return tuple(k for k in kept.split("|") if k)

    def refresh(self, study: Study, asked: Mapping[str, Concern] | None = None) -> None:
        """Show the study; `asked` is what is odd about a leg's reading."""
        if asked is not None:
            self._show_doubt(study, asked)
        hidden = [k for k in self.wanted if k.startswith("-")]
        # Columns that stand there keep their width: only one that comes is measured.
        stays = [x.leg for x in self.model.legs] == [x.leg for x in study.legs]
        was = {k: self.view.columnWidth(i) for i, k in enumerate((*NAMES, *self._laid))} if stays and self._laid else {}
        self.model.show_study(study, [k for k in self.wanted if not k.startswith("-")])
        self.foot.setText(self.model.foot())
        self._show_fault()
        if self._laid != self.model.keys:
            self._laid = self.model.keys
            head = self.view.horizontalHeader()
            room = self.view.fontMetrics().horizontalAdvance(USUAL_READING) + 16
            for i, key in enumerate((*NAMES, *self._laid)):
                least = room if key == "reading" else 64
                self.view.setColumnWidth(i, was.get(key) or min(max(self._needed(i) + 8, least), MOST_WIDE))
            head.setStretchLastSection(bool(self._laid) and self._laid[-1] == "note")
        elif "reading" in self._laid:  # readings are typed in many ways; none is cut off
            at = len(NAMES) + self._laid.index("reading")
            needed = max(
                (self.view.sizeHintForIndex(self.model.index(i, at)).width() for i in self.model.changed), default=0
            )
            if needed + 8 > self.view.columnWidth(at):
                self.view.setColumnWidth(at, min(needed + 8, MOST_WIDE))
        for i, key in enumerate(self.model.keys):
            self.view.setColumnHidden(i + len(NAMES), f"-{key}" in hidden)

    def _needed(self, column: int) -> int:
        """Width of what stands in a column and over it."""
        return max(self.view.sizeHintForColumn(column), self.view.horizontalHeader().sectionSizeHint(column))

    def _show_fault(self) -> None:
        self.fault.setText(self.model.fault)
        self.fault.setVisible(bool(self.model.fault))

    def _show_doubt(self, study: Study, asked: Mapping[str, Concern]) -> None:
        """The first leg whose figures are odd, and how many more are."""
        odd = [
            (leg.leg, in_units(words, self.stage.session.units_of(leg)))
            for leg in study.legs
            if (words := doubt(study, leg) or (asked[leg.leg].title if leg.leg in asked else ""))
        ]
        self._doubtful = odd[0][0] if odd else ""
        more = f" (and {len(odd) - 1} more)" if len(odd) > 1 else ""
        self.doubt.setText(as_here(f"{odd[0][0]}: {odd[0][1]}{more}  \u203a") if odd else "")
        self.doubt.setVisible(bool(odd))

    def _go_to_doubt(self) -> None:
        self.cardWanted.emit(self._doubtful)

    def begin(self) -> None:
        """Put the cursor into the first reading that is open."""
        column = len(NAMES)
        row = next((i for i, leg in enumerate(self.model.legs) if not leg.has_reading), 0)
        self.view.setFocus()
        self.view.setCurrentIndex(self.model.index(row, column))

    # ------------------------------------------------------------ keys

    def eventFilter(self, _watched: QObject, event: QEvent) -> bool:
        if event.type() != QEvent.Type.KeyPress or not isinstance(event, QKeyEvent):
            return False
        if event.matches(QKeySequence.StandardKey.Copy):
            self.copy()
            return True
        if event.matches(QKeySequence.StandardKey.Paste):
            self.paste()
            return True
        if event.key() in {Qt.Key.Key_Delete, Qt.Key.Key_Backspace}:
            self._type([(row, column, "") for row, column in self._selected()])
            return True
        if event.key() in {Qt.Key.Key_Return, Qt.Key.Key_Enter}:
            if self.view.state() is QAbstractItemView.State.EditingState:
                QTimer.singleShot(0, self, self._down)  # after what was typed is stored
                return False
            self._down()
            return True
        return False

    def _down(self) -> None:
        """Go to the same field of the next leg; from the last one to the first's next field."""
        here = self.view.currentIndex()
        row, column = here.row() + 1, here.column()
        if row >= self.model.rowCount():
            more = [c for c in range(column + 1, self.model.columnCount()) if not self.view.isColumnHidden(c)]
            if not more:
                return
            row, column = 0, more[0]
        self.view.setCurrentIndex(self.model.index(row, column))

    def _selected(self) -> list[tuple[int, int]]:
        found = [(i.row(), i.column()) for i in self.view.selectionModel().selectedIndexes()]
        return sorted((r, c) for r, c in found if not self.view.isColumnHidden(c))

    def copy(self) -> None:
        """Copy the cells chosen, with tabs and line ends, as spreadsheets take them."""
        chosen = self._selected()
        rows = sorted({r for r, _ in chosen})
        put_on_clipboard([[str(self.model.index(r, c).data() or "") for rr, c in chosen if rr == r] for r in rows])

    def paste(self) -> None:
        """Lay a block from a spreadsheet onto the table, from the cell that is chosen on (one undo step)."""
        chosen = self._selected()
        text = QGuiApplication.clipboard().text().rstrip("\r\n")
        if not chosen or not text:
            return
        shown = [c for c in range(self.model.columnCount()) if not self.view.isColumnHidden(c)]
        top, left = chosen[0][0], shown.index(chosen[0][1])
        block = [line.split("\t") for line in text.splitlines()]
        if len(block) == 1 and len(block[0]) == 1 and len(chosen) > 1:
            self._type([(r, c, block[0][0]) for r, c in chosen])
            return
        cells = [
            (top + i, shown[left + j], value)
            for i, line in enumerate(block)
            for j, value in enumerate(line)
            if top + i < self.model.rowCount() and left + j < len(shown)
        ]
        self._type(cells)

    def fill_down(self) -> None:
        """Give the cells chosen what stands in the first of each column (one undo step)."""
        first: dict[int, str] = {}
        cells = []
        for row, column in self._selected():
            if column not in first:
                first[column] = str(self.model.index(row, column).data() or "")
            else:
                cells.append((row, column, first[column]))
        self._type(cells)

    def _type(self, cells: Sequence[tuple[int, int, str]]) -> None:
        """Store several cells in one undo step; the first that is refused is told, the others are kept."""
        typed = [(self.model.legs[r].leg, self.model.key(c), text) for r, c, text in cells if self.model.key(c)]
        if not typed or self.stage.session.read_only:
            return
        self.model.type_in(typed)
        study = self.stage.session.study
        if study is not None:
            self.refresh(study)

    # ------------------------------------------------------------ menus

    def _menu(self, at: QPoint) -> None:
        menu = QMenu(self)
        menu.addAction("Copy", self.copy)
        menu.addAction("Paste", self.paste)
        menu.addAction("Fill down", self.fill_down)
        menu.addSeparator()
        add_outgoing(menu, self.view)
        menu.exec(self.view.viewport().mapToGlobal(at))

    def columns_menu(self) -> QMenu:
        """Which columns there are: each shown or hidden."""
        menu = QMenu(self)
        for key in (*FIRST, *BESIDE, *more()):
            action = menu.addAction(_caption(key))
            action.setCheckable(True)
            shown = key in self.model.keys and not self.view.isColumnHidden(self.model.keys.index(key) + len(NAMES))
            action.setChecked(shown)
            action.toggled.connect(lambda on, k=key: self.show_column(k, on))
        return menu

    def _columns_menu(self, at: QPoint) -> None:
        self.columns_menu().exec(self.view.horizontalHeader().mapToGlobal(at))

    def show_column(self, key: str, on: bool) -> None:
        """Show or hide a column; kept for every study."""
        kept = [k for k in self.wanted if k.removeprefix("-") != key]
        self.stage.session.settings.setValue("table/columns", "|".join([*kept, key if on else f"-{key}"]))
        study = self.stage.session.study
        if study is not None:
            self.refresh(study)

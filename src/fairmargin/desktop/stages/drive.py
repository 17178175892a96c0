"""Drive: the run sheet, laid out as the day goes, out and back beside each other."""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial
from typing import TYPE_CHECKING, Final

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QStackedWidget, QToolButton, QVBoxLayout, QWidget

from fairmargin.core.companion import aimed_kmh, leg_checklist
from fairmargin.core.conditions.concern import Concern
from fairmargin.core.conditions.typed import needed_fields
from fairmargin.core.planning import plan_day
from fairmargin.core.result.types import Analysis
from fairmargin.core.study import Leg, Study
from fairmargin.core.study.cells import vehicle_label
from fairmargin.desktop.stages.leg_card import LegCard
from fairmargin.desktop.stages.leg_table import LegTable
from fairmargin.desktop.stages.rows import LazyRows
from fairmargin.desktop.stages.sheet_keys import SheetKeys
from fairmargin.desktop.stages.warm_up_line import WarmUpLine
from fairmargin.desktop.state.session import Session
from fairmargin.desktop.widgets.basics import Mark, as_tip, label, panel, scrolling

if TYPE_CHECKING:
    from fairmargin.desktop.stages.driving.controller import DriveController
    from fairmargin.desktop.stages.driving.view import DriveView

#: Narrower than this, out and back stand below each other instead of beside. [px]
NARROW = 700
#: Methods whose drives have no first leg: each begins as everyday drives do.
NO_FIRST_LEG: Final = frozenset({"everyday"})


@dataclass(frozen=True)
class Laid:
    """The study whose rows lie on the sheet; a row is shown from it alone, whatever is open by then."""

    study_id: int | None
    study: Study

    @property
    def structure(self) -> object:
        """What the rows follow from: another one needs other rows."""
        legs = tuple((leg.leg, leg.run, leg.configuration, leg.block, leg.direction) for leg in self.study.legs)
        return self.study_id, legs, tuple((c.id, c.name, c.baseline) for c in self.study.configurations)


#: Concerns that one click answers: a reading is confirmed, or mended.
ASKED: Final = frozenset({"reading-doubtful", "reading-unconfirmed"})


def asked_of(analysis: Analysis | None) -> dict[str, Concern]:
    """What is asked of each leg's reading, the gravest first."""
    found: dict[str, Concern] = {}
    if analysis is not None:
        every = [*analysis.concerns, *(c for x in analysis.comparisons for c in x.concerns)]
        for concern in sorted(every, key=lambda c: c.severity != "blocks"):
            if concern.code in ASKED:
                for leg in concern.legs:
                    found.setdefault(leg, concern)
    return found


class DriveStage(SheetKeys):
    """The run sheet, and the companion's view."""

    finished = Signal()  # every leg is driven, and the verdict is wanted
    liveChanged = Signal(bool)  # on the road, or back on the sheet

    KEYS = ("reading", "distance_km", "duration_s", "started_at", "temperature_c", "wind_speed_ms",
            "wind_from_deg", "pressure_hpa", "note")  # fmt: skip

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(session, "Drive", parent)
        self.sheet_button, self.cards_button, self.live_button = QToolButton(), QToolButton(), QToolButton()
        for button, words, tip in (
            (self.sheet_button, "Sheet", "A leg a row: typed, pasted, filled down"),
            (self.cards_button, "Cards", "A card a leg, with all that may be noted of it"),
            (self.live_button, "On the road", "One leg at a time, in large type"),
        ):
            button.setText(words)
            button.setToolTip(tip)
            button.setCheckable(True)
            self.head.addWidget(button)
        self.sheet_button.setChecked(True)
        self.sheet_button.clicked.connect(lambda: self.show_sheet(True))
        self.cards_button.clicked.connect(lambda: self.show_sheet(False))
        self.live_button.clicked.connect(lambda: self.show_view(True))
        self.paste_button = QPushButton("Paste\u2026")
        self.paste_button.setToolTip("Ctrl+Shift+V: rows of legs from a spreadsheet, with or without a header")
        self.paste_button.clicked.connect(self.paste)
        self.head.addWidget(self.paste_button)
        self.more_button = QPushButton("Fields")
        self.more_button.setCheckable(True)
        self.more_button.setToolTip("Every field there is, on every leg (Ctrl+M)")
        self.more_button.clicked.connect(self.open_all)
        self.head.addWidget(self.more_button)
        self.columns_button = QPushButton("Columns")
        self.columns_button.setToolTip("Which columns the sheet has")
        self.columns_button.clicked.connect(self._choose_columns)
        self.head.addWidget(self.columns_button)
        self.add_button = QPushButton("Add\u2026")
        self.add_button.setToolTip("A run with the baseline or a trial")
        self.add_button.clicked.connect(self._add_menu)
        self.head.addWidget(self.add_button)
        self.live_buttons: list[QPushButton] = []
        for words, act, tip in (
            ("Instruments\u2026", self.choose_instruments, "GPS, vehicle bus, weather station (Ctrl+Shift+J)"),
            ("Rehearse\u2026", self.choose_rehearsal, "Drive this plan at the desk, with stand-ins"),
            ("Full screen", lambda: self.show_full_screen(True), "F11; Esc comes back"),
        ):
            live = QPushButton(words)
            live.setToolTip(tip)
            live.clicked.connect(lambda _=False, a=act: a())
            live.hide()
            self.live_buttons.append(live)
            self.head.addWidget(live)
        self.faces = QStackedWidget()
        self.page.addWidget(self.faces, 1)
        sheet = QWidget()
        self.faces.addWidget(sheet)
        below = QVBoxLayout(sheet)
        below.setContentsMargins(0, 0, 0, 0)
        below.setSpacing(12)
        caution = label(
            "The driver drives; a passenger, or a stop, is for the notes. Keep with the traffic; never follow closely to test.",
            "caution",
            wrap=True,
        )
        below.addWidget(caution)
        self.controller: DriveController | None = None
        self.view: DriveView | None = None
        self._full: QWidget | None = None
        self.ahead, box = panel((18, 10, 18, 10), 4)
        line = QHBoxLayout()
        self.ahead_words = label("", "heading", wrap=True)
        line.addWidget(self.ahead_words, 1)
        self.folded = False
        self.fold = QPushButton()
        self.fold.setObjectName("link")
        self.fold.clicked.connect(lambda: self._fold(not self.folded))
        line.addWidget(self.fold, 0, Qt.AlignmentFlag.AlignTop)
        box.addLayout(line)
        self.ahead_list = label("", "", wrap=True)
        box.addWidget(self.ahead_list)
        below.addWidget(self.ahead)
        self.warm_up = WarmUpLine(session)
        below.addWidget(self.warm_up)
        self._inner = QWidget()
        self._sheet = QVBoxLayout(self._inner)
        self._sheet.setContentsMargins(0, 0, 8, 0)
        self._sheet.setSpacing(10)
        self.area = scrolling(self._inner)
        below.addWidget(self.area, 1)
        self.table = LegTable(self)
        self.table.cardWanted.connect(self._show_card_of)
        below.addWidget(self.table, 1)
        self.as_table = str(session.settings.value("sheet", "table")) == "table"
        # Beside a table of all legs the list of what to look at is a line; beside cards it is open.
        self._fold(
            str(session.settings.value("checklist", "folded" if self.as_table else "open")) == "folded", keep=False
        )
        self._show_face()
        self.cards: LazyRows[LegCard] = LazyRows(self.area, self._sheet, self._show_card, LegCard.holds)
        self._laid: Laid | None = None
        self._laid_narrow = False
        self._events: dict[str, list[str]] = {}
        self._asked: dict[str, Concern] = {}  # by leg: what is asked of its reading
        self._opened: set[str] = set()  # legs that show every field
        self._needed: tuple[str, ...] = ()
        self._next = ""

    # ------------------------------------------------------------ sheet or cards

    def show_sheet(self, as_table: bool) -> None:
        """Show the legs as rows of a table, or as cards; kept."""
        self.as_table = as_table
        self.session.settings.setValue("sheet", "table" if as_table else "cards")
        self._show_face()
        self.show_view(False)

    def _show_face(self) -> None:
        self.table.setVisible(self.as_table)
        self.area.setVisible(not self.as_table)
        live = self.live_button.isChecked()
        self.more_button.setVisible(not self.as_table and not live)
        self.columns_button.setVisible(self.as_table and not live)
        self.sheet_button.setChecked(self.as_table and not live)
        self.cards_button.setChecked(not self.as_table and not live)

    def _show_card_of(self, name: str) -> None:
        """Go from a row of the table to the leg's card, where a doubt is answered."""
        self.show_sheet(False)
        if name in self.cards:
            self._next = name
            QTimer.singleShot(0, self, self._show_next)

    def _fold(self, folded: bool, keep: bool = True) -> None:
        """Fold the checklist of the next leg to a line, or open it; kept."""
        self.folded = folded
        self.ahead_list.setVisible(not folded)
        self.fold.setText("Checklist" if folded else "Fold")
        self.fold.setAccessibleName("Show the checklist of the next leg" if folded else "Fold the checklist")
        if keep:
            self.session.settings.setValue("checklist", "folded" if folded else "open")

    def _choose_columns(self) -> None:
        at = self.columns_button.mapToGlobal(self.columns_button.rect().bottomLeft())
        self.table.columns_menu().exec(at)

    def begin_typing(self) -> None:
        """Put the cursor into the first reading that is open."""
        if self.as_table:
            self.table.begin()
            return
        name = next((n for n, card in self.cards.there.items() if not card.fields["reading"].edit.text()), "")
        if name:
            self.cards.there[name].fields["reading"].edit.setFocus()

    # ------------------------------------------------------------ on the road

    def show_view(self, live: bool) -> None:
        """Switch between the sheet and the companion's view, which is made when first wanted."""
        if live and self.view is None:
            from fairmargin.desktop.stages.driving.controller import DriveController
            from fairmargin.desktop.stages.driving.settings import load_settings
            from fairmargin.desktop.stages.driving.view import DriveView

            self.controller = DriveController(self.session, self)
            self.view = DriveView(self.controller)
            self.view.fullScreenWanted.connect(self.show_full_screen)
            self.controller.changed.connect(self._name_rehearsal)
            self.view.done.connect(self.finished)
            self.faces.addWidget(self.view)
            kept = load_settings(self.session.settings)
            if kept.gps or kept.interface or kept.weather:
                self.controller.connect_instruments(kept)
        self.live_button.setChecked(live)
        self.faces.setCurrentIndex(1 if live and self._full is None else 0)
        for button in (self.paste_button, self.add_button):
            button.setVisible(not live)
        self._show_face()
        for button in self.live_buttons:
            button.setVisible(live)
        self.liveChanged.emit(live)
        self.touch()
        if live and self.view is not None:
            self.view.setFocus()

    def _name_rehearsal(self) -> None:
        assert self.controller is not None
        words = "Rehearse\u2026" if self.controller.rehearsal is None else "End the rehearsal"
        if self.live_buttons[1].text() != words:
            self.live_buttons[1].setText(words)

    def show_full_screen(self, full: bool) -> None:
        """Give the view the whole screen, or put it back."""
        if self.view is None or full == (self._full is not None):
            return
        if full:
            self._full = self.view
            self.faces.removeWidget(self.view)
            self.view.setParent(None)
            self.view.setContentsMargins(28, 20, 28, 20)
            self.view.setGeometry(self.screen().geometry())  # a desktop without a window manager does not
            self.view.showFullScreen()
        else:
            self._full = None
            self.view.setWindowState(Qt.WindowState.WindowNoState)
            self.view.setContentsMargins(0, 0, 0, 0)
            self.faces.addWidget(self.view)
            self.show_view(True)
        self.view.fit()
        self.view.setFocus()

    def choose_instruments(self) -> None:
        """Ask which instruments there are, and connect them."""
        from fairmargin.desktop.stages.driving.instruments import InstrumentsDialog

        assert self.controller is not None
        dialog = InstrumentsDialog(self.controller, self)
        dialog.exec()
        dialog.deleteLater()

    def choose_rehearsal(self) -> None:
        """Ask how fast to rehearse, and begin, or end the rehearsal."""
        from fairmargin.desktop.stages.driving.instruments import RehearsalDialog

        assert self.controller is not None
        if self.controller.rehearsal is not None:
            self.controller.stop_rehearsal()
            return
        dialog = RehearsalDialog(self.controller, self)
        dialog.exec()
        dialog.deleteLater()

    def may_rest(self) -> bool:
        return self.controller is None and super().may_rest()

    def release(self) -> None:
        """Let go of instruments and files; the window closes."""
        if self.controller is not None:
            self.controller.close()
        if self._full is not None:
            self._full.close()

    def _show_next(self) -> None:
        """Bring the card of the leg that is next into sight."""
        if self._next in self.cards:
            card = self.cards[self._next]
            self._sheet.activate()
            self.area.ensureWidgetVisible(card, 0, 40)
            self.cards.look()

    # ------------------------------------------------------------ drawing

    def touch(self) -> None:
        if self._laid is not None and self._laid.study_id != self.session.study_id:
            self._laid = None  # no row outlives its study, in sight or not
            self.cards.clear()
        super().touch()

    def refresh(self, study: Study) -> None:
        laid = Laid(self.session.study_id, study)
        if self._laid is None or laid.structure != self._laid.structure:
            self._laid_narrow = self.narrow
            self._laid = laid
            self._build(study)
        self._laid = laid
        legs = {leg.leg: leg for leg in study.legs}
        events: dict[str, list[str]] = {}
        for event in study.events:
            events.setdefault(event.leg, []).append(event.kind.replace("-", " "))
        self._events = events
        self._asked = asked_of(self.session.analysis)
        self._needed = needed_fields(study)
        if self.as_table:
            self.table.refresh(study, self._asked)
        else:
            self.cards.look()
        for name, card in self.cards.there.items():
            card.open_fields(self._needed, self._every(name))
            card.show_leg(study, legs[name], events.get(name, []), self._asked.get(name))
        self.warm_up.refresh(study)
        self.warm_up.setVisible(bool(study.legs) and study.method not in NO_FIRST_LEG)
        driven = sum(self.session.has_reading(leg) for leg in study.legs)
        left_out = sum(leg.state == "left out" for leg in study.legs)
        words = f"{driven} of {len(study.legs)} legs driven"
        if left_out:
            words += f", {left_out} left out"
        nxt = next((leg for leg in study.legs if self.session.state(leg) == "planned"), None)
        for name, card in self.cards.there.items():
            card.mark_next(nxt is not None and name == nxt.leg)
        if nxt and not self.live_button.isChecked():
            words += (
                f" \u00b7 next: {nxt.run or nxt.leg} {nxt.direction}, {study.configuration(nxt.configuration).label}"
            )
        self.subtitle.setText(words)
        self.ahead.setVisible(nxt is not None)
        if nxt is not None:
            self._show_ahead(study, nxt)
        if (nxt.leg if nxt else "") != self._next:
            self._next = nxt.leg if nxt else ""
            if nxt is not None:
                QTimer.singleShot(0, self, self._show_next)
        for button in (self.paste_button, self.add_button):
            button.setEnabled(not self.session.read_only)

    def _show_ahead(self, study: Study, leg: Leg) -> None:
        """What the plan says of the leg that is next: when, how fast by the speedometer, and what to look at."""
        order = study.order
        names = [run for run, _ in study.runs()]
        driver = f"{vehicle_label(study, leg.vehicle)}, " if leg.vehicle else ""
        words = f"Next: {leg.run or leg.leg} {leg.direction}, {driver}{study.configuration(leg.configuration).label}"
        run = names.index(leg.run or leg.leg)
        first = next(x for x in study.legs if (x.run or x.leg) == (leg.run or leg.leg)) is leg
        if study.plan.day is not None and first:
            steps = [s for s in plan_day(study, order).steps if s.kind == "run"]
            start = steps[run].start
            words += f", planned for {start:%H:%M}" + (f" on {start:%A}" if start.date() != study.plan.day else "")
        if leg.direction == "out" and study.plan.turning_point:
            words += f", turn at {study.plan.turning_point}"
        aim = aimed_kmh(study, leg)
        if aim is not None:
            choice = self.session.units
            words += f", {choice.show('speed', aim[0]):.0f} {choice.speed}"
            if aim[1] != aim[0]:
                words += f" (the speedometer shows {choice.show('speed', aim[1]):.0f})"
        self.ahead_words.setText(words)
        lines = [f"\u2610  {text}" for text in leg_checklist(study, leg)]
        self.ahead_list.setText("\n".join(lines[:6]))
        self.ahead_list.setToolTip(as_tip("\n".join(lines)))

    def _build(self, study: Study) -> None:
        self._inner.setUpdatesEnabled(False)
        self.cards.clear()
        trials = [t.id for t in study.trials]
        block = None
        for run, legs in study.runs():
            if legs[0].block != block:
                block = legs[0].block
                if block:
                    self.cards.add_heading(f"Block {block}")
            configuration = study.configuration(legs[0].configuration)
            trial = trials.index(configuration.id) if configuration.id in trials else None
            names = tuple(leg.leg for leg in legs)
            self.cards.add(names, partial(self._make_row, run, configuration.label, trial, names))
        if not study.legs:
            self._sheet.addWidget(label("No runs yet. Lay them out in Plan, or add a run.", "muted"))
        self._sheet.addStretch()
        self._inner.setUpdatesEnabled(True)

    def _make_row(
        self, run: str, words: str, trial: int | None, names: tuple[str, ...], line: QHBoxLayout
    ) -> dict[str, LegCard]:
        side = QWidget()
        side.setFixedWidth(72)
        column = QVBoxLayout(side)
        column.setContentsMargins(0, 4, 0, 0)
        column.setSpacing(2)
        top = QHBoxLayout()
        top.setSpacing(4)
        top.addWidget(Mark(trial))
        top.addWidget(label(run, "heading"))
        top.addStretch()
        column.addLayout(top)
        column.addWidget(label(words, "muted", wrap=True))
        column.addStretch()
        line.addWidget(side)
        cards = QVBoxLayout() if self.narrow else QHBoxLayout()
        cards.setSpacing(8)
        line.addLayout(cards, 1)
        made = {}
        for name in names:
            made[name] = LegCard(self, name, 3 if len(names) > 1 and not self.narrow else 6)
            cards.addWidget(made[name], 1, Qt.AlignmentFlag.AlignTop)
        return made

    @property
    def narrow(self) -> bool:
        """Whether the legs of a run stand below each other."""
        return self.width() < NARROW

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        if self._laid is not None and self._laid_narrow != self.narrow:
            self._laid = None
            self.cards.clear()
            self.touch()

    def _show_card(self, name: str, card: LegCard) -> None:
        """Show a card that was just made."""
        if self._laid is not None:
            study = self._laid.study
            card.open_fields(self._needed, self._every(name))
            card.show_leg(study, study.leg(name), self._events.get(name, []), self._asked.get(name))
            card.mark_next(name == self._next)

    # ------------------------------------------------------------ more fields

    def _every(self, name: str) -> bool:
        """Whether a leg shows every field."""
        return self.more_button.isChecked() or name in self._opened

    def open_more(self, name: str, wanted: bool) -> None:
        """Show every field there is of a leg, or only those that are needed."""
        if wanted:
            self._opened.add(name)
        else:
            self._opened.discard(name)
        self._show_card(name, self.cards[name])

    def open_all(self, _checked: bool = False) -> None:
        """Show every field there is of every leg, or only those that are needed."""
        if not self.more_button.isChecked():
            self._opened.clear()
        for name, card in self.cards.there.items():
            self._show_card(name, card)

    def refit(self, name: str) -> None:
        """Give a card the height that it needs now."""
        self.cards.refit(name)

"""The companion's face: large type, one thing to do at a time, a key for everything."""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import Any, Final

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QResizeEvent
from PySide6.QtWidgets import (
    QCheckBox,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QInputDialog,
    QPushButton,
    QSizePolicy,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from fairmargin.core import units as core_units
from fairmargin.core.companion import aimed_kmh, compare_readings, lateness, leg_checklist
from fairmargin.core.planning.checklists import CAUTIONS, GENERAL_CAUTION
from fairmargin.core.study import Event, Leg, Study, WeatherRow
from fairmargin.core.study.entry import read_card, show_number, words_of
from fairmargin.core.study.kinds import EventKind
from fairmargin.desktop.stages.base import Field
from fairmargin.desktop.stages.driving.bands import BandsChart
from fairmargin.desktop.stages.driving.conductor import Conductor
from fairmargin.desktop.stages.driving.words import leg_verdict
from fairmargin.desktop.widgets.basics import Elided, Mark, PlainLabel, as_tip, clear, label, panel, scrolling
from fairmargin.exchange.wording import signed
from fairmargin.simulation.rehearsal import SEED, Display

#: Event, its key, and its words; one key each.
EVENTS: Final[tuple[tuple[EventKind, str, str], ...]] = (
    ("slow-traffic", "T", "Slow traffic"),
    ("following-closely", "F", "Following closely"),
    ("overtaking", "O", "Overtaking"),
    ("stop", "S", "Stop"),
    ("wrong-turn", "W", "Wrong turn"),
    ("rain", "R", "Rain"),
    ("gust", "G", "Gust"),
    ("lift-off", "L", "Lifted off"),
)
_GATE_SOON_KM: Final = 0.5
TALLEST_PX: Final = 130
COMPACT_PX: Final = 590  # a face lower than this takes smaller type
DAY_EVERY_S: Final = 2.0  # the timetable is laid anew this often


class Chip(PlainLabel):
    """One instrument's state in shape and word."""

    SHAPES: Final = {"live": "\u25cf", "waiting": "\u25cb", "lost": "\u25b2", "off": "\u2013"}

    def __init__(self, name: str) -> None:
        super().__init__()
        self.setObjectName("chip")
        self._name = name

    def show_state(self, state: str, why: str) -> None:
        """Show another state."""
        text = f"{self.SHAPES[state]} {self._name} {state}"
        if self.text() != text:
            self.setText(text)
            self.setProperty("state", state)
            self.style().unpolish(self)
            self.style().polish(self)
            self.setMinimumWidth(self.fontMetrics().horizontalAdvance(text) + 24)
        self.setToolTip(as_tip(why))


class Tile(QFrame):
    """A large number with what it is."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("panel")
        box = QVBoxLayout(self)
        box.setContentsMargins(18, 10, 18, 10)
        box.setSpacing(0)
        self.caption = label("", "tilecaption")
        self.number = label("", "huge")
        self.foot = label("", "tilecaption", wrap=True)
        for part in (self.caption, self.number, self.foot):
            box.addWidget(part)

    def show(self, caption: str, number: str, foot: str = "", state: str = "") -> None:  # type: ignore[override]
        """Show other words; `state` colours the number (caution, fine)."""
        self.caption.setText(caption)
        self.number.setText(number)
        self.foot.setText(foot)
        if self.number.property("state") != state:
            self.number.setProperty("state", state)
            self.number.style().unpolish(self.number)
            self.number.style().polish(self.number)
        self.setAccessibleName(f"{caption}: {number} {foot}")


class Face(QWidget):
    """What the note-taker sees from the checklist to the readings of each leg."""

    fullScreenWanted = Signal(bool)
    done = Signal()  # every leg is driven

    def __init__(self, conductor: Conductor, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("page")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.conductor, self.session = conductor, conductor.session
        self._shape: object = None
        self._day_stamp: object = None
        self._truth: tuple[int | None, float] = (None, 0.0)
        page = QVBoxLayout(self)
        page.setContentsMargins(0, 0, 0, 0)
        page.setSpacing(10)
        self._head(page)
        self.middle = QStackedWidget()
        page.addWidget(self.middle, 1)
        self.prepare, self.driving, self.reading, self.nothing = (QWidget() for _ in range(4))
        for one in (self.prepare, self.driving, self.reading, self.nothing):
            self.middle.addWidget(one)
        self._build_prepare()
        self._build_driving()
        self._build_reading()
        self._build_nothing()
        self.dash, box = panel((18, 8, 18, 8), 0)
        self.dash_words = label("", "large")
        box.addWidget(label("The virtual van's display: read it as you would read the real one", "muted"))
        box.addWidget(self.dash_words)
        page.addWidget(self.dash)
        self.says = label("", "", wrap=True)
        self.says.setAccessibleName("What the instruments report")
        page.addWidget(self.says)
        self.caution = label("", "caution", wrap=True)
        page.addWidget(self.caution)
        self._second = QTimer(self)
        self._second.setInterval(1000)
        self._second.timeout.connect(self._show_clock)
        conductor.changed.connect(self._follow)
        conductor.session.studyChanged.connect(self._follow)
        conductor.session.unitsChanged.connect(self._follow)
        conductor.session.analysisChanged.connect(self._follow)

    # ------------------------------------------------------------ building

    def _head(self, page: QVBoxLayout) -> None:
        row = QHBoxLayout()
        row.setSpacing(10)
        self.mark = Mark(None, 20)
        row.addWidget(self.mark)
        self.title = Elided("large")
        row.addWidget(self.title, 1)
        self.chips = {"gps": Chip("GPS"), "vehicle": Chip("Vehicle"), "weather": Chip("Weather")}
        for chip in self.chips.values():
            row.addWidget(chip)
        self.clock = label("", "large")
        row.addWidget(self.clock)
        page.addLayout(row)

    def _go(self, words: str, act: Callable[[], object]) -> QPushButton:
        button = QPushButton(words)
        button.setObjectName("go")
        button.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        button.clicked.connect(lambda _=False: act())
        return button

    def _build_prepare(self) -> None:
        layout = QHBoxLayout(self.prepare)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(12)
        frame, box = panel()
        box.addWidget(label("Before you set off", "heading"))
        inner = QWidget()
        self._checks = QVBoxLayout(inner)
        self._checks.setContentsMargins(0, 0, 6, 0)
        self._checks.setSpacing(6)
        box.addWidget(scrolling(inner, on_panel=True), 1)
        self.settings_fields: dict[str, Field] = {}
        row = QHBoxLayout()
        for key, caption, tip in (
            ("climate", "Climate", "off, or the set temperature in \u00b0C"),
            ("tyre_pressure_kpa", "Tyre pressure, cold", "the same in both configurations"),
            ("mode", "Drive mode", "and regeneration level"),
            ("road", "Road", "dry, damp, wet or snow"),
        ):
            field = Field(caption, self._setting(key), tip=tip)
            self.settings_fields[key] = field
            row.addWidget(field, 1, Qt.AlignmentFlag.AlignTop)
        box.addLayout(row)
        layout.addWidget(frame, 3)
        side = QVBoxLayout()
        side.setSpacing(10)
        self.aim = Tile()
        side.addWidget(self.aim)
        self.timetable, box = panel()
        self.timetable_words = label("", "", wrap=True)
        box.addWidget(label("The day", "heading"))
        box.addWidget(self.timetable_words)
        self.pause_button = QPushButton("Pause  (P)")
        self.pause_button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.pause_button.clicked.connect(self.conductor.pause)
        box.addWidget(self.pause_button)
        box.addStretch()
        side.addWidget(self.timetable, 1)
        self.set_off = self._go("Set off  (Space)", self._begin)
        side.addWidget(self.set_off)
        self.cut_short, box = panel()
        self.cut_words = label("", "caution", wrap=True)
        box.addWidget(self.cut_words)
        row = QHBoxLayout()
        self.take_cut = QPushButton("Take what was recorded")
        self.take_cut.clicked.connect(lambda: self._settle(True))
        self.drop_cut = QPushButton("Leave it in the folder")
        self.drop_cut.clicked.connect(lambda: self._settle(False))
        row.addWidget(self.take_cut)
        row.addWidget(self.drop_cut)
        box.addLayout(row)
        side.addWidget(self.cut_short)
        layout.addLayout(side, 2)

    def _build_driving(self) -> None:
        layout = QVBoxLayout(self.driving)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(10)
        tiles = QHBoxLayout()
        tiles.setSpacing(10)
        self.speed_tile, self.gate_tile, self.time_tile = Tile(), Tile(), Tile()
        for tile in (self.speed_tile, self.gate_tile, self.time_tile):
            tiles.addWidget(tile, 1)
        layout.addLayout(tiles, 2)
        self.prompt = PlainLabel()
        self.prompt.setObjectName("prompt")
        self.prompt.setWordWrap(True)
        layout.addWidget(self.prompt)
        self.reset_row = QWidget()
        row = QHBoxLayout(self.reset_row)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(label("What does the trip meter show now?"))
        self.shown = Field("", self._saw_trip, tip="As it stands there, a few seconds after the reset")
        self.shown.edit.setFixedWidth(90)
        self.shown.edit.setAccessibleName("Trip meter shows")
        row.addWidget(self.shown)
        self.restarted = QPushButton("It restarted  (Y)")
        self.restarted.clicked.connect(lambda: self.conductor.reset_seen(None))
        self.reset_again = QPushButton("Reset again  (N)")
        self.reset_again.clicked.connect(self.conductor.reset)
        self.doubtful = QPushButton("Nobody saw it")
        self.doubtful.clicked.connect(self.conductor.reset_doubtful)
        for button in (self.restarted, self.reset_again, self.doubtful):
            button.setFocusPolicy(Qt.FocusPolicy.NoFocus)
            row.addWidget(button)
        row.addStretch()
        layout.addWidget(self.reset_row)
        self.main_action = self._go("", self._primary)
        layout.addWidget(self.main_action)
        grid = QGridLayout()
        grid.setSpacing(8)
        self.event_buttons: dict[EventKind, QPushButton] = {}
        for i, (kind, key, words) in enumerate(EVENTS):
            button = QPushButton(f"{key}   {words}")
            button.setObjectName("event")
            button.setFocusPolicy(Qt.FocusPolicy.NoFocus)
            button.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
            button.setMaximumHeight(TALLEST_PX)  # room to spare is room for a thumb
            button.clicked.connect(lambda _=False, k=kind: self.conductor.mark(k))
            self.event_buttons[kind] = button
            grid.addWidget(button, i // 4, i % 4)
        layout.addLayout(grid, 3)
        self.event_words = label("", "muted", wrap=True)
        layout.addWidget(self.event_words)
        layout.addStretch()
        row = QHBoxLayout()
        row.addStretch()
        self.give_up = QPushButton("Give this leg up\u2026")
        self.give_up.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.give_up.clicked.connect(self._give_up)
        row.addWidget(self.give_up)
        layout.addLayout(row)

    def _build_reading(self) -> None:
        outer = QVBoxLayout(self.reading)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(10)
        inner = QWidget()
        layout = QVBoxLayout(inner)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(10)
        outer.addWidget(scrolling(inner), 1)
        frame, box = panel()
        self.reading_head = label("", "heading", wrap=True)
        box.addWidget(self.reading_head)
        row = QHBoxLayout()
        self.cards: dict[str, Field] = {}
        for key, caption, tip in (
            ("average", "Trip average", "As shown: 15.4, 212 Wh/mi, 3.4 mi/kWh"),
            ("distance", "Trip distance", "As the car shows it"),
            ("energy", "Trip energy, kWh", "As shown: 2.9"),
            ("soc", "Charge, before-after %", "82-71"),
            ("charger", "Charged back, kWh", "From the charger, when back at the level before"),
            ("fuel", "Fuel, L", "Filled to the same level"),
        ):
            field = Field(caption, self._card(key), tip=tip)
            self.cards[key] = field
            row.addWidget(field, 1, Qt.AlignmentFlag.AlignTop)
        box.addLayout(row)
        layout.addWidget(frame)
        frame, box = panel()
        box.addWidget(label("What the instruments say of this leg", "heading"))
        self.bands = BandsChart()
        box.addWidget(self.bands)
        self.bands_words = label("", "muted", wrap=True)
        box.addWidget(self.bands_words)
        layout.addWidget(frame)
        frame, box = panel()
        self.leg_words = label("", "", wrap=True)
        box.addWidget(self.leg_words)
        layout.addWidget(frame)
        layout.addStretch()
        row = QHBoxLayout()
        self.again = QPushButton("Drive it again\u2026")
        self.again.clicked.connect(self._again)
        row.addWidget(self.again)
        self.next = self._go("Readings are in: next leg  (Ctrl+Enter)", self.conductor.finish)
        row.addWidget(self.next, 1)
        outer.addLayout(row)

    def _build_nothing(self) -> None:
        layout = QVBoxLayout(self.nothing)
        self.nothing_words = label("", "large", wrap=True)
        layout.addWidget(self.nothing_words)
        self.reveal = self._go("Reveal the rehearsal's truth", self._reveal)
        layout.addWidget(self.reveal)
        self.truth_words = label("", "large", wrap=True)
        layout.addWidget(self.truth_words)
        self.to_verdict = self._go("Go to the verdict", self.done.emit)
        layout.addWidget(self.to_verdict)
        layout.addStretch()

    # ------------------------------------------------------------ size

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.fit()

    def fit(self) -> None:
        """Take the type that fits: large over the whole screen, compact in a low window."""
        size = (
            "large"
            if self.isWindow() and self.height() >= 700
            else "compact"
            if self.height() < COMPACT_PX
            else ""
        )
        if self.property("type") == size:
            return
        self.setProperty("type", size)
        for one in (self, *self.findChildren(QWidget)):
            one.style().unpolish(one)
            one.style().polish(one)
        for tile in self.findChildren(Tile):
            tile.number.setMinimumHeight(tile.number.fontMetrics().height())

    # ------------------------------------------------------------ following

    def showEvent(self, _event: object) -> None:
        self._second.start()
        self._follow()
        self.setFocus()

    def hideEvent(self, _event: object) -> None:
        self._second.stop()

    def _show_clock(self) -> None:
        self.clock.setText(f"{self.conductor.clock.moment():%H:%M:%S}")

    def _follow(self) -> None:
        study = self.session.study
        if study is None or not self.isVisible():
            return
        conductor = self.conductor
        leg, drive = conductor.next_leg(), conductor.drive
        units = self.session.units
        self._show_clock()
        for name, chip in self.chips.items():
            feed = conductor.feeds.get(name)  # type: ignore[call-overload]
            chip.setVisible(feed is not None)
            if feed is not None:
                chip.show_state(feed.state, feed.why)
        shown = conductor.display()
        self.dash.setVisible(shown is not None)
        if shown is not None:
            self.dash_words.setText(_dashboard(shown, units))
        self.says.setText("\n".join(f"\u25b8 {words}" for words in conductor.says[-2:]))
        # The reading page says the same of its leg.
        self.says.setVisible(bool(conductor.says) and not (drive is not None and drive.phase == "reading"))
        self.caution.setText(f"{GENERAL_CAUTION} {CAUTIONS.get(study.change.kind, '')}")
        writable = not self.session.read_only
        for button in (self.set_off, self.main_action, self.next, self.again):
            button.setEnabled(writable)
        if leg is None:
            self.title.setText("Every leg is driven" if study.legs else "No legs are planned")
            self.mark.setVisible(False)
            self._show_nothing(study)
            return
        trials = [t.id for t in study.trials]
        self.mark.setVisible(True)
        self.mark.set_trial(trials.index(leg.configuration) if leg.configuration in trials else None)
        run = f"{leg.run} {leg.direction} \u00b7 " if leg.run else ""
        self.title.setText(f"{run}{leg.leg} \u00b7 {study.configuration(leg.configuration).label}")
        if drive is None:
            self._show_prepare(study, leg)
        elif drive.phase == "reading":
            self._show_reading(study, leg)
        else:
            self._show_driving(study, leg)

    def _turn_to(self, page: QWidget) -> None:
        if self.middle.currentWidget() is not page:
            self.middle.setCurrentWidget(page)
            self.setFocus()

    def _show_nothing(self, study: Study) -> None:
        self._turn_to(self.nothing)
        rehearsed = SEED in study.plan.details
        unread = self.conductor.unread()
        if not study.legs:
            words = "Lay the runs out in Plan, or add a run on the sheet."
        elif unread:
            words = f"Every leg is driven. Still without a reading: {', '.join(unread)}; type it on the sheet, or bring the receipts in."
        else:
            words = "Every planned leg has its reading."
        self.nothing_words.setText(words)
        self.reveal.setVisible(rehearsed and bool(study.legs))
        self.truth_words.setText(self._truth_words())
        self.to_verdict.setVisible(bool(study.legs))

    def _show_prepare(self, study: Study, leg: Leg) -> None:
        self._turn_to(self.prepare)
        items = leg_checklist(study, leg)
        if self._shape != (self.session.study_id, leg.leg, items):
            self._shape = (self.session.study_id, leg.leg, items)
            clear(self._checks)
            for text in items:
                box = QCheckBox()
                box.setObjectName("check")
                box.setFocusPolicy(Qt.FocusPolicy.TabFocus)
                row = QWidget()
                line = QHBoxLayout(row)
                line.setContentsMargins(0, 0, 0, 0)
                line.setSpacing(10)
                line.addWidget(box, 0, Qt.AlignmentFlag.AlignTop)
                words = _Ticking(text, box)
                line.addWidget(words, 1)
                box.setAccessibleName(text)
                self._checks.addWidget(row)
            self._checks.addStretch()
            self._cut = self.conductor.cut_short()
            self.cut_short.setVisible(bool(self._cut))
            if self._cut:
                self.cut_words.setText(
                    f"A recording was cut short ({self._cut[-1].name}). What had arrived until then is kept."
                )
        units = self.session.units
        aim = aimed_kmh(study, leg)
        if aim is None:
            self.aim.show("Hold", "your speed", "no target speed is set in Question")
        else:
            v, indicated = (units.show("speed", x) for x in aim)
            foot = (
                f"true; the speedometer must show {indicated:.0f}"
                if aim[0] != aim[1]
                else "by GPS, through the whole leg"
            )
            self.aim.show("Hold", f"{v:.0f} {units.speed}", foot)
        f = self.settings_fields
        f["climate"].show_text(leg.climate or self._before(study, leg, "climate"))
        tyre = leg.tyre_pressure_kpa or self._before(study, leg, "tyre_pressure_kpa")
        f["tyre_pressure_kpa"].show_text(
            "" if not tyre else show_number(units.show("tyre", float(tyre)), 2), units.tyre
        )
        f["mode"].show_text(leg.mode or self._before(study, leg, "mode"))
        f["road"].show_text(leg.road or self._before(study, leg, "road"))
        stamp = (int(time.monotonic() / DAY_EVERY_S), self.conductor.paused_at, study.plan, leg.leg)
        if stamp != self._day_stamp:
            self._day_stamp = stamp
            self._show_day(study)
        self.set_off.setText(f"Set off on {leg.leg}  (Space)")

    def _before(self, study: Study, leg: Leg, key: str) -> Any:
        """What was so on the leg before, which is carried on."""
        earlier = [x for x in study.legs[: study.legs.index(leg)] if self.session.has_reading(x)]
        return getattr(earlier[-1], key) or "" if earlier else ""

    def _show_day(self, study: Study) -> None:
        conductor = self.conductor
        paused = conductor.paused_at
        self.pause_button.setText("Go on  (P)" if paused is not None else "Pause  (P)")
        lines = []
        if paused is not None:
            minutes = (conductor.clock.seconds() - paused) / 60.0
            lines.append(f"Paused for {minutes:.0f} min; what is left moves with you.")
        stand = lateness(study, conductor.clock.moment(), conductor.done_runs())
        if stand is None:
            lines.append("No timetable for today; set the day in Plan." if study.plan.day is None else "The timetable is for another day.")  # fmt: skip
        else:
            late = round(stand.late_min)
            how = "on time" if abs(late) < 3 else f"{abs(late)} min {'late' if late > 0 else 'early'}"
            lines.append(f"You are {how}: home about {stand.end:%H:%M}.")
            if stand.next_run is not None:
                lines.append(f"Next run could start {stand.next_run:%H:%M}.")
            lines += list(stand.warnings)
        self.timetable_words.setText("\n".join(lines))

    def _show_driving(self, study: Study, leg: Leg) -> None:
        self._turn_to(self.driving)
        conductor, units = self.conductor, self.session.units
        drive = conductor.drive
        assert drive is not None
        now = conductor.speed_kmh()
        aim = aimed_kmh(study, leg)
        hold = "" if aim is None else f"hold {units.show('speed', aim[0]):.0f}"
        if aim is not None and aim[0] != aim[1]:
            hold += f", speedometer {units.show('speed', aim[1]):.0f}"
        if now is not None:
            off = aim is not None and drive.phase == "driving" and abs(now / aim[0] - 1) > 0.04
            self.speed_tile.show(
                f"Speed now, {units.speed}", f"{units.show('speed', now):.0f}", hold, "caution" if off else ""
            )
        elif aim is not None:
            self.speed_tile.show(f"Speedometer must show, {units.speed}", f"{units.show('speed', aim[1]):.0f}", f"true {units.show('speed', aim[0]):.0f}" if aim[0] != aim[1] else "held through the whole leg")  # fmt: skip
        else:
            self.speed_tile.show("Speed", "\u2013", "no target speed is set")
        to_gate = conductor.to_gate_km()
        approach = drive.phase == "approach"
        caption = f"To the start line, {units.distance}" if approach else f"To the read-off, {units.distance}"
        if to_gate is None:
            self.gate_tile.show(
                caption, "\u2013", "by your own landmark" if approach else "no distance known"
            )
        else:
            foot = "" if aim is None else f"about {max(0.0, to_gate) / aim[0] * 60:.0f} min"
            if not approach and not drive.by_instrument:
                foot += " \u00b7 by the clock"
            ahead = conductor.landmark_ahead()
            if ahead is not None:
                foot += f" \u00b7 {ahead[0]} in {units.show('distance', ahead[1]):.1f}"
            self.gate_tile.show(caption, f"{units.show('distance', max(to_gate, 0.0)):.1f}", foot)
        since = conductor.since_reset_s()
        if since is None:
            self.time_tile.show("On the leg", "\u2013", "begins at the reset")
        else:
            driven = conductor.driven_km()
            foot = "" if driven is None else f"{units.show('distance', driven):.1f} {units.distance} driven"
            self.time_tile.show("On the leg, min:s", f"{int(since) // 60}:{int(since) % 60:02d}", foot)
        self._show_prompt(to_gate)
        for kind, button in self.event_buttons.items():
            button.setEnabled(not approach)
            on = kind in drive.open_marks
            if bool(button.property("on")) != on:
                button.setProperty("on", on)
                button.style().unpolish(button)
                button.style().polish(button)
            key, words = next((k, w) for e, k, w in EVENTS if e == kind)
            button.setText(f"{key}   {words} \u2013 press at its end" if on else f"{key}   {words}")
        noted = [_noted(e, units) for e in study.events if e.leg == leg.leg]
        self.event_words.setText(
            f"Noted: {', '.join(noted)}"
            if noted
            else "One key each; press slow traffic, following, stop or rain again at its end. Ctrl+Z takes the last one back."
        )

    def _show_prompt(self, to_gate: float | None) -> None:
        drive = self.conductor.drive
        assert drive is not None
        check = drive.phase == "driving" and drive.reset_state != "took"
        self.reset_row.setVisible(check)
        state = ""
        if drive.phase == "approach":
            words = "Reset the trip meter at the start line, at speed."
            if to_gate is not None and to_gate < _GATE_SOON_KM:
                words, state = "Start line: reset the trip meter NOW.", "now"
            self.main_action.setText("Reset pressed now  (Space)")
        else:
            self.main_action.setText("Read off now  (Space)")
            words = "Hold the speed. The driver drives; you watch."
            slow = drive.watch.under_way(self.conductor.clock.seconds())
            if drive.reset_state == "failed":
                words, state = "The reset did not take. Press it again: this leg begins there.", "bad"
                self.main_action.setText("Reset pressed again  (Space)")
            elif check:
                words, state = "Did the reset take? Look at the trip meter.", "now"
            elif to_gate is not None and to_gate <= 0.0:
                words, state = "READ OFF NOW, at speed, before lifting off.", "now"
            elif to_gate is not None and to_gate < _GATE_SOON_KM:
                words, state = "Read-off coming: hands on the notebook, hold the speed.", "now"
            elif slow is not None:
                units = self.session.units
                words = f"Slow for {slow[0]:.0f} s at {units.show('speed', slow[1]):.0f} {units.speed}: noted by itself."
                state = "now"
        self.prompt.setText(words)
        if self.prompt.property("state") != state:
            self.prompt.setProperty("state", state)
            self.prompt.style().unpolish(self.prompt)
            self.prompt.style().polish(self.prompt)

    def _show_reading(self, study: Study, leg: Leg) -> None:
        self._turn_to(self.reading)
        units = self.session.units
        own = core_units.label(units.consumption)
        since = self.conductor.since_reset_s() or 0.0
        self.reading_head.setText(
            f"{leg.leg} read off after {int(since) // 60}:{int(since) % 60:02d}. Type what each instrument showed; "
            "what came over the bus stands there already."
        )
        c = self.cards
        c["average"].caption.setText(f"Trip average, {own}")
        average = ""
        if leg.average_shown is not None and leg.average_unit is not None:
            average = f"{core_units.to_step(leg.average_shown, leg.average_step)} {core_units.label(leg.average_unit)}"
        c["average"].show_text(average.removesuffix(f" {own}"))
        c["distance"].caption.setText(f"Trip distance, {units.distance}")
        c["distance"].show_text(
            "" if leg.distance_km is None else show_number(units.show("distance", leg.distance_km), 2)
        )
        c["energy"].show_text(
            "" if leg.energy_kwh is None else core_units.to_step(leg.energy_kwh, leg.energy_step_kwh)
        )
        c["soc"].show_text(
            ""
            if leg.soc_start_percent is None or leg.soc_end_percent is None
            else f"{leg.soc_start_percent:g}-{leg.soc_end_percent:g}"
        )
        c["charger"].show_text("" if leg.charger_kwh is None else f"{leg.charger_kwh:g}")
        c["fuel"].show_text("" if leg.fuel_l is None else f"{leg.fuel_l:g}")
        electric = study.vehicle.energy == "electric"
        for key in ("soc", "charger"):
            c[key].setVisible(electric)
        c["fuel"].setVisible(not electric)
        self.bands.show_bands(compare_readings(study, leg, self.session.traces.get(leg.leg)), units)
        self.bands_words.setText(self.bands.words() or "Nothing is read yet.")
        said, spoilt = leg_verdict(study, self.session, leg.leg)
        lines = [said or "Nothing noted that would spoil this leg."]
        if study.weather:
            lines.append(_station(study.weather[-1], units))
        self.leg_words.setText("\n".join(lines))
        name = "primary" if spoilt else ""
        if self.again.objectName() != name:
            self.again.setObjectName(name)
            self.again.style().unpolish(self.again)
            self.again.style().polish(self.again)

    # ------------------------------------------------------------ acting

    def _begin(self) -> None:
        leg = self.conductor.next_leg()
        if leg is not None and self.conductor.drive is None:
            self.conductor.begin(leg.leg)

    def _primary(self) -> None:
        drive = self.conductor.drive
        if drive is None:
            self._begin()
        elif drive.phase == "approach" or (drive.phase == "driving" and drive.reset_state == "failed"):
            self.conductor.reset()
        elif drive.phase == "driving":
            self.conductor.read_off()

    def _saw_trip(self, text: str) -> None:
        if text:
            self.conductor.reset_seen(core_units.read_quantity(text, "distance", self.session.units.distance))
            self.shown.show_text("")
            self.shown.edit.clear()

    def _setting(self, key: str) -> Callable[[str], None]:
        def commit(text: str) -> None:
            study, leg = self.session.study, self.conductor.next_leg()
            if study is None or leg is None:
                return
            value: object = text
            if key == "tyre_pressure_kpa":
                value = core_units.read_quantity(text, "tyre", self.session.units.tyre) if text else None
            try:
                after = study.with_leg(leg.leg, **{key: value})
            except ValueError as error:
                raise ValueError(words_of(error)) from error
            self.session.edit(after, f"{key.split('_')[0]} of {leg.leg}")

        return commit

    def _card(self, key: str) -> Callable[[str], None]:
        def commit(text: str) -> None:
            study, drive = self.session.study, self.conductor.drive
            if study is None or drive is None:
                return
            changes = read_card(key, text, self.session.units)
            try:
                after = study.with_leg(drive.leg, **changes)
            except ValueError as error:
                raise ValueError(words_of(error)) from error
            if not self.session.edit(after, f"{key} of {drive.leg}"):
                raise ValueError("could not be saved")

        return commit

    def _again(self) -> None:
        study, drive = self.session.study, self.conductor.drive
        if study is None or drive is None:
            return
        said = leg_verdict(study, self.session, drive.leg)[0].splitlines()
        start = said[0].split(";")[0] if said else ""
        reason, accepted = QInputDialog.getText(
            self,
            f"Drive {drive.leg} again",
            "Why? The leg stays visible, left out with this reason.",
            text=start,
        )
        if accepted and reason.strip():
            self.conductor.drive_again(reason.strip())

    def _give_up(self) -> None:
        from PySide6.QtWidgets import QMessageBox

        answer = QMessageBox.question(
            self, "Give this leg up", "The leg stays planned; its recording stays in the folder. Give it up?"
        )
        if answer == QMessageBox.StandardButton.Yes:
            self.conductor.give_up()

    def _settle(self, take: bool) -> None:
        for path in self._cut[-1:]:
            if take:
                self.conductor.take_cut_short(path)
            else:
                self.conductor.let_cut_short_go(path)
        self._shape = None
        self._follow()

    def _reveal(self) -> None:
        truth = self.conductor.truth_percent()
        if truth is not None:
            self._truth = (self.session.study_id, truth)
            self._follow()

    def _truth_words(self) -> str:
        """The truth once it was asked for, beside the interval as it stands now."""
        study_id, truth = self._truth
        if study_id is None or study_id != self.session.study_id:
            return ""
        words = f"The truth was {signed(truth, 1)} % of baseline consumption."
        comparison = self.session.comparison
        if comparison is None:
            return words
        low, high = comparison.interval_percent
        rest = round(100.0 * (1.0 - comparison.confidence))
        holds = "holds it" if low <= truth <= high else f"does not hold it, as about {rest} in 100 do not"
        return f"{words} Your interval, {signed(low, 1)} to {signed(high, 1)} %, {holds}."

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key, drive = event.key(), self.conductor.drive
        if event.isAutoRepeat():
            return  # a key held down is one press
        control = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
        if key == Qt.Key.Key_F11:
            self.fullScreenWanted.emit(not self.isFullScreen())
            return
        if key == Qt.Key.Key_Escape and self.isWindow():
            self.fullScreenWanted.emit(False)
            return
        if control:
            if (
                key in {Qt.Key.Key_Return, Qt.Key.Key_Enter}
                and drive is not None
                and drive.phase == "reading"
            ):
                self.next.setFocus()  # a field being typed in is stored first
                self.conductor.finish()
                return
            super().keyPressEvent(event)
            return
        if key == Qt.Key.Key_Space and (drive is None or drive.phase != "reading"):
            if self.conductor.next_leg() is not None and not self.session.read_only:
                self._primary()
            return
        letter = event.text().upper()
        if drive is not None and drive.phase == "driving":
            if letter == "Y":
                self.conductor.reset_seen(None)
                return
            if letter == "N" and drive.reset_state != "took":
                self.conductor.reset()
                return
            for kind, mark, _ in EVENTS:
                if letter == mark:
                    self.conductor.mark(kind)
                    return
        if letter == "P" and drive is None:
            self.conductor.pause()
            return
        super().keyPressEvent(event)


def _station(row: WeatherRow, units: core_units.UnitChoice) -> str:
    """The newest report in a line."""
    parts = []
    if row.temperature_c is not None:
        parts.append(f"{units.show('temperature', row.temperature_c):.0f} {units.temperature}")
    if row.wind_speed_ms is not None:
        wind = f"wind {units.show('wind', row.wind_speed_ms):.1f} {units.wind}"
        parts.append(wind if row.wind_from_deg is None else f"{wind} from {row.wind_from_deg:.0f}\u00b0")
    if row.pressure_hpa is not None:
        parts.append(
            f"{units.show('pressure', row.pressure_hpa):.{0 if units.pressure == 'hPa' else 2}f} {units.pressure}"
        )
    return f"Weather station at {row.time:%H:%M}: {', '.join(parts)}; used for this leg."


def _dashboard(shown: Display, units: core_units.UnitChoice) -> str:
    """The virtual display in the person's units; an average needs some distance."""
    average = "\u2013"
    if shown.trip_km >= 0.1 and shown.average_kwh_per_100km > 0:
        value = units.show_consumption(core_units.to_wh_per_km(shown.average_kwh_per_100km, "kWh/100km"))
        average = f"{value:.3g}"
    return (
        f"{units.show('speed', shown.speed_kmh):.0f} {units.speed}     trip "
        f"{units.show('distance', shown.trip_km):.1f} {units.distance}     "
        f"{average} {core_units.label(units.consumption)}     charge {shown.soc_percent} %"
    )


def _noted(event: Event, units: core_units.UnitChoice) -> str:
    kind = event.kind.replace("-", " ")
    if event.at_km is None:
        return kind
    return f"{kind} at {units.show('distance', event.at_km):.1f} {units.distance}"


class _Ticking(PlainLabel):
    """Words of a tick box that tick it: a finger finds them more easily than the box."""

    def __init__(self, text: str, box: QCheckBox) -> None:
        super().__init__(text)
        self.setWordWrap(True)
        self.setObjectName("checkwords")
        self._box = box

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._box.toggle()
        event.accept()

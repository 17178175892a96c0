"""What the note-taker sees of a drive: one page for each part of a leg, in type that is read at arm's length."""

from __future__ import annotations

from typing import Literal

from PySide6.QtCore import QEvent, Qt, QTimer, Signal
from PySide6.QtGui import QKeyEvent, QResizeEvent
from PySide6.QtWidgets import QHBoxLayout, QStackedWidget, QVBoxLayout, QWidget

from fairmargin.core import units as core_units
from fairmargin.core.planning.checklists import caution
from fairmargin.core.study.cells import vehicle_label
from fairmargin.desktop.stages.driving.controller import DriveController
from fairmargin.desktop.stages.driving.keys import UNDO, RoadKeys
from fairmargin.desktop.stages.driving.nothing import NothingPage
from fairmargin.desktop.stages.driving.parts import COMPACT_PX, EVENTS, Chip, Tile
from fairmargin.desktop.stages.driving.prepare import PreparePage
from fairmargin.desktop.stages.driving.reading_page import ReadingPage
from fairmargin.desktop.stages.driving.underway import DrivingPage
from fairmargin.desktop.widgets.basics import Elided, Mark, label, panel
from fairmargin.simulation.rehearsal import Display


class DriveView(QWidget):
    """What the note-taker sees from the checklist to the readings of each leg."""

    fullScreenWanted = Signal(bool)
    done = Signal()  # every leg is driven

    def __init__(self, controller: DriveController, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("page")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.controller, self.session = controller, controller.session
        page = QVBoxLayout(self)
        page.setContentsMargins(0, 0, 0, 0)
        page.setSpacing(10)
        self._head(page)
        self.middle = QStackedWidget()
        page.addWidget(self.middle, 1)
        self.prepare, self.driving = PreparePage(controller), DrivingPage(controller)
        self.reading, self.nothing = ReadingPage(controller), NothingPage(controller)
        self.nothing.done.connect(self.done)
        for one in (self.prepare, self.driving, self.reading, self.nothing):
            self.middle.addWidget(one)
        self.dash, box = panel((18, 6, 18, 6), 0)
        self.dash_caption = label("The virtual van's display: read it as you would read the real one", "muted")
        box.addWidget(self.dash_caption)
        row = QHBoxLayout()
        self.dash_words = label("", "large")
        self.window_words = label("")
        self.window_words.setAccessibleName("Out of the window")
        row.addWidget(self.dash_words)
        row.addStretch()
        row.addWidget(self.window_words)
        box.addLayout(row)
        page.addWidget(self.dash)
        self.says = label("", "", wrap=True)
        self.says.setAccessibleName("What the instruments report")
        self.says.setAlignment(Qt.AlignmentFlag.AlignTop)
        page.addWidget(self.says)
        self.caution = label("", "caution", wrap=True)
        page.addWidget(self.caution)
        self._keys = RoadKeys(self, self._phase)
        self._second = QTimer(self)
        self._second.setInterval(1000)
        self._second.timeout.connect(self._show_clock)
        controller.changed.connect(self._follow)
        controller.session.studyChanged.connect(self._follow)
        controller.session.unitsChanged.connect(self._follow)
        controller.session.analysisChanged.connect(self._follow)

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

    # ------------------------------------------------------------ size

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.fit()

    def fit(self) -> None:
        """Take the type that fits: large over the whole screen, compact in a low window."""
        size = "large" if self.isWindow() and self.height() >= 700 else "compact" if self.height() < COMPACT_PX else ""
        if self.property("type") == size:
            return
        self.setProperty("type", size)
        for page, gap, low in ((self, 10, 4), (self.driving, 8, 3)):
            if (layout := page.layout()) is not None:
                layout.setSpacing(low if size == "compact" else gap)
        self.dash_caption.setVisible(size != "compact")  # a low window has no line to spare
        for one in (self, *self.findChildren(QWidget)):
            one.style().unpolish(one)
            one.style().polish(one)
        for tile in self.findChildren(Tile):
            tile.fit(low=size == "compact")
            tile.number.setMinimumHeight(tile.number.fontMetrics().height())

    # ------------------------------------------------------------ following

    def showEvent(self, _event: object) -> None:
        self._second.start()
        self._follow()
        self.setFocus()

    def hideEvent(self, _event: object) -> None:
        self._second.stop()

    def _show_clock(self) -> None:
        self.clock.setText(f"{self.controller.clock.moment():%H:%M:%S}")

    def _follow(self) -> None:
        study = self.session.study
        if study is None or not self.isVisible():
            return
        controller = self.controller
        leg, drive = controller.next_leg(), controller.drive
        units = self.session.units
        self._show_clock()
        for name, chip in self.chips.items():
            feed = controller.feeds.get(name)  # type: ignore[call-overload]
            chip.setVisible(feed is not None)
            if feed is not None:
                chip.show_state(feed.state, feed.why)
        shown = controller.display()
        self.dash.setVisible(shown is not None)
        if shown is not None:
            self.dash_words.setText(_dashboard(shown, units))
            sight = controller.sight()
            self.window_words.setVisible(bool(sight))
            self.window_words.setText(f"Out of the window: {sight}")
        self._show_said(units)
        # The reading page says the same of its leg.
        self.says.setVisible(drive is None or drive.phase != "reading")
        self.caution.setText(caution(study.change.kind))
        writable = not self.session.read_only
        for button in (self.prepare.set_off, self.driving.main_action, self.reading.next, self.reading.again):
            button.setEnabled(writable)
        if leg is None:
            done = "Going home" if controller.going_home and controller.left() else "Every leg is driven"
            self.title.setText(done if study.legs else "No legs are planned")
            self.mark.setVisible(False)
            self._turn_to(self.nothing)
            self.nothing.show_study(study)
            return
        trials = [t.id for t in study.trials]
        self.mark.setVisible(True)
        self.mark.set_trial(trials.index(leg.configuration) if leg.configuration in trials else None)
        run = f"{leg.run} {leg.direction} \u00b7 " if leg.run else ""
        driver = f"{vehicle_label(study, leg.vehicle)}, " if leg.vehicle else ""
        self.title.setText(f"{run}{leg.leg} \u00b7 {driver}{study.configuration(leg.configuration).label}")
        if drive is None:
            self._turn_to(self.prepare)
            self.prepare.show_leg(study, leg)
        elif drive.phase == "reading":
            self._turn_to(self.reading)
            self.reading.show_leg(study, leg)
        else:
            self._turn_to(self.driving)
            self.driving.show_leg(study, leg)

    def _show_said(self, units: core_units.UnitChoice) -> None:
        """Show what was said last in room that is kept for it: nothing moves beneath a finger when it comes."""
        newest = [core_units.in_units(f"\u25b8 {words}", units) for words in self.controller.says[-2:]]
        metrics = self.says.fontMetrics()
        self.says.setFixedHeight(2 * metrics.lineSpacing() + 2)
        if any(metrics.horizontalAdvance(words) > self.says.width() for words in newest):
            newest = newest[-1:]
        self.says.setText("\n".join(newest))
        self.says.setToolTip("\n".join(newest))

    def _turn_to(self, page: QWidget) -> None:
        if self.middle.currentWidget() is not page:
            self.middle.setCurrentWidget(page)
            self.setFocus()

    def _phase(self) -> Literal["standing", "driving", "reading"]:
        drive = self.controller.drive
        if drive is None:
            return "standing"
        return "reading" if drive.phase == "reading" else "driving"

    def event(self, event: QEvent) -> bool:
        """Undo is the road's own here: it says what it takes back, also where the view is a window of its own."""
        if event.type() == QEvent.Type.ShortcutOverride and isinstance(event, QKeyEvent) and event.matches(UNDO):
            event.accept()
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key, drive = event.key(), self.controller.drive
        if event.isAutoRepeat():
            return  # a key held down is one press
        control = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
        if key == Qt.Key.Key_F11:
            self.fullScreenWanted.emit(not self.isFullScreen())
            return
        if key == Qt.Key.Key_Escape and self.isWindow():
            self.fullScreenWanted.emit(False)
            return
        if event.matches(UNDO):
            self.controller.take_back()
            return
        if control:
            if key in {Qt.Key.Key_Return, Qt.Key.Key_Enter} and drive is not None and drive.phase == "reading":
                self.reading.next.setFocus()  # a field being typed in is stored first
                self.controller.finish()
                return
            super().keyPressEvent(event)
            return
        if key == Qt.Key.Key_Space and (drive is None or drive.phase != "reading"):
            if self.controller.next_leg() is not None and not self.session.read_only:
                self.prepare.begin() if drive is None else self.driving.primary()
            return
        letter = event.text().upper()
        if drive is not None and drive.phase == "driving":
            if letter == "Y":
                self.controller.reset_seen(None)
                return
            if letter == "N" and drive.reset_state != "took":
                self.controller.reset()
                return
            for kind, mark, _ in EVENTS:
                if letter == mark:
                    self.controller.mark(kind)
                    return
        if letter == "P" and drive is None:
            self.controller.pause()
            return
        super().keyPressEvent(event)


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

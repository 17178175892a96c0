"""The page on a leg."""

from __future__ import annotations

from typing import Final

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from fairmargin.core import units as core_units
from fairmargin.core.companion import STOPPED_KMH, aimed_kmh
from fairmargin.core.study import Event, Leg, Study
from fairmargin.core.study.vocabulary import EventKind
from fairmargin.desktop.stages.base import Field
from fairmargin.desktop.stages.driving.controller import DriveController
from fairmargin.desktop.stages.driving.parts import EVENTS, GATE_SOON_KM, TALLEST_PX, Tile, go_button
from fairmargin.desktop.widgets.basics import PlainLabel, label

PAST_KM: Final = 0.15  # beyond a line, from which it is behind


class DrivingPage(QWidget):
    """On the leg: speed, the next gate, what to do now, one key for each event."""

    def __init__(self, controller: DriveController, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.controller, self.session = controller, controller.session
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(8)
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
        self.restarted.clicked.connect(lambda: self.controller.reset_seen(None))
        self.reset_again = QPushButton("Reset again  (N)")
        self.reset_again.clicked.connect(self.controller.reset)
        self.doubtful = QPushButton("Nobody saw it")
        self.doubtful.clicked.connect(self.controller.reset_doubtful)
        for button in (self.restarted, self.reset_again, self.doubtful):
            button.setFocusPolicy(Qt.FocusPolicy.NoFocus)
            row.addWidget(button)
        row.addStretch()
        layout.addWidget(self.reset_row)
        self.main_action = go_button("", self.primary)
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
            button.clicked.connect(lambda _=False, k=kind: self.controller.mark(k))
            self.event_buttons[kind] = button
            grid.addWidget(button, i // 4, i % 4)
        layout.addLayout(grid, 3)
        self.event_words = label("", "muted", wrap=True)
        row = QHBoxLayout()
        row.addWidget(self.event_words, 1)
        self.give_up = QPushButton("Give this leg up\u2026")
        self.give_up.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.give_up.clicked.connect(self._give_up)
        row.addWidget(self.give_up, 0, Qt.AlignmentFlag.AlignTop)
        layout.addLayout(row, 1)

    def show_leg(self, study: Study, leg: Leg) -> None:
        """Show the leg under way."""
        controller, units = self.controller, self.session.units
        drive = controller.drive
        assert drive is not None
        now = controller.speed_kmh()
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
        to_gate = controller.to_gate_km()
        approach = drive.phase == "approach"
        caption = f"To the start line, {units.distance}" if approach else f"To the read-off, {units.distance}"
        if to_gate is None:
            self.gate_tile.show(caption, "\u2013", "by your own landmark" if approach else "no distance known")
        else:
            foot = "" if aim is None else f"about {max(0.0, to_gate) / aim[0] * 60:.0f} min"
            if not approach and not drive.by_instrument:
                foot += " \u00b7 by the clock"
            ahead = controller.landmark_ahead()
            if ahead is not None:
                foot += f" \u00b7 {ahead[0]} in {units.show('distance', ahead[1]):.1f}"
            past = to_gate < -PAST_KM
            if past:
                caption = f"{'The start line' if approach else 'The read-off'} is behind, {units.distance}"
                foot = "" if approach else "read off now, and note it"
            self.gate_tile.show(
                caption, f"{units.show('distance', abs(to_gate) if past else max(to_gate, 0.0)):.1f}", foot
            )
        since = controller.since_reset_s()
        if since is None:
            self.time_tile.show("On the leg", "\u2013", "begins at the reset")
        else:
            driven = controller.driven_km()
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
        drive = self.controller.drive
        assert drive is not None
        check = drive.phase == "driving" and drive.reset_state != "took"
        self.reset_row.setVisible(check)
        state = ""
        if drive.phase == "approach":
            words = "Reset the trip meter at the start line, at speed."
            if to_gate is not None and to_gate < -PAST_KM:
                behind = _far(-to_gate, self.session.units)
                words, state = (
                    f"The start line is {behind} behind: turn, or reset at another place for all legs.",
                    "bad",
                )
            elif to_gate is not None and to_gate < GATE_SOON_KM:
                words, state = "Start line: reset the trip meter NOW.", "now"
            self.main_action.setText("Reset pressed now  (Space)")
        else:
            self.main_action.setText("Read off now  (Space)")
            words = "Hold the speed. The driver drives; you watch."
            slow = drive.watch.under_way(self.controller.clock.seconds())
            if drive.reset_state == "failed":
                words, state = "The reset did not take. Press it again: this leg begins there.", "bad"
                self.main_action.setText("Reset pressed again  (Space)")
            elif check:
                words, state = "Did the reset take? Look at the trip meter.", "now"
            elif to_gate is not None and to_gate < -PAST_KM:
                behind, stands = (
                    _far(-to_gate, self.session.units),
                    (self.controller.speed_kmh() or STOPPED_KMH) < STOPPED_KMH,
                )
                where = "You stand" if stands else "You are"
                words, state = f"{where} {behind} past the line: read off at once; the distance counts on.", "bad"
            elif to_gate is not None and to_gate <= 0.0:
                words, state = "READ OFF NOW, at speed, before lifting off.", "now"
            elif to_gate is not None and to_gate < GATE_SOON_KM:
                words, state = "Read-off coming: hands on the notebook, hold the speed.", "now"
            elif slow is not None:
                units = self.session.units
                words = (
                    f"Slow for {slow[0]:.0f} s at {units.show('speed', slow[1]):.0f} {units.speed}: noted by itself."
                )
                state = "now"
        self.prompt.setText(words)
        if self.prompt.property("state") != state:
            self.prompt.setProperty("state", state)
            self.prompt.style().unpolish(self.prompt)
            self.prompt.style().polish(self.prompt)

    def primary(self) -> None:
        """Do what the large button says: reset, or read off."""
        drive = self.controller.drive
        if drive is None:
            return
        if drive.phase == "approach" or (drive.phase == "driving" and drive.reset_state == "failed"):
            self.controller.reset()
        elif drive.phase == "driving" and not self.controller.asks_first():
            self.controller.read_off()

    def _saw_trip(self, text: str) -> None:
        if text:
            self.controller.reset_seen(core_units.read_quantity(text, "distance", self.session.units.distance))
            self.shown.show_text("")
            self.shown.edit.clear()

    def _give_up(self) -> None:
        from PySide6.QtWidgets import QMessageBox

        answer = QMessageBox.question(
            self, "Give this leg up", "The leg stays planned; its recording stays in the folder. Give it up?"
        )
        if answer == QMessageBox.StandardButton.Yes:
            self.controller.give_up()


def _far(km: float, units: core_units.UnitChoice) -> str:
    return f"{units.show('distance', km):.1f} {units.distance}"


def _noted(event: Event, units: core_units.UnitChoice) -> str:
    kind = event.kind.replace("-", " ")
    if event.at_km is None:
        return kind
    return f"{kind} at {units.show('distance', event.at_km):.1f} {units.distance}"

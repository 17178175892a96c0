"""The page before a leg."""

from __future__ import annotations

import time
from collections.abc import Callable
from datetime import datetime
from typing import Any, Final, Literal

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QCheckBox, QGridLayout, QHBoxLayout, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from fairmargin.core.companion import aimed_kmh, lateness, leg_checklist
from fairmargin.core.conditions.room import noted
from fairmargin.core.conditions.typed import caption, carried, leg_fields, needed_fields, read_leg_field, show_leg_field
from fairmargin.core.study import Leg, Study
from fairmargin.core.study.entry import words_of
from fairmargin.desktop.stages.base import Field
from fairmargin.desktop.stages.driving.controller import DriveController
from fairmargin.desktop.stages.driving.parts import DAY_EVERY_S, Ticking, Tile, go_button
from fairmargin.desktop.stages.driving.taken_up import CutShort
from fairmargin.desktop.widgets.basics import clear, label, panel, scrolling
from fairmargin.desktop.widgets.inputs import Choice

#: What is set before a leg; of these, what every leg has. The others are asked for where a study needs them.
SETTINGS: Final = (
    "climate", "tyre_pressure_kpa", "mode", "road", "speed_held", "vehicle", "sector", "speed_kmh", "grid_kwh", "driver",
)  # fmt: skip
USUAL: Final = SETTINGS[:5]

ONE_MORE: Final = "one more "


def _sides(study: Study) -> list[str]:
    """Configurations that a run can be added of; none where vehicles take turns: their runs are laid out on the sheet."""
    return [] if study.vehicles_take_turns else list(study.lettered.values())


class PreparePage(QWidget):
    """Before a leg: what to look at, how fast, how the day stands."""

    def __init__(self, controller: DriveController, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.controller, self.session = controller, controller.session
        self._shape: object = None
        self._day_stamp: object = None
        self._cut: CutShort | None = None
        self.warmed_up: QCheckBox | None = None
        layout = QHBoxLayout(self)
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
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        for i, key in enumerate(dict.fromkeys((*SETTINGS, *carried()))):
            field = Field(leg_fields()[key].caption, self._setting(key), tip=leg_fields()[key].tip)
            self.settings_fields[key] = field
            grid.addWidget(field, i // 5, i % 5, Qt.AlignmentFlag.AlignTop)
        box.addLayout(grid)
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
        self.pause_button.clicked.connect(self.controller.pause)
        box.addWidget(self.pause_button)
        box.addStretch()
        side.addWidget(self.timetable, 1)
        side.addLayout(self._which_next())
        self.set_off = go_button("Set off  (Space)", self.begin)
        side.addWidget(self.set_off)
        self.cut_short, box = panel()
        self.cut_words = label("", "caution", wrap=True)
        box.addWidget(self.cut_words)
        self.go_on_cut = go_button("", self.begin)
        box.addWidget(self.go_on_cut)
        row = QHBoxLayout()
        self.take_cut = QPushButton("Read it off as it is")
        self.take_cut.clicked.connect(lambda: self._settle("read"))
        self.drop_cut = QPushButton()
        self.drop_cut.clicked.connect(lambda: self._settle("drop"))
        row.addWidget(self.take_cut)
        row.addWidget(self.drop_cut)
        box.addLayout(row)
        side.addWidget(self.cut_short)
        layout.addLayout(side, 2)

    def _which_next(self) -> QHBoxLayout:
        """Lay out the choice of another leg, and of none."""
        row = QHBoxLayout()
        self.which = Choice()
        self.which.setAccessibleName("Leg to drive next")
        self.which.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.which.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        self.which.activated.connect(lambda _: self._choose(str(self.which.currentData())))
        row.addWidget(self.which, 1)
        self.home = QPushButton("Going home")
        self.home.setToolTip("The rest is not driven today; it stays planned")
        self.home.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.home.clicked.connect(lambda: self.controller.go_home(True))
        row.addWidget(self.home)
        return row

    def _choose(self, what: str) -> None:
        if what.startswith(ONE_MORE):
            self.controller.insert_run(what.removeprefix(ONE_MORE))
        else:
            self.controller.choose(what)

    def show_leg(self, study: Study, leg: Leg) -> None:
        """Show another leg, or the same as it stands now."""
        items = leg_checklist(study, leg)
        if self._shape != (self.session.study_id, leg.leg, items):
            self._shape = (self.session.study_id, leg.leg, items)
            clear(self._checks)
            self.warmed_up = self._warm_up(study, leg)
            for text in items:
                self._check(text)
            self._checks.addStretch()
            self._offer_cut_short()
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
        needed, choice = needed_fields(study), self.session.units_of(leg)
        before = {k: v for k in carried() if noted(leg, k) is None and (v := self._before(study, leg, k))}
        as_carried = leg.with_(**before)
        for key, field in f.items():
            field.setVisible(key in USUAL or key in needed)
            field.caption.setText(caption(key, choice))
            field.show_text(show_leg_field(key, as_carried, choice, study))
        stamp = (int(time.monotonic() / DAY_EVERY_S), self.controller.paused_at, study.plan, leg.leg)
        if stamp != self._day_stamp:
            self._day_stamp = stamp
            self._show_day(study)
        self.set_off.setText(f"Set off on {leg.leg}  (Space)")
        self._show_left(study, leg)

    def _show_left(self, study: Study, leg: Leg) -> None:
        """Offer every leg that is still to be driven, and one more run of each side."""
        left = [
            (f"{x.run or x.leg} {x.direction}, {study.configuration(x.configuration).label} ({x.leg})", x.leg)
            for x in self.controller.left()
        ]
        left += [(f"One more run now: {study.configuration(side).label}", ONE_MORE + side) for side in _sides(study)]
        if [(self.which.itemText(i), self.which.itemData(i)) for i in range(self.which.count())] != left:
            self.which.clear()
            for words, name in left:
                self.which.addItem(words, name)
        self.which.setCurrentIndex(self.which.findData(leg.leg))

    def _check(self, text: str) -> QCheckBox:
        """Add a thing to look at."""
        box = QCheckBox()
        box.setObjectName("check")
        box.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        row = QWidget()
        line = QHBoxLayout(row)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(10)
        line.addWidget(box, 0, Qt.AlignmentFlag.AlignTop)
        line.addWidget(Ticking(text, box), 1)
        box.setAccessibleName(text)
        self._checks.addWidget(row)
        return box

    def _warm_up(self, study: Study, leg: Leg) -> QCheckBox | None:
        """Ask before an outing's first leg whether the planned warm-up was driven; ticked, the leg notes it."""
        planned, own = study.plan.warm_up_min, leg.driven_before_s
        asked = study.driven_before_s(leg) is None or own == 60.0 * planned
        if planned <= 0 or not asked or not self._first_of_outing(study, leg):
            return None
        box = self._check(f"Warm-up of {planned:g} min driven; ticked, it counts as driven")
        box.setChecked(own is not None)
        box.toggled.connect(lambda on: self._note_warm_up(60.0 * planned if on else None))
        return box

    def _first_of_outing(self, study: Study, leg: Leg) -> bool:
        """Whether nothing was driven yet on the day of this leg."""
        today = self.controller.clock.moment().date()
        driven = [x.started_at for x in study.legs if x.started_at and x.leg != leg.leg and self.session.has_reading(x)]
        return all(at.date() != today for at in driven)

    def _note_warm_up(self, seconds: float | None) -> None:
        study, leg = self.session.study, self.controller.next_leg()
        if study is not None and leg is not None:
            self.session.edit(study.with_leg(leg.leg, driven_before_s=seconds), f"warm-up before {leg.leg}")

    def _before(self, study: Study, leg: Leg, key: str) -> Any:
        """What was so on the leg before, which is carried on."""
        earlier = [x for x in study.legs[: study.legs.index(leg)] if self.session.has_reading(x)]
        return noted(earlier[-1], key) if earlier else None

    def _show_day(self, study: Study) -> None:
        controller = self.controller
        paused = controller.paused_at
        self.pause_button.setText("Go on  (P)" if paused is not None else "Pause  (P)")
        lines = []
        if paused is not None:
            minutes = (controller.clock.seconds() - paused) / 60.0
            lines.append(f"Paused for {minutes:.0f} min; what is left moves with you.")
        stand = lateness(study, controller.clock.moment(), controller.done_runs())
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

    def begin(self) -> None:
        """Set off on the next leg, or go on with the one that was cut short and is still being driven."""
        if self._cut is not None and self._cut.can_go_on:
            self._settle("go on")
            return
        leg = self.controller.next_leg()
        if leg is not None and self.controller.drive is None:
            self.controller.begin(leg.leg)

    def _setting(self, key: str) -> Callable[[str], None]:
        def commit(text: str) -> None:
            study, leg = self.session.study, self.controller.next_leg()
            if study is None or leg is None:
                return
            try:
                changes = read_leg_field(key, text, self.session.units_of(leg), leg, datetime.now(), study)
                after = study.with_leg(leg.leg, **changes)
            except ValueError as error:
                raise ValueError(words_of(error)) from error
            self.session.edit(after, f"{key.split('_')[0]} of {leg.leg}")

        return commit

    def _offer_cut_short(self) -> None:
        """Offer what can be done with a recording that nobody finished."""
        self._cut = cut = self.controller.offer()
        self.cut_short.setVisible(cut is not None)
        self.timetable.setVisible(cut is None)  # first things first
        self.set_off.setVisible(cut is None or not cut.can_go_on)
        if cut is None:
            return
        self.cut_words.setText(cut.words)
        self.cut_words.setToolTip(str(cut.path))
        self.go_on_cut.setText(f"Go on with {cut.leg}  (Space)")
        self.go_on_cut.setVisible(cut.can_go_on)
        self.take_cut.setVisible(cut.can_be_read)
        self.drop_cut.setText("Drive it again" if cut.can_be_driven_again else "Leave it in the folder")

    def _settle(self, how: Literal["go on", "read", "drop"]) -> None:
        cut = self._cut
        if cut is None:
            return
        if how != "drop":
            self.controller.take_up(cut.path, read=how == "read")
        else:
            self.controller.plan_again(cut)
        self._shape = None
        self.controller.changed.emit()

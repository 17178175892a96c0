"""The page of a leg's readings."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QInputDialog, QPushButton, QVBoxLayout, QWidget

from fairmargin.core import units as core_units
from fairmargin.core.companion import compare_readings
from fairmargin.core.study import Leg, Study, WeatherRow
from fairmargin.core.study.cells import vehicle_of
from fairmargin.core.study.entry import read_card, show_number, words_of
from fairmargin.desktop.stages.base import Field
from fairmargin.desktop.stages.driving.bands import BandsChart
from fairmargin.desktop.stages.driving.controller import DriveController
from fairmargin.desktop.stages.driving.parts import go_button
from fairmargin.desktop.stages.driving.words import leg_verdict
from fairmargin.desktop.widgets.basics import label, panel, scrolling


class ReadingPage(QWidget):
    """After the read-off: each instrument on its own card, and what they say together."""

    def __init__(self, controller: DriveController, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.controller, self.session = controller, controller.session
        outer = QVBoxLayout(self)
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
        self.back = QPushButton("Back to driving")
        self.back.setToolTip("It was read off by mistake: the leg goes on, with everything that came since")
        self.back.clicked.connect(self.controller.back_to_driving)
        row.addWidget(self.back)
        self.again = QPushButton("Drive it again\u2026")
        self.again.clicked.connect(self._again)
        row.addWidget(self.again)
        self.next = go_button("Readings are in: next leg  (Ctrl+Enter)", self.controller.finish)
        row.addWidget(self.next, 1)
        outer.addLayout(row)

    def show_leg(self, study: Study, leg: Leg) -> None:
        """Show the readings of the leg."""
        units = self.session.units_of(leg)
        own = core_units.label(units.consumption)
        since = self.controller.since_reset_s() or 0.0
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
        c["energy"].show_text("" if leg.energy_kwh is None else core_units.to_step(leg.energy_kwh, leg.energy_step_kwh))
        c["soc"].show_text(
            ""
            if leg.soc_start_percent is None or leg.soc_end_percent is None
            else f"{leg.soc_start_percent:g}-{leg.soc_end_percent:g}"
        )
        c["charger"].show_text("" if leg.charger_kwh is None else f"{leg.charger_kwh:g}")
        c["fuel"].show_text("" if leg.fuel_l is None else f"{leg.fuel_l:g}")
        electric = vehicle_of(study, leg.vehicle).energy == "electric"
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

    def _card(self, key: str) -> Callable[[str], None]:
        def commit(text: str) -> None:
            study, drive = self.session.study, self.controller.drive
            if study is None or drive is None:
                return
            leg = study.leg(drive.leg)
            rises = leg.direction == "back" or study.method == "climb"
            changes = read_card(key, text, self.session.units_of(leg), rises)
            try:
                after = study.with_leg(drive.leg, **changes)
            except ValueError as error:
                raise ValueError(words_of(error)) from error
            if not self.session.edit(after, f"{key} of {drive.leg}"):
                raise ValueError("could not be saved")

        return commit

    def _again(self) -> None:
        study, drive = self.session.study, self.controller.drive
        if study is None or drive is None:
            return
        said = leg_verdict(study, self.session, drive.leg)[0].splitlines()
        start = said[0].split(";")[0] if said else ""
        reason, accepted = QInputDialog.getText(
            self, f"Drive {drive.leg} again", "Why? The leg stays visible, left out with this reason.", text=start
        )
        if accepted and reason.strip():
            self.controller.drive_again(reason.strip())


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

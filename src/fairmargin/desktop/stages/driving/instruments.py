"""Which instruments there are: addresses, the bus's mapping, what they say right now; and the rehearsal."""

from __future__ import annotations

import secrets
from dataclasses import replace
from typing import Final

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from fairmargin.core.study.entry import words_of
from fairmargin.core.units import read_in
from fairmargin.desktop.stages.driving.controller import DriveController
from fairmargin.desktop.stages.driving.settings import (
    INTERFACES,
    InstrumentSettings,
    load_settings,
    mapping_of,
    save_settings,
)
from fairmargin.desktop.widgets.basics import label
from fairmargin.desktop.widgets.decimals import typed_here
from fairmargin.desktop.widgets.files import ask_open
from fairmargin.desktop.widgets.inputs import Choice, Line
from fairmargin.desktop.widgets.tables import Table
from fairmargin.exchange.files.faults import InvalidInput
from fairmargin.exchange.logs.dbc import ROLE_NAMES, load_dbc, signals_of
from fairmargin.instruments.samples import NAMES, SHOWN, SOURCES
from fairmargin.instruments.vehicle import own_dbc

DEGREE: Final = "\u00b0"
RATES: Final = ((1.0, "at real time"), (10.0, "10 times faster"), (30.0, "30 times faster"), (100.0, "100 times faster"))  # fmt: skip


class InstrumentsDialog(QDialog):
    """GPS, vehicle bus and weather: where they are, what they say; nothing is kept until Connect."""

    def __init__(self, controller: DriveController, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Instruments")
        self.resize(860, 620)
        self._controller = controller
        kept = load_settings(controller.session.settings)
        layout = QVBoxLayout(self)
        layout.setSpacing(10)
        layout.addWidget(
            label(
                "Leave empty what you do not have. Everything that arrives is recorded; lost instruments are told, and come back by themselves.",
                "muted",
                wrap=True,
            )
        )
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(8)
        self.gps = self._line(kept.gps, "/dev/ttyACM0, or 127.0.0.1:10110", "GPS address")
        self.baud = Choice()
        self.baud.setAccessibleName("GPS speed of the serial line")
        for rate in (4800, 9600, 38400, 115200):
            self.baud.addItem(f"{rate} baud", rate)
        self.baud.setCurrentIndex(max(0, self.baud.findData(kept.baud)))
        self.interface = Choice()
        self.interface.setEditable(True)
        self.interface.setAccessibleName("Bus interface")
        self.interface.addItems(list(INTERFACES))
        self.interface.setCurrentText(kept.interface)
        self.channel = self._line(kept.channel, "can0", "Bus channel")
        self.dbc = self._line(kept.dbc, "Your vehicle's DBC; empty = the simulated van's", "DBC file")
        browse = QPushButton("Find\u2026")
        browse.clicked.connect(self._find_dbc)
        self.charging = QCheckBox("A positive current charges the battery")
        self.charging.setChecked(kept.charging_positive)
        self.weather = self._line(
            kept.weather, "http://\u2026 or a file: METAR text, or the station's CSV", "Weather station"
        )
        self.minutes = self._line(f"{kept.weather_minutes:g}", "5", "Minutes between two questions")
        rows: tuple[tuple[str, QWidget, QWidget | None], ...] = (
            ("GPS (NMEA 0183)", self.gps, self.baud),
            ("Vehicle bus", self.interface, self.channel),
            ("Its DBC", self.dbc, browse),
            ("", self.charging, None),
            ("Weather", self.weather, self.minutes),
        )
        for i, (words, first, second) in enumerate(rows):
            grid.addWidget(label(words), i, 0)
            grid.addWidget(first, i, 1)
            if second is not None:
                grid.addWidget(second, i, 2)
        grid.setColumnStretch(1, 3)
        grid.setColumnStretch(2, 1)
        layout.addLayout(grid)
        layout.addWidget(label("Which signal is which: guessed from names and units, yours to change", "heading"))
        self.mapping = Table(len(ROLE_NAMES), 2, "Which signal is which")
        self.mapping.setHorizontalHeaderLabels(["Quantity", "Signal of the DBC"])
        self.mapping.horizontalHeader().setStretchLastSection(True)
        self.mapping.setColumnWidth(0, 220)
        self._chosen: dict[str, QComboBox] = {}
        for i, (role, words) in enumerate(ROLE_NAMES.items()):
            self.mapping.setItem(i, 0, QTableWidgetItem(words))
            box = Choice()
            box.setAccessibleName(f"Signal for {words.lower()}")
            self._chosen[role] = box
            self.mapping.setCellWidget(i, 1, box)
        layout.addWidget(self.mapping, 1)
        self.fault = label("", "fault", wrap=True)
        layout.addWidget(self.fault)
        self.live = label("", "", wrap=True)
        layout.addWidget(self.live)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        self.connect_button = buttons.addButton("Connect", QDialogButtonBox.ButtonRole.ApplyRole)
        self.connect_button.setObjectName("primary")
        self.connect_button.clicked.connect(self.connect_now)
        self.disconnect_button = buttons.addButton("Disconnect", QDialogButtonBox.ButtonRole.ResetRole)
        self.disconnect_button.clicked.connect(controller.disconnect_instruments)
        buttons.rejected.connect(self.reject)
        layout.addWidget(buttons)
        self._signals = dict(kept.signals)
        self.dbc.editingFinished.connect(self.fill_mapping)
        self.fill_mapping()
        controller.changed.connect(self._show_live)
        self._show_live()

    def _line(self, text: str, hint: str, name: str) -> QLineEdit:
        made = Line(text)
        made.setPlaceholderText(hint)
        made.setAccessibleName(name)
        return made

    def _find_dbc(self) -> None:
        path = ask_open(self, "DBC of the vehicle", "DBC (*.dbc);;All files (*)")
        if path:
            self.dbc.setText(path)
            self.fill_mapping()

    def fill_mapping(self) -> None:
        """Offer the signals of the DBC, the guessed (or kept) one chosen."""
        try:
            database = load_dbc(self.dbc.text().strip() or own_dbc())
            try:
                mapped = mapping_of(replace(InstrumentSettings(), signals=self._signals), database)
            except ValueError:
                mapped = mapping_of(InstrumentSettings(), database)  # kept for another DBC
        except InvalidInput as fault:
            self.fault.setText(str(fault))
            return
        self.fault.clear()
        signals = signals_of(database)
        for role, box in self._chosen.items():
            box.blockSignals(True)
            box.clear()
            box.addItem("(not there)", "")
            for signal in signals:
                unit = f"  [{signal.unit}]" if signal.unit else ""
                box.addItem(f"{signal.label}{unit}", signal.label)
            found = mapped.signals.get(role)
            box.setCurrentIndex(max(0, box.findData(found.label if found else "")))
            box.blockSignals(False)

    @typed_here()
    def settings(self) -> InstrumentSettings:
        """What is filled in.

        Raises
        ------
        ValueError
            If the minutes are no number from 1 to 120.
        """
        try:
            minutes = read_in(self.minutes.text() or "5", "min")
        except ValueError as error:
            raise ValueError(f"Minutes between reports: {error}") from None
        if not 1 <= minutes <= 120:
            raise ValueError(f"{minutes:g} min between two questions; expected 1 to 120")
        return InstrumentSettings(
            gps=self.gps.text().strip(),
            baud=int(self.baud.currentData()),
            interface=self.interface.currentText().strip(),
            channel=self.channel.text().strip(),
            dbc=self.dbc.text().strip(),
            signals={role: str(box.currentData() or "") for role, box in self._chosen.items()},
            charging_positive=self.charging.isChecked(),
            weather=self.weather.text().strip(),
            weather_minutes=minutes,
        )

    def connect_now(self) -> None:
        """Keep the settings and connect; what cannot be used is said here."""
        try:
            value = self.settings()
        except ValueError as error:
            self.fault.setText(words_of(error))
            return
        if self._controller.connect_instruments(value):
            save_settings(self._controller.session.settings, value)
            self.fault.clear()
        else:
            self.fault.setText(self._controller.says[-1])

    def _show_live(self) -> None:
        parts = []
        for source in SOURCES:
            feed = self._controller.feeds.get(source)
            if feed is None:
                continue
            values = ", ".join(
                f"{SHOWN[k][0]} {v:.5g}{'' if SHOWN[k][1] == DEGREE else ' '}{SHOWN[k][1]}"
                for k, (v, _) in list(feed.latest.items())
            )
            why = f" ({feed.why})" if feed.why else ""
            parts.append(f"{NAMES[source]} {feed.state}{why}: {values or 'nothing yet'}")
        self.live.setText("\n".join(parts) or "Not connected.")
        self.disconnect_button.setEnabled(bool(self._controller.feeds))


class RehearsalDialog(QDialog):
    """Begin a rehearsal: the same day at the desk, with a truth that is revealed afterwards."""

    def __init__(self, controller: DriveController, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Rehearse the day")
        self.setMinimumWidth(520)
        self._controller = controller
        layout = QVBoxLayout(self)
        layout.setSpacing(10)
        layout.addWidget(
            label(
                "A virtual vehicle drives this study's plan at your desk: its GPS, its bus and a weather station speak to "
                "Fair Margin as real ones would. What the change does to it is drawn by lot and sealed; it is revealed "
                "when every leg is driven. A copy of the study is made, so nothing of yours is touched.",
                "",
                wrap=True,
            )
        )
        row = QHBoxLayout()
        row.addWidget(label("Drive"))
        self.rate = Choice()
        self.rate.setAccessibleName("How fast the rehearsal runs")
        for rate, words in RATES:
            self.rate.addItem(words, rate)
        self.rate.setCurrentIndex(1)
        row.addWidget(self.rate, 1)
        layout.addLayout(row)
        self.mishaps = QCheckBox("Something may go wrong on the way")
        self.mishaps.setChecked(True)
        self.mishaps.setToolTip(
            "A reset that does not take, a lorry, rain, a wrong turn, a GPS that freezes; told afterwards"
        )
        layout.addWidget(self.mishaps)
        layout.addWidget(
            label(
                "Look out of the window as you would, and note what matters: when every leg is driven you are told what "
                "happened, what of it you noticed, and what it cost.",
                "muted",
                wrap=True,
            )
        )
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Cancel)
        self.start = buttons.addButton("Begin the rehearsal", QDialogButtonBox.ButtonRole.AcceptRole)
        self.start.setObjectName("primary")
        buttons.accepted.connect(self._begin)
        buttons.rejected.connect(self.reject)
        layout.addWidget(buttons, 0, Qt.AlignmentFlag.AlignBottom)

    def _begin(self) -> None:
        seed, rate = secrets.randbelow(1_000_000), float(self.rate.currentData())
        self._controller.start_rehearsal(seed, rate, self.mishaps.isChecked())
        self.accept()

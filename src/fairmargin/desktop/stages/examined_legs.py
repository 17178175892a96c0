"""The table of legs on Examine: what was read and met on each, and the one that is looked at."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QAbstractItemView, QFrame, QHeaderView, QTableWidgetItem, QWidget

from fairmargin.core.study import Leg, Study
from fairmargin.core.study.entry import show_number, show_reading
from fairmargin.core.study.runs import way_words
from fairmargin.core.units import in_units, show_duration
from fairmargin.desktop.state.session import Session
from fairmargin.desktop.theme import theme, trial_colour
from fairmargin.desktop.widgets.basics import as_tip, sign_of
from fairmargin.desktop.widgets.tables import Table, filled_at_once


class ExaminedLegs(Table):
    """Every leg as a line, of which one is chosen."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(0, 9, "Legs as they are examined", parent)
        self.session = session
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setShowGrid(False)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.verticalHeader().setDefaultSectionSize(25)
        header = self.horizontalHeader()
        header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        header.setSectionResizeMode(3, QHeaderView.ResizeMode.Stretch)

    @property
    def chosen(self) -> str:
        """Name of the leg that is looked at; empty where none is."""
        rows = self.selectionModel().selectedRows() if self.selectionModel() else []
        item = self.item(rows[0].row(), 0) if rows else None
        return item.text() if item else ""

    def show_legs(self, study: Study, chosen: str) -> None:
        """Put every leg into the table and choose one, without saying that it was chosen."""
        self.blockSignals(True)
        with filled_at_once(self):
            self._fill(study)
        names = [leg.leg for leg in study.legs]
        if chosen in names:
            self.selectRow(names.index(chosen))
            self.scrollTo(self.model().index(names.index(chosen), 0))
        self.blockSignals(False)

    def _fill(self, study: Study) -> None:
        units = self.session.units
        analysis = self.session.analysis
        results = {leg.leg: leg for leg in analysis.legs} if analysis else {}
        self.setHorizontalHeaderLabels(
            [
                "Leg", "Configuration", "Direction", "State", "Reading", f"Distance, {units.distance}", "Time, min",
                f"Air, {units.temperature}", f"Wind, {units.wind} from",
            ]
        )  # fmt: skip
        self.setRowCount(len(study.legs))
        trials = [t.id for t in study.trials]
        for i, leg in enumerate(study.legs):
            cells = self._cells(study, leg, in_units(results[leg.leg].shown, units) if leg.leg in results else "")
            colour = "baseline" if leg.configuration not in trials else trial_colour(trials.index(leg.configuration))
            for j, text in enumerate(cells):
                item = QTableWidgetItem(text)
                item.setToolTip(as_tip(text))
                if j >= 4:
                    item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                if j == 1:
                    trial = trials.index(leg.configuration) if leg.configuration in trials else None
                    item.setText(f"{sign_of(trial)} {text}")
                    item.setForeground(theme.colour(colour))
                elif not leg.included:
                    item.setForeground(theme.colour("muted"))
                self.setItem(i, j, item)

    def _cells(self, study: Study, leg: Leg, shown: str) -> list[str]:
        """Say what the table says of a leg."""
        units = self.session.units
        wind = ""
        if leg.wind_speed_ms is not None:
            wind = f"{units.show('wind', leg.wind_speed_ms):.1f}"
            if leg.wind_from_deg is not None:
                wind += f"  {leg.wind_from_deg:.0f}\u00b0"
        state = self.session.state(leg) if leg.included else f"left out: {leg.reason}"
        events = [e.kind.replace("-", " ") for e in study.events if e.leg == leg.leg]
        if events and leg.included:
            state += f" \u00b7 {', '.join(dict.fromkeys(events))}"
        return [
            leg.leg,
            study.configuration(leg.configuration).label,
            way_words(study, leg) or "out",
            state,
            show_reading(leg) or shown,
            "" if leg.distance_km is None else show_number(units.show("distance", leg.distance_km), 2),
            show_duration(leg.duration_s),
            ""
            if leg.temperature_c is None
            else f"{units.show('temperature', leg.temperature_c):.1f}".replace("-", "\u2212"),
            wind,
        ]

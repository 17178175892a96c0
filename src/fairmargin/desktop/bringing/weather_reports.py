"""Weather reports, pasted or read, laid beside the legs."""

from __future__ import annotations

from PySide6.QtWidgets import QTableWidgetItem, QWidget

from fairmargin.core.study import WeatherRow
from fairmargin.desktop.bringing.base import MOST_ROWS, BringDialog, plain_table, weather_of
from fairmargin.desktop.state.session import Session
from fairmargin.desktop.widgets.inputs import Words
from fairmargin.exchange.logs.legs import near_legs, with_weather


class WeatherDialog(BringDialog):
    """METAR texts or a station's table, pasted or from a file; only what is near the legs is taken."""

    KIND = "weather"

    def __init__(
        self,
        session: Session,
        text: str,
        parent: QWidget | None = None,
        read: tuple[tuple[WeatherRow, ...], tuple[str, ...]] | None = None,
    ) -> None:
        super().__init__(session, "Bring weather in", "Take these reports", parent)
        self.text = Words(text)
        self.text.setPlaceholderText("METAR texts, one a line; or a table with a time, temperature, wind \u2026")
        self.text.setAccessibleName("Reports")
        self.text.setMaximumHeight(150)
        self.text.textChanged.connect(self.read)
        self.page.addWidget(self.text)
        units = session.units
        self.list = plain_table(
            ["Time", "Station", f"Air, {units.temperature}", f"Wind, {units.wind}", f"Gust, {units.wind}", "From, \u00b0", f"Pressure, {units.pressure}"], "Weather reports"
        )  # fmt: skip
        self.page.addWidget(self.list, 1)
        if read is None:
            self.read()
        else:  # a long table was read already
            self.text.hide()
            self._show(*read)

    def read_again(self) -> None:
        self.read()

    def read(self) -> None:
        """Read what stands there."""
        self.after = None
        self.take_button.setEnabled(False)
        try:
            rows, notices = weather_of(self.study, self.text.toPlainText(), self.dates.order)
        except ValueError as error:
            self.refuse(error)
            self.words.clear()
            self.list.setRowCount(0)
            return
        self.fault.clear()
        self._show(rows, notices)

    def _show(self, every: tuple[WeatherRow, ...], notices: tuple[str, ...]) -> None:
        rows = near_legs(self.study, every)
        units = self.session.units
        self.list.setRowCount(min(len(rows), MOST_ROWS))
        for i, row in enumerate(rows[:MOST_ROWS]):
            cells = [f"{row.time:%Y-%m-%d %H:%M}", row.station]
            for quantity, value, decimals in (
                ("temperature", row.temperature_c, 1), ("wind", row.wind_speed_ms, 1), ("wind", row.wind_gust_ms, 1),
                ("", row.wind_from_deg, 0), ("pressure", row.pressure_hpa, 1),
            ):  # fmt: skip
                shown = None if value is None else units.show(quantity, value) if quantity else value
                cells.append("" if shown is None else f"{shown:.{decimals}f}")
            for j, text in enumerate(cells):
                self.list.setItem(i, j, QTableWidgetItem(text))
        self.after, fresh = with_weather(self.study, rows)
        said = [f"{fresh} new reports"]
        if len(rows) > fresh:
            said.append(f"{len(rows) - fresh} are here already and stay")
        if len(every) > len(rows):
            said.append(f"{len(every) - len(rows)} are more than three hours from every leg and left")
        self.words.setText(
            "; ".join([*said, *notices]) + ". They are used for legs that carry no weather of their own."
        )
        self.take_button.setEnabled(fresh > 0)

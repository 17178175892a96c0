"""Day: a timetable to follow, drawn to scale, exported to a calendar, printed."""

from __future__ import annotations

from datetime import date, datetime, time
from pathlib import Path

from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from fairmargin.core.planning import plan_day
from fairmargin.core.planning.timetable import Timetable, swap_minutes
from fairmargin.core.study import Study
from fairmargin.core.study.entry import show_number
from fairmargin.core.study.place import place_of, read_place
from fairmargin.core.units import in_units
from fairmargin.desktop.stages.planning.page import PlanPage, clock_offset
from fairmargin.desktop.state.session import Session
from fairmargin.desktop.system.printers import paper_here
from fairmargin.desktop.widgets.basics import clear, label, panel, scrolling
from fairmargin.desktop.widgets.dates import day_words
from fairmargin.desktop.widgets.files import ask_save
from fairmargin.desktop.widgets.flow import Flow
from fairmargin.desktop.widgets.planning.day import DayStrip
from fairmargin.exchange.words.figures import wind_words

LATE_MIN = 15
#: Fields of a day of many runs; a cold start a morning has none of them.
OF_A_DAY = ("travel", "warm", "swap", "low", "kw", "away")


class DayPage(PlanPage):
    """When what happens."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(session, parent)
        frame, box = panel()
        head = QHBoxLayout()
        self.heading = label("The day", "heading", wrap=True)
        head.addWidget(self.heading, 1)
        self.late = QPushButton(f"{LATE_MIN} min later")
        self.late.setToolTip("Running late: move everything that is left")
        self.late.clicked.connect(self._later)
        head.addWidget(self.late)
        self.calendar = QPushButton("Calendar file\u2026")
        self.calendar.clicked.connect(self._calendar)
        head.addWidget(self.calendar)
        self.sheet = QPushButton("Printable sheet\u2026")
        self.sheet.clicked.connect(self._sheet)
        head.addWidget(self.sheet)
        box.addLayout(head)
        self.strip = DayStrip()
        box.addWidget(self.strip)
        self.sky = label("", "muted", wrap=True)
        box.addWidget(self.sky)
        self.warning = label("", "caution", wrap=True)
        box.addWidget(self.warning)
        self.body.addWidget(frame)
        row = QHBoxLayout()
        row.setSpacing(12)
        frame, box = panel()
        box.addWidget(label("Times", "heading"))
        times = QWidget()
        grid = Flow(times, even=True, gap=14)
        grid.setContentsMargins(0, 0, 6, 0)
        box.addWidget(scrolling(times, on_panel=True), 1)
        specs = (
            ("day", "Day", self._set_day, ""),
            ("start", "Cold pressures at", self._set_start, ""),
            ("place", "Place, for daylight", self._set_place, ""),
            ("travel", "To the start", self.number("plan", "travel_min", "travel", unit="min"), "min"),
            ("warm", "Warm-up drive", self.number("plan", "warm_up_min", "warm-up", unit="min"), "min"),
            ("swap", "Each swap", self.number("plan", "swap_min", "swap time", unit="min"), "min"),
            ("turn", "Read-off and turn", self.number("plan", "turn_min", "turn", unit="min"), "min"),
            ("high", "Charge from", self.number("plan", "charge_start_percent", "charge band", unit="%"), "%"),
            ("low", "not below", self.number("plan", "charge_low_percent", "charge band", unit="%"), "%"),
            ("kw", "Charger", self.number("plan", "charger_kw", "charger", unit="kW"), "kW"),
            (
                "away",
                "and it is away",
                self.number("plan", "charger_away_min", "way to the charger", unit="min"),
                "min",
            ),
            ("avoid", "No driving (traffic)", self._set_avoid, ""),
        )
        for key, words, commit, unit in specs:
            made = self.field(key, words, commit, unit)
            made.edit.setMinimumWidth(48)
            grid.addWidget(made)
        row.addWidget(frame, 2)
        frame, box = panel()
        box.addWidget(label("In order", "heading"))
        inner = QWidget()
        self.steps = QVBoxLayout(inner)
        self.steps.setContentsMargins(0, 0, 6, 0)
        self.steps.setSpacing(3)
        box.addWidget(scrolling(inner, on_panel=True), 1)
        row.addWidget(frame, 3)
        self.body.addLayout(row, 1)
        self._lates: dict[int | None, float] = {}  # by study: one day that begins late makes no other late

    @property
    def _late(self) -> float:
        """Minutes that the open study's day begins late."""
        return self._lates.get(self.session.study_id, 0.0)

    @_late.setter
    def _late(self, minutes: float) -> None:
        self._lates[self.session.study_id] = minutes

    def table(self) -> Timetable | None:
        """Return the timetable of the runs laid out; None without runs."""
        study = self.session.study
        if study is None:
            return None
        order = study.order
        if not order:
            return None
        day = study.plan.day or date.today()
        table = plan_day(study, order, day, late_min=self._late, utc_offset=clock_offset(day))
        return table.worded(lambda words: in_units(words, self.session.units))

    def refresh(self, study: Study) -> None:
        f, plan = self.fields, study.plan
        f["day"].show_text(plan.day.isoformat() if plan.day else "")
        f["day"].edit.setPlaceholderText(f"{date.today():%Y-%m-%d}")
        f["start"].show_text(f"{plan.start:%H:%M}")
        f["travel"].show_text(show_number(plan.travel_min, 0))
        f["warm"].show_text(show_number(plan.warm_up_min, 0))
        f["swap"].show_text(show_number(plan.swap_min, 0))
        f["swap"].edit.setPlaceholderText(f"{swap_minutes(plan, study.change.kind):.0f} usual")
        f["turn"].show_text(show_number(plan.turn_min, 0))
        f["high"].show_text(show_number(plan.charge_start_percent, 0))
        f["low"].show_text(show_number(plan.charge_low_percent, 0))
        f["kw"].show_text(show_number(plan.charger_kw, 0))
        f["place"].show_text(plan.place)
        on_track = place_of(study) is not None and not plan.place
        f["place"].edit.setPlaceholderText("as the track" if on_track else "a town, or 52.6, 0.1")
        f["away"].show_text(show_number(plan.charger_away_min, 0))
        f["away"].edit.setPlaceholderText("0: at the start")
        for key in OF_A_DAY:
            f[key].setVisible(not study.change.about.from_the_wall)
        f["avoid"].show_text(", ".join(f"{a:%H:%M}-{b:%H:%M}" for a, b in plan.avoid))
        f["avoid"].edit.setPlaceholderText("07:15-09:00")
        table = self.table()
        clear(self.steps)
        for button in (self.late, self.calendar, self.sheet):
            button.setEnabled(table is not None)
        if table is None:
            self.heading.setText("The day")
            self.warning.setText("No runs laid out yet: choose an order on the Design page.")
            return
        late = f", {self._late:.0f} min late" if self._late else ""
        days = table.days
        first = table.steps[0].start
        day = day_words(first, weekday=True, year=False, long=True)
        if len(days) > 1:
            self.heading.setText(f"{len(days)} mornings from {day}, {first:%H:%M}: {table.energy_kwh:.0f} kWh{late}")
        else:
            self.heading.setText(f"{day}: {first:%H:%M} to {table.end:%H:%M}, {table.energy_kwh:.0f} kWh{late}")
        sides = list(study.lettered.values())
        self.strip.show_day(table, {side: i - 1 if i else None for i, side in enumerate(sides)})
        self.sky.setText(self._weather(study, table))
        self.warning.setText(" ".join(table.warnings))
        self.warning.setVisible(bool(table.warnings))
        for own in days.values():
            if len(days) > 1:
                self.steps.addWidget(label(f"{own[0].start:%A %d %B}", "heading"))
            for step in own:
                if step.kind == "turn":
                    continue
                level = "" if step.charge_percent is None else f"   {step.charge_percent:.0f} %"
                text = f"{step.start:%H:%M}  {step.words}{level}"
                self.steps.addWidget(label(text, "" if step.kind == "run" else "muted", wrap=True))
        self.steps.addStretch()

    def _weather(self, study: Study, table: Timetable) -> str:
        """The forecast over the day, in words."""
        f, units = study.plan.forecast, self.session.units
        parts = []
        if f.wind_speed_ms is not None:
            came = f" from {f.wind_from_deg:.0f}\u00b0" if f.wind_from_deg is not None else ""
            parts.append(f"wind {wind_words(f.wind_speed_ms, units)}{came}")
        if f.temperature_c is not None:
            later = f.temperature_c + (f.warming_k_per_h or 0.0) * table.hours
            ends = [f"{units.show('temperature', t):.0f}" for t in (f.temperature_c, later)]
            parts.append(
                f"{ends[0]} to {ends[1]} {units.temperature}"
                if ends[0] != ends[1]
                else f"{ends[0]} {units.temperature}"
            )
        light = table.daylight
        if light is not None and light.sunrise is not None and light.sunset is not None:
            parts.append(f"light from {light.sunrise:%H:%M} to {light.sunset:%H:%M}")
        said = f"Forecast: {', '.join(parts)}." if parts else "No forecast yet: enter one on the Go or wait page."
        return said if light is not None else f"{said} Daylight is not known: no track, and no place."

    def _set_place(self, text: str) -> None:
        latitude, longitude = read_place(text) if text.strip() else (None, None)
        self.change("place", place=text.strip(), place_latitude=latitude, place_longitude=longitude)

    def _set_day(self, text: str) -> None:
        try:
            value = date.fromisoformat(text) if text else None
        except ValueError:
            raise ValueError(f'"{text}" is not a day; expected one such as 2026-05-02') from None
        self.change("day", day=value)

    def _set_start(self, text: str) -> None:
        self._late = 0.0
        self.change("start", start=_clock(text or "08:30"))

    def _set_avoid(self, text: str) -> None:
        windows = []
        for part in filter(None, (p.strip() for p in text.split(","))):
            ends = part.replace("\u2013", "-").split("-")
            if len(ends) != 2:
                raise ValueError(f'"{part}" is not a time window; expected one such as 07:15-09:00')
            a, b = (_clock(e.strip()) for e in ends)
            if b <= a:
                raise ValueError(f"{part}: ends before it begins")
            windows.append((a, b))
        self.change("traffic windows", avoid=tuple(windows))

    def _later(self) -> None:
        self._late += LATE_MIN
        if self.session.study is not None:
            self.refresh(self.session.study)

    def _calendar(self) -> None:
        path, _ = ask_save(self, "Calendar file", "test-day.ics", "Calendar (*.ics)")
        if path:
            self.write_calendar(path)

    def write_calendar(self, path: str) -> bool:
        """Write the day as a calendar file."""
        from fairmargin.exchange.reports.calendar import calendar_file

        table, study = self.table(), self.session.study
        if table is None or study is None:
            return False
        try:
            with open(path, "wb") as file:
                file.write(calendar_file(study, table, datetime.now().astimezone()))
        except OSError as error:
            self.session.failed.emit(f"{path}: cannot be written: {error.strerror or error}")
            return False
        return True

    def _sheet(self) -> None:
        path, _ = ask_save(self, "Printable sheet", "test-day.html", "Web page (*.html);;PDF (*.pdf)")
        if path:
            self.write_sheet(path)

    def write_sheet(self, path: str) -> bool:
        """Write timetable, checklists and blank reading boxes as one page to print."""
        from fairmargin.exchange.files.atomic import write_whole
        from fairmargin.exchange.files.faults import InvalidInput
        from fairmargin.exchange.reports.day_sheet import day_sheet, sheet_of, sheet_pdf

        table, study = self.table(), self.session.study
        if table is None or study is None:
            return False
        try:
            if path.lower().endswith(".pdf"):
                data = sheet_pdf(sheet_of(study, table, self.session.units), paper_here())
            else:
                data = day_sheet(study, table, self.session.units).encode()
            write_whole(Path(path), data)
        except InvalidInput as fault:
            self.session.failed.emit(fault.faults[0])
            return False
        return True


def _clock(text: str) -> time:
    try:
        return time.fromisoformat(text if len(text) > 4 else f"0{text}")
    except ValueError:
        raise ValueError(f'"{text}" is not a time; expected one such as 08:30') from None

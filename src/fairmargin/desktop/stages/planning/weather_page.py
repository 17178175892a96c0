"""Go or wait: a forecast or an observation against the tester's limits, and what the wind costs."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date, datetime, time, timedelta
from functools import cache

from PySide6.QtWidgets import QCheckBox, QGridLayout, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from fairmargin.core import planning
from fairmargin.core.inference.scatter import ScatterPrior
from fairmargin.core.planning.best_window import Window, best_of_days, by_the_hour, weather_of_day, windows
from fairmargin.core.planning.go import go_or_wait
from fairmargin.core.planning.timetable import Daylight
from fairmargin.core.study import Study
from fairmargin.core.study.entry import show_number, words_of
from fairmargin.core.units import in_units, read_direction, said, unit_of
from fairmargin.desktop.stages.planning.page import PlanPage, clock_offset
from fairmargin.desktop.state.background import Background
from fairmargin.desktop.state.session import Session
from fairmargin.desktop.widgets.basics import label, panel
from fairmargin.desktop.widgets.dates import day_words
from fairmargin.desktop.widgets.inputs import Words
from fairmargin.desktop.widgets.planning.hours import HoursStrip
from fairmargin.exchange.words.figures import wind_words

FORECAST = (
    ("wind_speed_ms", "Wind at the mast", "wind", ""),
    ("wind_gust_ms", "Gusts", "wind", ""),
    ("wind_from_deg", "From", "", "\u00b0"),
    ("temperature_c", "Temperature", "temperature", ""),
    ("warming_k_per_h", "Warming per hour", "", "K"),
    ("pressure_hpa", "Pressure", "pressure", ""),
)
LIMITS = (
    ("wind_ms", "Wind up to", "wind", ""),
    ("gust_ms", "Gusts up to", "wind", ""),
    ("temperature_spread_k", "Temperature change up to", "", "K"),
    ("coldest_c", "Not colder than", "temperature", ""),
)


def weather_cost(study: Study, scatter: ScatterPrior) -> str:
    """Simulate what the weather costs, in words; takes seconds."""
    forecast, orders = study.plan.forecast, list[str]()

    def margin(**changes: float) -> float:
        other = study.with_(plan=study.plan.with_(forecast=forecast.with_(**changes)))
        pattern = next(iter(planning.patterns_of(study)))
        runs = planning.runs_of_each(study, 2)
        made = next(planning.compare_designs(other, patterns=[pattern], runs=runs, days=60, scatter=scatter))
        orders.append(made.order)
        return made.half_width_percent

    here, still = margin(), margin(wind_speed_ms=1.0)
    steady = margin(warming_k_per_h=0.0) if forecast.warming_k_per_h else here
    return (
        f"{orders[0]} in this weather: \u00b1{here:.1f} %. The wind costs {max(0.0, here - still):.1f} % of margin (against {said(1.0, 'm/s')}), "
        f"the warming day {max(0.0, here - steady):.1f} %; rain would cost 6 to 10 % of consumption where it falls "
        "(common practice) and is not corrected."
    )


class WeatherPage(PlanPage):
    """The answer in one word, why, and each condition."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(session, parent)
        self._background = Background(self)
        frame, box = panel()
        self.answer = label("", "title")
        box.addWidget(self.answer)
        self.reason = label("", wrap=True)
        box.addWidget(self.reason)
        self.each = label("", "muted", wrap=True)
        box.addWidget(self.each)
        row = QHBoxLayout()
        self.cost = QPushButton("What would this weather cost?")
        self.cost.clicked.connect(self._cost)
        row.addWidget(self.cost)
        self.cost_words = label("", wrap=True)
        row.addWidget(self.cost_words, 1)
        box.addLayout(row)
        self.ahead = label("", wrap=True)
        box.addWidget(self.ahead)
        self.strip = HoursStrip()
        box.addWidget(self.strip)
        self.take = QPushButton("Plan the best of them")
        self.take.clicked.connect(self._take_best)
        line = QHBoxLayout()
        line.addWidget(self.take)
        self.forget = QPushButton("Forget the hours")
        self.forget.clicked.connect(lambda: self.change("forget the hours", hours=()))
        line.addWidget(self.forget)
        line.addStretch()
        box.addLayout(line)
        self.body.addWidget(frame)
        row = QHBoxLayout()
        row.setSpacing(12)
        frame, box = panel()
        box.addWidget(label("Forecast, or what is blowing now", "heading"))
        grid = QGridLayout()
        grid.setHorizontalSpacing(14)
        for i, (name, words, quantity, unit) in enumerate(FORECAST):
            commit = (
                self._set_from
                if name == "wind_from_deg"
                else self.number("forecast", name, words.lower(), quantity, unit)
            )
            grid.addWidget(self.field(name, words, commit), i // 2, i % 2)
        box.addLayout(grid)
        self.rain = QCheckBox("Rain expected")
        self.rain.clicked.connect(lambda on: self.change_part("forecast", "rain", rain=bool(on)))
        box.addWidget(self.rain)
        box.addWidget(
            label("Or paste a METAR or TAF, or hours: time, wind, gust, from, temperature, rain", "muted", wrap=True)
        )
        line = QHBoxLayout()
        self.report = Words(lines=2)
        self.report.setAccessibleName("METAR or TAF")
        self.report.setPlaceholderText("METAR ZZZZ 120950Z 24008KT 9999 15/09 Q1016")
        self.report.setTabChangesFocus(True)
        line.addWidget(self.report, 1)
        self.read = QPushButton("Read it")
        self.read.clicked.connect(self._read)
        buttons = QVBoxLayout()
        buttons.addWidget(self.read)
        self.station = QPushButton("Simulated station")
        self.station.setToolTip(
            "Puts in what the station that ships with the application reports: for rehearsing, not for driving"
        )
        self.station.clicked.connect(self._ask_station)
        buttons.addWidget(self.station)
        line.addLayout(buttons)
        box.addLayout(line)
        self.fault = label("", "fault", wrap=True)
        self.fault.hide()
        box.addWidget(self.fault)
        box.addStretch()
        row.addWidget(frame, 3)
        frame, box = panel()
        box.addWidget(label("Your limits", "heading"))
        for name, words, quantity, unit in LIMITS:
            commit = self.number("limits", name, words.lower(), quantity, unit)
            box.addWidget(self.field(f"limit_{name}", words, commit, unit))
        dries = self.number("limits", "dries_h", "drying", unit="h")
        box.addWidget(self.field("limit_dries_h", "Road dry after rain, in", dries, "h"))
        self.wet = QCheckBox("Rain and wet roads are accepted")
        self.wet.clicked.connect(lambda on: self.change_part("limits", "rain limit", rain=bool(on)))
        box.addWidget(self.wet)
        box.addStretch()
        row.addWidget(frame, 2)
        self.body.addLayout(row, 1)

    def refresh(self, study: Study) -> None:
        plan, units, f = study.plan, self.session.units, self.fields
        for fields, part, before in ((FORECAST, plan.forecast, ""), (LIMITS, plan.limits, "limit_")):
            for name, _, quantity, own in fields:
                value = getattr(part, name)
                unit = "\u00b0 true" if name == "wind_from_deg" else own
                if own == "K":
                    unit = units.difference + ("/h" if name == "warming_k_per_h" else "")
                    value = (
                        None if value is None else unit_of("temperature difference", units.difference).from_base(value)
                    )
                elif quantity:
                    unit = getattr(units, quantity)
                    value = None if value is None else units.show(quantity, value)
                f[before + name].show_text(show_number(value, 1), unit)
        f["limit_dries_h"].show_text(show_number(plan.limits.dries_h, 1), "h")
        self.rain.setChecked(plan.forecast.rain)
        self.wet.setChecked(plan.limits.rain)
        hours = planning.plan_day(study, planning.usual_order(study)).hours
        result = go_or_wait(plan.forecast, plan.limits, hours)
        word = {"go": "Go", "wait": "Wait", "no-go": "Do not go"}[result.answer]
        mark = {"go": "\u2713", "wait": "\u2026", "no-go": "\u2715"}[result.answer]
        self.answer.setText(f"{mark}  {word}")
        self.reason.setText(in_units(result.reason, units))
        self.each.setText(in_units(" \u00b7 ".join(c.words for c in result.conditions), units))
        self.cost.setEnabled(bool(planning.patterns_of(study)) and not self._background.busy)
        self.cost_words.setText("")
        self._show_ahead(study)

    def _set_from(self, text: str) -> None:
        """Degrees, or a point of the compass such as SW."""
        self.change_part("forecast", "from", wind_from_deg=read_direction(text) if text else None)

    def _windows(self, study: Study) -> tuple[Window, ...]:
        """Windows of the hours ahead, for as long as the day takes that begins then."""
        order, plan = planning.usual_order(study), study.plan

        @cache
        def length(begins: time) -> float:
            return planning.plan_day(study.with_(plan=plan.with_(start=begins)), order).hours

        return windows(plan.hours, plan.limits, lambda moment: length(moment.time()), self._light(study))

    @staticmethod
    def _light(study: Study) -> Callable[[date], Daylight | None]:
        """Daylight of a day, asked once for each."""
        return cache(lambda day: planning.light_of(study, day, clock_offset(day)))

    def _show_ahead(self, study: Study) -> None:
        """The best window of each day ahead; the best of all first."""
        found = self._windows(study) if study.plan.hours else ()
        shown = bool(study.plan.hours)
        for widget in (self.ahead, self.forget, self.strip):
            widget.setVisible(shown)
        self.take.setVisible(bool(found))
        if not shown:
            return
        plan = study.plan
        every = by_the_hour(plan.hours, plan.limits, self._light(study), plan.avoid)
        self.strip.show_hours(every, tuple((w.start, w.end) for w in best_of_days(found)))
        if not found:
            self.ahead.setText("The hours ahead leave no room for the whole day by daylight.")
            return
        units, lines = self.session.units, []
        for window in best_of_days(found):
            f = window.forecast
            mark = {"go": "\u2713 go", "wait": "\u2026 wait", "no-go": "\u2715 do not go"}[window.answer]
            wind = "wind not known" if f.wind_speed_ms is None else f"wind up to {wind_words(f.wind_speed_ms, units)}"
            rain = ", rain" if f.rain else ""
            star = "Best: " if window is found[0] else ""
            why = f" {in_units(window.reason, units)}" if window.answer != "go" else ""
            lines.append(
                f"{star}{day_words(window.start, weekday=True, year=False, long=True)}, {window.start:%H:%M} to {window.end:%H:%M}: {mark}, {wind}{rain}.{why}"
            )
        self.ahead.setText("\n".join(lines))

    def _take_best(self) -> None:
        """Plan the day for the best window, with its weather."""
        found = self._windows(self.study)
        if found:
            best = found[0]
            self.change("the best window", day=best.start.date(), start=best.start.time(), forecast=best.forecast)

    def _ask_station(self) -> None:
        """Rehearse with the simulated station's report for the hour the day begins."""
        from fairmargin.simulation.station import station_report

        plan = self.study.plan
        moment = datetime.combine(plan.day or date.today(), plan.start)
        self.report.setPlainText(station_report(1847, moment))
        self._read()

    def _read(self) -> None:
        from fairmargin.exchange.meteorology.forecasts import read_hours
        from fairmargin.exchange.meteorology.reports import is_metar, read_report

        text = self.report.toPlainText().strip()
        try:
            if is_metar(text):
                text = " ".join(text.split())  # over as many lines as it was copied
            if "\n" in text or text.upper().startswith("TAF"):
                plan = self.study.plan
                day = datetime.combine(plan.day or date.today(), time())
                hours = read_hours(text, day, clock_offset(day.date()) or timedelta(0))
                self.fault.hide()
                self.change("hours of the forecast", hours=hours)
                length = planning.plan_day(self.study, planning.usual_order(self.study)).hours
                seen = weather_of_day(hours, datetime.combine(day.date(), plan.start), length)
                if seen is None:
                    return  # it does not reach the planned day: the best windows below say what it reaches
            else:
                seen = read_report(text)
        except ValueError as error:
            self.fault.setText(words_of(error))
            self.fault.show()
            return
        self.fault.hide()
        known = {k: v for k, v in seen.model_dump().items() if v is not None}
        self.change_part("forecast", "weather report", **known)

    def _cost(self) -> None:
        study = self.session.study
        if study is None or not study.trials:
            return
        self.cost.setEnabled(False)
        scatter = self.session.scatter
        self._background.run(
            lambda: weather_cost(study, scatter), lambda words, fault: self._costed(study, words, fault)
        )

    def _costed(self, study: Study, words: object, fault: Exception | None) -> None:
        self.cost.setEnabled(True)
        if study is self.session.study:  # else another forecast has overtaken it
            self.cost_words.setText(f"It could not be simulated: {fault}" if fault else str(words))

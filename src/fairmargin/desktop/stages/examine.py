"""Examine: look at each leg, and drop a spoilt one with its reason."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QInputDialog,
    QMenu,
    QPushButton,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from fairmargin.core.companion import compare_readings
from fairmargin.core.evidence.indirect import scale_told
from fairmargin.core.evidence.readings import signed_readings
from fairmargin.core.result.doubted import most_doubted
from fairmargin.core.result.types import LegResult
from fairmargin.core.study import Leg, Stretch, Study
from fairmargin.core.study.cells import vehicle_of
from fairmargin.core.study.entry import show_number, words_of
from fairmargin.desktop.commands.leaving_out import toggle_left_out
from fairmargin.desktop.stages.base import Stage
from fairmargin.desktop.stages.driving.bands import BandsChart
from fairmargin.desktop.stages.examined_legs import ExaminedLegs
from fairmargin.desktop.state.session import Session
from fairmargin.desktop.theme import theme, trial_colour
from fairmargin.desktop.widgets.along import SYMBOLS, TRACES
from fairmargin.desktop.widgets.axis import clock_ticks, dress
from fairmargin.desktop.widgets.basics import label, panel
from fairmargin.desktop.widgets.decimals import as_here
from fairmargin.desktop.widgets.drawn import as_drawn
from fairmargin.desktop.widgets.inputs import Choice
from fairmargin.exchange.words.results import foretold_words, way_lines

if TYPE_CHECKING:
    import pyqtgraph as pg

_PLOTS = {
    "consumption": "Consumption as read",
    "foretold": "What the other legs foretell",
    "energy": "Energy, below 0 where it came back",
    "speed": "Average speed",
    "temperature": "Air temperature",
    "wind": "Reported wind",
    "instruments": "Instruments of the chosen leg",
}


class ExamineStage(Stage):
    """The legs as a list, and their readings along the day."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(session, "Examine", parent)
        self.leave = QPushButton("Leave the leg out\u2026")
        self.leave.clicked.connect(self._leave)
        self.head.addWidget(self.leave)
        frame, box = panel((1, 1, 1, 1))
        self.table = ExaminedLegs(session)
        self.table.itemSelectionChanged.connect(self._chosen)
        box.addWidget(self.table)
        self.page.addWidget(frame, 2)
        frame, box = panel()
        head = QHBoxLayout()
        self.what = Choice()
        self.what.setAccessibleName("What to draw")
        self.what.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.what.setMinimumContentsLength(26)
        for key, words in _PLOTS.items():
            self.what.addItem(words, key)
        self.what.currentIndexChanged.connect(self.touch)
        head.addWidget(self.what)
        self.plot_words = label("", "muted")
        self.plot_words.setMinimumWidth(40)
        head.addWidget(self.plot_words, 1)
        self.tools = QWidget()
        tools = QHBoxLayout(self.tools)
        tools.setContentsMargins(0, 0, 0, 0)
        self.brush = QToolButton()
        self.brush.setText("Brush a stretch")
        self.brush.setToolTip("Drag its edges; then leave it out of every logged leg")
        self.brush.setCheckable(True)
        self.brush.toggled.connect(self._brush_toggled)
        tools.addWidget(self.brush)
        self.leave_stretch = QPushButton("Leave it out of all legs\u2026")
        self.leave_stretch.clicked.connect(lambda _=False: self.leave_stretch_out())
        tools.addWidget(self.leave_stretch)
        self.stretches = QToolButton()
        self.stretches.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.stretches.setMenu(QMenu(self.stretches))
        tools.addWidget(self.stretches)
        tools.addStretch()
        box.addLayout(head)
        box.addWidget(self.tools)
        self.bands = BandsChart()
        box.addWidget(self.bands)
        self._plot_box = QVBoxLayout()
        box.addLayout(self._plot_box, 1)
        self.way_words = label("", "muted", wrap=True)
        self.way_words.hide()
        box.addWidget(self.way_words)
        self.page.addWidget(frame, 3)
        self._shown_study: int | None = None
        self.plot: object = None
        self.traces: object = None

    def _show_options(self) -> None:
        """Offer the traces where there are any, and only there; of a climb, show first what each leg really took."""
        study = self.session.study
        if study is not None and self._shown_study != self.session.study_id:
            self._shown_study = self.session.study_id
            self.what.blockSignals(True)
            self.what.setCurrentIndex(self.what.findData("energy" if study.method == "climb" else "consumption"))
            self.what.blockSignals(False)
        have = self.what.count() > len(_PLOTS)
        if bool(self.session.traces) == have:
            return
        self.what.blockSignals(True)
        if have:
            if self.what.currentIndex() >= len(_PLOTS):
                self.what.setCurrentIndex(0)
            while self.what.count() > len(_PLOTS):
                self.what.removeItem(self.what.count() - 1)
        else:
            for key, words in TRACES.items():
                self.what.addItem(words, key)
        self.what.blockSignals(False)

    def _draw_traces(self, study: Study, what: str) -> None:
        from fairmargin.desktop.widgets.traces import TracesPlot

        if self.traces is None:
            made = TracesPlot()
            as_drawn(made)
            made.read.connect(self.plot_words.setText)
            made.brushed.connect(self._brush_moved)
            self._plot_box.addWidget(made)
            self.traces = made
        assert isinstance(self.traces, TracesPlot)
        self.traces.show()
        count = self.traces.show_traces(study, self.session.traces, what, self.session.units)
        self.plot_words.setText(
            f"{count} legs over the same road, gates in yellow \u00b7 point at it to read, wheel to zoom"
            if count
            else "No leg has this in its log."
        )

    # ------------------------------------------------------------ a stretch left out

    def _brush_toggled(self, on: bool) -> None:
        from fairmargin.desktop.widgets.traces import TracesPlot

        if isinstance(self.traces, TracesPlot):
            self.traces.brush(on)
        self.leave_stretch.setVisible(on)

    def _brush_moved(self, start: float, end: float) -> None:
        units = self.session.units
        a, b = (units.show("distance", x / 1000.0) for x in (start, end))
        self.plot_words.setText(f"{a:.2f} to {b:.2f} {units.distance} of the road, on every logged leg")

    def leave_stretch_out(self, reason: str | None = None) -> None:
        """Leave the brushed stretch out of every logged leg, with a reason."""
        from fairmargin.desktop.widgets.traces import TracesPlot

        study = self.session.study
        found = self.traces.stretch_m() if isinstance(self.traces, TracesPlot) else None
        if study is None or found is None:
            return
        if reason is None:
            reason, accepted = QInputDialog.getText(
                self, "Leave this stretch out", "Why? It goes out of every logged leg, and stands in the report."
            )
            if not accepted:
                return
        if not reason.strip():
            self.session.failed.emit("A stretch is left out only with a reason.")
            return
        seen = bool(self.session.analysis and self.session.analysis.comparisons)
        try:
            stretch = Stretch(
                from_m=round(found[0], 1), to_m=round(found[1], 1), reason=reason.strip(), after_result=seen
            )
        except ValueError as error:
            self.session.failed.emit(words_of(error))
            return
        after = study.with_(left_out_stretches=(*study.left_out_stretches, stretch))
        if self.session.edit(after, "leave a stretch out"):
            self.brush.setChecked(False)

    def _show_stretches(self, study: Study, along: bool) -> None:
        units = self.session.units
        count = len(study.left_out_stretches)
        self.tools.setVisible(along)
        self.brush.setVisible(not self.session.read_only)
        self.leave_stretch.setVisible(self.brush.isChecked())
        self.stretches.setVisible(count > 0)
        self.stretches.setText(f"{count} left out")
        menu = self.stretches.menu()
        menu.clear()
        for i, x in enumerate(study.left_out_stretches):
            a, b = (units.show("distance", m / 1000.0) for m in (x.from_m, x.to_m))
            action = menu.addAction(as_here(f"Take {a:.2f} to {b:.2f} {units.distance} back in ({x.reason})"))
            action.triggered.connect(lambda _=False, k=i: self.take_stretch_back(k))

    def take_stretch_back(self, index: int) -> None:
        """Count a stretch again."""
        study = self.session.study
        if study is not None:
            kept = tuple(x for i, x in enumerate(study.left_out_stretches) if i != index)
            self.session.edit(study.with_(left_out_stretches=kept), "take a stretch back in")

    def _draw_bands(self, study: Study) -> None:
        name = self.table.chosen or next((leg.leg for leg in study.legs if self.session.has_reading(leg)), "")
        if not name:
            self.bands.show_bands((), self.session.units)
            self.plot_words.setText("No leg has a reading yet.")
            return
        self.bands.show_bands(
            compare_readings(study, study.leg(name), self.session.traces.get(name)), self.session.units
        )
        self.plot_words.setText(f"{name}: {self.bands.words() or 'nothing was read'}")

    def _make_plot(self) -> object:
        import pyqtgraph as pg  # only this stage draws with it

        if self.plot is None:
            plot = pg.PlotWidget()
            plot.setMenuEnabled(False)
            plot.hideButtons()
            plot.setMouseEnabled(x=False, y=False)
            plot.setMinimumHeight(150)
            as_drawn(plot)
            self._plot_box.addWidget(plot)
            self.plot = plot
        return self.plot

    def refresh(self, study: Study) -> None:
        names = [leg.leg for leg in study.legs]
        # A page that opens begins with what is most in doubt.
        chosen = self.table.chosen if self.table.chosen in names else most_doubted(self.session.analysis, study)
        self.table.show_legs(study, chosen)
        driven = sum(self.session.has_reading(leg) for leg in study.legs)
        out = sum(not leg.included for leg in study.legs)
        self.subtitle.setText(f"{driven} legs with a reading \u00b7 {out} left out")
        self._chosen()
        self._show_options()
        self._show_plot(study)

    def _show_plot(self, study: Study) -> None:
        what = str(self.what.currentData())
        along = what in TRACES
        side_by_side = what == "instruments"
        for widget, wanted in (
            (self.plot, not along and not side_by_side),
            (self.traces, along),
            (self.bands, side_by_side),
        ):
            if isinstance(widget, QWidget):
                widget.setVisible(wanted)
        self._show_stretches(study, along)
        if along:
            self._draw_traces(study, what)
        elif side_by_side:
            self._draw_bands(study)
        else:
            self._draw(study)

    @staticmethod
    def _label_axes(plot: pg.PlotWidget, beside: str, by_time: bool) -> None:
        """Name both axes; below stand legs, or the time of day as a clock has it."""
        dress(plot)
        if by_time:
            plot.getAxis("bottom").tickStrings = clock_ticks
        plot.setLabel("bottom", "time of day" if by_time else "leg", color=theme.colours.muted)
        plot.setLabel("left", beside, color=theme.colours.muted)
        plot.showGrid(x=False, y=True, alpha=0.15)
        plot.autoRange(padding=0.08)

    def _draw(self, study: Study) -> None:
        import pyqtgraph as pg

        from fairmargin.core.units import label as unit_label
        from fairmargin.core.units import more_is_better

        units = self.session.units
        what = str(self.what.currentData())
        results = {leg.leg: leg for leg in self.session.analysis.legs} if self.session.analysis else {}
        plot = self._make_plot()
        assert isinstance(plot, pg.PlotWidget)
        plot.clear()
        plot.setBackground(theme.colour("panel"))
        legs = [leg for leg in study.legs if leg.has_reading or leg.leg in results]
        timed = bool(legs) and all(leg.clock for leg in legs)
        days = len({leg.started_at.date() for leg in legs if leg.started_at}) if timed else 1
        by_time = timed and days == 1
        shown = unit_label(units.consumption)
        unit = {"consumption": shown, "foretold": shown, "energy": "kWh", "speed": units.speed, "temperature": units.temperature,
                "wind": units.wind}[what]  # fmt: skip
        ticks: list[tuple[float, str]] = []
        at = {
            leg.leg: leg.clock.hour + leg.clock.minute / 60 if by_time and leg.clock else float(i)
            for i, leg in enumerate(legs)
        }
        if what == "foretold":
            self._draw_foretold(plot, at, results)
        values = [(leg, self._value(what, leg, results)) for leg in legs]
        self._draw_points(plot, study, [(at[leg.leg], y, leg) for leg, y in values if y is not None])
        if not by_time:
            ticks = [(float(i), leg.leg) for i, leg in enumerate(legs)]
        plot.getAxis("bottom").setTicks([ticks] if ticks else None)
        self._label_axes(plot, unit, by_time)
        self._tell(plot, unit, values)
        self._show_ways(study)
        if what == "foretold":
            self.plot_words.setText(foretold_words(self.session.analysis, study.confidence))
            return
        better = " (more is better)" if what == "consumption" and more_is_better(units.consumption) else ""
        self.plot_words.setText(f"{unit}{better} \u00b7 circle: {study.baseline.label} \u00b7 open: left out")

    @staticmethod
    def _draw_points(plot: pg.PlotWidget, study: Study, points: Sequence[tuple[float, float, Leg]]) -> None:
        """A mark for every leg: shape and colour of its configuration, filled where it counts."""
        import pyqtgraph as pg

        trials = {t.id: i for i, t in enumerate(study.trials)}
        drawn = []
        for x, y, leg in points:
            i = trials.get(leg.configuration)
            colour = theme.colour("baseline" if i is None else trial_colour(i))
            drawn.append(
                {
                    "pos": (x, y),
                    "symbol": "o" if i is None else SYMBOLS[i % len(SYMBOLS)],
                    "pen": pg.mkPen(colour, width=1.8),
                    "brush": pg.mkBrush(colour) if leg.included else pg.mkBrush(None),
                }
            )
        plot.addItem(pg.ScatterPlotItem(drawn, size=13))

    def _tell(self, plot: pg.PlotWidget, unit: str, values: Sequence[tuple[Leg, float | None]]) -> None:
        """What the chart shows, for whoever hears it."""
        heard = "; ".join(
            f"{leg.leg} {show_number(y, 2)}{'' if leg.included else ', left out'}" for leg, y in values if y is not None
        )
        plot.setAccessibleName(as_here(f"{self.what.currentText()}, {unit}: {heard or 'nothing to draw'}"))

    def _draw_foretold(self, plot: pg.PlotWidget, at: Mapping[str, float], results: Mapping[str, LegResult]) -> None:
        """A band for every leg that the others foretell, with its middle."""
        import pyqtgraph as pg

        bands = [(at[name], r.foretold) for name, r in results.items() if name in at and r.foretold is not None]
        if not bands:
            return
        show = self.session.units.show_consumption
        xs = np.array([x for x, _ in bands])
        ends = np.array([sorted((show(f.low), show(f.high))) for _, f in bands])
        width = 0.35 * float(np.min(np.diff(np.unique(xs)))) if len(set(xs.tolist())) > 1 else 0.35
        colour = theme.colour("rule")
        plot.addItem(
            pg.BarGraphItem(
                x=xs, y0=ends[:, 0], y1=ends[:, 1], width=width, brush=pg.mkBrush(colour), pen=pg.mkPen(None)
            )
        )
        ends_x = np.column_stack([xs - width / 2, xs + width / 2]).ravel()
        middles = np.repeat([show(f.middle) for _, f in bands], 2)
        plot.plot(ends_x, middles, connect="pairs", pen=pg.mkPen(theme.colour("muted"), width=1.5))

    def _show_ways(self, study: Study) -> None:
        """What the gauge said on the way, under the chart."""
        ways = way_lines(study, self.session.units)
        self.way_words.setText("\n".join(ways))
        self.way_words.setVisible(bool(ways))

    def _value(self, what: str, leg: Leg, results: Mapping[str, LegResult]) -> float | None:
        units = self.session.units
        result = results.get(leg.leg)
        if what in {"consumption", "foretold"}:
            return units.show_consumption(result.measured_wh_per_km) if result else None
        if what == "energy":
            study = self.session.study
            found = signed_readings(study, [leg], self.session.traces).get(leg.leg) if study else None
            if study is None or found is None:
                return None
            known = scale_told(vehicle_of(study, leg.vehicle), found.instrument)
            return found.energy_wh / 1000.0 if known else None
        if what == "speed":
            km, seconds = leg.gps_distance_km or leg.distance_km, leg.duration_s
            if km is None or seconds is None:
                return None
            return units.show("speed", km / ((seconds - (leg.stopped_s or 0.0)) / 3600.0))
        if what == "temperature":
            value = leg.temperature_c
            return None if value is None else units.show("temperature", value)
        value = leg.wind_speed_ms
        return None if value is None else units.show("wind", value)

    def _chosen(self) -> None:
        study = self.session.study
        name = self.table.chosen
        known = study is not None and any(leg.leg == name for leg in study.legs)
        self.leave.setEnabled(known and not self.session.read_only)
        if study is not None and self.what.currentData() == "instruments":
            self._draw_bands(study)
        if known and study is not None:
            self.leave.setText(f"Leave {name} out\u2026" if study.leg(name).included else f"Take {name} back in")

    def _leave(self) -> None:
        if self.table.chosen:
            toggle_left_out(self.session, self, self.table.chosen)

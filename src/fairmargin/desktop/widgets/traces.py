"""Traces of logged legs against the road: overlaid at the same place, between the gates."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import pyqtgraph as pg
from numpy.typing import NDArray
from PySide6.QtCore import Qt, Signal

from fairmargin.core.evidence.conditions import Conditions, leg_conditions
from fairmargin.core.evidence.logs import GatedLog, Logs, gate_logs
from fairmargin.core.study import Study, Trace
from fairmargin.core.units import UnitChoice
from fairmargin.desktop.theme import theme, trial_colour
from fairmargin.desktop.widgets.along import SYMBOLS, TRACES
from fairmargin.desktop.widgets.axis import dress
from fairmargin.desktop.widgets.decimals import as_here
from fairmargin.exchange.words.figures import distance_words

Array = NDArray[np.float64]

POWER_SMOOTH_S = 15
SHAPES_AT = (0.12, 0.4, 0.68)  # of a curve's length, each leg a little further on


@dataclass(frozen=True, eq=False, slots=True)
class Line:
    """One leg as drawn: place along the road in the out direction [km of the person's unit], and the value."""

    leg: str
    place: Array
    value: Array
    trial: int | None
    included: bool


def lines_of(study: Study, traces: Mapping[str, Trace], what: str, units: UnitChoice) -> tuple[list[Line], Logs, float]:
    """Curves of every logged leg, the logs between their gates, and the length of the road. [m]"""
    legs = [leg for leg in study.legs if leg.leg in traces]
    logs = gate_logs(study, legs, traces, dict.fromkeys(traces, 0.0))
    road_m = max(
        (logs.shape.total_m if logs.shape else 0.0),
        max((float(g.place_m[-1]) for g in logs.gated.values()), default=0.0),
    )
    trials = [t.id for t in study.trials]
    per_km = units.show("distance", 1.0)
    conditions = leg_conditions(study, traces) if what == "along:wind" else {}
    made = []
    for leg in legs:
        log = logs.of(leg.leg)
        if log is None:
            continue
        if what == "along:wind":
            value = _along_wind(study, conditions[leg.leg], logs, log, road_m, units)
        else:
            value = _values(log, traces[leg.leg], what, units)
        if value is None:
            continue
        place = road_m - log.place_m if leg.direction == "back" else log.place_m
        trial = trials.index(leg.configuration) if leg.configuration in trials else None
        made.append(Line(leg.leg, place / 1000.0 * per_km, value, trial, leg.included))
    return made, logs, road_m


def _along_wind(
    study: Study, c: Conditions, logs: Logs, log: GatedLog, road_m: float, units: UnitChoice
) -> Array | None:
    """Reported wind of a leg resolved on the road's heading at each place; head wind positive."""
    shape = logs.shape
    if shape is None or not c.wind_known or not np.isfinite(shape.heading_rad).all():
        return None
    out = road_m - log.place_m if c.backwards else log.place_m
    index = np.clip(np.searchsorted(np.cumsum(shape.length_m), out), 0, len(shape.length_m) - 1)
    heading = shape.heading_rad[index] + (np.pi if c.backwards else 0.0)
    head = c.from_north * np.cos(heading) + c.from_east * np.sin(heading)
    return np.asarray(units.show("wind", 1.0) * head)


@dataclass(frozen=True, slots=True)
class EventMark:
    """An event where it happened, on its leg's curve."""

    leg: str
    kind: str
    place: float
    value: float


def marks_of(study: Study, logs: Logs, lines: Sequence[Line], units: UnitChoice) -> list[EventMark]:
    """Events of the drawn legs that say where or when they happened."""
    by_leg = {line.leg: line for line in lines}
    found = []
    for event in study.events:
        line, log = by_leg.get(event.leg), logs.of(event.leg)
        if line is None or log is None:
            continue
        if event.at_km is not None:
            place = float(log.place_m[0]) + 1000.0 * event.at_km
        elif event.at_s is not None:
            place = float(np.interp(event.at_s, log.thinned.time_s, log.place_m))
        else:
            continue
        at = float(np.interp(place, log.place_m, line.place))
        turned = line.place[0] > line.place[-1]
        xs, ys = (line.place[::-1], line.value[::-1]) if turned else (line.place, line.value)
        found.append(EventMark(event.leg, event.kind, at, float(np.interp(at, xs, ys))))
    return found


def _values(log: GatedLog, trace: Trace, what: str, units: UnitChoice) -> Array | None:
    thinned = log.thinned
    if what == "along:speed":
        return np.asarray(units.show("speed", 1.0) * thinned.speed_m_s * 3.6)
    if what == "along:power":
        if thinned.energy_wh is None:
            return None
        power = np.gradient(thinned.energy_wh, thinned.time_s) * 3.6  # kW
        width = min(POWER_SMOOTH_S, len(power))
        return np.convolve(power, np.full(width, 1.0 / width), mode="same")
    column = {
        "along:height": trace.elevation_m,
        "along:soc": trace.soc_percent,
        "along:temperature": trace.temperature_c,
    }[what]
    if column is None or not np.isfinite(column).any():
        return None
    good = np.isfinite(column)
    value = np.interp(thinned.time_s, trace.time_s[good], column[good])
    if what == "along:temperature":
        low, high = units.show("temperature", 0.0), units.show("temperature", 1.0)
        return np.asarray(low + value * (high - low))
    return np.asarray(value)


def unit_of(what: str, units: UnitChoice) -> str:
    """Unit of what is drawn."""
    return {
        "along:speed": units.speed,
        "along:power": "kW",
        "along:height": "m",
        "along:soc": "%",
        "along:wind": units.wind,
    }.get(what, units.temperature)


class TracesPlot(pg.PlotWidget):  # type: ignore[misc]
    """Curves of all legs, gates as lines, a crosshair that reads them; the wheel zooms, dragging pans."""

    read = Signal(str)
    brushed = Signal(float, float)  # a stretch in metres of the road, out direction

    def __init__(self) -> None:
        super().__init__()
        self.marks: list[EventMark] = []
        self._brush: pg.LinearRegionItem | None = None
        self._per_km = 1.0
        self.setMenuEnabled(False)
        self.hideButtons()
        self.setMinimumHeight(150)
        self.lines: list[Line] = []
        self._unit = self._distance = ""
        self._cross = pg.InfiniteLine(angle=90, movable=False)
        self._proxy = pg.SignalProxy(self.scene().sigMouseMoved, rateLimit=30, slot=self._moved)

    def show_traces(self, study: Study, traces: Mapping[str, Trace], what: str, units: UnitChoice) -> int:
        """Redraw; returns the number of legs drawn."""
        self.clear()
        self.setBackground(theme.colour("panel"))
        self.lines, logs, road_m = lines_of(study, traces, what, units)
        self._unit, self._distance = unit_of(what, units), units.distance
        for line in self.lines:
            name = "baseline" if line.trial is None else trial_colour(line.trial)
            style = Qt.PenStyle.SolidLine if line.included else Qt.PenStyle.DotLine
            pen = pg.mkPen(theme.colour(name, 0.75 if line.included else 0.4), width=1, style=style)
            curve = self.plot(line.place, line.value, pen=pen)
            curve.setDownsampling(auto=True, method="peak")
            curve.setClipToView(True)
        self._add_shapes()
        out = next((log for name, log in logs.gated.items() if study.leg(name).direction != "back"), None)
        if out is not None:
            for metres in (out.start_m, out.end_m):
                gate = pg.InfiniteLine(units.show("distance", metres / 1000.0), angle=90, movable=False)
                gate.setPen(pg.mkPen(theme.colour("here"), width=2))
                self.addItem(gate)
        for stretch in study.left_out_stretches:
            ends = [units.show("distance", m / 1000.0) for m in (stretch.from_m, stretch.to_m)]
            gone = pg.LinearRegionItem(ends, movable=False, brush=pg.mkBrush(theme.colour("blocks", 0.16)))
            for edge in gone.lines:
                edge.setPen(pg.mkPen(theme.colour("blocks", 0.6), width=1))
            self.addItem(gone)
        self.marks = marks_of(study, logs, self.lines, units)
        if self.marks:
            spots = pg.ScatterPlotItem(
                x=[m.place for m in self.marks],
                y=[m.value for m in self.marks],
                symbol="star",
                size=15,
                pen=pg.mkPen(theme.colour("panel"), width=1),
                brush=pg.mkBrush(theme.colour("caution")),
            )
            self.addItem(spots)
        if self._brush is not None:
            self.addItem(self._brush)
        self._per_km = units.show("distance", 1.0)
        self._cross.setPen(pg.mkPen(theme.colour("muted"), width=1, style=Qt.PenStyle.DashLine))
        self._cross.hide()
        self.addItem(self._cross)
        dress(self)
        self.setLabel("bottom", f"along the road, {units.distance}", color=theme.colours.muted)
        self.setLabel("left", self._unit, color=theme.colours.muted)
        self.showGrid(x=False, y=True, alpha=0.15)
        self.autoRange(padding=0.03)
        self.setAccessibleName(
            as_here(f"{TRACES[what]}: {len(self.lines)} legs over {distance_words(road_m / 1000, units)}")
        )
        return len(self.lines)

    def _add_shapes(self) -> None:
        """Lay each configuration's shape on its curves here and there: colour alone is not enough."""
        groups: dict[int | None, list[tuple[float, float]]] = {}
        for k, line in enumerate(self.lines):
            low, high = sorted((float(line.place[0]), float(line.place[-1])))
            turned = line.place[0] > line.place[-1]
            xs, ys = (line.place[::-1], line.value[::-1]) if turned else (line.place, line.value)
            for share in SHAPES_AT:
                at = low + (high - low) * (share + 0.012 * k)
                groups.setdefault(line.trial, []).append((at, float(np.interp(at, xs, ys))))
        for trial, points in groups.items():
            name = "baseline" if trial is None else trial_colour(trial)
            self.addItem(
                pg.ScatterPlotItem(
                    x=[p[0] for p in points],
                    y=[p[1] for p in points],
                    symbol="o" if trial is None else SYMBOLS[trial % len(SYMBOLS)],
                    size=8 if trial is None else 11,
                    pen=pg.mkPen(theme.colour("panel"), width=1),
                    brush=pg.mkBrush(theme.colour(name)),
                )
            )

    def brush(self, on: bool) -> None:
        """Show or hide the brush: a stretch whose edges are dragged."""
        if self._brush is not None:
            self.removeItem(self._brush)
            self._brush = None
        if not on:
            return
        (low, high), _ = self.viewRange()
        third = (high - low) / 3.0
        brush = theme.colour("here", 0.3)
        self._brush = pg.LinearRegionItem((low + third, high - third), brush=pg.mkBrush(brush), swapMode="sort")
        self._brush.sigRegionChanged.connect(self._tell_brush)
        self.addItem(self._brush)
        self._tell_brush()

    def stretch_m(self) -> tuple[float, float] | None:
        """Stretch under the brush; None without one. [m]"""
        if self._brush is None:
            return None
        low, high = self._brush.getRegion()
        return max(0.0, 1000.0 * low / self._per_km), max(0.0, 1000.0 * high / self._per_km)

    def _tell_brush(self, *_: object) -> None:
        found = self.stretch_m()
        if found is not None:
            self.brushed.emit(*found)

    def reading_at(self, place: float) -> str:
        """What the curves say at a place: means of baseline and trials, in words."""
        parts: dict[int | None, list[float]] = {}
        for line in self.lines:
            if not line.included:
                continue
            low, high = sorted((float(line.place[0]), float(line.place[-1])))
            if low <= place <= high:
                turned = line.place[0] > line.place[-1]
                xs, ys = (line.place[::-1], line.value[::-1]) if turned else (line.place, line.value)
                parts.setdefault(line.trial, []).append(float(np.interp(place, xs, ys)))
        words: Callable[[int | None], str] = lambda t: "baseline" if t is None else f"trial {t + 1}"  # noqa: E731
        said = ", ".join(
            f"{words(t)} {np.mean(v):.1f} {self._unit} ({len(v)} leg{'s' if len(v) != 1 else ''})"
            for t, v in sorted(parts.items(), key=lambda kv: -1 if kv[0] is None else kv[0])
        )
        low, high = self.viewRange()[0]
        near = [m for m in self.marks if abs(m.place - place) < 0.012 * (high - low)]
        events = "".join(f" \u00b7 {m.leg} {m.kind.replace('-', ' ')}" for m in near)
        return f"{place:.2f} {self._distance}: {said}{events}" if said else ""

    def _moved(self, event: tuple[object]) -> None:
        position = event[0]
        if not self.sceneBoundingRect().contains(position):
            self._cross.hide()
            return
        x = float(self.plotItem.vb.mapSceneToView(position).x())
        self._cross.setPos(x)
        self._cross.show()
        self.read.emit(self.reading_at(x))

"""Route: from a track, a table or typed stretches; drawn with the forecast wind."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QWidget

from fairmargin.core.evidence.logs import gate_logs
from fairmargin.core.laws import wind
from fairmargin.core.laws.disturbance import kept_by_hills_wh
from fairmargin.core.laws.route import line_of
from fairmargin.core.study import RoutePoint, Study
from fairmargin.core.study.entry import show_number, words_of
from fairmargin.core.study.layout import ways
from fairmargin.core.study.place import MADE_UP, place_of
from fairmargin.core.study.vocabulary import Method
from fairmargin.core.units import in_units, read_quantity
from fairmargin.core.words import same_name
from fairmargin.desktop.stages.planning.page import PlanPage
from fairmargin.desktop.state.session import Session
from fairmargin.desktop.widgets.basics import label, panel
from fairmargin.desktop.widgets.files import ask_open
from fairmargin.desktop.widgets.inputs import Words
from fairmargin.desktop.widgets.planning.route import RouteDrawing
from fairmargin.exchange.files.faults import InvalidInput
from fairmargin.exchange.words.across import road_lines
from fairmargin.exchange.words.figures import distance_words, height_words, wind_words


class RoutePage(PlanPage):
    """The road: its shape, what of its hills does not cancel, how it lies in the wind."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(session, parent)
        frame, box = panel()
        head = QHBoxLayout()
        head.addWidget(label("The road", "heading"), 1)
        self.track = QPushButton("Track or table\u2026")
        self.track.setToolTip("A GPX track, or a route.csv: distance_m, latitude, longitude, elevation_m")
        self.track.clicked.connect(self._choose)
        head.addWidget(self.track)
        self.gone = QPushButton("No route")
        self.gone.clicked.connect(lambda: self._take((), (), "no route"))
        head.addWidget(self.gone)
        box.addLayout(head)
        self.drawing = RouteDrawing()
        box.addWidget(self.drawing, 1)
        self.words = label("", wrap=True)
        box.addWidget(self.words)
        self.known = label("", "muted", wrap=True)
        self.known.setAccessibleName("What the logbook knows of this road")
        box.addWidget(self.known)
        self._asked: tuple[object, ...] | None = None
        line = QHBoxLayout()
        line.setSpacing(14)
        tip = "Logged legs are cut to these lines; reset and read-off belong there too"
        line.addWidget(self.field("gate_start", "Start line at", self._gate("gate_start_m"), tip=tip), 1)
        line.addWidget(self.field("gate_end", "End line at", self._gate("gate_end_m"), tip=tip), 1)
        tip = "Where the way out ends and the way back begins: a place one can turn at, and be sure of again"
        line.addWidget(self.field("turning_point", "Turning point", self._turning, tip=tip), 2)
        self.field("turn_at", "which is", self.number("plan", "turn_at_km", "turning point", "distance"))
        line.addWidget(self.fields["turn_at"], 1)
        box.addLayout(line)
        self.body.addWidget(frame, 1)
        frame, box = panel()
        box.addWidget(label("Or type its stretches, one a line: length, heading, rise, name", "heading"))
        row = QHBoxLayout()
        self.typed = Words(lines=2)
        self.typed.setAccessibleName("Stretches")
        self.typed.setPlaceholderText("6.2 km NE +12 m dyke\n12.2 km ENE \u22124 m")
        self.typed.setTabChangesFocus(True)
        row.addWidget(self.typed, 1)
        self.draw = QPushButton("Draw these")
        self.draw.clicked.connect(self._draw_typed)
        row.addWidget(self.draw)
        box.addLayout(row)
        self.fault = label("", "fault", wrap=True)
        self.fault.hide()
        box.addWidget(self.fault)
        self.body.addWidget(frame)

    def _show_known(self, study: Study) -> None:
        """What earlier studies on this road noted; asked once for a study and its road."""
        key = (self.session.study_id, same_name(study.route_name))
        if key == self._asked:
            return
        self._asked = key
        memory, lines = self.session.memory, []
        if study.route_name and memory.studies_on(study.route_name) > 1:
            lines = road_lines(memory.road(study.route_name), memory.knowledge(study.vehicle))
        words = in_units(". ".join(lines), self.session.units)
        self.known.setText(f"What the logbook knows of {study.route_name}: {words}." if lines else "")
        self.known.setVisible(bool(lines))

    def refresh(self, study: Study) -> None:
        self._show_known(study)
        read_only = self.session.read_only
        units = self.session.units
        for key, metres in (("gate_start", study.plan.gate_start_m), ("gate_end", study.plan.gate_end_m)):
            shown = "" if metres is None else show_number(units.show("distance", metres / 1000.0), 2)
            self.fields[key].show_text(shown, units.distance)
        there = "back" in ways(study.method)
        self.fields["turning_point"].setVisible(there)
        self.fields["turning_point"].show_text(study.plan.turning_point)
        self.fields["turning_point"].edit.setPlaceholderText("a roundabout, a car park")
        self.fields["turn_at"].setVisible(there and not study.route)
        far = study.plan.turn_at_km
        self.fields["turn_at"].show_text(
            "" if far is None else show_number(units.show("distance", far), 2), units.distance
        )
        for button in (self.track, self.draw):
            button.setEnabled(not read_only)
        self.gone.setEnabled(not read_only and bool(study.route))
        placed = [p for p in study.route if p.latitude is not None and p.longitude is not None]
        f = study.plan.forecast
        blowing = (
            (f.wind_speed_ms, f.wind_from_deg) if f.wind_speed_ms is not None and f.wind_from_deg is not None else None
        )
        empty = np.zeros(0)
        if len(placed) < 2:
            self.drawing.show_route(empty, empty, empty, None, blowing, [], self.session.units)
            self.words.setText(
                "Without a route the wind cannot be laid along the road, and the margin is wider for it."
            )
            return
        s = np.array([p.distance_m for p in placed]) - placed[0].distance_m
        line = line_of(
            s,
            np.array([p.latitude for p in placed], dtype=float),
            np.array([p.longitude for p in placed], dtype=float),
            100.0,
        )
        heights = None
        known = [(p.distance_m - placed[0].distance_m, p.elevation_m) for p in placed if p.elevation_m is not None]
        if len(known) >= 2:
            heights = np.interp(line.distance_m, [k[0] for k in known], [k[1] for k in known])
        sectors = _sectors(study.route)
        self.drawing.show_route(
            line.east_m,
            line.north_m,
            line.distance_m,
            heights,
            blowing,
            sectors,
            units,
            (study.plan.gate_start_m, study.plan.gate_end_m),
        )
        self.words.setText(self._say(study, blowing, heights))

    def _gate(self, name: str) -> Callable[[str], None]:
        def commit(text: str) -> None:
            metres = None if not text else 1000.0 * read_quantity(text, "distance", self.session.units.distance)
            plan = self.study.plan.with_(**{name: metres})
            whole = self.study.route[-1].distance_m - self.study.route[0].distance_m if self.study.route else 0.0
            low, high = plan.gate_start_m or 0.0, plan.gate_end_m or whole
            if whole and (high > whole + 1 or high - low < 0.2 * whole):
                raise ValueError(
                    f"the lines must lie on the route ({distance_words(whole / 1000, self.session.units)}) "
                    "and leave a fifth of it between them"
                )
            self.change("start and end line", **{name: metres})

        return commit

    def _turning(self, text: str) -> None:
        self.change("turning point", turning_point=text.strip())

    def _say(self, study: Study, blowing: tuple[float, float] | None, heights: np.ndarray | None) -> str:
        units = self.session.units
        shape = gate_logs(study, (), {}, {}).shape
        if shape is None:
            return ""
        way = "round" if ways(study.method) == ("loop",) else "one way"
        lines = [f"{units.show('distance', shape.total_m / 1000):.1f} {units.distance} {way}."]
        if heights is not None:
            climb = float(np.sum(np.maximum(np.sin(shape.slope_rad), 0) * shape.length_m))
            net = float(heights[-1] - heights[0])
            constants = study.vehicle.constants()
            lost = kept_by_hills_wh(constants.mass_kg, climb, constants.drive_efficiency, constants.regen_efficiency)
            lines.append(
                f"{height_words(climb, units)} of climbing, {height_words(abs(net), units)} {'higher' if net > 0 else 'lower'} "
                f"at the end"
                f"{_what_height_does(study.method)}; at most {lost:.0f} Wh of the climbing does not come back."
            )
        if blowing is not None and np.isfinite(shape.heading_rad).all():
            north, east = wind.from_vector(*blowing)
            head, cross = wind.along_and_across(north, east, shape.heading_rad)
            share = shape.length_m / shape.total_m
            along, across = float(np.sum(head * share)), float(np.sum(np.abs(cross) * share))
            kind, other = ("head", "tail") if along > 0 else ("tail", "head")
            there = "back" in ways(study.method)
            lines.append(
                f"{'Out' if there else 'Over the way'}: {wind_words(abs(along), units)} of {kind} wind at the mast, "
                f"{wind_words(across, units)} across"
                + (f"; back as much {other} wind, and what is across does not cancel." if there else ".")
            )
        return " ".join(lines)

    def _choose(self) -> None:
        path = ask_open(self, "Route", "Tracks and tables (*.gpx *.csv);;All files (*)")
        if path:
            self.bring(path)

    def bring(self, path: str) -> bool:
        """Take a route from a GPX track or a route.csv."""
        from fairmargin.exchange.packages.reading import read_route
        from fairmargin.exchange.route import read_gpx

        try:
            points, notices = read_gpx(path) if path.lower().endswith(".gpx") else read_route(path)
        except InvalidInput as fault:
            self.session.failed.emit(f"The route was not taken. {fault.faults[0]}")
            return False
        return self._take(points, notices, "route")

    def _take(self, points: tuple[RoutePoint, ...], notices: tuple[str, ...], text: str) -> bool:
        study = self.session.study
        if study is None:
            return False
        if notices:
            self.session.failed.emit(f"Route taken; {'; '.join(notices)}.")
        return self.session.edit(study.with_(route=points), text)

    def _draw_typed(self) -> None:
        from fairmargin.exchange.route import typed_route

        try:
            units = self.session.units
            points = typed_route(
                self.typed.toPlainText(), place_of(self.study) or MADE_UP, units.distance, units.length
            )
        except ValueError as error:
            self.fault.setText(words_of(error))
            self.fault.show()
            return
        self.fault.hide()
        self._take(points, (), "typed route")


def _sectors(route: tuple[RoutePoint, ...]) -> list[tuple[float, float, str]]:
    """Begin, end and name of each named sector. [m]"""
    made: list[tuple[float, float, str]] = []
    for a, b in zip(route, route[1:], strict=False):
        if not b.sector:
            continue
        if made and made[-1][2] == b.sector and made[-1][1] == a.distance_m:
            made[-1] = (made[-1][0], b.distance_m, b.sector)
        else:
            made.append((a.distance_m, b.distance_m, b.sector))
    return made


def _what_height_does(method: Method) -> str:
    """What a difference in height between the ends of the way does to a study."""
    if ways(method) == ("loop",):
        return ""  # a round ends where it began
    return " (cancels there and back)" if "back" in ways(method) else ": alike for every run, as all go the same way"

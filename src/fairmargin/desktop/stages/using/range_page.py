"""Range: of what was driven, and in circumstances that are set; over speed, with what a slower one costs in time."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import Final

import numpy as np
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QWidget

from fairmargin.core.conditions.typed import read_climate
from fairmargin.core.inference.prediction import Band, Circumstances
from fairmargin.core.outcome import driving_range
from fairmargin.core.outcome.asking import NOT_ASKED, Asking, Predicted, cabin_k, not_driven, predict, reach_band
from fairmargin.core.outcome.average_wind import MOST_WIND_MS
from fairmargin.core.result.results import WHOLE, Result
from fairmargin.core.result.sides import apart, further_percent, side_vehicle, side_vehicles
from fairmargin.core.result.types import Comparison
from fairmargin.core.study import Study
from fairmargin.core.study.cells import compares
from fairmargin.core.study.entry import show_number, words_of
from fairmargin.core.units import in_units, read_in, read_number, read_quantity
from fairmargin.core.units.typed import read_wh_per_km
from fairmargin.core.words import sentence
from fairmargin.desktop.stages.base import Field
from fairmargin.desktop.stages.using.driven_panel import DrivenPanel
from fairmargin.desktop.stages.using.page import USUAL_RESERVE, UsePage
from fairmargin.desktop.stages.using.wind_panel import WindPanel
from fairmargin.desktop.state.session import Session
from fairmargin.desktop.widgets.basics import label, named_choice, panel, percent
from fairmargin.desktop.widgets.charts import RangeBars
from fairmargin.desktop.widgets.fairness import alone_result
from fairmargin.desktop.widgets.using.rangecurve import RangeCurve, RangeLine
from fairmargin.exchange.words.answers import result_words
from fairmargin.exchange.words.figures import consumption_words, distance_words, span_words, speed_words
from fairmargin.exchange.words.names import quoted, result_name, side_words, speed_told, stated_speed
from fairmargin.exchange.words.outcomes import hours_words
from fairmargin.exchange.words.results import capacity_line

ROADS: Final = ("dry", "damp", "wet", "snow")
CURVE_KMH: Final = (30.0, 140.0)
CURVE_POINTS: Final = 23
#: Units of a climb, and how many metres a kilometre each is.
SLOPES: Final = {"": 1.0, "m/km": 1.0, "\u2030": 1.0, "%": 10.0, "ft/mi": 0.3048 / 1.609344}
Bar = tuple[str, int | None, float, float, float, float]


class RangePage(UsePage):
    """How far it goes."""

    def __init__(self, session: Session, touch: Callable[[], None], parent: QWidget | None = None) -> None:
        super().__init__(session, touch, parent)
        frame, box = panel()
        box.addWidget(label("Range", "heading"))
        self.range_words = label("", "muted", wrap=True)
        box.addWidget(self.range_words)
        self.bars = RangeBars()
        box.addWidget(self.bars)
        self.beyond = label("", "caution", wrap=True)
        box.addWidget(self.beyond)
        row = QHBoxLayout()
        self.capacity = Field("Usable capacity", self._set_capacity, unit="kWh")
        self.reserve = Field("Reserve to keep", self._set_reserve, unit="%")
        self.fade = Field(
            "Capacity lost since", self.keep(lambda: "fade", unit="%", high=60.0), unit="%", placeholder="0",
            tip="Of the usable capacity told, as batteries age",
        )  # fmt: skip
        self.rated = Field("Rated consumption", self._set_rated, tip="What the maker states, drawn beside")
        self.rated_range = Field("Rated range", self._set_rated_range, unit="km")
        for made in (self.capacity, self.reserve, self.fade, self.rated, self.rated_range):
            row.addWidget(made)
        box.addLayout(row)
        row = QHBoxLayout()
        self.capacity_words = label("", "muted", wrap=True)
        row.addWidget(self.capacity_words, 1)
        self.take = QPushButton("Use it")
        self.take.setToolTip("Take what the readings say as the usable capacity")
        self.take.clicked.connect(self._take_capacity)
        row.addWidget(self.take)
        box.addLayout(row)
        self.body.addWidget(frame)
        self._lay_asked()
        frame, box = panel()
        box.addWidget(label("Over speed", "heading"))
        self.curve = RangeCurve()
        self.curve.read.connect(self._read_off)
        box.addWidget(self.curve)
        self.curve_words = label("", wrap=True)
        box.addWidget(self.curve_words)
        self.curve_frame = frame
        self._far: list[tuple[Band, float | None]] = []  # what the curve's ranges follow from, and the energy they take
        self.body.addWidget(frame)
        self.windy = WindPanel(self.keep(lambda: "place_wind", "wind", high=MOST_WIND_MS))
        self.body.addWidget(self.windy.frame)
        self.driven = DrivenPanel()
        self.body.addWidget(self.driven.frame)
        self.body.addWidget(
            label("Plan on less than this: wind, cold and rain cost range, and capacity fades with age.", "caution")
        )
        self.body.addStretch()
        session.wanted.ready.connect(touch)

    def _lay_asked(self) -> None:
        """What may be set that was not driven."""
        frame, box = panel()
        box.addWidget(label("As it will be", "heading"))
        row = QHBoxLayout()
        self.speed = Field("Speed", self._asked_number("speed_kmh", "speed", 5, 250))
        self.air = Field("Air", self._asked_number("temperature_c", "temperature", -40, 50))
        self.cabin = Field("Cabin", self._set_cabin, placeholder="off", tip="off, auto, or the temperature set")
        self.head_wind = Field(
            "Head wind", self._asked_number("head_wind_ms", "wind", -30, 30), tip="At the mast; negative from behind"
        )
        self.climb = Field("Climb", self._asked_number("climb_m_per_km", "", -200, 200), unit="m/km")
        self.load = Field("Load on top", self._asked_number("load_kg", "mass", -2000, 20000))
        for made in (self.speed, self.air, self.cabin, self.head_wind, self.climb, self.load):
            row.addWidget(made)
        holder, self.road = named_choice("Road", ROADS, self._set_road)
        row.addWidget(holder)
        box.addLayout(row)
        self.asked_words = label("", "muted", wrap=True)
        box.addWidget(self.asked_words)
        self.asked_frame = frame
        self._cabins: dict[int | None, str] = {}  # by study: what one is asked about is not another's
        self.body.addWidget(frame)

    # ------------------------------------------------------------ what is asked

    @property
    def _cabin(self) -> str:
        return self._cabins.get(self.session.study_id, "off")

    @_cabin.setter
    def _cabin(self, climate: str) -> None:
        self._cabins[self.session.study_id] = climate

    @property
    def _wish(self) -> Circumstances | None:
        return self.session.wanted.circumstances.get(self.session.study_id)

    def _usual(self, asking: Asking) -> Circumstances:
        """Circumstances of the result that is shown."""
        c = self.session.comparison
        low, high = asking.predictor.driven_kmh
        speed = c.speed_kmh if c is not None and c.speed_kmh else self.study.target_speed_kmh
        return Circumstances(float(speed or (low + high) / 2))

    def _ask(self, **changes: object) -> None:
        asking = self.asking()
        if asking is None:
            raise ValueError("nothing can be asked of this study yet: see below")
        before = self._wish or self._usual(asking)
        after = replace(before, **changes)  # type: ignore[arg-type]
        t = asking.predictor.reference_c if after.temperature_c is None else after.temperature_c
        after = replace(after, cabin_k=cabin_k(t, self._cabin))
        self.session.wanted.circumstances[self.session.study_id] = after
        self.touch()

    def _asked_number(self, name: str, quantity: str, low: float, high: float) -> Callable[[str], None]:
        def commit(text: str) -> None:
            asking = self.asking()
            usual = None if asking is None else getattr(self._usual(asking), name)
            value = usual
            if text:
                unit = getattr(self.session.units, quantity) if quantity else ""
                value = read_quantity(text, quantity, unit) if quantity else _slope(text)
                if not low <= value <= high:
                    raise ValueError(f"{value:g} is not possible; expected {low:g} to {high:g}")
            self._ask(**{name: value})

        return commit

    def _set_cabin(self, text: str) -> None:
        before = self._cabin
        self._cabin = (read_climate(text, self.session.units) or "off") if text else "off"
        try:
            self._ask()
        except ValueError:
            self._cabin = before
            raise

    def _set_road(self, road: str) -> None:
        try:
            self._ask(road="" if road == "dry" else road)
        except ValueError as error:
            self.session.failed.emit(words_of(error))

    # ------------------------------------------------------------ the vehicle's figures

    def _set_capacity(self, text: str) -> None:
        fuel = self.vehicle.energy != "electric"
        name, unit = ("tank_l", "L") if fuel else ("usable_capacity_kwh", "kWh")
        self.edit_vehicle(**{name: read_in(text, unit) if text else None})

    def _take_capacity(self) -> None:
        found = self.session.analysis.capacity if self.session.analysis else None
        if found is not None:
            self.edit_vehicle(usable_capacity_kwh=round(found.estimate, 1))

    def _set_rated(self, text: str) -> None:
        value = read_wh_per_km(text, self.units.consumption, self.vehicle.heating_value) if text else None
        self.edit_vehicle(rated_wh_per_km=value)

    def _set_rated_range(self, text: str) -> None:
        value = read_quantity(text, "distance", self.session.units.distance) if text else None
        self.edit_vehicle(rated_range_km=value)

    def _set_reserve(self, text: str) -> None:
        value = read_in(text, "%") if text else USUAL_RESERVE
        if not 0 <= value <= 60:
            raise ValueError(f"{value:g} % is no reserve; 10 to 20 % is usual")
        self.session.settings.setValue("use/reserve", value)
        self.touch()

    # ------------------------------------------------------------ drawing

    def subtitle(self, study: Study) -> str:
        c = self.session.comparison
        if self._wish is not None and self.asking() is not None:
            return "as it will be"
        if c is not None:
            return f"at {stated_speed(study, c, self.units)}, reference conditions"
        alone = alone_result(self.session.analysis)
        return "one configuration" if alone else "no comparison yet" if compares(study) else "no reading yet"

    def refresh(self, study: Study) -> None:
        own, units = self.vehicle, self.units
        fuel = own.energy != "electric"
        self.capacity.caption.setText("Tank" if fuel else "Usable capacity")
        self.capacity.show_text(show_number(own.tank_l if fuel else own.usable_capacity_kwh, 1), "L" if fuel else "kWh")
        self.reserve.show_text(show_number(100 * self.own.reserve, 0))
        self.fade.show_text(show_number(self.own.known("fade"), 1))
        self.fade.setVisible(not fuel)
        rated = own.rated_wh_per_km
        self.rated.show_text("" if rated is None else f"{units.show_consumption(float(rated)):.4g}", units.consumption)
        far = own.rated_range_km
        self.rated_range.show_text(
            "" if far is None else show_number(units.show("distance", float(far)), 0), units.distance
        )
        measured = capacity_line(self.session.analysis) if self.session.analysis is not None else ""
        self.capacity_words.setText(measured)
        self.capacity_words.setVisible(bool(measured))
        self.take.setVisible(bool(measured) and own.energy == "electric")
        c = self.session.comparison
        spoken_of = set() if c is None else {side_vehicle(study, c, x) for x in (c.baseline, c.trial)}
        self.driven.show_results(study, self.session.analysis, self.session.units, spoken_of)
        asking = self.asking()
        found = self._predicted(study, asking)
        self._show_asked(asking)
        self._show_curve(study, asking)
        self.windy.show(study, asking, c, self.own.known("place_wind"), units)
        as_stated = self._wish is None and c is not None and (apart(study, c) or not speed_told(study))
        if c is not None and (not found or as_stated):
            self._show_stated(study, c)
        elif found:
            self._show_predicted(study, found, c)
        else:
            self._show_alone(study, alone_result(self.session.analysis))

    def _predicted(self, study: Study, asking: Asking | None) -> tuple[Predicted, ...]:
        if asking is None:
            return ()
        asked = self._wish or self._usual(asking)
        try:
            return predict(study, asking, asked, self.own.reserve, self.own.fade)
        except (ArithmeticError, ValueError):
            return ()

    def _show_asked(self, asking: Asking | None) -> None:
        units = self.units
        for made in (self.speed, self.air, self.cabin, self.head_wind, self.climb, self.load):
            made.setEnabled(asking is not None)
        self.road.setEnabled(asking is not None)
        if asking is None:
            self.asked_words.setText(self._why_not())
            return
        usual, wish = self._usual(asking), self._wish
        now = wish or usual
        untold = wish is None and not speed_told(self.study)
        self.speed.show_text("" if untold else f"{units.show('speed', now.speed_kmh):.4g}", units.speed)
        self.speed.edit.setPlaceholderText("as driven" if untold else "")
        t = asking.predictor.reference_c if now.temperature_c is None else now.temperature_c
        self.air.show_text(f"{units.show('temperature', t):.3g}", units.temperature)
        shown = (
            self._cabin if self._cabin in {"off", "auto"} else f"{units.show('temperature', float(self._cabin)):.3g}"
        )
        self.cabin.show_text(shown)
        self.head_wind.show_text(f"{units.show('wind', now.head_wind_ms or 0.0):.3g}", units.wind)
        self.climb.show_text(f"{now.climb_m_per_km:.3g}")
        self.load.show_text(f"{units.show('mass', now.load_kg):.4g}", units.mass)
        self.road.setCurrentText(now.road or "dry")
        self.asked_words.setText(
            "Nobody said how fast these legs were driven: what stands above is as driven. Give a speed to ask about others."
            if untold
            else "What is set here is answered from this study's own fit; the further from what was driven, the wider."
            if wish is None
            else "Clear a field to have it as at the reference."
        )

    def _why_not(self) -> str:
        """Why nothing can be asked."""
        c = self.session.comparison
        if self.session.wanted.askings() is None:
            return "Being worked out \u2026"
        if c is not None and c.sector == WHOLE:
            return "Choose one sector to ask about: each was driven in its own way."
        if self.study.method in NOT_ASKED:
            return "Everyday logs, climbs and vehicles side by side tell what they took, not what another speed would."
        if self.session.analysis is not None and self.session.analysis.coast_downs:
            return (
                "Coasting tells what slows the vehicle, not what driving it takes: drive legs with a reading for that."
            )
        return "Nothing can be asked before there are readings."

    def _show_predicted(self, study: Study, found: tuple[Predicted, ...], c: Comparison | None) -> None:
        units = self.units
        shown = [p for p in found if c is None or p.configuration in {c.baseline, c.trial}] or list(found)
        self.beyond.setText(
            in_units(sentence("; ".join(shown[0].not_driven)), units) + ("." if shown[0].not_driven else "")
        )
        self.beyond.setVisible(bool(shown[0].not_driven))
        parts = [
            f"{consumption_words(p.wh_per_km, units)} ({span_words(p.interval_wh_per_km, units)}) "
            f"with {quoted(side_words(study, p.configuration, units))}"
            for p in shown
        ]
        text = ", ".join(parts)
        fair = c is None or c.verdict != "not a fair comparison"
        if len(shown) == 2 and fair:
            text += f": range {percent(100 * (shown[0].wh_per_km / shown[1].wh_per_km - 1))}"
        self.range_words.setText(f"{text}. Margins mostly {shown[-1].mostly}.")
        bars: list[Bar] = []
        for p in shown:
            if p.reach is None:
                continue
            figures = (p.reach.to_empty_km, p.reach.to_reserve_km, *p.reach.interval_km)
            full, kept, low, high = (units.show("distance", x) for x in figures)
            bars.append(
                (side_words(study, p.configuration, units), self.trial_of(p.configuration), full, kept, low, high)
            )
        self.bars.show_bars(bars, units.distance)

    def _show_stated(self, study: Study, c: Comparison) -> None:
        """Range of the two compared as they were: at the reference conditions, each at its speed and in its vehicle."""
        units = self.units
        vehicles = side_vehicles(study, c)
        self.beyond.hide()
        trial, base = (side_words(study, x, units) for x in (c.trial, c.baseline))
        further = further_percent(study, c)
        self.range_words.setText(
            f"{consumption_words(c.baseline_wh_per_km, units)} with {quoted(base)}, "
            f"{consumption_words(c.trial_wh_per_km, units)} with {quoted(trial)}"
            + ("." if c.verdict == "not a fair comparison" or further is None else f": range {percent(further)}.")
        )
        bars: list[Bar] = []
        low, high = (c.baseline_wh_per_km * (1 + p / 100) for p in c.interval_percent)
        for name, which, vehicle, level, ends in (
            (base, None, vehicles[0], c.baseline_wh_per_km, (c.baseline_wh_per_km, c.baseline_wh_per_km)),
            (trial, study.trial_number(c.trial), vehicles[1], c.trial_wh_per_km, (high, low)),
        ):
            if vehicle.stored_wh:
                bars.append(self._bar(name, which, vehicle.stored_wh, level, ends))
        self.bars.show_bars(bars, units.distance)

    def _show_alone(self, study: Study, alone: Result | None) -> None:
        """Range of one configuration, as driven; nothing is compared."""
        units, stored = self.units, self.vehicle.stored_wh
        self.beyond.hide()
        bars: list[Bar] = []
        if alone is None:
            self.range_words.setText(self.session.analysis.missing if self.session.analysis else "")
        else:
            legs = self.session.analysis.legs if self.session.analysis else ()
            self.range_words.setText(result_words(study, alone, self.session.units, legs))
        if alone is not None and stored and alone.as_driven_wh_per_km and alone.as_driven_interval:
            low, high = alone.as_driven_interval
            bars = [self._bar(result_name(study, alone, units), None, stored, alone.as_driven_wh_per_km, (high, low))]
        self.bars.show_bars(bars, units.distance)

    def _bar(self, name: str, which: int | None, stored_wh: float, wh_per_km: float, ends: tuple[float, float]) -> Bar:
        """One bar: name, trial, full, to the reserve, and the ends of its margin, in the person's unit."""
        reserve = self.own.reserve
        stored = stored_wh / 1000.0 * (1 - self.own.fade)
        reach = driving_range(stored, wh_per_km, reserve)
        a, b = (driving_range(stored, e, reserve).to_reserve_km for e in ends)
        full, kept, low, high = (self.units.show("distance", x) for x in (reach.full_km, reach.to_reserve_km, a, b))
        return name, which, full, kept, low, high

    # ------------------------------------------------------------ over speed

    def _show_curve(self, study: Study, asking: Asking | None) -> None:
        # Over a speed that nobody told there is no curve to stand on.
        shown = asking is not None and (self._wish is not None or speed_told(study))
        self.curve_frame.setVisible(shown)
        if asking is None or not shown:
            return
        now = self._wish or self._usual(asking)
        c = self.session.comparison
        low, high = asking.predictor.driven_kmh
        speeds = np.linspace(min(CURVE_KMH[0], 0.9 * low), max(CURVE_KMH[1], 1.1 * high), CURVE_POINTS)
        asked = [replace(now, speed_kmh=float(v)) for v in speeds]
        stored = self.vehicle.stored_wh
        share = (1 - self.own.reserve) * (1 - self.own.fade)
        lines, self._far = [], []
        for name in asking.configurations:
            if c is not None and name not in {c.baseline, c.trial}:
                continue
            band = asking.band(name, asked)
            far = reach_band(asking, self.vehicle, name, asked)
            kept = None if stored is None else stored * share
            self._far.append((far, kept))
            lines.append(
                RangeLine(
                    name=side_words(study, name, self.units),
                    which=self.trial_of(name),
                    speeds=tuple(speeds.tolist()),
                    wh_per_km=tuple(band.wh.tolist()),
                    wh_interval=_ends(band, study.confidence),
                    range_km=() if kept is None else tuple((kept / band.wh).tolist()),
                    range_interval=()
                    if kept is None
                    else tuple((kept / b, kept / a) for a, b in _ends(far, study.confidence)),
                    driven=(low, high),
                )
            )
        rated_km = self.vehicle.rated_range_km
        rated = (self.vehicle.rated_wh_per_km, None if rated_km is None else float(rated_km))
        self.curve.show_lines(lines, self.units, now.speed_kmh, rated)
        self._read_off(now.speed_kmh)

    def _read_off(self, kmh: float) -> None:
        """Say what the curve has at a speed, and what that speed costs in time against the one asked about."""
        asking = self.asking()
        if asking is None or not self.curve.lines:
            return
        units, now = self.units, self._wish or self._usual(asking)
        texts = []
        for line, (band, kept) in zip(self.curve.lines, self._far, strict=True):
            level = float(np.interp(kmh, line.speeds, line.wh_per_km))
            text = f"{line.name} {consumption_words(level, units)}"
            if kept is not None:
                near = _about(line.speeds, kmh)
                ends = [band.interval(i, self.study.confidence) for i in near]
                b, a = (
                    kept / float(np.interp(kmh, [line.speeds[i] for i in near], x)) for x in zip(*ends, strict=True)
                )
                text += f", {distance_words(float(np.interp(kmh, line.speeds, line.range_km)), units)} to the reserve ({units.show('distance', a):.0f} to {units.show('distance', b):.0f})"
            texts.append(text)
        hundred = 100.0 / units.show("distance", 1.0)
        took, usual = hundred / kmh, hundred / now.speed_kmh
        time = f"100 {units.distance} take {hours_words(took)}"
        if abs(took - usual) > 0.5 / 60:
            word = "longer" if took > usual else "less"
            time += f", {hours_words(abs(took - usual))} {word} than at {speed_words(now.speed_kmh, units)}"
        far = [x for x in self.curve.lines if 0 < x.best < len(x.speeds) - 1]
        best = f" Farthest at about {speed_words(far[0].speeds[far[0].best], units)}." if far else ""
        beyond = not_driven(asking.predictor, replace(now, speed_kmh=kmh))
        unsaid = f" {in_units(beyond[0], units)}." if beyond and "km/h" in beyond[0] else ""
        self.curve_words.setText(f"At {speed_words(kmh, units)}: {'; '.join(texts)}. {time}.{unsaid}{best}")


def _ends(band: Band, confidence: float) -> tuple[tuple[float, float], ...]:
    """Ends of every interval of a band, as it is drawn. [Wh/km]"""
    low, high = band.about(confidence)
    return tuple(zip(low.tolist(), high.tolist(), strict=True))


def _about(speeds: Sequence[float], kmh: float) -> tuple[int, int]:
    """Which speeds of a curve lie on both sides of one."""
    i = min(max(int(np.searchsorted(speeds, kmh)), 1), len(speeds) - 1)
    return i - 1, i


def _slope(text: str) -> float:
    """Read a climb. [m/km]"""
    number = read_number(text)
    factor = SLOPES.get(number.rest.strip())
    if factor is None:
        raise ValueError(f'"{number.rest.strip()}" is no unit of a climb; expected one of m/km, %, ft/mi')
    return number.value * factor

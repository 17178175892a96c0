"""What to expect before any driving: the effect over speed, and a vehicle to play with."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QLabel, QSlider, QVBoxLayout, QWidget

from fairmargin.core import intervals, planning
from fairmargin.core.study import Study
from fairmargin.core.study.entry import show_number
from fairmargin.core.units import SENTENCE_UNITS, in_units, said
from fairmargin.core.words import signed
from fairmargin.desktop.stages.planning.page import PlanPage
from fairmargin.desktop.state.session import Session
from fairmargin.desktop.widgets.basics import label, panel
from fairmargin.desktop.widgets.inputs import Slider
from fairmargin.desktop.widgets.planning.expected import ExpectedCurve, SplitBar
from fairmargin.exchange.words.figures import speed_words

SLIDERS = (
    # key, words, lowest, highest, usual, unit
    ("speed", "Speed", 30, 130, 90, "km/h"),
    ("wind", "Wind along", 0, 15, 0, "m/s"),
    ("temperature", "Temperature", -15, 35, 15, "\u00b0C"),
    ("mass", "Added mass", -200, 1000, 0, "kg"),
    ("drag", "Drag area", -30, 100, 0, "%"),
)
USUAL_MARGIN = 2.5  # of one ABBA block at common scatter, until something better is known


class ExpectedPanel(PlanPage):
    """From the physics alone."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(session, parent)
        frame, box = panel()
        box.addWidget(label("What the physics lets you expect", "heading"))
        line = QHBoxLayout()
        line.setSpacing(14)
        for key, words, unit, tip in (
            ("drag_area_percent", "Drag area changes by", "%", "Cd \u00d7 A; a flat roof box is commonly +15 to +30 %"),
            ("rolling_percent", "Rolling resistance by", "%", "One label class is commonly 10 to 15 %"),
            ("auxiliary_w", "Power drawn by", "W", "Cabin, heating, cooling"),
            ("total_percent", "or all of it by", "%", "A plain factor, where no mechanism is known"),
        ):
            line.addWidget(self.field(key, words, self.number("plan", key, "expected change", unit=unit), unit, tip), 1)
        box.addLayout(line)
        self.curve = ExpectedCurve()
        box.addWidget(self.curve)
        self.words = label("", wrap=True)
        box.addWidget(self.words)
        self.body.addWidget(frame)
        frame, box = panel()
        box.addWidget(label("Play with it: where the energy goes", "heading"))
        for name, words in (("base", "As it is"), ("played", "As set below")):
            row = QHBoxLayout()
            caption = label(words, "muted")
            caption.setFixedWidth(84)
            row.addWidget(caption, 0, Qt.AlignmentFlag.AlignTop)
            bar = SplitBar()
            setattr(self, name, bar)
            row.addWidget(bar, 1)
            box.addLayout(row)
        self.base: SplitBar
        self.played: SplitBar
        grid = QGridLayout()
        grid.setHorizontalSpacing(18)
        self.sliders: dict[str, QSlider] = {}
        self._shown: dict[str, QLabel] = {}
        for i, (key, words, low, high, usual, _) in enumerate(SLIDERS):
            cell = QVBoxLayout()
            caption = label(words, "muted")
            slider = Slider(Qt.Orientation.Horizontal)
            slider.setRange(low, high)
            slider.setValue(usual)
            slider.setAccessibleName(words)
            slider.setMinimumHeight(20)
            slider.valueChanged.connect(lambda _: self._play())
            cell.addWidget(caption)
            cell.addWidget(slider)
            self.sliders[key] = slider
            self._shown[key] = caption
            grid.addLayout(cell, i // 3, i % 3)
        box.addLayout(grid)
        self.said = label("", wrap=True)
        box.addWidget(self.said)
        self.body.addWidget(frame)
        self._study_id: int | None = None

    def refresh(self, study: Study) -> None:
        plan = study.plan
        for key in ("drag_area_percent", "rolling_percent", "auxiliary_w", "total_percent"):
            self.fields[key].show_text(show_number(getattr(plan, key), 1))
        speed = planning.planned_speed_kmh(study)
        expected = planning.expected_effect(study)
        c = self.session.comparison
        blind = c.half_width_percent if c is not None else USUAL_MARGIN
        units = self.session.units
        self.curve.show_expected(expected, blind, speed, units)
        if expected.given:
            here = planning.expected_effect(study, [speed])
            seen = planning.visible_from_kmh(expected, blind)
            what = "the margin so far" if c is not None else "what one ABBA block usually sees"
            self.words.setText(
                f"At {speed_words(speed, units)}: {signed(float(here.percent[0]))} % ({signed(float(here.low[0]))} to "
                f"{signed(float(here.high[0]))} %) of baseline consumption. "
                + (
                    f"It stands out of {what} (\u00b1{blind:.1f} %) from about {speed_words(seen, units)}."
                    if seen is not None
                    else f"At no speed does it stand out of {what} (\u00b1{blind:.1f} %): nothing measurable that way."
                )
            )
        else:
            self.words.setText("")
        if self.session.study_id != self._study_id:
            self._study_id = self.session.study_id
            for key, _, _, _, usual, _ in SLIDERS:
                self.sliders[key].blockSignals(True)
                self.sliders[key].setValue(round(speed) if key == "speed" else usual)
                self.sliders[key].blockSignals(False)
        self._play()

    def _play(self) -> None:
        study = self.session.study
        if study is None:
            return
        v = {key: float(s.value()) for key, s in self.sliders.items()}
        for key, words, _, _, _, unit in SLIDERS:
            caption = self._shown[key]
            sign, units = "+" if key in {"mass", "drag"} else "", self.session.units
            shown = (
                in_units(said(v[key], unit, plus=bool(sign)), units)
                if unit in SENTENCE_UNITS
                else f"{v[key]:{sign}.0f} {unit}"
            )
            caption.setText(f"{words}: {shown}")
        speed = planning.planned_speed_kmh(study)
        base = planning.split(study, speed)
        played = planning.split(
            study,
            v["speed"],
            wind_m_s=v["wind"],
            temperature_c=v["temperature"],
            mass_kg=v["mass"],
            drag_area_percent=v["drag"],
        )
        most = max(base.total, played.total)
        self.base.show_share(base, most, self.session.units)
        self.played.show_share(played, most, self.session.units)
        change = (played.total / base.total - 1) * 100
        self.said.setText(
            f"{signed(change)} % against the vehicle as it is at {speed_words(speed, self.session.units)}; about \u00b1{self._margin(study):.0f} % "
            "of either figure is the vehicle's constants."
        )

    @staticmethod
    def _margin(study: Study) -> float:
        k = study.vehicle.constants()
        share = planning.split(study, planning.planned_speed_kmh(study))
        air = share.air / share.total * k.drag_area_sd_m2 / k.drag_area_m2
        tyres = share.tyres / share.total * k.rolling_coefficient_sd / k.rolling_coefficient
        drive = k.drive_efficiency_sd / k.drive_efficiency
        return intervals.half_width_percent(air**2 + tyres**2 + drive**2, study.confidence)

"""Verdict: every pair, what may be said, and what may not."""

from __future__ import annotations

import math

from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from fairmargin.core.result.corrections import LINES
from fairmargin.core.result.types import Comparison, LegResult
from fairmargin.core.study import Study
from fairmargin.core.units import UnitChoice
from fairmargin.desktop.session import Session
from fairmargin.desktop.stages.base import Stage
from fairmargin.desktop.theme import theme, trial_colour
from fairmargin.desktop.widgets.basics import Elided, draw_mark, label, panel, percent
from fairmargin.desktop.widgets.charts import Fall, PairsChart, Waterfall
from fairmargin.exchange.wording import beside, conditions_words, may_not, may_say


class _Key(QWidget):
    def __init__(self, filled: bool) -> None:
        super().__init__()
        self.setFixedSize(18, 18)
        self._filled = filled
        self.trial = 0

    def paintEvent(self, _event: object) -> None:
        painter = QPainter(self)
        colour = theme.colour(trial_colour(self.trial))
        draw_mark(painter, QPointF(9, 9), 13, self.trial, colour, self._filled)
        painter.end()


class VerdictStage(Stage):
    """The result, as far as the evidence carries."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(session, "Verdict", parent)
        body = self.scrolled()
        frame, box = panel()
        head = QHBoxLayout()
        self.pairs_title = Elided("heading")
        head.addWidget(self.pairs_title, 1)
        self._keys = []
        for filled, words in ((False, "as read"), (True, "corrected")):
            key = _Key(filled)
            self._keys.append(key)
            head.addWidget(key)
            head.addWidget(label(words, "muted"))
            head.addSpacing(10)
        head.addWidget(label("bar: its own margin \u00b7 % of baseline", "muted"))
        box.addLayout(head)
        self.chart = PairsChart()
        box.addWidget(self.chart, 1)
        body.addWidget(frame, 5)

        frame, box = panel()
        columns = QHBoxLayout()
        columns.setSpacing(24)
        left, right = QVBoxLayout(), QVBoxLayout()
        left.setSpacing(4)
        right.setSpacing(4)
        left.addWidget(label("What may be said", "heading"))
        self.say = label("", wrap=True)
        self.say.setStyleSheet("font-size: 14px;")
        left.addWidget(self.say)
        self.reason = label("", "muted", wrap=True)
        left.addWidget(self.reason)
        self.beside = label("", "muted", wrap=True)
        left.addWidget(self.beside)
        left.addStretch()
        right.addWidget(label("What may not", "heading"))
        self.say_not = label("", "muted", wrap=True)
        right.addWidget(self.say_not)
        right.addStretch()
        columns.addLayout(left, 2)
        columns.addLayout(right, 1)
        box.addLayout(columns)
        body.addWidget(frame)

        frame, box = panel()
        head = QHBoxLayout()
        head.addWidget(label("From read to corrected", "heading"))
        self.fall_words = label("", "muted")
        head.addWidget(self.fall_words, 1, Qt.AlignmentFlag.AlignBottom)
        box.addLayout(head)
        self.fall = Waterfall()
        self.fall.setMinimumHeight(96)
        box.addWidget(self.fall, 1)
        body.addWidget(frame, 3)

    def refresh(self, study: Study) -> None:
        analysis = self.session.analysis
        c = self.session.comparison
        if analysis is None or c is None:
            self.subtitle.setText("no comparison yet")
            self.pairs_title.setText("Every pair")
            self.chart.show_pairs((), 0)
            self.say.setText(analysis.missing if analysis else "")
            self.reason.setText("")
            self.beside.setText("")
            self.beside.hide()
            self.say_not.setText("Nothing, before both configurations have a reading.")
            self.fall.show_fall(mean_fall(analysis.legs, self.session.units, study) if analysis else None)
            self.fall_words.setText("")
            return
        index = [t.id for t in study.trials].index(c.trial)
        trial, base = study.side_label(c.trial), study.side_label(c.baseline)
        good = sum(p.included for p in c.pair_list)
        self.subtitle.setText(
            f"{good} of {len(c.pair_list)} pairs of legs \u00b7 {conditions_words(study, c, self.session.view, self.session.units)}"
        )
        self.pairs_title.setText(f"Every pair, {trial.lower()} against {base.lower()}")
        for key in self._keys:
            key.trial = index
            key.update()
        self.chart.show_pairs(c.pair_list, index)
        self.say.setText(may_say(study, c, self.session.units))
        self.reason.setText(reason_line(c, study))
        lines = beside(study, analysis, c)
        self.beside.setText("\n".join(lines))
        self.beside.setVisible(bool(lines))
        self.say_not.setText(may_not(study, analysis, c, self.session.units))
        self.fall.show_fall(mean_fall(analysis.legs, self.session.units, study))
        self.fall_words.setText(f"mean of the legs used, {fall_unit(self.session.units)}")


def reason_line(c: Comparison, study: Study) -> str:
    """Reason of the verdict, with the prediction beside the result."""
    words = c.reason
    prediction = study.change.prediction_percent
    if prediction is not None:
        low, high = c.interval_percent
        inside = low <= prediction <= high
        words += f" You said {percent(prediction, 0 if prediction == round(prediction) else 1)}: "
        words += "inside the interval." if inside else "outside the interval."
    return words


def fall_unit(units: UnitChoice) -> str:
    """Unit of the waterfall: energy per distance only, so that lines add up."""
    return "Wh/mi" if units.distance == "mi" else "Wh/km"


def fall_factor(units: UnitChoice) -> float:
    """Factor from Wh/km to `fall_unit`."""
    return 1.609344 if units.distance == "mi" else 1.0


def visible_lines(legs: list[LegResult]) -> list[str]:
    """Ledger lines that are worth a column: those that reach 0.05 Wh/km anywhere, and the four main ones."""
    always = {"speed", "wind", "air_density", "tyre_temperature"}
    return [
        name
        for name in LINES
        if name in always or any(abs(leg.corrections_wh_per_km.get(name, 0.0)) >= 0.05 for leg in legs)
    ]


def mean_fall(legs: tuple[LegResult, ...], units: UnitChoice, study: Study) -> Fall | None:
    """Mean over the included, corrected legs."""
    used = [leg for leg in legs if leg.included and leg.corrected_wh_per_km is not None]
    if not used:
        return None
    factor = fall_factor(units)
    names = visible_lines(used)
    start = sum(leg.measured_wh_per_km for leg in used) / len(used) * factor
    means = [
        (LINES[n], sum(leg.corrections_wh_per_km.get(n, 0.0) for leg in used) / len(used) * factor)
        for n in names
    ]
    end = sum(leg.corrected_wh_per_km or 0.0 for leg in used) / len(used) * factor
    return Fall(start, tuple(means), end if math.isfinite(end) else start, fall_unit(units), 1)

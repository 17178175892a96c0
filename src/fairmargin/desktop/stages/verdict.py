"""Verdict: every pair, what may be said, and what may not."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QPointF, Qt, QTimer
from PySide6.QtWidgets import QHBoxLayout, QMenu, QPushButton, QScrollArea, QVBoxLayout, QWidget

from fairmargin.core.result.questions import answered, open_questions
from fairmargin.core.result.results import WHOLE
from fairmargin.core.result.sensitivity import survival_words
from fairmargin.core.result.types import Analysis, Comparison
from fairmargin.core.study import Asked, Study
from fairmargin.core.study.cells import Cell, compares, side_of
from fairmargin.core.units import in_units
from fairmargin.core.words import signed
from fairmargin.desktop.stages.base import Stage
from fairmargin.desktop.stages.sector_lengths import SectorLengths
from fairmargin.desktop.state.background import meanwhile
from fairmargin.desktop.state.session import Session
from fairmargin.desktop.theme import theme, trial_colour
from fairmargin.desktop.widgets.answerlist import AnswerList
from fairmargin.desktop.widgets.basics import Elided, as_tip, draw_mark, label, panel
from fairmargin.desktop.widgets.charts import PairsChart
from fairmargin.desktop.widgets.decimals import Painter
from fairmargin.desktop.widgets.inputs import Choice
from fairmargin.desktop.widgets.overview import OverviewChart, ResultsTable
from fairmargin.desktop.widgets.speedcurve import SpeedCurveChart
from fairmargin.desktop.widgets.stepsfall import StepsFall
from fairmargin.exchange.words.answers import answers
from fairmargin.exchange.words.names import quoted, result_name, side_words
from fairmargin.exchange.words.results import (
    beside,
    capacity_line,
    coast_lines,
    conditions_words,
    forecast_lines,
    if_words,
    may_not,
    may_say,
    reason_words,
    said_lines,
    way_lines,
)
from fairmargin.exchange.words.steps import names_apart, shown_steps, sum_lines, sum_of_steps, usual_names

CURVE_MS = 400  # an edit is seen before the curve over speed, which takes another fit
MOST_MOVED = 8  # priors shown, of those that move a result most


class _Key(QWidget):
    def __init__(self, filled: bool) -> None:
        super().__init__()
        self.setFixedSize(18, 18)
        self._filled = filled
        self.trial = 0

    def paintEvent(self, _event: object) -> None:
        painter = Painter(self)
        colour = theme.colour(trial_colour(self.trial))
        draw_mark(painter, QPointF(9, 9), 13, self.trial, colour, self._filled)
        painter.end()


class VerdictStage(Stage):
    """The result, as far as the evidence carries."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(session, "Verdict", parent)
        self._priors_of: Comparison | None = None  # whose priors were tried
        session.wanted.ready.connect(self._show_if)
        # After the edit is seen, and once for edits that follow each other: it takes another fit.
        self._curve_soon = QTimer(self, singleShot=True, interval=CURVE_MS)
        self._curve_soon.timeout.connect(self._show_curve)
        body = self.scrolled()
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
        self.if_answered = label("", "caution", wrap=True)
        self.if_answered.hide()
        left.addWidget(self.if_answered)
        self.answers = AnswerList()
        left.addWidget(self.answers)
        self.reason = label("", "muted", wrap=True)
        left.addWidget(self.reason)
        self.beside = label("", "muted", wrap=True)
        left.addWidget(self.beside)
        self._lay_other_priors(left)
        left.addStretch()
        right.addWidget(label("What may not", "heading"))
        self.say_not = label("", "muted", wrap=True)
        right.addWidget(self.say_not)
        right.addStretch()
        columns.addLayout(left, 2)
        columns.addLayout(right, 1)
        box.addLayout(columns)
        body.addWidget(frame)

        self._lay_overview(body)
        self._lay_steps(body)
        self._lay_pairs(body)
        self._lay_results(body)
        body.addStretch()

    def _lay_pairs(self, body: QVBoxLayout) -> None:
        """Every pair as read and corrected."""
        frame, box = panel()
        self.pairs_frame = frame
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

    def _lay_steps(self, body: QVBoxLayout) -> None:
        """From as read to the effect, and the sums behind it."""
        frame, box = panel()
        self.fall_frame = frame
        head = QHBoxLayout()
        head.addWidget(label("From as read to the effect", "heading"))
        key = Elided("muted")
        key.setText("% of the baseline \u00b7 filled: noted \u00b7 hollow: taken as usual, or weights")
        key.setMinimumWidth(40)
        head.addSpacing(12)
        head.addWidget(key, 1)
        box.addLayout(head)
        self.fall = StepsFall()
        box.addWidget(self.fall, 1)
        row = QHBoxLayout()
        self.fall_words = label("", wrap=True)
        self.fall_words.setStyleSheet("font-weight: 600;")
        row.addWidget(self.fall_words, 1)
        self.show_sum = QPushButton("Show the sum")
        self.show_sum.setCheckable(True)
        self.show_sum.setToolTip("How the figure as read was reckoned from your own readings")
        self.show_sum.toggled.connect(self._toggle_sum)
        self.say_how = QPushButton("Say how it was")
        self.say_how.setToolTip("One click for the whole study: what nobody noted, as it was")
        self.say_how.setMenu(QMenu(self.say_how))
        row.addWidget(self.say_how)
        row.addWidget(self.show_sum)
        box.addLayout(row)
        self.sums = label("", "muted", wrap=True)
        self.sums.hide()
        box.addWidget(self.sums)
        body.addWidget(frame, 3)

    def _offer_answers(self, study: Study) -> None:
        """What nobody said of the whole study, each with its answers."""
        menu = self.say_how.menu()
        assert menu is not None
        menu.clear()
        for q in open_questions(study):
            own = menu.addMenu(in_units(q.words(study), self.session.units))
            for a in q.answers:
                words = in_units(a.words, self.session.units)
                own.addAction(words, partial(self._answer, q.code, a.value, words))
            own.addAction("not known", partial(self._answer, q.code, None, ""))
        self.say_how.setVisible(not menu.isEmpty() and not self.session.read_only)

    def _answer(self, code: str, value: str | float | None, words: str) -> None:
        study = self.session.study
        if study is not None:
            self.session.edit(answered(study, code, value, words), f"answer: {words or 'not known'}")

    def _toggle_sum(self, shown: bool) -> None:
        """Write the sums out where they are wanted: their margin takes Student's t, which is slow to load."""
        c = self.session.comparison
        lines = self._sums(c) if shown and c is not None else []
        self.sums.setText("\n".join(lines))
        self.sums.setVisible(bool(lines))

    def _sums(self, c: Comparison) -> list[str]:
        study, units = self.session.study, self.session.units
        assert study is not None
        base, trial = (quoted(side_words(study, x, units)) for x in (c.baseline, c.trial))
        lines = sum_lines(c, (base, trial), units)
        if lines:
            low, high = c.plain_interval_percent
            lines.append(
                f"As read {signed(c.as_measured_percent)} % ({signed(low)} to {signed(high)} % by the instruments' steps and what "
                "repeats differ by, nothing else)."
            )
        return lines

    def _show_steps(self, study: Study, c: Comparison) -> None:
        """Draw the steps of a comparison; nothing where nothing lies between."""
        self.fall_frame.setVisible(bool(c.steps))
        steps = shown_steps(c)
        made = [(name, s.percent, s.kind) for name, s in zip(names_apart(steps), steps, strict=True)]
        self.fall.show_steps(c.as_measured_percent, made, c.effect_percent, study.trial_number(c.trial) or 0)
        usual = usual_names(steps)
        asks = f" Nobody noted {' and '.join(usual)}: say how it was." if usual else ""
        self.fall_words.setText(f"{sum_of_steps(c)}.{asks}")
        self.show_sum.setVisible(len(c.as_read) == 2)
        self._offer_answers(study)
        self._toggle_sum(self.show_sum.isChecked())

    def _lay_other_priors(self, box: QVBoxLayout) -> None:
        self.other_priors = QPushButton("With other priors\u2026")
        self.other_priors.setToolTip("Each prior halved, doubled, and its mean moved: does the verdict stand?")
        self.other_priors.clicked.connect(self._try_other_priors)
        box.addWidget(self.other_priors, 0, Qt.AlignmentFlag.AlignLeft)
        self.survival = label("", "muted", wrap=True)
        self.survival.hide()
        box.addWidget(self.survival)

    def _try_other_priors(self) -> None:
        """Say whether the verdict stands, and show what moves it most."""
        c = self.session.comparison
        if c is None:
            return
        rows = meanwhile(c.sensitivity)
        if self.session.comparison is not c:
            return  # the study was edited meanwhile
        self.survival.setText(survival_words(c.verdict, rows))
        most = sorted(rows, key=lambda r: -abs(r.effect_percent - c.effect_percent))[:MOST_MOVED]
        self.survival.setToolTip(
            as_tip(
                "\n".join(
                    f"{r.prior}, {r.change}: {signed(r.effect_percent)} % ({signed(r.interval_percent[0])} to "
                    f"{signed(r.interval_percent[1])} %), {r.verdict}"
                    for r in most
                )
            )
        )
        self.survival.show()

    def _lay_overview(self, body: QVBoxLayout) -> None:
        """Every comparison on one scale, where there are several."""
        self.overview_frame, box = panel()
        self.overview_title = label("", "heading")
        box.addWidget(self.overview_title)
        self.overview = OverviewChart()
        self.overview.chosen.connect(self.session.choose)
        self.overview.opened.connect(self._open_comparison)
        box.addWidget(self.overview)
        self.sector_lengths = SectorLengths(self.session)
        box.addWidget(self.sector_lengths)
        body.addWidget(self.overview_frame)

    def _lay_results(self, body: QVBoxLayout) -> None:
        """What each configuration took, and any two set against each other."""
        self.results_frame, box = panel()
        box.addWidget(label("What each took, and how far it goes", "heading"))
        self.results = ResultsTable()
        box.addWidget(self.results)
        self.against = QWidget()
        row = QHBoxLayout(self.against)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(label("Compare", "muted"))
        self.one, self.other = Choice(), Choice()
        self.one.setAccessibleName("Compare this")
        self.other.setAccessibleName("with that")
        row.addWidget(self.one, 1)
        row.addWidget(label("with", "muted"))
        row.addWidget(self.other, 1)
        self.ask = QPushButton("Add this comparison")
        self.ask.clicked.connect(self._ask)
        row.addWidget(self.ask)
        self.drop = QPushButton("Remove those added")
        self.drop.clicked.connect(self._drop)
        row.addWidget(self.drop)
        box.addWidget(self.against)
        self.curve_title = label("", "heading")
        box.addWidget(self.curve_title)
        self.curve = SpeedCurveChart()
        box.addWidget(self.curve)
        self.curve_words = label("", "muted", wrap=True)
        box.addWidget(self.curve_words)
        for widget in (self.curve_title, self.curve, self.curve_words):
            widget.hide()  # until there is one
        body.addWidget(self.results_frame)

    def _open_comparison(self, index: int) -> None:
        """Go from a line of the overview to its pairs."""
        self.session.choose(index)
        area = self.findChild(QScrollArea)
        if area is not None:
            area.ensureWidgetVisible(self.pairs_frame)

    def _sides(self, study: Study) -> list[tuple[str, Cell]]:
        """What can be compared with what: every cell with a reading, named."""
        analysis = self.session.analysis
        if analysis is None:
            return []
        return [
            (result_name(study, r, self.session.units), Cell(r.vehicle, r.configuration, r.speed_kmh, r.sector or ""))
            for r in analysis.results
            if r.sector != WHOLE
        ]

    def _ask(self) -> None:
        study = self.session.study
        if study is None:
            return
        sides = [cell for _, cell in self._sides(study)]
        first, second = sides[self.one.currentIndex()], sides[self.other.currentIndex()]
        if first == second:
            self.session.failed.emit("A comparison needs two different sides: choose another one.")
            return
        asked = Asked(baseline=side_of(second), trial=side_of(first))
        if asked in study.also_compared:
            return
        before = len(self.session.analysis.comparisons) if self.session.analysis else 0
        if self.session.edit(study.with_(also_compared=(*study.also_compared, asked)), "another comparison"):
            self.session.choose(before)

    def _drop(self) -> None:
        study = self.session.study
        if study is not None:
            self.session.choose(0)
            self.session.edit(study.with_(also_compared=()), "fewer comparisons")

    def _show_results(self, study: Study) -> None:
        """Results, and what else can be compared; nothing before there is a reading."""
        analysis, units = self.session.analysis, self.session.units
        results = analysis.results if analysis else ()
        self.results_frame.setVisible(bool(results))
        comparisons = analysis.comparisons if analysis else ()
        self.overview_frame.setVisible(len(comparisons) > 1)
        if len(comparisons) > 1:
            bases = {side_words(study, x.baseline, units) for x in comparisons}
            self.overview_title.setText(
                f"Every trial against {bases.pop()}, % of its consumption"
                if len(bases) == 1
                else "All comparisons, % of each baseline's consumption"
            )
            self.overview.show_comparisons(study, comparisons, self.session.chosen, units)
            self.sector_lengths.refresh(study)
        if not results:
            return
        self.results.show_results(study, results, units)
        sides = self._sides(study)
        self.against.setVisible(len(sides) > 1 and not self.session.read_only)
        self.drop.setVisible(bool(study.also_compared))
        for box, at in ((self.one, 1), (self.other, 0)):
            now = box.currentText()
            box.clear()
            box.addItems([name for name, _ in sides])
            found = box.findText(now)
            box.setCurrentIndex(found if found >= 0 else min(at, len(sides) - 1))
        self._curve_soon.start()

    def _show_if(self) -> None:
        """The result for each answer of what decides, until it is given."""
        words = if_words(self.session.wanted.if_answered())
        self.if_answered.setText(words)
        self.if_answered.setVisible(bool(words))

    def _show_curve(self) -> None:
        """Consumption over speed, where the model carries it."""
        study = self.session.study
        if study is None or not self.isVisible():
            self._stale = True  # left before it was drawn: drawn anew when it is seen
            return
        found = self.session.wanted.speed_curves()
        shown = bool(found)
        for widget in (self.curve_title, self.curve, self.curve_words):
            widget.setVisible(shown)
        if shown:
            self.curve_title.setText("Over speed: what the readings of all speeds say together")
            self.curve.show_curves(study, found, self.session.units)
            self.curve_words.setText(self.curve.words())

    def _show_alone(self, study: Study, analysis: Analysis | None, alone: bool) -> None:
        """What is said where nothing is compared, or nothing was read yet."""
        self.subtitle.setText(
            "one configuration, nothing compared"
            if alone
            else "no comparison yet"
            if compares(study)
            else "no reading yet"
        )
        self.pairs_title.setText("Every pair")
        self.chart.show_pairs((), 0)
        self.say.setText(analysis.missing if analysis else "")
        self.say.setHidden(alone)
        self.reason.setText("")
        self.if_answered.hide()
        self.beside.setText("")
        self.beside.hide()
        self.say_not.setText(
            "Nothing, before both configurations have a reading."
            if compares(study)
            else "Nothing, before there is a reading."
        )
        if analysis is not None and alone:
            lines = [
                *coast_lines(study, analysis, self.session.units),
                *way_lines(study, self.session.units),
                *forecast_lines(study),
                capacity_line(analysis),
            ]
            self.beside.setText("\n".join(x for x in lines if x))
            self.beside.setVisible(any(lines))
            self.say_not.setText(
                "Nothing about a change: one configuration compares nothing. Add a trial in Question at any time. "
                "Nothing about other speeds, loads or weather than those driven, but as far as the margin says."
            )
        self.fall_frame.hide()
        self.fall.clear()
        self.other_priors.hide()
        self.survival.hide()

    def refresh(self, study: Study) -> None:
        analysis = self.session.analysis
        c = self.session.comparison
        self._show_results(study)
        alone = analysis is not None and not analysis.missing and c is None
        self.pairs_frame.setVisible(compares(study))
        self.answers.show_answers(
            answers(study, analysis, c, self.session.units) if analysis is not None and (c is not None or alone) else ()
        )
        if analysis is None or c is None:
            self._show_alone(study, analysis, alone)
            return
        index = study.trial_number(c.trial)
        trial, base = (side_words(study, x, self.session.units) for x in (c.trial, c.baseline))
        good = sum(p.included for p in c.pair_list)
        pairs = (
            f"{good} of {len(c.pair_list)} pairs of legs" if c.pair_list else f"{c.legs_used} legs, no pair among them"
        )
        self.subtitle.setText(f"{pairs} \u00b7 {conditions_words(study, c, self.session.view, self.session.units)}")
        self.pairs_title.setText(f"Every pair, {quoted(trial)} against {quoted(base)}")
        for key in self._keys:
            key.trial = index
            key.update()
        self.chart.show_pairs(c.pair_list, index)
        whole = c.sector == WHOLE  # put together of sectors, each with its own priors
        self.other_priors.setVisible(
            c.method == "model" and c.sensitivity is not tuple and not whole and self.session.view != "as-measured"
        )
        if self._priors_of is not c:
            self._priors_of = c
            self.survival.hide()
        self.say.show()
        self.say.setText(may_say(study, c, self.session.units))
        self.reason.setText(in_units(reason_words(study, c), self.session.units))
        self._show_if()
        lines = [
            *beside(study, analysis, c, self.session.units),
            *said_lines(study, analysis, c, self.session.units, steps=False),
            capacity_line(analysis),
        ]
        lines = [line for line in lines if line]
        self.beside.setText("\n".join(lines))
        self.beside.setVisible(bool(lines))
        self.say_not.setText(may_not(study, analysis, c, self.session.units))
        self._show_steps(study, c)

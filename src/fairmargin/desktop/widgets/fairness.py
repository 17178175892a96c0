"""The fairness ledger: what makes the margin, line by line, and the doubts about the comparison, on one scale."""

from __future__ import annotations

import math
from collections.abc import Callable, Hashable, Sequence
from dataclasses import replace
from functools import partial
from typing import TYPE_CHECKING, Final

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QPainter, QPen, QPolygonF
from PySide6.QtWidgets import QFrame, QHBoxLayout, QVBoxLayout, QWidget

from fairmargin.core.study import Study
from fairmargin.core.study.cells import compares
from fairmargin.core.units import UNIT_CHOICES, UnitChoice, in_units
from fairmargin.core.words import sentence, signed
from fairmargin.desktop.theme import theme
from fairmargin.desktop.widgets.basics import as_tip, label, link, scrolling

if TYPE_CHECKING:  # loaded with the first result
    from fairmargin.core.fairness import Concern
    from fairmargin.core.result.margin import MarginLine, SquarePart
    from fairmargin.core.result.results import Result
    from fairmargin.core.result.types import Analysis, Comparison

LEAST_TOLD: Final = 0.2  # share of the margin from which a source has a line of its own
COLOUR = {"note": "fine", "caution": "caution", "blocks": "blocks"}


def leg_words(study: Study, legs: tuple[str, ...]) -> str:
    """Name legs briefly: "all legs", "legs L05 to L08", "leg L03"."""
    if not legs:
        return ""
    driven = [leg.leg for leg in study.legs if leg.has_reading]
    used = sum(leg.included and leg.has_reading for leg in study.legs)
    if len(legs) >= used and len(legs) > 1:
        return "all legs" if used == len(driven) else "all legs used"
    legs = tuple(sorted(legs, key=lambda name: driven.index(name) if name in driven else len(driven)))
    if len(legs) == 1:
        return f"leg {legs[0]}"
    positions = [driven.index(n) for n in legs if n in driven]
    if len(positions) == len(legs) and positions == list(range(positions[0], positions[0] + len(legs))):
        return f"legs {legs[0]} to {legs[-1]}"
    return f"legs {', '.join(legs[:3])}" + (f" and {len(legs) - 3} more" if len(legs) > 3 else "")


class _Sign(QWidget):
    """Severity by shape and colour: circle, triangle, bar across a circle."""

    def __init__(self, severity: str) -> None:
        super().__init__()
        self._severity = severity
        self.setFixedSize(16, 16)
        self.setAccessibleName(severity)
        self.setToolTip({"note": "Note", "caution": "Caution", "blocks": "Blocks the comparison"}[severity])

    def paintEvent(self, _event: object) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        colour = theme.colour(COLOUR[self._severity])
        if self._severity == "caution":
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(colour)
            painter.drawPolygon(QPolygonF([QPointF(8, 2), QPointF(15, 14), QPointF(1, 14)]))
        else:
            painter.setPen(QPen(colour, 2))
            painter.setBrush(colour if self._severity == "blocks" else Qt.BrushStyle.NoBrush)
            painter.drawEllipse(QRectF(3, 3, 10, 10))
            if self._severity == "blocks":
                painter.setPen(QPen(theme.colour("panel"), 2))
                painter.drawLine(QPointF(5, 8), QPointF(11, 8))
        painter.end()


class _Charge(QWidget):
    """The charge as a short bar on a common scale around zero."""

    def __init__(self, concern: Concern, reach: float) -> None:
        super().__init__()
        self._concern, self._reach = concern, reach
        self.setFixedHeight(14)

    def paintEvent(self, _event: object) -> None:
        painter = QPainter(self)
        painter.setPen(QPen(theme.colour("rule"), 1.5))
        middle, y = self.width() / 2, 7.0
        painter.drawLine(QPointF(0, y), QPointF(self.width(), y))
        charge = self._concern.bias_percent
        if charge is not None:
            size = min(abs(charge) / self._reach, 1.0) * (self.width() / 2 - 2)
            size = max(size, 1.5)
            colour = theme.colour(COLOUR[self._concern.severity])
            if self._concern.signed:
                painter.fillRect(QRectF(middle if charge > 0 else middle - size, 3, size, 8), colour)
            else:
                painter.fillRect(QRectF(middle - size, 3, 2 * size, 8), colour)
        painter.setPen(QPen(theme.colour("muted"), 1))
        painter.drawLine(QPointF(middle, 1), QPointF(middle, 13))
        painter.end()


class _Square(QWidget):
    """Part of a margin's square that a line makes, beginning where the lines before it end; the whole width is the square."""

    def __init__(self, before: int, part: int) -> None:
        super().__init__()
        self._before, self._part = before / 100.0, part / 100.0
        self.setFixedHeight(6)

    def paintEvent(self, _event: object) -> None:
        painter = QPainter(self)
        wide = self.width()
        painter.fillRect(QRectF(0, 1, wide, 4), theme.colour("rule"))
        painter.fillRect(QRectF(wide * self._before, 1, max(wide * self._part, 1.5), 4), theme.colour("link"))
        painter.end()


def alone_result(analysis: Analysis | None) -> Result | None:
    """The result that is shown where nothing is compared: the whole route's, or the first."""
    if analysis is None or analysis.comparisons or analysis.missing:
        return None
    from fairmargin.core.result.results import WHOLE

    told = [r for r in analysis.results if r.as_driven_wh_per_km is not None or r.range_km is not None]
    return next((r for r in told if r.sector == WHOLE), told[0] if told else None)


class FairnessLedger(QFrame):
    """Panel with the margin by source, every concern of the comparison on screen, and how it stands."""

    goTo = Signal(str)  # stage

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("panel")
        self.setMinimumWidth(270)
        self.setMaximumWidth(340)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(1, 10, 1, 10)
        outer.setSpacing(4)
        head = QHBoxLayout()
        head.setContentsMargins(16, 0, 16, 0)
        title = label("Fairness ledger", "heading")
        head.addWidget(title)
        head.addStretch()
        head.addWidget(label("% of consumption", "muted"))
        outer.addLayout(head)
        self._intro = label("", "muted", wrap=True)
        self._intro.setContentsMargins(16, 0, 16, 0)
        outer.addWidget(self._intro)
        inner = QWidget()
        self._list = QVBoxLayout(inner)
        self._list.setContentsMargins(16, 2, 14, 2)
        self._list.setSpacing(10)
        area = scrolling(inner)
        inner.setStyleSheet("background: transparent;")
        area.setStyleSheet("background: transparent;")
        outer.addWidget(area, 1)
        self._foot = QWidget()
        foot = QVBoxLayout(self._foot)
        foot.setContentsMargins(16, 4, 16, 0)
        foot.setSpacing(2)
        row = QHBoxLayout()
        row.addWidget(label("Margin", "heading"))
        row.addStretch()
        self._sum = label("", "heading")
        row.addWidget(self._sum)
        foot.addLayout(row)
        self._words = label("", wrap=True)
        foot.addWidget(self._words)
        outer.addWidget(self._foot)
        self._shown: object = None
        self._made: dict[QWidget, Hashable] = {}
        self._spare: dict[Hashable, list[QWidget]] = {}
        self._units = UNIT_CHOICES["metric"]
        self.show_analysis(None, None)

    def show_analysis(
        self,
        study: Study | None,
        analysis: Analysis | None,
        index: int = 0,
        units: UnitChoice = UNIT_CHOICES["metric"],
        outlook: Sequence[MarginLine] = (),
    ) -> None:
        """Redraw from an analysis; None is the empty state. Before any reading: what the plan will leave open."""
        self._units = units
        every = analysis.comparisons if analysis else ()
        c = every[min(index, len(every) - 1)] if every else None
        alone = alone_result(analysis)
        shown = (
            (
                c and (c.concerns, c.margin, round(c.effect_percent, 2), c.verdict),
                alone and alone.margin,
                theme.colours,
                units,
                tuple(outlook),
            )
            if analysis
            else None
        )
        if shown is not None and shown == self._shown:
            return  # building the entries anew costs more than anything else here
        self._shown = shown
        self._take_up()
        self._show(study, analysis, c, alone, outlook)
        self._let_go()

    def _take_up(self) -> None:
        """Take what is shown out of the list: what comes again is laid back as it is, which is most of it after an edit."""
        while self._list.count():
            item = self._list.takeAt(0)
            widget = item.widget() if item is not None else None
            if widget is not None:
                self._spare.setdefault(self._made.pop(widget), []).append(widget)

    def _lay(self, key: Hashable, make: Callable[[], QWidget]) -> None:
        """Lay an entry: the one that was there, where it says the same, else a new one."""
        spare = self._spare.get(key)
        widget = spare.pop() if spare else make()
        self._made[widget] = key
        self._list.addWidget(widget)

    def _let_go(self) -> None:
        """Delete what did not come again."""
        for widget in (w for rest in self._spare.values() for w in rest):
            widget.hide()
            widget.setParent(None)
            widget.deleteLater()
        self._spare.clear()

    def _show(
        self,
        study: Study | None,
        analysis: Analysis | None,
        c: Comparison | None,
        alone: Result | None,
        outlook: Sequence[MarginLine],
    ) -> None:
        units = self._units
        if study is not None and alone is not None and alone.margin:
            self._show_alone(study, alone)
            return
        if study is not None and outlook:
            self._show_outlook(study, outlook)
            return
        if study is None or analysis is None or not analysis.comparisons:
            self._intro.setText(
                "Doubts about the comparison appear here as legs come in, priced in per cent."
                if study is None or compares(study)
                else "What leaves the consumption open appears here as legs come in, priced in per cent."
            )
            self._foot.hide()
            self._list.addStretch()
            return
        assert c is not None
        self._intro.setText(
            f"What makes the margin, and what each doubt could be worth, beside an effect of {abs(c.effect_percent):.1f} %."
        )
        self._show_margin(study, c.margin)
        self._show_doubts(study, c)
        self._list.addStretch()
        self._sum.setText(f"\u00b1{c.half_width_percent:.1f}")
        colour = {"fair": "fine", "with reservations": "caution", "not fair": "blocks"}[c.standing.word]
        self._words.setText(in_units(c.standing.sentence, units))
        self._words.setStyleSheet(f"color: {getattr(theme.colours, colour)}; font-weight: 600;")
        self._foot.show()

    def _show_doubts(self, study: Study, c: Comparison) -> None:
        """Doubts that are open, then those that are seen to."""
        priced = [abs(x.bias_percent) for x in c.concerns if x.bias_percent is not None]
        reach = max([*priced, abs(c.effect_percent), 1.0])
        still = [x for x in c.concerns if not x.covered or x.severity == "blocks" or x.bias_percent is None]
        covered = [x for x in c.concerns if x not in still]
        for title, words, found in (
            ("Open doubts", "Neither corrected nor in the margin.", still),
            ("Seen to", "Corrected, or in the margin above.", covered),
        ):
            if found:
                self._section(title, words)
            for concern in found:
                bias = None if concern.bias_percent is None else round(concern.bias_percent, 1)
                alike = replace(concern, bias_percent=bias)  # as it is written
                key = ("doubt", alike, round(reach, 1), leg_words(study, concern.legs), self._units, theme.dark)
                self._lay(key, partial(self._entry, study, concern, reach))
        if not c.concerns:
            self._lay("none", partial(label, "No doubts found.", "muted"))

    def _show_margin(self, study: Study, margin: Sequence[MarginLine]) -> None:
        """The sources of a margin, those worth a word; the first with its cause and remedy."""
        from fairmargin.core.result.margin import square_parts

        self._section("What makes the margin", "Of each what it would be alone, and its part of the margin's square.")
        before = 0
        for i, part in enumerate(square_parts(margin, LEAST_TOLD)):
            legs = leg_words(study, part.line.legs)
            written = replace(part.line, half_width_percent=round(part.line.half_width_percent, 1))
            key = ("line", written, part.percent_of_square, legs, before, i == 0, self._units, theme.dark)
            self._lay(key, partial(self._line, study, part, before, i == 0))
            before += part.percent_of_square

    def _show_outlook(self, study: Study, margin: Sequence[MarginLine]) -> None:
        """Before the first leg: what this plan will leave open, priced."""
        half = math.sqrt(sum(line.half_width_percent**2 for line in margin))
        self._intro.setText(
            "Nothing is driven yet. Driven as planned, with everything noted, this is what would still be open."
        )
        self._show_margin(study, margin)
        self._list.addStretch()
        self._sum.setText(f"\u00b1{half:.1f}")
        self._words.setText("Expected of this plan. What nobody notes on the day makes it wider.")
        self._words.setStyleSheet(f"color: {theme.colours.muted};")
        self._foot.show()

    def _show_alone(self, study: Study, r: Result) -> None:
        """The margin of one configuration's consumption, where nothing is compared."""
        from fairmargin.exchange.words.results import level_words

        half = math.sqrt(sum(line.half_width_percent**2 for line in r.margin))
        self._intro.setText(
            f"What makes the margin of the consumption {level_words(study, r, self._units)}, in per cent of it."
        )
        self._show_margin(study, r.margin)
        self._list.addStretch()
        self._sum.setText(f"\u00b1{half:.1f}")
        self._words.setText("One configuration: nothing is compared, so nothing is fair or unfair.")
        self._words.setStyleSheet(f"color: {theme.colours.muted};")
        self._foot.show()

    def _section(self, title: str, words: str) -> None:
        def made() -> QWidget:
            head = label(title, "heading")
            head.setToolTip(words)
            head.setAccessibleDescription(words)
            return head

        self._lay(("section", title, words), made)

    def _line(self, study: Study, part: SquarePart, before: int, first: bool) -> QWidget:
        line = part.line
        box = QWidget()
        layout = QVBoxLayout(box)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(1)
        top = QHBoxLayout()
        top.addWidget(label(line.source.capitalize()), 1)
        of_square = label(f"{part.percent_of_square} %", "muted")
        of_square.setToolTip("Part of the margin's square; all parts add up to 100 %.")
        top.addWidget(of_square)
        top.addSpacing(8)
        half = label(f"\u00b1{line.half_width_percent:.1f}", "strong")
        top.addWidget(half)
        layout.addLayout(top)
        layout.addWidget(_Square(before, part.percent_of_square))
        said = [x for x in (leg_words(study, line.legs), line.cause) if x]
        if first:
            layout.addWidget(label(in_units(sentence(f"{': '.join(said)}."), self._units), "muted", wrap=True))
            step = label(in_units(line.remedy, self._units), "step", wrap=True)
            layout.addWidget(step)
        box.setToolTip(as_tip(in_units(sentence(f"{': '.join(said)}. {line.remedy}"), self._units)))
        return box

    def _entry(self, study: Study, concern: Concern, reach: float) -> QWidget:
        from fairmargin.core.fairness.checks import stage_of

        box = QWidget()
        layout = QVBoxLayout(box)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(1)
        top = QHBoxLayout()
        top.setSpacing(6)
        top.addWidget(_Sign(concern.severity), 0, Qt.AlignmentFlag.AlignTop)
        title = label(in_units(concern.title, self._units), "strong", wrap=True)
        top.addWidget(title, 1)
        if concern.bias_percent is None:
            shown = "?"
        else:
            shown = signed(concern.bias_percent) if concern.signed else f"\u00b1{abs(concern.bias_percent):.1f}"
        charge = label(shown, "strong")
        if concern.bias_percent is None:
            charge.setToolTip("No price can be put on it.")
        top.addWidget(charge, 0, Qt.AlignmentFlag.AlignTop)
        layout.addLayout(top)
        body = QVBoxLayout()
        body.setContentsMargins(22, 0, 0, 0)
        body.setSpacing(1)
        legs = leg_words(study, concern.legs)
        if legs:
            body.addWidget(label(legs, "muted"))
        if concern.bias_percent is not None:
            body.addWidget(_Charge(concern, reach))
        stage = stage_of(concern.code) or "drive"
        if concern.next_step.startswith("Nothing"):
            body.addWidget(label(in_units(concern.next_step, self._units), "muted"))
        else:
            step = label(in_units(concern.next_step, self._units), "step", wrap=True)
            body.addWidget(step)
            go = link(f"Look in {stage.capitalize()}")
            go.setAccessibleName(f"{in_units(concern.title, self._units)}: look in {stage.capitalize()}")
            go.clicked.connect(lambda _=False, s=stage: self.goTo.emit(s))
            body.addWidget(go)
        box.setToolTip(as_tip(in_units(concern.message, self._units)))
        layout.addLayout(body)
        return box

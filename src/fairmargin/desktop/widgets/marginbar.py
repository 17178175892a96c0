"""The margin bar: what is known, on one scale in per cent of consumption, and the verdict in words."""

from __future__ import annotations

from typing import TYPE_CHECKING, Final

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QFontMetricsF, QPainter, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from fairmargin.core.study import Study
from fairmargin.core.study.cells import compares
from fairmargin.core.units import UNIT_CHOICES, UnitChoice, in_units, label
from fairmargin.core.words import signed
from fairmargin.desktop.theme import font, theme, trial_colour
from fairmargin.desktop.widgets.axis import Axis
from fairmargin.desktop.widgets.basics import as_tip, draw_mark, percent
from fairmargin.desktop.widgets.decimals import Painter
from fairmargin.desktop.widgets.drawn import Drawn
from fairmargin.desktop.widgets.fairness import alone_result
from fairmargin.exchange.words.figures import consumption_words, distance_words, span_words
from fairmargin.exchange.words.names import framed, quoted, result_name, side_words, units_of

if TYPE_CHECKING:  # loaded with the first result
    from fairmargin.core.result.results import Result
    from fairmargin.core.result.types import Analysis, Comparison

PLAIN = UNIT_CHOICES["metric"]  # until the person's own are known

LINE = 84.0  # where the scale's line lies, px
KEY: Final = 24.0  # of a swatch of the key, with its gap


def verdict_head(study: Study, c: Comparison, units: UnitChoice = PLAIN) -> str:
    """Return the verdict as a headline: "Discs on: 3.6 % less"."""
    name = side_words(study, c.trial, units)
    size = f"{abs(c.effect_percent):.1f} %"
    words = {
        "uses more": f"{size} more",
        "uses less": f"{size} less",
        "no difference that matters": "no difference that matters",
        "not settled": f"{size} {'more' if c.effect_percent > 0 else 'less'}, not settled",
        "not a fair comparison": "not a fair comparison",
    }
    return f"{framed(name)}: {words[c.verdict]}"


def result_head(study: Study, r: Result, units: UnitChoice) -> tuple[str, str, str]:
    """Headline, line and small print of one configuration: consumption as driven, range, at reference."""
    from fairmargin.exchange.words.results import level_words

    own = units_of(study, r.vehicle, units)
    reach = ""
    if r.range_km is not None and r.range_interval_km is not None:
        low, high = (units.show("distance", v) for v in r.range_interval_km)
        reach = f"{distance_words(r.range_km, units)} to empty ({low:.0f} to {high:.0f})"
    if r.as_driven_wh_per_km is None:
        return (reach, "The battery's capacity is not known: range, but no energy", result_name(study, r, units))
    head = f"{consumption_words(r.as_driven_wh_per_km, own)} as driven"
    small = ""
    if r.wh_per_km is not None and r.interval_wh_per_km is not None:
        what = level_words(study, r, units)
        small = (
            f"{what} {consumption_words(r.wh_per_km, own)} ({span_words(r.interval_wh_per_km, own)}, "
            f"{100 * study.confidence:g} %)"
        )
    return head, reach or "Enter the usable capacity or tank for a range", small


def between(c: Comparison) -> str:
    """Return the interval in words, signs spelt out."""
    low, high = c.interval_percent
    level = c.level_words
    if low > 0:
        return f"between {low:.1f} and {high:.1f} % more, {level}"
    if high < 0:
        return f"between {-high:.1f} and {-low:.1f} % less, {level}"
    return f"between {-low:.1f} % less and {high:.1f} % more, {level}"


class MarginBar(Drawn):
    """Draws one comparison; empty before there is evidence, with what is needed next."""

    HEIGHT = 112

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFixedHeight(self.HEIGHT)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self._study: Study | None = None
        self._analysis: Analysis | None = None
        self._comparison = 0
        self._units = PLAIN
        theme.changed.connect(self.update)

    def show_analysis(
        self, study: Study | None, analysis: Analysis | None, index: int = 0, units: UnitChoice = PLAIN
    ) -> None:
        """Redraw from an analysis; None is the empty state."""
        self._study, self._analysis, self._comparison, self._units = study, analysis, index, units
        c, alone = self.comparison, self.result
        if study is None:
            words = "No study open"
        elif c is None and alone is not None:
            words = ". ".join(result_head(study, alone, units))
        elif c is None:
            words = analysis.missing if analysis else ""
        else:
            words = f"{verdict_head(study, c, units)}, {between(c)}; as read {percent(c.as_measured_percent)}"
        self.setAccessibleName(words)
        self.setToolTip(as_tip(words if c is None else f"{words}\n{in_units(c.reason, units)}"))
        self.update()

    @property
    def comparison(self) -> Comparison | None:
        """The comparison shown, if any."""
        if self._analysis is None or not self._analysis.comparisons:
            return None
        return self._analysis.comparisons[min(self._comparison, len(self._analysis.comparisons) - 1)]

    @property
    def result(self) -> Result | None:
        """The one configuration that is shown, where nothing is compared."""
        return alone_result(self._analysis)

    def paintEvent(self, _event: object) -> None:
        painter = Painter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), theme.colour("panel"))
        painter.setPen(QPen(theme.colour("rule"), 1))
        painter.drawLine(0, self.height() - 1, self.width(), self.height() - 1)
        if self._study is None:
            self._words(painter, "Fair Margin", "Open a study, or make a new one.", "")
        elif (alone := self.result) is not None:
            self._consumption(painter, self._study, alone)
        elif self.comparison is None and not compares(self._study):
            missing = self._analysis.missing if self._analysis else "Reading the study."
            self._words(painter, "No reading yet", missing, "Consumption and range stand here.")
        else:
            self._scale(painter, self._study)
        painter.end()

    def _words(self, painter: QPainter, head: str, line: str, small: str, colour: str = "ink") -> float:
        """Right-hand text; returns the width it took. What is not settled has its best figure in grey."""
        right = self.width() - 24
        widest = min(430.0, self.width() * 0.46)
        size = 24
        while size > 14 and QFontMetricsF(font(size, 600)).horizontalAdvance(head) > widest:
            size -= 1
        flags = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        painter.setPen(theme.colour(colour))
        painter.setFont(font(size, 600))
        shown = QFontMetricsF(font(size, 600)).elidedText(head, Qt.TextElideMode.ElideRight, widest)
        painter.drawText(QRectF(right - widest, 14, widest, 34), flags, shown)
        painter.setPen(theme.colour("ink"))
        painter.setFont(font(14))
        wrap = flags | Qt.TextFlag.TextWordWrap
        painter.drawText(QRectF(right - widest, 48, widest, 20 if small else 40), wrap, line)
        painter.setFont(font(12))
        painter.setPen(theme.colour("muted"))
        painter.drawText(QRectF(right - widest, 72, widest, 34), wrap, small)
        used = max(
            QFontMetricsF(font(size, 600)).horizontalAdvance(shown),
            min(widest, QFontMetricsF(font(14)).horizontalAdvance(line)),
            min(widest, QFontMetricsF(font(12)).horizontalAdvance(small)),
        )
        return used

    def _scale(self, painter: QPainter, study: Study) -> None:
        from fairmargin.core.result.claims import predicted_percent
        from fairmargin.core.result.verdict import SETTLED

        c = self.comparison
        prediction = predicted_percent(study, c)
        if c is None:
            missing = self._analysis.missing if self._analysis else "Reading the study."
            words = self._words(painter, "No verdict yet", missing, "")
        else:
            base = side_words(study, c.baseline, self._units)
            words = self._words(
                painter,
                verdict_head(study, c, self._units),
                between(c),
                f"as read: {percent(c.as_measured_percent)} \u00b7 of the consumption with {quoted(base)}",
                "ink" if c.verdict in SETTLED else "muted",
            )
        axis = self._axis(study, self.width() - words - 60.0)
        self._ends(painter, study, axis)
        self._what_does_not_matter(painter, study, axis)
        self._ticks(painter, axis)
        if c is not None:
            self._effect(painter, study, axis)
        if prediction is not None:
            _prediction(painter, axis, prediction)

    def _consumption(self, painter: QPainter, study: Study, r: Result) -> None:
        """One configuration: consumption as driven, and at reference with its margin, on a scale of its own unit."""
        units = units_of(study, r.vehicle, self._units)
        head, line, small = result_head(study, r, self._units)
        words = self._words(painter, head, line, small)
        if r.wh_per_km is None or r.interval_wh_per_km is None or r.as_driven_wh_per_km is None:
            return
        middle, driven = (units.show_consumption(v) for v in (r.wh_per_km, r.as_driven_wh_per_km))
        low, high = sorted(units.show_consumption(v) for v in r.interval_wh_per_km)
        ends = sorted((low, high, driven))
        pad = 0.15 * (ends[-1] - ends[0])
        axis = Axis.whole_ticks(ends[0] - pad, ends[-1] + pad, 24.0, self.width() - words - 60.0)
        metrics = QFontMetricsF(font(12))
        painter.setFont(font(12))
        painter.setPen(theme.colour("muted"))
        painter.drawText(QPointF(axis.start, 20), f"consumption, {label(units.consumption)}")
        painter.setPen(QPen(theme.colour("muted"), 1))
        painter.drawLine(QPointF(axis.start, LINE), QPointF(axis.end, LINE))
        for value in axis.ticks():
            painter.drawLine(QPointF(axis.at(value), LINE), QPointF(axis.at(value), LINE + 5))
            text = f"{value:.{axis.decimals}f}"
            width = metrics.horizontalAdvance(text)
            painter.drawText(QPointF(min(axis.at(value) - width / 2, axis.end - width + 12), LINE + 20), text)
        ink = theme.colour("baseline")
        lo, hi = axis.at(low), axis.at(high)
        painter.fillRect(QRectF(lo, 55, hi - lo, 18), theme.colour("baseline", 0.32))
        painter.setPen(QPen(ink, 2.5))
        painter.drawLine(QPointF(lo, 53), QPointF(lo, 75))
        painter.drawLine(QPointF(hi, 53), QPointF(hi, 75))
        draw_mark(painter, QPointF(axis.at(middle), 64), 19, None, ink)
        draw_mark(painter, QPointF(axis.at(driven), 44), 11, None, ink, False)
        painter.setPen(theme.colour("muted"))
        painter.drawText(QPointF(axis.at(driven) + 9, 48), "as driven")

    def _axis(self, study: Study, right: float) -> Axis:
        from fairmargin.core.result.claims import predicted_percent

        c = self.comparison
        prediction = predicted_percent(study, c)
        points = [-3 * study.smallest_effect_percent, 3 * study.smallest_effect_percent]
        if prediction is not None:
            points.append(prediction)
        if c is not None:
            points += [*c.interval_percent, c.effect_percent]
        low, high = min(points), max(points)
        pad = 0.08 * (high - low)
        return Axis.whole_ticks(low - pad, high + pad, 24.0, right)

    def _ends(self, painter: QPainter, study: Study, axis: Axis) -> None:
        """Say which side is which."""
        c, trial = self.comparison, study.trials[0] if study.trials else None
        name = side_words(study, c.trial, self._units) if c else trial.label if trial else "the trial"
        painter.setFont(font(12))
        painter.setPen(theme.colour("muted"))
        metrics = QFontMetricsF(font(12))
        half_axis = (axis.end - axis.start) / 2 - 10
        name = name if name.lower().startswith("with ") else f"with {name}"
        less = metrics.elidedText(f"less {name}", Qt.TextElideMode.ElideRight, half_axis)
        more = metrics.elidedText(f"more {name}", Qt.TextElideMode.ElideRight, half_axis)
        painter.drawText(QPointF(axis.start, 20), less)
        painter.drawText(QPointF(axis.end - metrics.horizontalAdvance(more), 20), more)
        left = axis.start + metrics.horizontalAdvance(less) + 24
        self._key(painter, left, axis.end - metrics.horizontalAdvance(more) - 24)

    def _key(self, painter: QPainter, left: float, right: float) -> None:
        """Say between both sides' names, where there is room, what shade and hatch are."""
        c, metrics = self.comparison, QFontMetricsF(font(12))
        entries = [("does not matter", False)]
        if c is not None and c.step_percent > 0:
            entries.append(("instruments cannot see", True))
        wide = sum(metrics.horizontalAdvance(words) + KEY + 18 for words, _ in entries)
        if wide > right - left:
            return
        x = left + (right - left - wide) / 2
        for words, hatched in entries:
            box = QRectF(x, 10, KEY - 6, 11)
            painter.fillRect(box, theme.colour("band"))
            if hatched:
                _hatch(painter, box)
            painter.setPen(QPen(theme.colour("edge"), 1))
            painter.drawRect(box)
            painter.setPen(theme.colour("muted"))
            painter.drawText(QPointF(x + KEY, 20), words)
            x += metrics.horizontalAdvance(words) + KEY + 18

    def _what_does_not_matter(self, painter: QPainter, study: Study, axis: Axis) -> None:
        """Draw the band of differences that do not matter; hatched in it, what the instruments cannot see."""
        c, x, smallest = self.comparison, axis.at, study.smallest_effect_percent
        painter.fillRect(QRectF(x(-smallest), 44, x(smallest) - x(-smallest), LINE - 44), theme.colour("band"))
        painter.setPen(QPen(theme.colour("edge"), 1))
        for end in (-smallest, smallest):
            painter.drawLine(QPointF(x(end), 44), QPointF(x(end), LINE))
        if c is None or c.step_percent <= 0:
            return
        seen = min(c.step_percent, max(abs(axis.low), abs(axis.high)))
        hatch = QRectF(x(-seen), 44, x(seen) - x(-seen), LINE - 44)
        _hatch(painter, hatch)

    def _ticks(self, painter: QPainter, axis: Axis) -> None:
        c, x, metrics = self.comparison, axis.at, QFontMetricsF(font(12))
        painter.setPen(QPen(theme.colour("muted"), 1))
        painter.drawLine(QPointF(axis.start, LINE), QPointF(axis.end, LINE))
        for value in axis.ticks():
            painter.drawLine(QPointF(x(value), LINE), QPointF(x(value), LINE + 5))
            text = "0" if value == 0 else f"{signed(value, 0 if axis.step >= 1 else 1)} %"
            width = metrics.horizontalAdvance(text)
            painter.drawText(QPointF(min(x(value) - width / 2, axis.end - width + 12), LINE + 20), text)
        painter.setPen(QPen(theme.colour("ink"), 2))
        painter.drawLine(QPointF(x(0), 36), QPointF(x(0), LINE))
        if c is None or not (c.interval_percent[0] - 1.2 * axis.step < 0 < c.interval_percent[1]):
            painter.setPen(theme.colour("muted"))
            painter.drawText(QPointF(x(0) + 6, 40), "no difference")

    def _effect(self, painter: QPainter, study: Study, axis: Axis) -> None:
        c = self.comparison
        if c is None:
            return
        index = study.trial_number(c.trial)
        ink = theme.colour(trial_colour(index))
        lo, hi = (axis.at(v) for v in c.interval_percent)
        painter.fillRect(QRectF(lo, 55, hi - lo, 18), theme.colour(trial_colour(index), 0.32))
        painter.setPen(QPen(ink, 2.5))
        painter.drawLine(QPointF(lo, 53), QPointF(lo, 75))
        painter.drawLine(QPointF(hi, 53), QPointF(hi, 75))
        draw_mark(painter, QPointF(axis.at(c.effect_percent), 64), 19, index, ink)


def _hatch(painter: QPainter, box: QRectF) -> None:
    """Hatch a box: what the instruments cannot see."""
    painter.save()
    painter.setClipRect(box)
    painter.setPen(QPen(theme.colour("edge"), 1))
    start = box.left() - box.height()
    while start < box.right():
        painter.drawLine(QPointF(start, box.bottom()), QPointF(start + 0.75 * box.height(), box.top()))
        start += 7
    painter.restore()


def _prediction(painter: QPainter, axis: Axis, prediction: float) -> None:
    """Draw the flag of what the tester said before the drive."""
    px, metrics = axis.at(prediction), QFontMetricsF(font(12))
    painter.setPen(QPen(theme.colour("muted"), 1.5))
    painter.drawLine(QPointF(px, 40), QPointF(px, LINE))
    painter.setBrush(theme.colour("panel"))
    painter.drawPolygon(QPolygonF([QPointF(px, 40), QPointF(px + 12, 45), QPointF(px, 50)]))
    painter.setPen(theme.colour("muted"))
    text = f"you said {signed(prediction, 0 if prediction == round(prediction) else 1)}"
    width = metrics.horizontalAdvance(text)
    painter.drawText(QPointF(max(axis.start, px - width - 5) if px - width > axis.start else px + 15, 40), text)

"""Configurations joined by several studies, on one scale: each with its margin, the studies that say so below it."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QFocusEvent, QKeyEvent, QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from fairmargin.core.memory.findings import Finding
from fairmargin.core.memory.network import Joint, Placed
from fairmargin.core.words import same_name, signed
from fairmargin.desktop.theme import font, theme, trial_colour
from fairmargin.desktop.widgets.axis import Axis
from fairmargin.desktop.widgets.basics import draw_mark
from fairmargin.desktop.widgets.decimals import Painter
from fairmargin.desktop.widgets.drawn import Drawn

ROW = 30.0  # of a configuration, px
LINE = 20.0  # of a study's own finding, px
LABEL_SHARE = 0.34
WORDS = 210.0  # at the right, px
FOOT = 26.0


@dataclass(frozen=True, slots=True)
class _Line:
    top: float
    placed: Placed | None
    finding: Finding | None
    trial: int | None


class JointChart(Drawn):
    """One line for each configuration, least consumption first; a study's own line opens it by click or Enter."""

    studyChosen = Signal(int)

    def __init__(self, joint: Joint, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.joint = joint
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self._lines = self._lay()
        self._now = -1
        bottom = self._lines[-1].top + (ROW if self._lines[-1].placed else LINE)
        self._bottom = bottom + 4
        self.setFixedHeight(int(self._bottom + FOOT))
        self.setAccessibleName(f"Against {joint.reference}")
        self.setAccessibleDescription("; ".join(self.words_of(p) for p in joint.placed))
        theme.changed.connect(self.update)

    def _lay(self) -> list[_Line]:
        """Lines from top to bottom: a configuration, then the studies that held it against the reference."""
        joint, out, top = self.joint, [], 0.0
        number = {name: i - 1 for i, name in enumerate(joint.names)}
        for placed in joint.placed:
            trial = None if placed.name == joint.reference else number[placed.name]
            out.append(_Line(top, placed, None, trial))
            top += ROW
            if placed.name == joint.reference:
                continue
            for f in joint.findings:
                if same_name(f.trial) == same_name(placed.name):
                    out.append(_Line(top, None, f, trial))
                    top += LINE
        return out

    def words_of(self, placed: Placed) -> str:
        """A configuration in words: effect, margin, its chance of using least."""
        best = f"least: {100 * placed.chances[0]:.0f} %" if placed.chances[0] >= 0.005 else ""
        if placed.name == self.joint.reference:
            return f"{placed.name}: the reference" + (f", {best}" if best else "")
        half = (placed.interval_percent[1] - placed.interval_percent[0]) / 2
        words = f"{placed.name}: {signed(placed.percent)} % \u00b1 {half:.1f}"
        return words + (f", {best}" if best else "")

    def sizeHint(self) -> QSize:
        return QSize(600, self.height())

    def _axis(self) -> Axis:
        ends = [0.0]
        for p in self.joint.placed:
            ends += p.interval_percent
        pad = 0.04 * (max(ends) - min(ends) or 1.0)
        start = self.width() * LABEL_SHARE
        room = max(self.width() - WORDS - start, 80.0)
        return Axis.whole_ticks(min(ends) - pad, max(ends) + pad, start, start + room, max(2, min(7, int(room / 75))))

    def paintEvent(self, _event: object) -> None:
        p = Painter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setFont(font(12))
        axis = self._axis()
        axis.draw_across(p, 2, self._bottom, lambda v: "0" if v == 0 else f"{signed(v, axis.decimals)} %", zero=True)
        for i, line in enumerate(self._lines):
            if line.placed is not None:
                self._configuration(p, axis, line, line.placed)
            elif line.finding is not None:
                if i == self._now:
                    p.fillRect(QRectF(0, line.top, self.width(), LINE), theme.colour("band"))
                    if self.hasFocus():
                        p.setPen(QPen(theme.colour("here"), 1.6))
                        p.drawRect(QRectF(1, line.top + 1, self.width() - 2, LINE - 2))
                self._study(p, axis, line, line.finding)
        p.end()

    def _configuration(self, p: QPainter, axis: Axis, line: _Line, placed: Placed) -> None:
        y = line.top + ROW / 2
        reference = line.trial is None
        name = "baseline" if line.trial is None else trial_colour(line.trial)
        draw_mark(p, QPointF(10, y), 12, line.trial, theme.colour(name))
        p.setPen(theme.colour("ink"))
        p.setFont(font(13, 600))
        room = axis.start - 36
        text = p.fontMetrics().elidedText(placed.name, Qt.TextElideMode.ElideRight, int(room))
        p.drawText(QRectF(24, line.top, room, ROW), Qt.AlignmentFlag.AlignVCenter, text)
        if not reference:
            low, high = (axis.at(v) for v in placed.interval_percent)
            p.fillRect(QRectF(low, y - 7, max(high - low, 1.0), 14), theme.colour(name, 0.32))
        draw_mark(p, QPointF(axis.at(placed.percent), y), 14, line.trial, theme.colour(name))
        p.setPen(theme.colour("ink"))
        words = self.words_of(placed).removeprefix(f"{placed.name}: ")
        p.setFont(font(13, 600 if not reference else 400))
        p.drawText(QRectF(axis.end + 12, line.top, WORDS - 14, ROW), Qt.AlignmentFlag.AlignVCenter, words)

    def _study(self, p: QPainter, axis: Axis, line: _Line, f: Finding) -> None:
        """One study's own result; where it was held against another than the reference, only in words."""
        y = line.top + LINE / 2
        p.setFont(font(12))
        p.setPen(theme.colour("muted"))
        room = axis.start - 48
        day = f"{f.when:%b %Y}: " if f.when else ""
        text = p.fontMetrics().elidedText(day + f.title.replace("\n", " "), Qt.TextElideMode.ElideRight, int(room))
        p.drawText(QRectF(36, line.top, room, LINE), Qt.AlignmentFlag.AlignVCenter, text)
        low, high = f.interval_percent
        against = "" if same_name(f.baseline) == same_name(self.joint.reference) else f" of {f.baseline}"
        words = f"{signed(f.percent)} % \u00b1 {(high - low) / 2:.1f}{against}"
        p.drawText(QRectF(axis.end + 12, line.top, WORDS - 14, LINE), Qt.AlignmentFlag.AlignVCenter, words)
        if against:
            return
        a, b = (axis.at(min(max(v, axis.low), axis.high)) for v in (low, high))
        ink = theme.colour(trial_colour(line.trial or 0))
        p.setPen(QPen(ink, 1.6))
        p.drawLine(QPointF(a, y), QPointF(b, y))
        draw_mark(p, QPointF(axis.at(min(max(f.percent, axis.low), axis.high)), y), 8, line.trial, ink, False)

    # ------------------------------------------------------------ choosing a study

    def _at(self, y: float) -> int:
        for i, line in enumerate(self._lines):
            if line.finding is not None and line.top <= y < line.top + LINE:
                return i
        return -1

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        at = self._at(event.position().y())
        self.setCursor(Qt.CursorShape.PointingHandCursor if at >= 0 else Qt.CursorShape.ArrowCursor)
        if at != self._now and at >= 0:
            self._now = at
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._open(self._at(event.position().y()))

    def _open(self, at: int) -> None:
        finding = self._lines[at].finding if at >= 0 else None
        if finding is not None:
            self.studyChosen.emit(finding.study)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        studies = [i for i, line in enumerate(self._lines) if line.finding is not None]
        key = event.key()
        if key in {Qt.Key.Key_Down, Qt.Key.Key_Up} and studies:
            step = 1 if key == Qt.Key.Key_Down else -1
            at = studies.index(self._now) + step if self._now in studies else (0 if step > 0 else -1)
            if 0 <= at < len(studies) or self._now not in studies:
                self._now = studies[at]
                self.update()
                return
            super().keyPressEvent(event)
        elif key in {Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space}:
            self._open(self._now)
        else:
            super().keyPressEvent(event)

    def focusInEvent(self, event: QFocusEvent) -> None:
        super().focusInEvent(event)
        self.update()

    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        self.update()

"""The load against its limits."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from fairmargin.core.planning.load import Check, carried, trailer
from fairmargin.core.study.plan import Load, LoadPlace
from fairmargin.desktop.theme import font, theme
from fairmargin.desktop.widgets.charts import Chart

_MIDDLE = Qt.AlignmentFlag.AlignVCenter
_RIGHT = Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight

ROW = 86  # of a quantity: its bar, and four lines of words, px


class LoadDrawing(Chart):
    """Vehicle and trailer from the side, and each check as a bar towards its limit."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._checks: Sequence[Check] = ()
        self._carried: Sequence[tuple[str, float, LoadPlace]] = ()
        self._trailer = False
        self._roof = False
        self.setMinimumHeight(300)

    def show_checks(self, checks: Sequence[Check], load: Load) -> None:
        """Redraw: what is carried where, and each check."""
        self._checks, self._carried = checks, carried(load)
        self._trailer = trailer(load).counts is not None or bool(load.towing_limit)
        self._roof = any(place == "roof" for _, _, place in self._carried)
        self.setMinimumHeight(118 + ROW * max(len(checks), 1))
        places = {
            place: [name for name, _, x in self._carried if x == place] for place in ("aboard", "roof", "trailer")
        }
        drawn = [f"{place}: {', '.join(names)}" for place, names in places.items() if names]
        told = [f"{c.name}: {c.state}, {c.words}" for c in checks]
        self.setAccessibleName("; ".join([*drawn, *told]) or "Nothing to check yet")
        self.update()

    def draw(self, p: QPainter) -> None:
        self._draw_vehicle(p)
        if not self._checks:
            p.setPen(theme.colour("muted"))
            p.setFont(font(13))
            p.drawText(
                QRectF(20, 110, self.width() - 40, 60),
                Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap,
                "Enter masses and the limits from plates and handbook; what is over or close is said here.",
            )
            return
        inks = {"fine": "fine", "close": "caution", "over": "blocks", "too light": "blocks", "not known": "muted"}
        words = {
            "fine": "fine",
            "close": "close",
            "over": "NOT ALLOWED",
            "too light": "too light",
            "not known": "not known",
        }
        left, right = 120.0, self.width() - 120.0
        for i, check in enumerate(self._checks):
            y = 112.0 + ROW * i
            p.setFont(font(13, 600))
            p.setPen(theme.colour("ink"))
            p.drawText(QRectF(8, y, 110, 18), _MIDDLE, check.name)
            most = 1.15 * max(check.value_kg or 0.0, check.high_kg or 0.0, check.low_kg or 0.0, 1.0)
            p.fillRect(QRectF(left, y + 3, right - left, 12), theme.colour("band"))
            ink = theme.colour(inks[check.state])
            if check.value_kg is not None:
                p.fillRect(QRectF(left, y + 3, check.value_kg / most * (right - left), 12), ink)
            p.setPen(QPen(theme.colour("ink"), 2))
            for edge in (check.low_kg, check.high_kg):
                if edge is not None:
                    ex = left + edge / most * (right - left)
                    p.drawLine(QPointF(ex, y - 1), QPointF(ex, y + 19))
            p.setPen(ink)
            p.setFont(font(13, 600))
            p.drawText(QRectF(right + 10, y, 110, 18), _MIDDLE, words[check.state])
            p.setFont(font(12))
            p.setPen(theme.colour("muted"))
            flags = Qt.AlignmentFlag.AlignTop | Qt.TextFlag.TextWordWrap
            p.drawText(QRectF(8, y + 19, self.width() - 16, ROW - 22), flags, check.words)

    def _draw_vehicle(self, p: QPainter) -> None:
        ground = 92.0
        p.save()
        scale = min(1.0, self.width() / 440.0)
        p.translate(0.0, ground * (1 - scale))
        p.scale(scale, scale)
        p.setPen(QPen(theme.colour("rule"), 2))
        p.drawLine(QPointF(8, ground), QPointF(self.width() / scale - 8, ground))
        p.setPen(QPen(theme.colour("baseline"), 2))
        p.setBrush(theme.colour("baseline", 0.18))
        x = 250.0 if self._trailer else 60.0
        body = QPolygonF(
            [
                QPointF(x, 78),
                QPointF(x, 34),
                QPointF(x + 108, 34),
                QPointF(x + 140, 56),
                QPointF(x + 166, 60),
                QPointF(x + 168, 78),
            ]
        )
        p.drawPolygon(body)
        for wheel in (x + 34, x + 132):
            p.setBrush(theme.colour("panel"))
            p.drawEllipse(QPointF(wheel, ground - 12), 12, 12)
        if self._roof:
            self._draw_things(p, "roof", QRectF(x + 6, 17, 100, 15))
        self._draw_things(p, "aboard", QRectF(x + 4, 46, 126, 17))
        if self._trailer:
            # The vehicle faces right; the trailer is hitched behind it.
            p.setPen(QPen(theme.colour("trial"), 2))
            p.setBrush(theme.colour("trial", 0.18))
            tx = x - 190
            p.drawRect(QRectF(tx, 30, 130, 46))
            self._draw_things(p, "trailer", QRectF(tx + 3, 48, 124, 17))
            p.setPen(QPen(theme.colour("trial"), 2))
            p.drawLine(QPointF(tx + 130, 74), QPointF(x, 74))
            p.setBrush(theme.colour("panel"))
            p.drawEllipse(QPointF(tx + 66, ground - 12), 12, 12)
        p.restore()

    def _draw_things(self, p: QPainter, place: str, room: QRectF) -> None:
        """Things in one place side by side, each as wide as it is heavy; named where there is room for its name."""
        things = [(name, kg) for name, kg, where in self._carried if where == place and kg > 0]
        whole = sum(kg for _, kg in things)
        left = room.left()
        p.setFont(font(10))
        for name, kg in things:
            box = QRectF(left, room.top(), room.width() * kg / whole, room.height())
            left = box.right()
            p.setPen(QPen(theme.colour("panel"), 1))
            p.setBrush(theme.colour("trial", 0.45))
            p.drawRect(box)
            p.setPen(theme.colour("ink"))
            written = p.fontMetrics().elidedText(name, Qt.TextElideMode.ElideRight, int(box.width()) - 4)
            if len(written) > 2:
                p.drawText(box, Qt.AlignmentFlag.AlignCenter, written)

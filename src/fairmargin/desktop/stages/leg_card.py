"""One leg on the run sheet: fields, state, and how to leave it out."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Protocol, cast

from PySide6.QtCore import QObject, Qt
from PySide6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QMenu,
    QToolButton,
    QVBoxLayout,
)

from fairmargin.core import units
from fairmargin.core.study import Leg
from fairmargin.core.study.entry import show_number, show_reading
from fairmargin.desktop.session import Session
from fairmargin.desktop.stages.base import Field
from fairmargin.desktop.widgets.basics import Elided, as_tip, label


class Sheet(Protocol):
    """What a card needs of the run sheet it lies on."""

    session: Session

    def commit(self, name: str, key: str, text: str) -> None:
        """Store one typed field; ValueError in words when it is refused."""

    def clear_leg(self, name: str) -> None:
        """Take every reading off a leg."""

    def toggle_left_out(self, name: str) -> None:
        """Leave a leg out with a reason, or take it back in."""

    def note_event(self, name: str, kind: str) -> None:
        """Add an event to a leg."""


class LegCard(QFrame):
    """One leg on the sheet: fields, state, and how to leave it out."""

    def __init__(self, stage: Sheet, name: str) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.stage, self.name = stage, name
        layout = QVBoxLayout(self)
        layout.setContentsMargins(9, 5, 9, 7)
        layout.setSpacing(3)
        head = QHBoxLayout()
        head.setSpacing(6)
        self.head = label("", "heading")
        head.addWidget(self.head)
        self.state = Elided()
        head.addWidget(self.state, 3)
        self.menu_button = QToolButton()
        self.menu_button.setText("\u00b7\u00b7\u00b7")
        self.menu_button.setAccessibleName(f"More for leg {name}")
        self.menu_button.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        menu = QMenu(self.menu_button)
        self.leave = menu.addAction("Leave out\u2026")
        self.leave.triggered.connect(self._toggle)
        for kind, words in (
            ("slow-traffic", "Note slow traffic\u2026"),
            ("following-closely", "Note: followed closely"),
            ("stop", "Note a stop"),
            ("rain", "Note rain"),
            ("lift-off", "Note: lifted off before the read-off"),
            ("reset-doubtful", "Note: reset doubtful"),
        ):
            menu.addAction(words).triggered.connect(lambda _=False, k=kind: stage.note_event(name, k))
        menu.addAction("Clear this leg's readings").triggered.connect(lambda: stage.clear_leg(name))
        self.menu_button.setMenu(menu)
        layout.addLayout(head)
        self.fields: dict[str, Field] = {}
        self.fault = label("", "fault", wrap=True)
        first, second = QHBoxLayout(), QHBoxLayout()
        for row in (first, second):
            row.setSpacing(5)
            layout.addLayout(row)
        specs: tuple[tuple[QHBoxLayout, str, str, int, str], ...] = (
            (
                first,
                "reading",
                "Reading",
                6,
                "As shown: 15.4, 212 Wh/mi, 3.4 mi/kWh, 2.86 kWh, 82-71 %, 4.1 kWh charged, 1.9 L",
            ),
            (first, "distance_km", "Distance", 4, "As the car shows it"),
            (first, "duration_s", "Time", 4, "min:s, such as 16:30"),
            (second, "started_at", "Start", 4, "9:35, or a whole date and time"),
            (second, "temperature_c", "Air", 3, "Outside temperature"),
            (second, "wind_speed_ms", "Wind", 4, "Mean wind at the mast"),
            (second, "wind_from_deg", "from", 3, "Direction it comes from: degrees or N, NE, E \u2026"),
            (second, "pressure_hpa", "Pressure", 5, "At the place, not reduced to sea level"),
            (head, "note", "", 2, "Note"),
        )
        for row, key, caption, stretch, tip in specs:
            field = Field(caption, self._committer(key), tip=tip, fault=self.fault)
            field.edit.setMinimumWidth(24)
            field.edit.setObjectName("cell")
            field.caption.setMinimumWidth(1)
            field.edit.setAccessibleName(f"{caption or tip}, leg {name}")
            if not caption:
                field.edit.setPlaceholderText(tip)
            field.edit.installEventFilter(cast(QObject, stage))
            field.edit.setProperty("leg", name)
            field.edit.setProperty("key", key)
            self.fields[key] = field
            row.addWidget(field, stretch, Qt.AlignmentFlag.AlignTop)
        head.addWidget(self.menu_button)
        layout.addWidget(self.fault)

    def _committer(self, key: str) -> Callable[[str], None]:
        return lambda text: self.stage.commit(self.name, key, text)

    def holds(self) -> bool:
        """Whether a field holds text that is not stored."""
        return any(field.has_fault or field.edit.isModified() for field in self.fields.values())

    def show_leg(self, leg: Leg, events: Sequence[str]) -> None:
        """Show the leg's stored values and what happened on it."""
        choice = self.stage.session.units
        way = {"out": "Out", "back": "Back", "loop": "Round"}.get(leg.direction, "Leg")
        self.head.setText(f"{way} \u00b7 {leg.leg}")
        words = self.stage.session.state(leg)
        if words == "left out":
            words = f"left out: {leg.reason or 'no reason given'}"
        elif events:
            words += f" \u00b7 {', '.join(dict.fromkeys(events))}"
        self.state.setText(words)
        self.state.setToolTip(as_tip(words))
        self.leave.setText("Take back in" if not leg.included else "Leave out\u2026")
        f = self.fields
        own = units.label(choice.consumption)
        f["reading"].show_text(show_reading(leg).removesuffix(f" {own}"))
        for key, words, unit in (
            ("reading", "Reading", own),
            ("distance_km", "Distance", choice.distance),
            ("duration_s", "Time", "min:s"),
            ("temperature_c", "Air", choice.temperature),
            ("wind_speed_ms", "Wind", choice.wind),
            ("wind_from_deg", "from", "\u00b0"),
            ("pressure_hpa", "Press.", choice.pressure),
        ):
            f[key].caption.setText(f"{words}, {unit}")
        f["distance_km"].show_text(_shown(choice, "distance", leg.distance_km, 2))
        f["duration_s"].show_text(units.show_duration(leg.duration_s))
        started = leg.started_at
        f["started_at"].show_text(started.strftime("%H:%M") if started else "")
        f["started_at"].edit.setToolTip(
            started.strftime("%Y-%m-%d %H:%M") if started else "9:35, or a whole date and time"
        )
        f["temperature_c"].show_text(_shown(choice, "temperature", leg.temperature_c, 1))
        f["wind_speed_ms"].show_text(_shown(choice, "wind", leg.wind_speed_ms, 1))
        f["wind_from_deg"].show_text(show_number(leg.wind_from_deg, 0))
        f["pressure_hpa"].show_text(
            _shown(choice, "pressure", leg.pressure_hpa, 1 if choice.pressure == "hPa" else 2)
        )
        f["note"].show_text(leg.note)
        read_only = self.stage.session.read_only
        for field in f.values():
            if field.edit.isReadOnly() != read_only:
                field.edit.setReadOnly(read_only)

    def mark_next(self, is_next: bool) -> None:
        """Show whether this is the leg to drive now."""
        if bool(self.property("next")) != is_next:
            self.setProperty("next", is_next)
            self.style().unpolish(self)
            self.style().polish(self)

    def _toggle(self) -> None:
        self.stage.toggle_left_out(self.name)


def _shown(choice: units.UnitChoice, quantity: str, value: float | None, decimals: int) -> str:
    return "" if value is None else show_number(choice.show(quantity, value), decimals)

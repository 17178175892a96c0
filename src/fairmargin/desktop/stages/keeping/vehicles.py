"""What the logbook knows of a vehicle and of a road."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from fairmargin.core.inference.scatter import learned_scatter
from fairmargin.core.memory.facts import known_facts
from fairmargin.core.memory.findings import BETWEEN
from fairmargin.core.memory.vehicle import VehicleKnowledge
from fairmargin.core.units import in_units
from fairmargin.desktop.stages.keeping.base import KeepingPage
from fairmargin.desktop.state.across_studies import Memory
from fairmargin.desktop.state.session import Session
from fairmargin.desktop.widgets.basics import label, named_choice, panel, scrolling, show_choice
from fairmargin.desktop.widgets.dates import day_words
from fairmargin.desktop.widgets.keeping.moves import MovesChart
from fairmargin.exchange.words.across import facts_lines, road_lines

NOTHING = (
    "Nothing is known of this vehicle yet. Each study with readings says something of its drag, its tyres, its heating, and of the "
    "wind on the road; it adds up here."
)


class VehiclesPage(KeepingPage):
    """A vehicle's constants and how each study moved them; its instruments; and the roads."""

    studyChosen = Signal(int)

    def __init__(self, session: Session, memory: Memory, parent: QWidget | None = None) -> None:
        super().__init__(session, parent)
        self.memory = memory
        self.known: VehicleKnowledge | None = None
        page = QVBoxLayout(self)
        page.setContentsMargins(0, 0, 0, 0)
        page.setSpacing(10)
        row = QHBoxLayout()
        holder, self.vehicle = named_choice("Vehicle", (), lambda _: self.refresh())
        row.addWidget(holder)
        holder, self.road = named_choice("Road", (), lambda _: self.refresh())
        row.addWidget(holder)
        row.addStretch()
        page.addLayout(row)
        inner = QWidget()
        body = QVBoxLayout(inner)
        body.setContentsMargins(0, 0, 8, 0)
        body.setSpacing(12)
        frame, box = panel()
        self.title = label("", "heading")
        box.addWidget(self.title)
        self.facts = label("", wrap=True)
        box.addWidget(self.facts)
        self.chart = MovesChart()
        box.addWidget(self.chart)
        self.how = label(
            "Intervals hold 95 %. A new study of this vehicle is offered these figures as what is thought beforehand; it says so, with the "
            "day, and they can be refused.",
            "muted",
            wrap=True,
        )
        box.addWidget(self.how)
        body.addWidget(frame)
        self.road_frame, box = panel()
        self.road_title = label("", "heading")
        box.addWidget(self.road_title)
        self.road_words = label("", wrap=True)
        box.addWidget(self.road_words)
        body.addWidget(self.road_frame)
        body.addStretch()
        page.addWidget(scrolling(inner), 1)
        memory.changed.connect(self.touch)

    def refresh(self) -> None:
        """Add up what the studies of the chosen vehicle and road say."""
        names, roads = [n for n in self.memory.vehicles() if n != BETWEEN], self.memory.roads()
        for box, every in ((self.vehicle, names), (self.road, roads)):
            now = box.currentText()
            if [box.itemText(i) for i in range(box.count())] != every:
                box.clear()
                box.addItems(every)
                if now in every:
                    show_choice(box, now)
            box.setEnabled(bool(every))
        self._show_vehicle(self.vehicle.currentText())
        self._show_road(self.road.currentText())

    def _show_vehicle(self, name: str) -> None:
        vehicle = self.memory.vehicle(name) if name else None
        self.known = None if vehicle is None else self.memory.knowledge(vehicle)
        known = self.known
        some = known is not None and bool(known.studies)
        self.chart.setVisible(some)
        self.how.setVisible(some)
        if known is None or not some:
            self.title.setText(name or "No vehicle has a name yet")
            self.facts.setText(NOTHING)
            return
        count = len(known.studies)
        until = f", the last driven {day_words(known.as_of)}" if known.as_of else ""
        self.title.setText(f"{known.vehicle}, from {count} stud{'ies' if count != 1 else 'y'}{until}")
        book = self.session.logbook
        scatter = learned_scatter([] if book is None else book.scatter_evidence())
        lines = facts_lines(known_facts(self.memory.read().facts, name), scatter)
        self.facts.setText(in_units("\n".join(lines), self.session.own_units))
        self.chart.show_constants(known.constants, self.session.own_units)

    def _show_road(self, name: str) -> None:
        self.road_frame.setVisible(bool(name))
        if not name:
            return
        road = self.memory.road(name)
        self.road_title.setText(name)
        self.road_words.setText(in_units("\n".join(road_lines(road, self.known)), self.session.own_units))

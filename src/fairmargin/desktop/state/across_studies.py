"""What the open logbook's studies say for each other, read once for all pages that show it."""

from __future__ import annotations

import json
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from fairmargin.core.study import Study, Vehicle
from fairmargin.core.words import same_name
from fairmargin.desktop.state.opened import Opened
from fairmargin.logbook import LogbookFault
from fairmargin.logbook.lines import Remembering, read_memories

if TYPE_CHECKING:  # loaded with the first page that asks, not with the list
    from fairmargin.core.memory.differences import Difference
    from fairmargin.core.memory.findings import Finding
    from fairmargin.core.memory.network import Joint
    from fairmargin.core.memory.road import RoadKnowledge
    from fairmargin.core.memory.vehicle import VehicleKnowledge

MOST_STUDIES = 60  # of one road that are read
SAME = "home/same"  # of the settings: names that mean the same, by logbook


class Memory(QObject):
    """Read when it is wanted, forgotten when a study changes."""

    changed = Signal()

    def __init__(self, session: Opened) -> None:
        super().__init__(session)
        self._session = session
        self._known: Remembering | None = None
        for signal in (session.studiesChanged, session.logbookChanged, session.studyChanged, session.analysisChanged):
            signal.connect(self._forget)

    def _forget(self) -> None:
        self._known = None
        self.changed.emit()

    def read(self) -> Remembering:
        """What the studies say for each other."""
        book = self._session.logbook
        if self._known is None:
            try:
                self._known = Remembering() if book is None else read_memories(book.memories())
            except LogbookFault as fault:
                self._session.failed.emit(str(fault))
                self._known = Remembering()
        return self._known

    @property
    def same(self) -> dict[str, str]:
        """Names of configurations that somebody said are another's, in this logbook: name, the other."""
        book = self._session.logbook
        try:
            every = json.loads(str(self._session.settings.value(SAME, "{}")))
            own = every.get(str(book.path.absolute()), {}) if book is not None else {}
            return {str(k): str(v) for k, v in own.items()}
        except (ValueError, AttributeError):
            return {}

    def say_same(self, name: str, other: str) -> None:
        """Say that a configuration's name is another's; with itself, that it is its own again."""
        book = self._session.logbook
        if book is None:
            return
        try:
            every = json.loads(str(self._session.settings.value(SAME, "{}")))
        except ValueError:
            every = {}
        own = {k: v for k, v in self.same.items() if same_name(k) != same_name(name)}
        if same_name(name) != same_name(other):
            own[name] = other
        every[str(book.path.absolute())] = own
        self._session.settings.setValue(SAME, json.dumps(every))
        self.changed.emit()

    def findings(self) -> list[Finding]:
        """What the studies found, with the names that were said to be the same."""
        from fairmargin.core.memory.network import renamed

        return renamed(self.read().findings, self.same)

    def study(self, number: int) -> Study | None:
        """A study of the logbook; None where it cannot be read."""
        book = self._session.logbook
        try:
            return None if book is None else book.read(number).study
        except LogbookFault:
            return None

    def differences(self, joint: Joint) -> tuple[Difference, ...]:
        """What was not alike between the oldest and the youngest study of a question."""
        from fairmargin.core.memory.differences import changed

        own = joint.in_time
        first, last = self.study(own[0].study), self.study(own[-1].study)
        return () if first is None or last is None else changed(first, last)

    def vehicles(self) -> list[str]:
        """Names of the vehicles that anything is known of, as they were written last."""
        names: dict[str, str] = {}
        known = self.read()
        for name in (*(f.vehicle for f in known.findings), *(f.vehicle for f in known.facts)):
            if name:
                names[same_name(name)] = name
        return sorted(names.values(), key=str.casefold)

    def vehicle(self, name: str) -> Vehicle | None:
        """A vehicle as the newest study with it has it."""
        numbers = sorted({f.study for f in self.read().facts if same_name(f.vehicle) == same_name(name)}, reverse=True)
        for number in numbers:
            study = self.study(number)
            for vehicle in () if study is None else (*study.vehicles, study.vehicle):
                if same_name(vehicle.name) == same_name(name):
                    return vehicle
        return None

    def roads(self) -> list[str]:
        """Names of the roads of the logbook's studies, the one of most studies first."""
        book = self._session.logbook
        try:
            entries = [] if book is None else book.studies()
        except LogbookFault:
            return []
        names: dict[str, tuple[str, int]] = {}
        for e in entries:
            if e.about.road:
                key = same_name(e.about.road)
                names[key] = (e.about.road, names.get(key, ("", 0))[1] + 1)
        return [n for n, _ in sorted(names.values(), key=lambda v: (-v[1], v[0].casefold()))]

    def studies_on(self, road: str) -> int:
        """How many studies were driven on a road."""
        book = self._session.logbook
        return 0 if book is None else sum(same_name(e.about.road) == same_name(road) for e in book.studies())

    def road(self, name: str) -> RoadKnowledge:
        """What the studies on a road say of it; of the newest where there are very many."""
        from fairmargin.core.memory.road import road_knowledge

        book = self._session.logbook
        studies: list[Study] = []
        if book is not None:
            numbers = [e.id for e in book.studies() if same_name(e.about.road) == same_name(name) and not e.damage]
            studies = [s for n in numbers[-MOST_STUDIES:] if (s := self.study(n)) is not None]
        return road_knowledge(name, studies)

    def knowledge(self, vehicle: Vehicle, leaving_out: int | None = None) -> VehicleKnowledge:
        """What the studies say of a vehicle, as its owner knows it; without one of them."""
        from fairmargin.core.memory.vehicle import what_is_known

        return what_is_known([t for t in self.read().taught if t.study != leaving_out], vehicle)

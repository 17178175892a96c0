"""A rehearsal under way: the virtual car, its stand-ins, and a clock that waits for the window."""

from __future__ import annotations

from datetime import datetime, timedelta
from typing import Final

from PySide6.QtCore import QObject, QTimer

from fairmargin.core.planning import plan_day
from fairmargin.core.study import Study
from fairmargin.desktop.stages.driving.settings import InstrumentSettings
from fairmargin.instruments.samples import Clock, Patience
from fairmargin.instruments.standins import GpsStandIn, StationStandIn, VehicleStandIn
from fairmargin.simulation.rehearsal import Rehearsal, VirtualCar

BEAT_MS: Final = 10
AFTER_LAST: Final = timedelta(minutes=5)


class RehearsalSet:
    """The virtual car and its stand-ins; started when made."""

    def __init__(
        self, owner: QObject, study_id: int, study: Study, made: Rehearsal, start: datetime, rate: float
    ) -> None:
        self.study_id = study_id
        patience = Patience()
        self._heart = QTimer(owner)
        self._heart.setInterval(BEAT_MS)
        self._heart.timeout.connect(patience.beat)
        self._heart.start()
        self.clock = Clock(start, rate, patience)
        self.car = VirtualCar(made)
        self.car.has_driven((leg, (end - start).total_seconds()) for leg, end in _driven(study))
        self.gps = GpsStandIn(self.car, self.clock)
        self.vehicle = VehicleStandIn(self.car, self.clock)
        self.station = StationStandIn(self.car, self.clock)
        for one in (self.gps, self.vehicle, self.station):
            one.start()

    @property
    def settings(self) -> InstrumentSettings:
        """Where the stand-ins are found."""
        return InstrumentSettings(
            gps=self.gps.address,
            interface=VehicleStandIn.INTERFACE,
            channel=self.vehicle.channel,
            weather=self.station.url,
        )

    def stop(self) -> None:
        """Let every stand-in go."""
        for one in (self.gps, self.vehicle, self.station):
            one.stop()
        self._heart.stop()


def _driven(study: Study) -> list[tuple[str, datetime]]:
    """Legs of a rehearsal that were driven to their read-off, and when that was, in order of time."""
    ends = [
        (leg.leg, leg.started_at + timedelta(seconds=float(leg.duration_s)))
        for leg in study.legs
        if leg.started_at is not None and leg.duration_s is not None
    ]
    return sorted(ends, key=lambda end: end[1])


def rehearsed_from(study: Study) -> datetime:
    """Where the rehearsed day stands: after the last leg driven, else at the plan's first run."""
    ends = _driven(study)
    if ends:
        return ends[-1][1] + AFTER_LAST
    return next(s.start for s in plan_day(study, study.order).steps if s.kind == "run")

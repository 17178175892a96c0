"""Where a drive stands: what is next, how far, how fast; figures for whoever shows them."""

from __future__ import annotations

from PySide6.QtCore import QObject

from fairmargin.core.companion import RoadPlaces, road_places, true_kmh
from fairmargin.core.leg_drive import LegDrive
from fairmargin.core.study import Leg, Study
from fairmargin.desktop.stages.driving.hub import InstrumentHub
from fairmargin.desktop.state.session import Session


class DriveState(InstrumentHub):
    """The session's study, the leg under way, and what can be worked out of both."""

    def __init__(self, session: Session, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.drive: LegDrive | None = None
        self.chosen = ""  # leg that somebody wants to drive next, out of its turn
        self.going_home = False  # the rest is not driven today
        self._places: tuple[object, RoadPlaces] | None = None

    @property
    def study(self) -> Study | None:
        """The study of the session."""
        return self.session.study

    def next_leg(self) -> Leg | None:
        """The leg under way, else the one chosen, else the first that is planned; none where the rest is given up."""
        study = self.study
        if study is None:
            return None
        if self.drive is not None:
            return next((leg for leg in study.legs if leg.leg == self.drive.leg), None)
        if self.going_home:
            return None
        left = self.left()
        return next((leg for leg in left if leg.leg == self.chosen), left[0] if left else None)

    def left(self) -> list[Leg]:
        """Legs that are still to be driven, in the order of the plan."""
        study = self.study
        return [leg for leg in study.legs if self._to_drive(leg)] if study else []

    def _to_drive(self, leg: Leg) -> bool:
        """Whether a leg is still to be driven; one that was, and waits for its reading, is not."""
        return self.session.state(leg) == "planned" and leg.duration_s is None

    def begun(self) -> set[str]:
        """Legs that were driven, or are being driven."""
        study, now = self.study, self.drive.leg if self.drive is not None else ""
        return {x.leg for x in (study.legs if study else ()) if x.leg == now or not self._to_drive(x)}

    def unread(self) -> list[str]:
        """Legs that were driven and have no reading yet (a charge that is still to come, a photograph)."""
        study = self.study
        return [
            leg.leg
            for leg in (study.legs if study else ())
            if leg.duration_s is not None and self.session.state(leg) == "planned"
        ]

    def places(self) -> RoadPlaces:
        """The road and the gates of the leg that is driven, or comes next."""
        study = self.study
        assert study is not None
        leg = self.next_leg()
        sector = leg.sector if leg is not None else ""
        key = (self.session.study_id, study.route, study.plan.gate_start_m, study.plan.gate_end_m, sector)
        if self._places is None or self._places[0] != key:
            self._places = (key, road_places(study, sector))
        return self._places[1]

    def done_runs(self) -> int:
        """Runs of which no leg is still to be driven, from the first on."""
        study = self.study
        count = 0
        for _, legs in study.runs() if study else []:
            if any(self._to_drive(leg) for leg in legs):
                break
            count += 1
        return count

    def speed_kmh(self) -> float | None:
        """True speed now: by GPS, else the vehicle's own without its stated error. [km/h]"""
        by_gps = self.value("speed_kmh", "gps")
        if by_gps is not None:
            return by_gps
        shown, study = self.value("speed_kmh", "vehicle"), self.study
        if shown is None or study is None:
            return None
        return true_kmh(study, shown)

    def since_reset_s(self) -> float | None:
        """Time on the leg. [s]"""
        return None if self.drive is None else self.drive.since_reset_s(self.clock.seconds())

    def driven_km(self) -> float | None:
        """Distance since the reset: by GPS or bus, else by the clock at the speed aimed for. [km]"""
        drive, study = self.drive, self.study
        return None if drive is None or study is None else drive.distance_km(study, self.clock.seconds())

    def place_km(self) -> float | None:
        """Place on the road in driving direction, by GPS. [km]"""
        drive = self.drive
        latitude, longitude = self.value("latitude", "gps"), self.value("longitude", "gps")
        if drive is None or latitude is None or longitude is None:
            return None
        places = self.places()
        guess = places.gates(drive.backwards)[0] + drive.driven_km
        return places.along_km(latitude, longitude, drive.backwards, guess)

    def to_gate_km(self) -> float | None:
        """Distance to the next gate: the start line before the reset, the read-off after it. [km]"""
        drive = self.drive
        if drive is None:
            return None
        return drive.to_gate_km(self.places(), self.place_km(), self.driven_km())

    def landmark_ahead(self) -> tuple[str, float] | None:
        """Name of the next sector of the road and the distance to it; None where there is none. [km]"""
        drive = self.drive
        if drive is None:
            return None
        places, place = self.places(), self.place_km()
        if place is None:
            driven = self.driven_km()
            if driven is None:
                return None
            place = places.gates(drive.backwards)[0] + driven
        return places.landmark_ahead(place, drive.backwards)

"""One leg under way, from the reset to the read-off: a state machine of seconds and values handed in.

It knows no clock, no instrument and no screen: whoever drives it says when something happened and what was seen.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any, Final, Literal

from fairmargin.core.companion import RoadPlaces, SpeedWatch, aimed_kmh, reset_took
from fairmargin.core.study import Event, Study
from fairmargin.core.study.vocabulary import EventKind
from fairmargin.core.units import said

Phase = Literal["approach", "driving", "reading"]
#: Events that last; the others are moments.
LASTING: Final = frozenset({"slow-traffic", "following-closely", "stop", "rain"})
#: How long after a reset the car's own trip meter may keep showing the old trip. [s]
RESET_SEEN_S: Final = 4.0
SAME_EVENT_S: Final = 45.0  # a stretch noticed so near to one that was noted is the same
SHORTEST_KM: Final = 0.05
FAR_SHARE: Final = 0.25  # of a leg that lies ahead, beyond which a read-off is asked about
TRIP_OFF_KM: Final = (
    0.3  # and this share, by which a trip meter shows more than was driven where its reset did not take
)
TRIP_OFF_SHARE: Final = 0.06
GAP_S: Final = 5.0  # without a speed, from which what was driven meanwhile is a guess
UNSURE_SHARE: Final = 0.01  # of a leg that may be missed, beyond which its distance is not taken as read
MOMENT_S: Final = 8.0  # after the reset, within which nobody reads off
#: Value of a quantity by the name of the bus, None where nobody has it.
Value = Callable[[str], float | None]
#: A stretch that the speeds tell of: kind, start [s], how long [s], mean speed [km/h].
Noticed = tuple[EventKind, float, float, float]


@dataclass(slots=True)
class LegDrive:
    """One leg under way. Seconds are those of the drive's clock."""

    leg: str
    backwards: bool
    watch: SpeedWatch
    phase: Phase = "approach"
    reset_s: float | None = None
    read_off_s: float | None = None
    driven_km: float = 0.0
    by_instrument: bool = False  # distance from GPS or bus, not from the clock
    reset_state: Literal["unknown", "took", "failed"] = "unknown"
    open_marks: dict[EventKind, float] = field(default_factory=dict)  # since when
    soc_at_reset: float | None = None
    troubles: list[str] = field(default_factory=list)
    last: tuple[float, float] | None = None  # at and speed of the newest sample counted
    interrupted: bool = False  # for a while nothing was counted: the distance over it is a guess
    unsure_km: float = 0.0  # by what distance counted over gaps may be off

    # ------------------------------------------------------------ reset

    def reset(self, now: float, soc_percent: float | None) -> bool:
        """The trip meter's reset was pressed; returns whether the leg begins anew (it had begun already)."""
        anew = self.reset_s is not None
        if anew:
            self.open_marks.clear()
            self.watch = SpeedWatch(self.watch.aim_kmh)
        self.reset_s, self.phase, self.driven_km = now, "driving", 0.0
        self.reset_state, self.last, self.interrupted, self.unsure_km = "unknown", None, False, 0.0
        self.by_instrument = False  # until one counts anew: the clock does meanwhile
        self.soc_at_reset = soc_percent
        return anew

    def look_at_trip_meter(self, shown_km: float | None, driven_km: float | None = None) -> bool:
        """The trip meter restarted (None), or shows so many km; returns whether the reset took.

        `driven_km` is what was driven since, where no instrument counts it: by the clock.
        """
        counted = self.driven_km if self.by_instrument or driven_km is None else driven_km
        took = shown_km is None or reset_took(shown_km, counted)
        self.reset_state = "took" if took else "failed"
        return took

    def trip_on_the_bus(self, at: float, trip_km: float | None, slack_s: float) -> bool | None:
        """Whether the bus's own trip meter says that the reset took; None while it cannot say.

        `slack_s` is how long a blink of the machine may be: a rehearsal drives on meanwhile.
        """
        if trip_km is None or self.reset_s is None or self.last is None or at < self.reset_s + RESET_SEEN_S:
            return None
        then, speed = self.last
        driven = self.driven_km + (at - then) * speed / 3600.0
        return reset_took(trip_km - slack_s * speed / 3600.0, driven)

    # ------------------------------------------------------------ distance and speed

    def advance(self, at: float, speed_kmh: float) -> Noticed | None:
        """Count distance by a speed, and say when a slow stretch has just ended."""
        if self.reset_s is None or at < self.reset_s:
            return None
        before = self.last or (self.reset_s, speed_kmh)
        if at <= before[0]:
            return None
        self.driven_km += (at - before[0]) / 3600.0 * 0.5 * (speed_kmh + before[1])
        if at - before[0] > GAP_S:
            # Between two speeds anything from the one to the other may have been driven.
            self.unsure_km += (at - before[0]) / 3600.0 * 0.5 * abs(speed_kmh - before[1])
        self.by_instrument = True
        self.last = (at, speed_kmh)
        return self.watch.feed(at, speed_kmh)

    def trip_disagrees(self, trip_km: float | None) -> bool:
        """Whether the vehicle's trip meter shows clearly more than was driven since the reset, whoever said that it took."""
        if trip_km is None or self.driven_km < SHORTEST_KM or not self.by_instrument:
            return False
        return trip_km - self.driven_km > max(TRIP_OFF_KM, TRIP_OFF_SHARE * self.driven_km)

    def distance_is_sure(self, now: float) -> bool:
        """Whether what was counted is all that was driven: nothing was missed, at the end neither."""
        missed = 0.0 if self.last is None else (now - self.last[0]) / 3600.0 * self.last[1]
        late = 0.0 if self.last is None or now - self.last[0] <= GAP_S else missed
        return not self.interrupted and self.unsure_km + late <= UNSURE_SHARE * self.driven_km

    def since_reset_s(self, now: float) -> float | None:
        """Time on the leg. [s]"""
        return None if self.reset_s is None else (self.read_off_s or now) - self.reset_s

    def distance_km(self, study: Study, now: float) -> float | None:
        """Distance since the reset: by instruments, else by the clock at the speed aimed for. [km]"""
        seconds = self.since_reset_s(now)
        if seconds is None or self.by_instrument:
            return self.driven_km if seconds is not None else None
        aim = aimed_kmh(study, study.leg(self.leg))
        return None if aim is None else seconds / 3600.0 * aim[0]

    def to_gate_km(self, places: RoadPlaces, place_km: float | None, driven_km: float | None) -> float | None:
        """Distance to the next gate: the start line before the reset, the read-off after it. [km]"""
        if not places.gated:
            return None
        start, end = places.gates(self.backwards)
        if self.phase == "approach":
            return None if place_km is None else start - place_km
        if self.phase != "driving":
            return None
        if place_km is not None:
            return end - place_km
        return None if driven_km is None else places.between_km - driven_km

    def unlikely_end(self, places: RoadPlaces, to_gate_km: float | None, now: float, moment_s: float) -> str:
        """Why a read-off just now would most likely be a slip; empty where nothing speaks against it.

        `moment_s` is how long after the reset one press may have become two.
        """
        seconds = self.since_reset_s(now)
        if seconds is None or self.phase != "driving":
            return ""
        if seconds < moment_s:
            return f"The leg began {seconds:.0f} s ago."
        whole = places.between_km
        if to_gate_km is not None and whole and to_gate_km > FAR_SHARE * whole:
            return f"The line to read off at is {said(to_gate_km, 'km', 1)} ahead."
        return ""

    def go_on(self) -> None:
        """Take a read-off back: the leg is still being driven."""
        if self.phase == "reading":
            self.phase, self.read_off_s = "driving", None

    # ------------------------------------------------------------ events

    def event(self, kind: EventKind, at: float, lasted: float | None, speed_kmh: float | None) -> Event:
        """An event at a moment, with where it began when the distance is known."""
        assert self.reset_s is not None
        km = self.driven_km
        if lasted is not None and speed_kmh is not None:
            km = max(0.0, km - (speed_kmh * lasted) / 3600.0)
        return Event(
            leg=self.leg,
            at_km=round(km, 2) if self.by_instrument else None,
            at_s=round(max(0.0, at - self.reset_s)),
            duration_s=None if lasted is None else round(lasted),
            kind=kind,
            speed_kmh=None if speed_kmh is None else round(speed_kmh, 1),
        )

    def ended(
        self, events: tuple[Event, ...], kind: EventKind, since: float, lasted: float, speed_kmh: float | None
    ) -> tuple[Event, ...]:
        """Events with how long the one that began then has lasted."""
        return tuple(
            e.with_(duration_s=round(lasted), speed_kmh=speed_kmh) if self._began(e, kind, since) else e for e in events
        )

    def without(self, events: tuple[Event, ...], kind: EventKind, since: float) -> tuple[Event, ...]:
        """Events without the one that began then."""
        return tuple(e for e in events if not self._began(e, kind, since))

    def _began(self, event: Event, kind: EventKind, since: float) -> bool:
        """Whether an event is the one of this leg that began then."""
        assert self.reset_s is not None
        return event.leg == self.leg and event.kind == kind and event.at_s == round(since - self.reset_s)

    def is_news(self, events: tuple[Event, ...], found: Noticed) -> bool:
        """Whether a stretch noticed by the speeds was not noted by a key already."""
        kind, start, _, _ = found
        if self.reset_s is None or start < self.reset_s or kind in self.open_marks:
            return False
        at_s = start - self.reset_s
        return not any(
            e.leg == self.leg and e.kind == kind and e.at_s is not None and abs(e.at_s - at_s) < SAME_EVENT_S
            for e in events
        )

    # ------------------------------------------------------------ read-off

    def read_off(self, study: Study, now: float, value: Value, by_gps: bool) -> dict[str, Any]:
        """Changes of the leg that instruments can fill in at the read-off; what was typed is not overwritten."""
        assert self.reset_s is not None
        leg = study.leg(self.leg)
        changes: dict[str, Any] = {"duration_s": max(1.0, round(now - self.reset_s, 1))}
        stops = [e for e in study.events if e.leg == self.leg and e.kind == "stop" and e.duration_s]
        if stops:
            stood = sum(float(e.duration_s or 0) for e in stops)
            changes["stopped_s"] = min(stood, changes["duration_s"] - 1.0)
        if self.by_instrument and self.driven_km >= SHORTEST_KM and by_gps and self.distance_is_sure(now):
            changes["gps_distance_km"] = round(self.driven_km, 2)
        trip, average = value("trip_km"), value("trip_average_kwh_per_100km")
        if trip is not None and trip >= SHORTEST_KM and self.reset_state == "took" and not leg.has_reading:
            changes["distance_km"] = round(trip, 2)
            if average is not None and average > 0.001:
                changes["average_shown"] = round(average, 3)
                changes["average_unit"] = "kWh/100km"
                changes["average_step"] = study.plan.display_step_kwh_per_100km
        soc = value("soc_percent")
        if soc is not None and self.soc_at_reset is not None and soc < self.soc_at_reset:
            changes["soc_start_percent"] = round(self.soc_at_reset, 2)
            changes["soc_end_percent"] = round(soc, 2)
            changes["soc_step_percent"] = 0.01
        return changes

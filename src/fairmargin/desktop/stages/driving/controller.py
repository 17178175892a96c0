"""The controller: takes a leg from its checklist to its readings, with whatever instruments are connected.

Everything that happens is in the logbook or in the leg's recording before the next thing can happen.
"""

from __future__ import annotations

import queue
from typing import Any, Final

from PySide6.QtCore import QObject

from fairmargin.core.companion import STOPPED_KMH, SpeedWatch, aimed_kmh, price, true_kmh
from fairmargin.core.conditions.room import noted
from fairmargin.core.conditions.typed import carried
from fairmargin.core.leg_drive import LASTING, LegDrive
from fairmargin.core.study import Study
from fairmargin.core.study.runs import driven_next, with_run_next
from fairmargin.core.study.vocabulary import EventKind
from fairmargin.core.units import said
from fairmargin.desktop.stages.driving.recordings import fresh_path
from fairmargin.desktop.stages.driving.rehearsed import Rehearsed
from fairmargin.desktop.stages.driving.taken_up import as_if_not_begun
from fairmargin.desktop.stages.driving.words import disturbance_words
from fairmargin.desktop.state.background import meanwhile
from fairmargin.desktop.state.session import LONG_SAMPLES, Session
from fairmargin.instruments.feed import WeatherFeed
from fairmargin.instruments.recording import Columns, Recorder, to_trace
from fairmargin.instruments.samples import Item, Sample, Trouble
from fairmargin.instruments.together import Together

BLINK_S: Final = 0.2
SET_DOWN_S: Final = 2.0  # in which a receiver that leapt is believed again
SHORTEST_STOP_S: Final = 2.0


class DriveController(Rehearsed):
    """State of the drive; the view shows it and presses its buttons."""

    def __init__(self, session: Session, parent: QObject | None = None) -> None:
        super().__init__(session, parent)
        self.paused_at: float | None = None
        self.samples = Columns()  # of the leg under way
        self._together = Together()
        self._put_there_s: float | None = None  # from when a virtual car is seen where it was set down
        self._study_id: int | None = session.study_id
        self._timer.timeout.connect(self.tick)
        session.studyChanged.connect(self._study_changed)

    # ------------------------------------------------------------ which leg

    def choose(self, name: str) -> None:
        """Drive another leg than the one whose turn it is."""
        self.chosen = name
        self.changed.emit()

    def insert_run(self, side: str) -> None:
        """Drive one more run of a side now, before those that are still planned."""
        study = self.study
        if study is None or self.drive is not None or self.session.read_only:
            return
        after, first = with_run_next(study, side, self.begun())
        if not self.session.edit(after, f"one more run, {study.configuration(side).label}"):
            return
        self._rehearse_anew()
        self.choose(first)

    def go_home(self, home: bool) -> None:
        """Give the rest up for today, or go on after all; what is planned stays planned."""
        self.going_home = home
        self.changed.emit()

    # ------------------------------------------------------------ a leg

    def begin(self, name: str) -> bool:
        """Set off on a leg: from now on everything is recorded."""
        study = self.study
        if study is None or self.drive is not None or self.session.read_only:
            return False
        swapped = driven_next(study, name, self.begun())
        if swapped is not study:
            # The plan follows what is driven: the timetable, the sheet and what comes next go by it.
            self.session.edit(swapped, f"{name} before its turn")
            study = self.study or swapped
        leg = study.leg(name)
        self._drain()
        self.says = []  # what was said belongs to the leg before
        aim = aimed_kmh(study, leg)
        now = self.clock.seconds()
        folder = self._folder()
        try:
            path = fresh_path(folder, self.clock.moment(now), name)
            self._recorder = Recorder(path, name, self.clock.origin)
        except OSError as error:
            self._say(f"The drive cannot be recorded: {error.strerror or error}. Readings are kept all the same.")
        self._recorder_mark(now, "begun")
        self.paused_at, self.chosen, self.going_home = None, "", False
        self.drive = LegDrive(name, leg.direction == "back", SpeedWatch(aim[0] if aim else None))
        self._together = Together()
        self.samples = Columns()
        before = next((x for x in reversed(study.legs[: study.legs.index(leg)]) if self.session.has_reading(x)), None)
        if before is not None:
            kept = {k: v for k in carried() if noted(leg, k) is None and (v := noted(before, k)) is not None}
            if kept:
                self.session.edit(study.with_leg(name, **kept), f"settings of {name}")
        self._put_there_s = None
        if self.rehearsal is not None:
            self.rehearsal.car.depart(name, now)
            self._put_there_s = now + SET_DOWN_S
        self._timer.start()
        self.changed.emit()
        return True

    def reset(self) -> None:
        """The trip meter's reset was pressed, now; pressed again, the leg begins again here."""
        drive, study = self.drive, self.study
        if drive is None or study is None or drive.phase not in {"approach", "driving"}:
            return
        now = self.clock.seconds()
        if self.rehearsal is not None:
            self.rehearsal.car.reset(now)
        if drive.reset(now, self.value("soc_percent", "vehicle")):
            # The leg begins anew: what happened before lies outside it, and stays in the recording.
            study = study.with_(events=tuple(e for e in study.events if e.leg != drive.leg))
        self._recorder_mark(now, "reset")
        changes: dict[str, Any] = {"started_at": self.clock.moment(now).replace(microsecond=0)}
        battery = self.value("battery_temperature_c", "vehicle")
        if battery is not None:
            changes["battery_temperature_c"] = round(battery, 1)
        self.session.edit(study.with_leg(drive.leg, **changes), f"reset of {drive.leg}")
        self.changed.emit()

    def reset_seen(self, shown_km: float | None) -> bool:
        """The trip meter was looked at: it restarted (None) or shows so many km. Returns whether it took."""
        drive = self.drive
        if drive is None or drive.phase != "driving":
            return False
        driven = self.driven_km() or 0.0
        took = drive.look_at_trip_meter(shown_km, driven)
        if not took:
            self._say(
                f"The trip meter shows {said(shown_km or 0.0, 'km', 1)} after {said(driven, 'km', 1)} driven: the reset did not take. "
                "Press it again; this leg then begins there."
            )
        self.changed.emit()
        return took

    def reset_doubtful(self) -> None:
        """Go on although nobody saw whether the reset took."""
        if self.drive is not None and self.drive.phase == "driving":
            self.drive.reset_state = "took"
            self._event("reset-doubtful", self.clock.seconds(), None, None)

    def mark(self, kind: EventKind) -> None:
        """Note an event: a moment, or the beginning of something that lasts, or its end."""
        drive = self.drive
        if drive is None or drive.phase != "driving" or drive.reset_s is None:
            return
        self._drain()
        now = self.clock.seconds()
        if kind not in LASTING:
            self._event(kind, now, None, None)
        elif kind in drive.open_marks:
            self._end_mark(kind, now)
        else:
            drive.open_marks[kind] = now
            self._recorder_mark(now, "event-begins", kind=kind)
            self._event(kind, now, None, None)  # kept now; how long it lasted is added at its end
        self.changed.emit()

    def _end_mark(self, kind: EventKind, now: float) -> None:
        drive, study = self.drive, self.study
        if drive is None or study is None or drive.reset_s is None:
            return
        since = drive.open_marks.pop(kind)
        lasted = max(1.0, now - since)
        speed = 0.0 if kind == "stop" else None
        stood = self._stood_s(since, now) if kind == "stop" else None
        if stood is not None and stood < SHORTEST_STOP_S:
            # A key that was meant for something else must not become two minutes at 0 km/h.
            self._recorder_mark(now, "event-ends", kind=kind)
            self.session.edit(study.with_(events=drive.without(study.events, kind, since)), f"{kind} on {drive.leg}")
            mean = self._mean_speed(since, now)
            self._say(f"Not a stop: {said(mean or 0.0, 'km/h', 0)} on average, and it never stood. Taken off again.")
            return
        if stood is not None:
            lasted = max(1.0, min(lasted, stood))
        if kind == "slow-traffic":
            speed = self._mean_speed(since, now)
        events = drive.ended(study.events, kind, since, lasted, speed)
        self._recorder_mark(now, "event-ends", kind=kind)
        self.session.edit(study.with_(events=events), f"{kind} on {drive.leg}")
        self._tell_worth(kind, lasted, speed)

    def _stood_s(self, start: float, end: float) -> float | None:
        """How long the vehicle stood between two times, by GPS where there is one; None without samples. [s]"""
        for source in ("gps", "vehicle"):
            stood = self.samples.time_below_s("speed_kmh", source, STOPPED_KMH, start, end)
            if stood is not None:
                return stood
        return None

    def _mean_speed(self, start: float, end: float) -> float | None:
        """Mean speed over a time, by GPS where there is one; None without samples. [km/h]"""
        assert self.drive is not None
        for source in ("gps", "vehicle"):
            mean = self.samples.mean("speed_kmh", source, start, end)
            if mean is not None:
                return round(mean, 1)
        return None

    def _event(self, kind: EventKind, at: float, lasted: float | None, speed: float | None) -> None:
        drive, study = self.drive, self.study
        if drive is None or study is None or drive.reset_s is None:
            return
        event = drive.event(kind, at, lasted, speed)
        self._recorder_mark(at, "event", kind=kind)
        self.session.edit(study.with_(events=(*study.events, event)), f"{kind} on {drive.leg}")

    def _tell_worth(self, kind: EventKind, seconds: float, speed: float | None) -> None:
        study, drive = self.study, self.drive
        if study is None or drive is None:
            return
        self._say(disturbance_words(study, self.session, price(study, study.leg(drive.leg), kind, seconds, speed)))

    def read_off(self) -> None:
        """Everything is read at this moment; what instruments say is filled in, the rest is typed."""
        drive, study = self.drive, self.study
        if drive is None or study is None or drive.phase != "driving" or drive.reset_s is None:
            return
        now = self.clock.seconds()
        self._drain()
        self._notice(drive.watch.end(now))
        for kind in list(drive.open_marks):
            self._end_mark(kind, now)
        study = self.study
        assert study is not None
        drive.phase, drive.read_off_s = "reading", now
        self._recorder_mark(now, "read-off")
        self._read_instruments(study, drive, now)
        self.changed.emit()

    def _read_instruments(self, study: Study, drive: LegDrive, now: float) -> None:
        assert drive.reset_s is not None
        changes = drive.read_off(study, now, lambda name: self.value(name, "vehicle"), "gps" in self.feeds)
        # Last: hours of samples are laid out beside the work, and the instruments go on meanwhile.
        samples, begin, error = self.samples, drive.reset_s, float(study.vehicle.speed_error_percent or 0.0)
        if len(samples) > LONG_SAMPLES:
            trace, notices = meanwhile(lambda: to_trace(samples, begin, now, error))
        else:
            trace, notices = to_trace(samples, begin, now, error)
        told = [*drive.troubles, *(notices if trace is not None else [])]
        if "gps_distance_km" not in changes and "gps" in self.feeds and drive.by_instrument:
            told.append("not all of its distance was counted")
        note = "; ".join(dict.fromkeys(told))
        if note and not study.leg(drive.leg).note:
            changes["note"] = note[:300]
        self._filled_in, self._since_reading = changes, []
        after = study.with_leg(drive.leg, **changes)
        self.session.edit(after, f"read-off of {drive.leg}", {drive.leg: trace} if trace is not None else None)

    def finish(self) -> None:
        """The readings of the leg are in; on to the next."""
        drive, study = self.drive, self.study
        if drive is None:
            return
        if study is not None and drive.trip_disagrees(trip := study.leg(drive.leg).distance_km):
            # Whoever said that it took, and wherever the distance comes from: by the bus, or typed from the display.
            leg = study.leg(drive.leg)
            doubt = f"the trip meter shows {trip:.1f} km after {drive.driven_km:.1f} km driven: its reset may not have taken"
            self.session.edit(
                study.with_leg(leg.leg, note="; ".join(filter(None, (leg.note, doubt)))[:300]), f"doubt of {leg.leg}"
            )
        self._close_recording("finished")
        self.drive = None
        self.changed.emit()

    def drive_again(self, reason: str) -> None:
        """Leave the leg out with its reason and plan it once more; its readings stay."""
        from fairmargin.core.companion import again

        drive, study = self.drive, self.study
        if drive is None or study is None:
            return
        if drive.phase != "reading":
            self.read_off()
            study = self.study
            assert study is not None
        self.session.edit(again(study, drive.leg, reason), f"drive {drive.leg} again")
        self._rehearse_anew()
        self.finish()

    def give_up(self) -> None:
        """End a leg that has not come to its reading; the recording is kept, the leg stays planned."""
        drive, study = self.drive, self.study
        if drive is None:
            return
        if study is not None and not study.leg(drive.leg).has_reading:
            self.session.edit(as_if_not_begun(study, drive.leg), f"give up {drive.leg}")
        self._close_recording("abandoned")
        self.drive = None
        self.changed.emit()

    def pause(self) -> None:
        """Stop for a while between legs, or go on."""
        self.paused_at = self.clock.seconds() if self.paused_at is None else None
        self._timer.start()
        self.changed.emit()

    # ------------------------------------------------------------ ticking

    def tick(self) -> None:
        """Take what has arrived, and let the view follow."""
        self._drain()
        moved = self.clock.follow_wall()
        if moved is not None:
            self._say(f"The laptop's clock was set by {moved:+.0f} s; times go on by the new one, durations stay true.")
        recorder = self._recorder
        if recorder is not None and recorder.fault:
            self._say(recorder.fault)
            recorder.fault = ""
        self.changed.emit()
        if self.drive is None and not self.feeds and self.paused_at is None and self.rehearsal is None:
            self._timer.stop()

    def _look_at_trip_meter(self, drive: LegDrive, item: Sample) -> None:
        """The car's own trip meter on the bus tells whether the reset took."""
        slack_s = (self.clock.rate - 1.0) * BLINK_S  # at a rehearsal's rate a blink of the machine is a stretch of road
        trip = item.values.get("trip_km")
        took = drive.trip_on_the_bus(item.at, trip, slack_s)
        if took:
            drive.reset_state = "took"
        elif took is False:
            self.reset_seen(trip)

    def _drain(self) -> None:
        study, drive = self.study, self.drive
        while True:
            try:
                item = self._queue.get_nowait()
            except queue.Empty:
                break
            if self._put_there_s is not None and _of_a_place(item):
                # A virtual car is set down at the start of its leg: no instrument's fault, however late it is heard.
                if isinstance(item, Trouble) or item.at < self._put_there_s:
                    continue
                self._put_there_s = None
            if isinstance(item, Trouble):
                self._say(item.words)
                if drive is not None and drive.phase == "driving":
                    drive.troubles.append(item.words)
            elif item.source == "weather":
                self._take_weather()
            elif drive is not None and drive.phase == "reading":
                self.samples.append(item)
                self._since_reading.append(item)
            elif drive is not None and drive.phase in {"approach", "driving"}:
                self.samples.append(item)
                for trouble in self._together.take(item):
                    self._say(trouble.words)
                    if drive.phase == "driving":
                        drive.troubles.append(trouble.words)
                if drive.phase == "driving" and study is not None:
                    self._advance(drive, item)
                    if drive.reset_state == "unknown":
                        self._look_at_trip_meter(drive, item)

    def _take_weather(self) -> None:
        feed, study = self.feeds.get("weather"), self.study
        if study is None or not isinstance(feed, WeatherFeed) or self.session.read_only:
            return
        known = {row.time for row in study.weather}
        fresh = [row for row in feed.rows if row.time not in known]
        if fresh:
            rows = sorted((*study.weather, *fresh), key=lambda r: r.time.replace(tzinfo=None))
            self.session.edit(study.with_(weather=tuple(rows)), "weather report")

    def _advance(self, drive: LegDrive, item: Sample) -> None:
        """Count distance from the best speed there is, and watch it."""
        speed = item.values.get("speed_kmh")
        gps = self.feeds.get("gps")
        if speed is None or drive.reset_s is None or item.at < drive.reset_s:
            return
        if item.source == "vehicle":
            if gps is not None and gps.state == "live":
                return
            study = self.study
            assert study is not None
            speed = true_kmh(study, speed)
        self._notice(drive.advance(item.at, speed))

    def _notice(self, found: tuple[EventKind, float, float, float] | None) -> None:
        drive, study = self.drive, self.study
        if found is None or drive is None or study is None or drive.reset_s is None:
            return
        if not drive.is_news(study.events, found):
            return  # somebody's key was there first
        kind, start, lasted, speed = found
        self._event(kind, start, lasted, speed)
        self._tell_worth(kind, lasted, speed)

    # ------------------------------------------------------------ ends

    def _recorder_mark(self, at: float, what: str, **details: Any) -> None:
        if self._recorder is not None:
            self._recorder.mark(at, what, **details)

    def _close_recording(self, what: str) -> None:
        recorder, self._recorder = self._recorder, None
        if recorder is not None:
            recorder.mark(self.clock.seconds(), what)
            recorder.close()

    def _study_changed(self) -> None:
        if self.session.study_id == self._study_id:
            return
        self._study_id = self.session.study_id
        self.chosen, self.going_home = "", False
        if self.drive is not None:
            self._close_recording("left")
            self.drive = None
        if self.rehearsal is not None and self.rehearsal.study_id != self.session.study_id:
            self.stop_rehearsal()
        self.says = []
        self.changed.emit()

    def close(self) -> None:
        """Let go of everything: threads, files, stand-ins."""
        self._timer.stop()
        if self._recorder is not None:
            self._recorder.mark(self.clock.seconds(), "left")
            self._recorder.close()
            self._recorder = None
        self.disconnect_instruments()
        if self.rehearsal is not None:
            self.rehearsal.stop()
            self.rehearsal = None


def _of_a_place(item: Item) -> bool:
    """Whether an item says where a vehicle is, or that it cannot be there."""
    return item.source == "gps" and (
        item.kind == "nonsense" if isinstance(item, Trouble) else "latitude" in item.values
    )

"""The day's timetable as a calendar file (RFC 5545)."""

from __future__ import annotations

from datetime import datetime, timedelta
from uuid import NAMESPACE_OID, uuid5

from icalendar import Alarm, Calendar, Event

from fairmargin import __version__
from fairmargin.core.outcome.trips import TripPlan
from fairmargin.core.planning.timetable import Timetable
from fairmargin.core.study import Study
from fairmargin.core.units import plain


def calendar_file(study: Study, table: Timetable, now: datetime) -> bytes:
    """Write the timetable as an .ics file: one entry a step, floating local times, an alarm before the first.

    Parameters
    ----------
    study : Study
    table : Timetable
    now : datetime
        Time stamp of the entries.

    Returns
    -------
    bytes
    """
    calendar = Calendar()
    calendar.add("prodid", f"-//Fair Margin//{__version__}//EN")
    calendar.add("version", "2.0")
    for i, step in enumerate(table.steps):
        event = Event()
        event.add("uid", str(uuid5(NAMESPACE_OID, f"{study.title} {step.start} {i}")))
        event.add("dtstamp", now)
        event.add("dtstart", step.start.replace(microsecond=0))
        event.add("dtend", step.end.replace(microsecond=0))
        event.add("summary", step.words)
        event.add("description", study.title)
        event.add("categories", [step.kind])
        if i == 0:
            event.add_component(_alarm(f"{study.title}: {step.words}"))
        calendar.add_component(event)
    return bytes(calendar.to_ical())


def trip_calendar(study: Study, plan: TripPlan, now: datetime) -> bytes:
    """Write a trip as an .ics file: each drive and each stop, floating local times, an alarm before setting off.

    Raises
    ------
    ValueError
        If nobody said when it is.
    """
    start = plan.trip.depart_at
    if start is None:
        raise ValueError("the trip has no time of departure")
    calendar = Calendar()
    calendar.add("prodid", f"-//Fair Margin//{__version__}//EN")
    calendar.add("version", "2.0")
    entries: list[tuple[float, float, str]] = []
    left, before = 0.0, "the start"
    for s in plan.stops:
        stays = (s.charging_min + s.other_min + s.waiting_min) / 60.0
        entries.append((left, s.at_h, f"Drive to {plain(s.charger.label)}"))
        words = f"{plain(s.charger.label)}: charge from {s.arrival.percent:.0f} to {s.leave_percent:.0f} %"
        entries.append((s.at_h, s.at_h + stays, words))
        left, before = s.at_h + stays, plain(s.charger.label)
    entries.append((left, plan.total_h, f"Drive from {before} to the end, arrive with {plan.arrival.percent:.0f} %"))
    for i, (begin, end, words) in enumerate(entries):
        event = Event()
        event.add("uid", str(uuid5(NAMESPACE_OID, f"{study.title} {start} {i}")))
        event.add("dtstamp", now)
        event.add("dtstart", _minute(start + timedelta(hours=begin)))
        event.add("dtend", _minute(start + timedelta(hours=end)))
        event.add("summary", words)
        event.add("description", plan.trip.name or study.title)
        if i == 0:
            event.add_component(_alarm(words))
        calendar.add_component(event)
    return bytes(calendar.to_ical())


def _minute(moment: datetime) -> datetime:
    return (moment + timedelta(seconds=30)).replace(second=0, microsecond=0)


def _alarm(words: str) -> Alarm:
    alarm = Alarm()
    alarm.add("action", "DISPLAY")
    alarm.add("description", words)
    alarm.add("trigger", -timedelta(minutes=30))
    return alarm

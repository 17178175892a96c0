"""The day's timetable as a calendar file (RFC 5545)."""

from __future__ import annotations

from datetime import datetime, timedelta
from uuid import NAMESPACE_OID, uuid5

from icalendar import Alarm, Calendar, Event

from fairmargin import __version__
from fairmargin.core.planning.day import Timetable
from fairmargin.core.study import Study


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
            alarm = Alarm()
            alarm.add("action", "DISPLAY")
            alarm.add("description", f"{study.title}: {step.words}")
            alarm.add("trigger", -timedelta(minutes=30))
            event.add_component(alarm)
        calendar.add_component(event)
    return bytes(calendar.to_ical())

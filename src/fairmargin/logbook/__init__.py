"""The logbook: one SQLite file that holds many studies and saves every edit at once."""

from fairmargin.logbook.faults import LogbookDamaged, LogbookFault, StudyDamaged
from fairmargin.logbook.rows import Record, StudyEntry
from fairmargin.logbook.store import Logbook, default_path

__all__ = ["Logbook", "LogbookDamaged", "LogbookFault", "Record", "StudyDamaged", "StudyEntry", "default_path"]

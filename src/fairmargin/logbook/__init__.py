"""The logbook: one SQLite file that holds many studies and saves every edit at once."""

from fairmargin.logbook.store import Logbook, LogbookFault, StudyEntry, default_path

__all__ = ["Logbook", "LogbookFault", "StudyEntry", "default_path"]

"""Earlier states of a logbook: kept daily and before anything risky, pruned, put back.

They lie in a folder beside the logbook, named after it, as whole logbooks that can be opened by themselves.
"""

from __future__ import annotations

import contextlib
import os
import re
import shutil
import sqlite3
from dataclasses import dataclass
from datetime import date, datetime
from pathlib import Path
from typing import Final

from fairmargin.logbook import schema
from fairmargin.logbook.faults import LogbookFault
from fairmargin.logbook.files import beside, connect, into_place, journal_of, real, to_disk

DAILY: Final = "daily"
SET_ASIDE: Final = "set aside"
#: How many of a kind are kept.
MOST: Final = {DAILY: 7, SET_ASIDE: 5}
MOST_OTHERS: Final = 3
#: Pages copied between two moments in which the window may save.
PAGES: Final = 512
ENDING: Final = ".copies"
_NAME: Final = re.compile(r"(\d{4}-\d{2}-\d{2})T(\d{2})(\d{2})(\d{2}) (.+)\.fairmargin")


@dataclass(frozen=True, slots=True)
class Copy:
    """One earlier state."""

    path: Path
    made_at: datetime
    why: str
    size: int


def folder_of(path: Path) -> Path:
    """Folder of a logbook's copies."""
    return path.with_name(path.name + ENDING)


def is_copy(path: Path) -> bool:
    """Whether a file is one of a logbook's copies."""
    return path.absolute().parent.name.endswith(ENDING)


def kept(path: Path) -> list[Copy]:
    """Return the copies of a logbook, newest first."""
    found = []
    folder = folder_of(path)
    for item in folder.iterdir() if folder.is_dir() else []:
        match = _NAME.fullmatch(item.name)
        if match is not None:
            with contextlib.suppress(ValueError, OSError):
                moment = datetime.fromisoformat(f"{match[1]}T{match[2]}:{match[3]}:{match[4]}")
                found.append(Copy(item, moment, match[5], item.stat().st_size))
    return sorted(found, key=lambda c: (c.made_at, c.why), reverse=True)


def due(path: Path, today: date) -> bool:
    """Whether today has no daily copy yet."""
    return not any(c.why == DAILY and c.made_at.date() == today for c in kept(path))


def keep(path: Path, why: str, now: datetime | None = None) -> Copy | None:
    """Copy a logbook as it is now; older copies of the kind are pruned.

    May run in another thread than the one that writes: it reads between saves (SQLite's backup), and begins again
    when one falls in between. A daily copy of a file that is not whole is not kept, so that it never drives a
    good one out.

    Returns
    -------
    Copy or None
        None when a daily copy found something that is not whole.

    Raises
    ------
    OSError, sqlite3.Error
        If it cannot be made.
    """
    moment = (now or datetime.now()).replace(microsecond=0)
    path = real(path)
    folder = folder_of(path)
    folder.mkdir(mode=0o700, exist_ok=True)
    target = folder / f"{moment:%Y-%m-%dT%H%M%S} {why}.fairmargin"
    with beside(target) as made:
        with contextlib.closing(connect(path, "ro")) as source, contextlib.closing(connect(made, "rw")) as copied:
            source.backup(copied, pages=PAGES, sleep=0.002)
            if why == DAILY and not is_whole(copied):
                return None
        into_place(made, target)
    _prune(path, moment)
    return Copy(target, moment, why, target.stat().st_size)


def is_whole(connection: sqlite3.Connection) -> bool:
    """Whether every page, study and trace of an open logbook is what was written."""
    try:
        if connection.execute("PRAGMA quick_check(1)").fetchone()[0] != "ok":
            return False
        connection.row_factory = sqlite3.Row
        count = 0
        for row in connection.execute("SELECT * FROM study"):
            count += 1
            if row["body_check"] != schema.check_of(row["body"]) or row["row_check"] != schema.row_check(row):
                return False
        for row in connection.execute("SELECT * FROM trace"):
            if row["samples_check"] != schema.check_of(row["study_id"], row["leg"], row["samples"]):
                return False
        return bool(connection.execute("SELECT studies FROM book").fetchone()[0] == count)
    except (sqlite3.Error, TypeError, IndexError):
        return False
    finally:
        connection.row_factory = None


def _prune(path: Path, now: datetime) -> None:
    """Let the oldest of each kind go; those that a clock set wrong dated ahead count as older than any."""
    counts: dict[str, int] = {}
    for copy in sorted(kept(path), key=lambda c: (c.made_at <= now, c.made_at), reverse=True):
        counts[copy.why] = counts.get(copy.why, 0) + 1
        if counts[copy.why] > MOST.get(copy.why, MOST_OTHERS):
            with contextlib.suppress(OSError):
                copy.path.unlink()


def set_aside(path: Path, now: datetime | None = None) -> Path:
    """Keep a closed logbook as it is among its copies, and take its journal away (OSError if that cannot be).

    The file also stays at its place until another takes it, so that there is one at every moment.
    """
    folder = folder_of(path)
    folder.mkdir(mode=0o700, exist_ok=True)
    moment = (now or datetime.now()).replace(microsecond=0)
    target = folder / f"{moment:%Y-%m-%dT%H%M%S} {SET_ASIDE}.fairmargin"
    number = 1
    while target.exists():
        number += 1
        target = folder / f"{moment:%Y-%m-%dT%H%M%S} {SET_ASIDE} {number}.fairmargin"
    for source, kept_as in ((path, target), (journal_of(path), journal_of(target))):
        if source.exists():
            try:
                os.link(source, kept_as)
            except OSError:  # a file system without links
                shutil.copy2(source, kept_as)
    to_disk(folder)
    # Beside another file the journal would be rolled back into that.
    journal_of(path).unlink(missing_ok=True)
    return target


def put_back(path: Path, copy: Path, now: datetime | None = None) -> None:
    """Put an earlier state in the place of a logbook that is closed; what was there is set aside.

    Raises
    ------
    LogbookFault
        If the copy cannot be read or the place not be written.
    """
    path = real(path)
    try:
        with beside(path) as made:
            with contextlib.closing(connect(copy, "ro")) as source, contextlib.closing(connect(made, "rw")) as target:
                source.backup(target)
            if path.exists():
                set_aside(path, now)
            into_place(made, path)
    except (OSError, sqlite3.Error) as error:
        words = error.strerror if isinstance(error, OSError) and error.strerror else str(error)
        raise LogbookFault(f"{copy.name}: could not be put back: {words}.") from error

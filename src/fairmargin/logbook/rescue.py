"""What can be read of a damaged logbook, into a new one."""

from __future__ import annotations

import contextlib
import sqlite3
from dataclasses import dataclass
from pathlib import Path

from fairmargin.core.study import Study, Trace
from fairmargin.logbook.faults import LogbookFault
from fairmargin.logbook.files import connect, journal_of
from fairmargin.logbook.packing import unpack_trace
from fairmargin.logbook.schema import check_of
from fairmargin.logbook.store import Logbook

#: More studies than this are not looked for by number where the list itself cannot be read.
MOST_IDS = 100_000
MOST_BYTES = 64 << 30


@dataclass(frozen=True, slots=True)
class Rescued:
    """What came over into the new logbook, and what did not."""

    path: Path
    studies: int
    logs: int
    lost: tuple[str, ...]
    answers: int = 0  # to practice cases

    def words(self) -> str:
        """Say it in a sentence or two."""
        said = (
            f"{self.studies} studies and {self.logs} logs could be read as they were written; they are in {self.path}."
        )
        if self.answers:
            said += f" So are {self.answers} answers to practice cases."
        return f"{said} Not in it: {'; '.join(self.lost)}." if self.lost else said


def rescue(path: Path, out: Path) -> Rescued:
    """Read every study and log of a damaged logbook one by one; what passes its checksum goes into a new one.

    Parameters
    ----------
    path : Path
        Is only read; a copy is worked on where its journal has to be rolled back.
    out : Path
        Must not exist.

    Raises
    ------
    LogbookFault
        If `out` exists or cannot be written, or nothing can be read.
    """
    import shutil
    import tempfile

    if out.exists():
        raise LogbookFault(f"{out}: exists; expected a new name.")
    lost: list[str] = []
    studies = logs = 0
    with tempfile.TemporaryDirectory(prefix="fairmargin-") as folder:
        work = Path(folder) / "book.fairmargin"
        try:
            shutil.copyfile(path, work)
            if journal_of(path).exists():
                shutil.copyfile(journal_of(path), journal_of(work))
        except OSError as error:
            raise LogbookFault(f"{path}: cannot be read: {error.strerror or error}.") from error
        _fill_up(work)
        try:
            with contextlib.closing(connect(work, "rw")) as source, Logbook.open(out) as book:
                source.row_factory = sqlite3.Row
                for study_id in _ids(source):
                    study, words = _study(source, study_id)
                    if study is None:
                        if words:
                            lost.append(words)
                        continue
                    traces, missing = _traces(source, study_id)
                    lost += [f"the log of {leg} of \u201c{study.title}\u201d" for leg in missing]
                    number = book.add(study, traces)
                    if _is_aside(source, study_id):
                        book.set_archived(number, True)
                    studies, logs = studies + 1, logs + len(traces)
                for name, value in _choices(source):
                    book.set_choice(name, value)
                answers, unread = _practice(source)
                for body in answers:
                    book.add_practice(body)
                if unread:
                    lost.append(f"{unread} answer{'s' if unread > 1 else ''} to practice cases")
        except sqlite3.Error as error:
            out.unlink(missing_ok=True)
            raise LogbookFault(f"{path}: nothing of it can be read ({error}).") from error
    if not studies:
        out.unlink(missing_ok=True)
        raise LogbookFault(f"{path}: no study of it can be read.")
    return Rescued(out, studies, logs, tuple(lost), len(answers))


def _fill_up(path: Path) -> None:
    """Give a file that was cut off its length back, in zeros: SQLite reads none of it otherwise.

    The header holds the page size (bytes 16 and 17) and the number of pages (28 to 31); see the SQLite file format.
    """
    with path.open("r+b") as file:
        head = file.read(32)
        page = int.from_bytes(head[16:18], "big")
        whole = (65536 if page == 1 else page) * int.from_bytes(head[28:32], "big")
        size = path.stat().st_size
        if size < whole <= MOST_BYTES:
            file.truncate(whole)


def _ids(source: sqlite3.Connection) -> list[int]:
    """Numbers of the studies; by trying where the list breaks off."""
    found: list[int] = []
    last = 0
    with contextlib.suppress(sqlite3.DatabaseError):
        last = int(source.execute("SELECT max(id) FROM study").fetchone()[0] or 0)
    try:
        for row in source.execute("SELECT id FROM study ORDER BY id"):
            found.append(int(row[0]))
    except (sqlite3.DatabaseError, TypeError, ValueError):
        begin = found[-1] + 1 if found else 1
        found += range(begin, max(min(last, MOST_IDS), begin + 1000) + 1)
    return found


def _study(source: sqlite3.Connection, study_id: int) -> tuple[Study | None, str]:
    try:
        rows = source.execute("SELECT * FROM study WHERE id = ?", (study_id,)).fetchall()
    except sqlite3.DatabaseError:
        return None, f"study {study_id}"
    if not rows:
        return None, ""
    row = rows[0]
    names = row.keys()
    name = f"\u201c{row['title']}\u201d"
    if "body_check" in names and row["body_check"] != check_of(row["body"]):
        return None, f"{name} (its readings are not what was written)"
    if row["removed_at"] is not None and isinstance(row["removed_at"], str) and row["removed_at"][:2] == "20":
        return None, ""  # taken off the list by the person
    try:
        return Study.model_validate_json(row["body"]), ""
    except (ValueError, TypeError, RecursionError):
        return None, f"{name} (its record cannot be read)"


def _is_aside(source: sqlite3.Connection, study_id: int) -> bool:
    """Whether a study was put aside; not where its row does not say."""
    with contextlib.suppress(sqlite3.DatabaseError, IndexError, TypeError):
        row = source.execute("SELECT archived_at FROM study WHERE id = ?", (study_id,)).fetchone()
        return isinstance(row[0], str) and row[0][:2] == "20"
    return False


def _practice(source: sqlite3.Connection) -> tuple[list[str], int]:
    """Answers to practice cases that are as they were written, and how many are not."""
    found: list[str] = []
    unread = 0
    with contextlib.suppress(sqlite3.DatabaseError):
        for row in source.execute("SELECT body, body_check FROM practice ORDER BY id"):
            if isinstance(row[0], str) and row[1] == check_of(row[0]):
                found.append(row[0])
            else:
                unread += 1
    return found, unread


def _choices(source: sqlite3.Connection) -> list[tuple[str, str]]:
    """What was chosen for the whole logbook and is as it was written."""
    found: list[tuple[str, str]] = []
    with contextlib.suppress(sqlite3.DatabaseError):
        for name, value, check in source.execute("SELECT name, value, value_check FROM choice ORDER BY name"):
            if isinstance(value, str) and check == check_of(name, value):
                found.append((name, value))
    return found


def _traces(source: sqlite3.Connection, study_id: int) -> tuple[dict[str, Trace], list[str]]:
    found: dict[str, Trace] = {}
    missing: list[str] = []
    legs: list[str] = []
    with contextlib.suppress(sqlite3.DatabaseError):
        for row in source.execute("SELECT leg FROM trace WHERE study_id = ?", (study_id,)):
            legs.append(str(row[0]))
    with contextlib.suppress(sqlite3.DatabaseError, IndexError):
        logged = source.execute("SELECT logged FROM study WHERE id = ?", (study_id,)).fetchone()[0]
        legs += [leg for leg in str(logged).splitlines() if leg not in legs]
    for leg in legs:
        try:
            row = source.execute("SELECT * FROM trace WHERE study_id = ? AND leg = ?", (study_id, leg)).fetchone()
            names = set(row.keys())
            if "samples_check" in names and row["samples_check"] != check_of(
                row["study_id"], row["leg"], row["samples"]
            ):
                raise ValueError("not what was written")
            found[leg] = unpack_trace(row["samples"])
        except (sqlite3.DatabaseError, ValueError, TypeError, AttributeError):
            missing.append(leg)
    return found, missing

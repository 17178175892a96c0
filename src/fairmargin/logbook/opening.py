"""The way into a logbook file: made whole or not at all, locked, rolled back, checked, upgraded.

Nothing is trusted before it is checked, and nothing is changed in a file that is not a logbook, is damaged or
comes from a newer version. A save that was cut short is rolled back by SQLite from its journal, which needs
writing: an opener that only reads therefore works on a copy of both files when it finds one.
"""

from __future__ import annotations

import contextlib
import fcntl
import os
import shutil
import sqlite3
import tempfile
from dataclasses import dataclass, field
from pathlib import Path
from typing import Final

from fairmargin.logbook import copies, schema
from fairmargin.logbook.faults import LogbookDamaged, LogbookFault
from fairmargin.logbook.files import beside, connect, into_place, journal_of, sweep

MAGIC: Final = b"SQLite format 3\x00"
NO_WRITING: Final = "You may not write to this file; it is open for reading only."
NO_FOLDER: Final = "This folder cannot be written to; the logbook is open for reading only."
EARLIER_COPY: Final = "This is an earlier copy, for reading only. Put it back (Logbook, Earlier copies) to work on it."
OTHER_WINDOW: Final = "Another window has this logbook; here it is open for reading only."


@dataclass(slots=True)
class Opened:
    """A file that may be read (and written unless `read_only_because` says why not)."""

    database: Path  # the file itself, or a copy of it for reading
    lock: int | None
    read_only_because: str
    healed: list[str] = field(default_factory=list)
    folder: tempfile.TemporaryDirectory[str] | None = None


def open_file(path: Path, create: bool) -> Opened:
    """Bring a logbook file into a state that can be used.

    Raises
    ------
    LogbookFault
        If it is absent and may not be made, is no logbook or from a newer version, or cannot be read or made.
    LogbookDamaged
        If it is a logbook that is not whole.
    """
    try:
        return _open(path, create)
    except sqlite3.DatabaseError as error:
        raise _worded(path, error) from error
    except OSError as error:
        raise LogbookFault(f"{path}: cannot be opened: {error.strerror or error}.") from error
    except UnicodeDecodeError as error:  # SQLite's own words about a damaged schema
        raise LogbookDamaged(path, "its list of tables is no text") from error
    except ValueError as error:  # a name that no file can have
        raise LogbookFault(f"{str(path)[:80]!r}: cannot be opened: {error}.") from error


def _worded(path: Path, error: sqlite3.DatabaseError) -> LogbookFault:
    # A malformed file and "not a database" are plain DatabaseErrors; the operational ones are about circumstances.
    if isinstance(error, sqlite3.OperationalError) and "malformed" not in str(error):
        return LogbookFault(f"{path}: cannot be opened: {error}. It was left as it is.")
    return LogbookDamaged(path, str(error))


def in_place(opened: Opened, path: Path) -> bool:
    """Whether the file that is open is still the one at its place."""
    if opened.lock is None:
        return True
    try:
        there = path.stat()
    except OSError:
        return False
    own = os.fstat(opened.lock)
    return (own.st_dev, own.st_ino) == (there.st_dev, there.st_ino)


def _open(path: Path, create: bool) -> Opened:
    if path.exists() and not path.is_file():
        raise LogbookFault(f"{path}: is not a file; expected a logbook. It was left as it is.")
    sweep(path)
    if not _something(path):
        if not create:
            raise LogbookFault(f"{path}: there is no such logbook.")
        _make(path)
    earlier = copies.is_copy(path)
    lock, because = (None, EARLIER_COPY) if earlier else _locked(path)
    opened = Opened(path, lock, because)
    try:
        _look(path)
        if earlier or (because and _hot(path) and because != OTHER_WINDOW):
            # What cannot be rolled back or upgraded in place is worked on as a copy, for reading.
            opened.folder = tempfile.TemporaryDirectory(prefix="fairmargin-")
            opened.database = Path(opened.folder.name) / path.name
            for source in (path, journal_of(path)):
                if source.exists():
                    shutil.copyfile(source, opened.database.with_name(source.name))
        writable = lock is not None or opened.folder is not None
        with contextlib.closing(connect(opened.database, "rw" if writable else "ro")) as connection:
            connection.execute("SELECT count(*) FROM sqlite_master").fetchone()  # rolls back what was cut short
            if lock is not None and path.stat().st_size == 0:
                connection.close()
                os.close(lock)
                opened.lock = None
                _make(path)  # killed while it was first made
                return _open(path, create)
            revision = _identify(path, connection, opened)
            _whole(path, connection)
            if lock is not None:
                opened.read_only_because = _cannot_write(connection)
                if opened.read_only_because:
                    os.close(lock)
                    opened.lock = None
        if revision != schema.HEAD:
            if opened.read_only_because and opened.folder is None:
                raise LogbookFault(f"{path}: needs an upgrade, but cannot be written now. {opened.read_only_because}")
            _upgrade(opened.database, revision, opened)
        return opened
    except BaseException:
        release(opened)
        raise


def release(opened: Opened) -> None:
    """Let go of the lock and of a copy made for reading."""
    if opened.lock is not None:
        os.close(opened.lock)
        opened.lock = None
    if opened.folder is not None:
        opened.folder.cleanup()
        opened.folder = None


def _something(path: Path) -> bool:
    """Whether there is a file with anything in it (an empty one is as good as none)."""
    return path.exists() and (path.stat().st_size > 0 or _hot(path))


def _hot(path: Path) -> bool:
    journal = journal_of(path)
    return journal.is_file() and journal.stat().st_size > 0


def _look(path: Path) -> None:
    """Refuse what is no SQLite file before SQLite sees it."""
    with path.open("rb") as file:
        head = file.read(len(MAGIC))
    if head and head != MAGIC:
        raise LogbookFault(f"{path}: is not a Fair Margin logbook. It was left as it is.")


def _locked(path: Path) -> tuple[int | None, str]:
    """Keep other windows from writing; or say why this one may not."""
    while True:
        try:
            lock = os.open(path, os.O_RDWR | os.O_CLOEXEC)
        except FileNotFoundError:
            raise
        except OSError:
            return None, NO_WRITING
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            os.close(lock)
            return None, OTHER_WINDOW
        if os.fstat(lock).st_ino == path.stat().st_ino:
            return lock, ""
        os.close(lock)  # another file took its place in between


def _identify(path: Path, connection: sqlite3.Connection, opened: Opened) -> str:
    """Return the schema revision; marks that were lost are set again where the tables leave no doubt."""
    identity = connection.execute("PRAGMA application_id").fetchone()[0]
    tables = {row[0] for row in connection.execute("SELECT name FROM sqlite_master WHERE type='table'")}
    if not tables and opened.lock is not None and identity in {0, schema.APPLICATION_ID}:
        _build(connection)  # made by an earlier version, and killed before its tables were
        return schema.HEAD
    columns = {row[1] for row in connection.execute("PRAGMA table_info(study)")}
    ours = "trace" in tables and columns >= schema.STUDY - schema.ADDED_0002 - schema.ADDED_0003
    if not ours or (identity not in {0, schema.APPLICATION_ID}):
        raise LogbookFault(f"{path}: is a database of another program. It was left as it is.")
    found = (
        [str(row[0]) for row in connection.execute("SELECT version_num FROM alembic_version")]
        if "alembic_version" in tables
        else []
    )
    revision = found[0] if len(found) == 1 else ""
    if revision.isdigit() and revision > schema.HEAD:
        raise LogbookFault(f"{path}: was written by a newer Fair Margin (schema {revision}). It was left as it is.")
    if columns >= schema.STUDY and "practice" in tables:
        told = schema.HEAD if "choice" in tables else "0003"
    else:
        told = "0002" if columns >= schema.STUDY - schema.ADDED_0003 and "book" in tables else "0001"
    if (revision != told or identity != schema.APPLICATION_ID) and opened.lock is not None:
        connection.execute("CREATE TABLE IF NOT EXISTS alembic_version (version_num VARCHAR(32) NOT NULL)")
        connection.execute("DELETE FROM alembic_version")
        connection.execute("INSERT INTO alembic_version VALUES (?)", (told,))
        connection.execute(f"PRAGMA application_id = {schema.APPLICATION_ID}")
        connection.commit()
        opened.healed.append("The file's own marks were incomplete and have been set again.")
    return told


def _whole(path: Path, connection: sqlite3.Connection) -> None:
    """Refuse a file whose pages are not in order.

    Raises
    ------
    LogbookDamaged
        With what SQLite found first.
    """
    found = str(connection.execute("PRAGMA quick_check(1)").fetchone()[0])
    if found != "ok":
        raise LogbookDamaged(path, found.splitlines()[-1])


def _cannot_write(connection: sqlite3.Connection) -> str:
    """Try a write that is taken back: a folder may refuse the journal though the file itself is writable."""
    try:
        connection.execute("BEGIN IMMEDIATE")
        connection.execute("UPDATE study SET position = position WHERE id = (SELECT min(id) FROM study)")
        connection.execute("CREATE TABLE probe (x)")
        connection.rollback()
    except sqlite3.OperationalError as error:
        with contextlib.suppress(sqlite3.Error):
            connection.rollback()
        if "full" in str(error):
            return ""  # there may be room again when it is needed; a save tells
        return NO_FOLDER
    return ""


# ---------------------------------------------------------------- making and upgrading


def _build(connection: sqlite3.Connection) -> None:
    """Make the tables of the newest schema in an empty database."""
    for name, columns in schema.TABLES.items():
        connection.execute(f"CREATE TABLE {name} ({columns})")
    connection.execute("CREATE TABLE alembic_version (version_num VARCHAR(32) NOT NULL PRIMARY KEY)")
    connection.execute("INSERT INTO alembic_version VALUES (?)", (schema.HEAD,))
    connection.execute("INSERT INTO book VALUES (1, 0)")
    connection.execute(f"PRAGMA application_id = {schema.APPLICATION_ID}")
    connection.commit()


def _make(path: Path) -> None:
    """Make an empty logbook: built beside its place, then moved there whole."""
    try:
        with beside(path) as made:
            with contextlib.closing(connect(made, "rw")) as connection:
                _build(connection)
            if path.exists():
                _over_empty(made, path)
                return
            try:
                os.link(made, path)  # never over what another window made meanwhile
            except FileExistsError:
                return
            except OSError:  # a file system without links
                into_place(made, path)
    except (OSError, sqlite3.Error) as error:
        words = error.strerror if isinstance(error, OSError) and error.strerror else str(error)
        raise LogbookFault(f"{path}: cannot be made: {words}.") from error


def _over_empty(made: Path, path: Path) -> None:
    """Take the place of an empty file, unless another window was faster."""
    empty = os.open(path, os.O_RDWR | os.O_CLOEXEC)
    try:
        fcntl.flock(empty, fcntl.LOCK_EX)
        now = path.stat()
        if now.st_ino == os.fstat(empty).st_ino and now.st_size == 0:
            journal_of(path).unlink(missing_ok=True)
            into_place(made, path)
    finally:
        os.close(empty)


def _upgrade(path: Path, revision: str, opened: Opened) -> None:
    """Bring the file to the newest schema: in a copy that then takes its place. The older one is kept."""
    import sqlalchemy as sa
    from alembic import command
    from alembic.config import Config

    try:
        if opened.folder is None:
            copies.keep(path, f"before {schema.HEAD}")
        with beside(path) as made:
            with contextlib.closing(connect(path, "ro")) as source, contextlib.closing(connect(made, "rw")) as target:
                source.backup(target)
            engine = sa.create_engine("sqlite://", creator=lambda: connect(made, "rw"), poolclass=sa.pool.StaticPool)
            config = Config()
            config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
            try:
                with engine.connect() as connection:
                    config.attributes["connection"] = connection
                    command.upgrade(config, "head")
                    connection.commit()
            finally:
                engine.dispose()
            lock = os.open(made, os.O_RDWR | os.O_CLOEXEC)
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
            try:
                os.chmod(made, path.stat().st_mode & 0o777)
                into_place(made, path)
            except BaseException:
                os.close(lock)
                raise
        if opened.lock is None:
            os.close(lock)
        else:
            os.close(opened.lock)
            opened.lock = lock
    except (OSError, sqlite3.Error, sa.exc.SQLAlchemyError) as error:
        raise LogbookFault(
            f"{path}: could not be upgraded from schema {revision}: {error}. It was left as it is."
        ) from error

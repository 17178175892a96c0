"""Files of the logbook: connections to them, and taking their place whole."""

from __future__ import annotations

import contextlib
import glob
import os
import sqlite3
from collections.abc import Iterator
from pathlib import Path
from typing import Final
from urllib.parse import quote

#: How long another program's hold on the file is waited for. [s]
PATIENCE_S: Final = 5.0


def real(path: Path) -> Path:
    """The file itself, where a symbolic link leads to it: links stay links."""
    try:
        return path.resolve() if path.is_symlink() else path
    except (OSError, RuntimeError, ValueError):
        return path  # told when it is opened


def uri(path: Path, mode: str) -> str:
    """SQLite URI of a file."""
    return f"file:{quote(str(path.absolute()))}?mode={mode}"


def prepare(connection: sqlite3.Connection, _record: object = None) -> None:
    """Set what every connection to a logbook needs."""
    connection.text_factory = lambda data: data.decode("utf-8", "replace")
    connection.execute("PRAGMA foreign_keys = ON")
    connection.execute("PRAGMA cell_size_check = ON")
    # EXTRA: the journal's removal, which is what commits, reaches the disk as well.
    connection.execute("PRAGMA synchronous = EXTRA")


def connect(path: Path, mode: str) -> sqlite3.Connection:
    """Open a connection that any thread may use."""
    connection = sqlite3.connect(uri(path, mode), uri=True, check_same_thread=False, timeout=PATIENCE_S)
    try:
        prepare(connection)
    except BaseException:
        connection.close()
        raise
    return connection


def journal_of(path: Path) -> Path:
    """Where SQLite keeps what it needs to take back a save that was cut short."""
    return path.with_name(path.name + "-journal")


def sweep(path: Path) -> None:
    """Take away what killed processes left beside a file that they were making."""
    with contextlib.suppress(OSError, ValueError):
        for old in path.parent.glob(f".{glob.escape(path.name)}.*.new*"):
            number = old.name.split(".new")[0].rpartition(".")[2]
            if number.isdigit() and not Path(f"/proc/{number}").exists():
                old.unlink(missing_ok=True)


@contextlib.contextmanager
def beside(path: Path) -> Iterator[Path]:
    """A new private file beside `path` for what is to take its place; gone afterwards unless it was moved there."""
    path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
    sweep(path)
    made = path.with_name(f".{path.name}.{os.getpid()}.new")
    made.unlink(missing_ok=True)
    os.close(os.open(made, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600))
    try:
        yield made
    finally:
        for left in (made, journal_of(made)):
            left.unlink(missing_ok=True)


def to_disk(path: Path) -> None:
    """Wait until a file, or a folder's list of names, has reached the disk (OSError if it cannot)."""
    handle = os.open(path, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)


def into_place(made: Path, path: Path) -> None:
    """Move a finished file to its place, on the disk when this returns."""
    to_disk(made)
    os.replace(made, path)
    to_disk(path.parent)

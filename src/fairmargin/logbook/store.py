"""Opening, reading and writing a logbook.

Every save is one transaction that has reached the disk when the call returns (rollback journal,
``synchronous=FULL``), so a killed process or a power cut loses nothing that was saved. A second window is
kept out by a lock on the file (``flock``) and reads only.
"""

from __future__ import annotations

import contextlib
import fcntl
import io
import json
import os
import shutil
import sqlite3
import zipfile
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import Any, Final

import numpy as np
import sqlalchemy as sa

from fairmargin.core.study import Study, Trace
from fairmargin.logbook import schema

SUFFIX: Final = ".fairmargin"


class LogbookFault(Exception):
    """A logbook that cannot be opened or written; the message is for the person."""


def default_path() -> Path:
    """Place of a person's own logbook, by the XDG rules."""
    import platformdirs

    return platformdirs.user_data_path("fairmargin", appauthor=False) / f"logbook{SUFFIX}"


@dataclass(frozen=True, slots=True)
class StudyEntry:
    """One line of the study list."""

    id: int
    title: str
    summary: str
    changed_at: datetime


class Logbook:
    """An open logbook. Use `open`; close it when done."""

    def __init__(self, path: Path, engine: sa.Engine, lock: int | None, read_only_because: str) -> None:
        self.path = path
        self._engine = engine
        self._lock = lock
        self.read_only_because = read_only_because

    @property
    def read_only(self) -> bool:
        """Whether nothing can be saved."""
        return bool(self.read_only_because)

    @classmethod
    def open(cls, path: str | Path, *, create: bool = True) -> Logbook:
        """Open a logbook, making or upgrading it as needed.

        Raises
        ------
        LogbookFault
            If there is none and `create` is false, or the file is no logbook, damaged, or from a newer
            version. Such a file is left untouched.
        """
        path = Path(path)
        fresh = not path.exists() or path.stat().st_size == 0
        if fresh and not create:
            raise LogbookFault(f"{path}: there is no such logbook.")
        revision = ""
        if not fresh:
            revision = _inspect(path)
        else:
            try:
                path.parent.mkdir(parents=True, exist_ok=True)
                path.touch()
            except OSError as error:
                raise LogbookFault(f"{path}: cannot be made: {error.strerror}.") from error
        lock: int | None = None
        because = ""
        try:
            lock = os.open(path, os.O_RDWR | os.O_CLOEXEC)
        except OSError:
            because = "You may not write to this file; it is open for reading only."
        if lock is not None:
            try:
                fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
            except OSError:
                os.close(lock)
                lock = None
                because = "Another window has this logbook; here it is open for reading only."
        if because and revision != schema.HEAD:
            raise LogbookFault(f"{path}: needs an upgrade, but cannot be written now. {because}")
        mode = "ro" if because else "rw"
        engine = sa.create_engine(
            "sqlite://",
            creator=lambda: sqlite3.connect(
                f"file:{_uri(path)}?mode={mode}", uri=True, check_same_thread=False, timeout=5.0
            ),
            poolclass=sa.pool.StaticPool,
        )
        sa.event.listen(engine, "connect", _prepare)
        book = cls(path, engine, lock, because)
        try:
            if revision != schema.HEAD:
                book._upgrade(revision)
        except BaseException:
            book.close()
            raise
        return book

    def _upgrade(self, revision: str) -> None:
        """Bring the file to the newest schema; an older file is copied beside itself first."""
        from alembic import command
        from alembic.config import Config

        if revision:
            shutil.copy2(self.path, self.path.with_suffix(f"{self.path.suffix}.before-{schema.HEAD}"))
        config = Config()
        config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
        with self._engine.connect() as connection:
            # Marked first: a process killed half-way leaves a file that the next opening finishes.
            connection.exec_driver_sql(f"PRAGMA application_id = {schema.APPLICATION_ID}")
            connection.commit()
            config.attributes["connection"] = connection
            command.upgrade(config, "head")
            connection.commit()

    def close(self) -> None:
        """Close the file and let others write."""
        self._engine.dispose()
        if self._lock is not None:
            os.close(self._lock)
            self._lock = None

    def __enter__(self) -> Logbook:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    # ------------------------------------------------------------ reading

    def studies(self) -> list[StudyEntry]:
        """Return the studies in their order, removed ones left out."""
        query = (
            sa.select(
                schema.study.c.id, schema.study.c.title, schema.study.c.summary, schema.study.c.changed_at
            )
            .where(schema.study.c.removed_at.is_(None))
            .order_by(schema.study.c.position, schema.study.c.id)
        )
        with self._engine.connect() as connection:
            return [
                StudyEntry(row.id, row.title, row.summary, datetime.fromisoformat(row.changed_at))
                for row in connection.execute(query)
            ]

    def load(self, study_id: int) -> tuple[Study, dict[str, Trace]]:
        """Return a study and its traces.

        Raises
        ------
        LogbookFault
            If there is no such study, or its record cannot be read.
        """
        with self._engine.connect() as connection:
            row = connection.execute(
                sa.select(schema.study.c.body).where(schema.study.c.id == study_id)
            ).one_or_none()
            blobs = connection.execute(
                sa.select(schema.trace.c.leg, schema.trace.c.samples).where(
                    schema.trace.c.study_id == study_id
                )
            ).all()
        if row is None:
            raise LogbookFault(f"{self.path}: study {study_id} is not in this logbook.")
        try:
            return Study.model_validate_json(row.body), {leg: unpack_trace(samples) for leg, samples in blobs}
        except ValueError as error:
            first = str(error).splitlines()[0]
            raise LogbookFault(f"{self.path}: study {study_id} cannot be read: {first}") from error

    def vehicles(self, leaving_out: int | None = None) -> list[tuple[str, Study]]:
        """Return title and study (without traces) of each study in the list, newest first."""
        query = (
            sa.select(schema.study.c.id, schema.study.c.title, schema.study.c.body)
            .where(schema.study.c.removed_at.is_(None))
            .order_by(schema.study.c.position.desc())
        )
        with self._engine.connect() as connection:
            rows = connection.execute(query).all()
        found = []
        for row in rows:
            if row.id != leaving_out:
                with contextlib.suppress(ValueError):  # a damaged record is told when it is opened
                    found.append((row.title, Study.model_validate_json(row.body)))
        return found

    def scatter_evidence(self, leaving_out: int | None = None) -> list[list[float]]:
        """Return what each study driven so far tells of the tester's scatter (see `learned_scatter`)."""
        found = []
        for entry in self.studies():
            if entry.id == leaving_out or not entry.summary:
                continue
            evidence = json.loads(entry.summary).get("scatter")
            if evidence:
                found.append([float(v) for v in evidence])
        return found

    # ------------------------------------------------------------ writing

    def _write(self) -> contextlib.AbstractContextManager[sa.Connection]:
        if self.read_only:
            raise LogbookFault(self.read_only_because)
        return _words(self.path, self._engine)

    def add(self, study: Study, traces: Mapping[str, Trace] | None = None, summary: str = "") -> int:
        """Add a study at the end of the list and return its id."""
        now = _now()
        with self._write() as connection:
            last = connection.execute(sa.select(sa.func.max(schema.study.c.position))).scalar()
            key = connection.execute(
                schema.study.insert().values(
                    position=(last or 0.0) + 1.0,
                    title=study.title,
                    body=study.model_dump_json(by_alias=True, exclude_none=True),
                    summary=summary,
                    created_at=now,
                    changed_at=now,
                )
            ).inserted_primary_key
            study_id = int(key[0])  # type: ignore[index]
            for leg, samples in (traces or {}).items():
                connection.execute(
                    schema.trace.insert().values(study_id=study_id, leg=leg, samples=pack_trace(samples))
                )
        return study_id

    def save(
        self,
        study_id: int,
        study: Study,
        summary: str = "",
        traces: Mapping[str, Trace | None] | None = None,
    ) -> None:
        """Save a study; when this returns it is on the disk.

        Parameters
        ----------
        study_id : int
        study : Study
        summary : str
            What the list says about it.
        traces : mapping of leg name to Trace or None, optional
            Only those that change; None takes a leg's trace away.
        """
        with self._write() as connection:
            result: Any = connection.execute(
                schema.study.update()
                .where(schema.study.c.id == study_id)
                .values(
                    title=study.title,
                    body=study.model_dump_json(by_alias=True, exclude_none=True),
                    summary=summary,
                    changed_at=_now(),
                )
            )
            if result.rowcount != 1:
                raise LogbookFault(f"{self.path}: study {study_id} is not in this logbook.")
            for leg, samples in (traces or {}).items():
                here = (schema.trace.c.study_id == study_id) & (schema.trace.c.leg == leg)
                connection.execute(schema.trace.delete().where(here))
                if samples is not None:
                    connection.execute(
                        schema.trace.insert().values(study_id=study_id, leg=leg, samples=pack_trace(samples))
                    )

    def set_summary(self, study_id: int, summary: str) -> None:
        """Save what the list says about a study."""
        with self._write() as connection:
            connection.execute(
                schema.study.update().where(schema.study.c.id == study_id).values(summary=summary)
            )

    def set_removed(self, study_id: int, removed: bool) -> None:
        """Take a study off the list, or put it back; its readings stay in the file."""
        with self._write() as connection:
            connection.execute(
                schema.study.update()
                .where(schema.study.c.id == study_id)
                .values(removed_at=_now() if removed else None)
            )


def _uri(path: Path) -> str:
    from urllib.parse import quote

    return quote(str(path.absolute()))


def _now() -> str:
    return datetime.now().astimezone().isoformat(timespec="seconds")


def _prepare(connection: sqlite3.Connection, _record: object) -> None:
    connection.execute("PRAGMA foreign_keys = ON")
    connection.execute("PRAGMA synchronous = FULL")


@contextlib.contextmanager
def _words(path: Path, engine: sa.Engine) -> Any:
    """One transaction; a full disk or the like is told in words."""
    try:
        with engine.begin() as connection:
            yield connection
    except sa.exc.OperationalError as error:
        raise LogbookFault(
            f"{path}: could not be saved: {error.orig}. Nothing before this was lost."
        ) from error


def _inspect(path: Path) -> str:
    """Return the schema revision of an existing file, without changing a byte of it."""
    try:
        with path.open("rb") as file:
            head = file.read(16)
    except OSError as error:
        raise LogbookFault(f"{path}: cannot be read: {error.strerror}.") from error
    if head != b"SQLite format 3\x00":
        raise LogbookFault(f"{path}: is not a Fair Margin logbook. It was left as it is.")
    try:
        connection = sqlite3.connect(f"file:{_uri(path)}?mode=ro", uri=True)
        try:
            identity = connection.execute("PRAGMA application_id").fetchone()[0]
            tables = {
                row[0] for row in connection.execute("SELECT name FROM sqlite_master WHERE type='table'")
            }
            if identity == schema.APPLICATION_ID and not tables & {"study", "alembic_version"}:
                return ""  # made, but killed before its tables were
            if identity != schema.APPLICATION_ID or "study" not in tables or "alembic_version" not in tables:
                raise LogbookFault(f"{path}: is a database of another program. It was left as it is.")
            check = connection.execute("PRAGMA quick_check(1)").fetchone()[0]
            if check != "ok":
                raise LogbookFault(
                    f"{path}: is damaged ({check}). It was left as it is; use a copy of yours."
                )
            revision = str(connection.execute("SELECT version_num FROM alembic_version").fetchone()[0])
        finally:
            connection.close()
    except sqlite3.DatabaseError as error:
        raise LogbookFault(
            f"{path}: is damaged ({error}). It was left as it is; use a copy of yours."
        ) from error
    if revision > schema.HEAD:
        raise LogbookFault(
            f"{path}: was written by a newer Fair Margin (schema {revision}). It was left as it is."
        )
    return revision


def pack_trace(trace: Trace) -> bytes:
    """Pack a trace for the file (NumPy .npz, lightly compressed: six times faster than fully, a tenth larger)."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as archive:
        for name, values in trace.columns().items():
            with archive.open(f"{name}.npy", "w") as member:
                np.lib.format.write_array(member, values, allow_pickle=False)
    return out.getvalue()


def unpack_trace(data: bytes) -> Trace:
    """Undo `pack_trace` (ValueError if the data are damaged)."""
    with np.load(io.BytesIO(data), allow_pickle=False) as columns:
        return Trace(**{name: columns[name] for name in columns.files})

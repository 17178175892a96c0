"""Reading and writing a logbook.

Every save is one transaction that has reached the disk when the call returns (rollback journal,
``synchronous=EXTRA``), so a killed process or a power cut loses nothing that was saved. A second window is
kept out by a lock on the file (``flock``) and reads only. Every study and every trace carries a checksum of what
was written: a value that changed by itself is told, never shown as a reading.
"""

from __future__ import annotations

import contextlib
import math
import sqlite3
import threading
from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import Any, Final

from fairmargin.core.study import Study, Trace
from fairmargin.logbook import copies, opening, schema
from fairmargin.logbook.about import about_of
from fairmargin.logbook.faults import LogbookFault, StudyDamaged
from fairmargin.logbook.files import connect, real
from fairmargin.logbook.packing import pack_trace, unpack_trace
from fairmargin.logbook.rows import (
    DAMAGE_MARK,
    Record,
    StudyEntry,
    body_of,
    entry_of,
    moment,
    now_text,
    parsed,
    scatter_in,
    sealed,
    study_of,
    unsealed,
)
from fairmargin.logbook.schema import check_of, row_check

SUFFIX: Final = ".fairmargin"
#: Vehicles or roads that are offered again.
MOST_NEWEST: Final = 60


def default_path() -> Path:
    """Place of a person's own logbook, by the XDG rules."""
    import platformdirs

    return platformdirs.user_data_path("fairmargin", appauthor=False) / f"logbook{SUFFIX}"


#: Columns of a study's line, as they are written into a query.
_LINE: Final = ", ".join(schema.ROW_COLUMNS)


def _insert(connection: sqlite3.Connection, table: str, *, or_replace: bool = False, **values: Any) -> int:
    """Add a row and return its number."""
    names, places = ", ".join(values), ", ".join("?" * len(values))
    how = "INSERT OR REPLACE" if or_replace else "INSERT"
    made = connection.execute(f"{how} INTO {table} ({names}) VALUES ({places})", tuple(values.values()))
    return int(made.lastrowid or 0)


def _update(connection: sqlite3.Connection, study_id: int, only: str | None = None, /, **values: Any) -> int:
    """Change a study's row and return how many were; `only` while its record has this check, as it may have been edited meanwhile."""
    changes = ", ".join(f"{name} = ?" for name in values)
    still = "" if only is None else " AND body_check = ?"
    given = (*values.values(), study_id, *(() if only is None else (only,)))
    return connection.execute(f"UPDATE study SET {changes} WHERE id = ?{still}", given).rowcount


def _logged(connection: sqlite3.Connection, study_id: int) -> str:
    """Legs with a trace, one a line."""
    legs = connection.execute("SELECT leg FROM trace WHERE study_id = ?", (study_id,))
    return "\n".join(sorted(str(leg) for (leg,) in legs))


class Logbook:
    """An open logbook. Use `open`; close it when done."""

    def __init__(self, path: Path, opened: opening.Opened) -> None:
        self.path = path
        self._opened = opened
        self.read_only_because = opened.read_only_because
        #: What was put right at opening or reading, in words for the person.
        self.healed: list[str] = opened.healed
        self._connection: sqlite3.Connection | None = None
        self._turn = threading.RLock()  # one connection, one user at a time
        self._closed = False

    @property
    def read_only(self) -> bool:
        """Whether nothing can be saved."""
        return bool(self.read_only_because)

    @classmethod
    def open(cls, path: str | Path, *, create: bool = True) -> Logbook:
        """Open a logbook, making or upgrading it as needed; a save that was cut short is rolled back.

        Raises
        ------
        LogbookFault
            If there is none and `create` is false, or the file is no logbook, or from a newer version, or
            cannot be made. Such a file is left untouched.
        LogbookDamaged
            If it is a logbook that is not whole; it is left untouched too.
        """
        path = real(Path(path))
        book = cls(path, opening.open_file(path, create))
        try:
            book._count()
        except BaseException:
            book.close()
            raise
        return book

    def close(self) -> None:
        """Close the file and let others write."""
        with self._turn:
            self._closed = True  # whoever still works beside the window must not open the file again
            if self._connection is not None:
                self._connection.close()
                self._connection = None
            opening.release(self._opened)

    def __enter__(self) -> Logbook:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    # ------------------------------------------------------------ reading

    @contextlib.contextmanager
    def _reading(self) -> Iterator[sqlite3.Connection]:
        with self._turn:
            try:
                yield self._connected()
            except sqlite3.DatabaseError as error:
                raise LogbookFault(f"{self.path}: could not be read: {error}.") from error

    def _connected(self) -> sqlite3.Connection:
        if self._closed:
            raise LogbookFault(f"{self.path}: was closed.")
        if self._connection is None:
            self._connection = connect(self._opened.database, "ro" if self.read_only else "rw")
            self._connection.row_factory = sqlite3.Row
        return self._connection

    def _count(self) -> None:
        """Notice a study that is not there any more, and set the count right."""
        with self._reading() as connection:
            (there,) = connection.execute("SELECT count(*) FROM study").fetchone()
            (written,) = connection.execute("SELECT studies FROM book").fetchone() or (None,)
        if written is not None and isinstance(written, int) and there < written:
            self.healed.append(
                f"{written - there} of {written} studies are missing from this file; an earlier copy may hold them."
            )
        if written != there and not self.read_only:
            with self._write() as connection:
                connection.execute("DELETE FROM book")
                connection.execute("INSERT INTO book (id, studies) VALUES (1, ?)", (there,))

    def studies(self) -> list[StudyEntry]:
        """Return the studies in their order, removed ones left out.

        A line whose title, place or dates are not what was written is made anew from the study's readings.
        """
        with self._reading() as connection:
            rows = connection.execute(f"SELECT {_LINE}, row_check FROM study ORDER BY position, id").fetchall()
        entries: list[tuple[float, int, StudyEntry]] = []
        for row in rows:
            entry: StudyEntry | None
            if row["row_check"] == row_check(row):
                entry = entry_of(row)
                place = row["position"]
            else:
                entry, place = self._heal(row["id"])
            if entry is not None:
                entries.append((place, entry.id, entry))
        return [entry for _, _, entry in sorted(entries, key=lambda e: e[:2])]

    def _heal(self, study_id: int) -> tuple[StudyEntry | None, float]:
        """Make a damaged line anew; the readings are checked by themselves."""
        with self._reading() as connection:
            row = connection.execute("SELECT * FROM study WHERE id = ?", (study_id,)).fetchone()
            logged = _logged(connection, study_id)
        study = study_of(row)
        title = study.title if study is not None else str(row["title"])
        place = row["position"]
        if not isinstance(place, float) or not math.isfinite(place) or abs(place) > 1e9:
            place = float(study_id)
        removed = row["removed_at"] if moment(row["removed_at"]) else None
        now = now_text()
        mended = {
            "id": study_id,
            "position": place,
            "title": title,
            "summary": "" if study is not None else DAMAGE_MARK,
            "created_at": row["created_at"] if moment(row["created_at"]) else now,
            "changed_at": row["changed_at"] if moment(row["changed_at"]) else now,
            "removed_at": removed,
            "logged": logged,
            "archived_at": row["archived_at"] if moment(row["archived_at"]) else None,
            "about": "{}" if study is None else about_of(study),
        }
        told = f"\u201c{title or '(no title)'}\u201d: " + (
            "its line in the list was damaged and has been made anew from its readings."
            if study is not None
            else "its line in the list and its readings are not what was written."
        )
        if told not in self.healed:  # a file that may not be written is healed at each reading
            self.healed.append(told)
        if not self.read_only:
            with self._write() as connection:
                _update(connection, study_id, **mended, row_check=row_check(mended))
        if removed is not None:
            return None, place
        return entry_of(mended), place

    def read(self, study_id: int) -> Record:
        """Return a study with those of its logs that are whole.

        Raises
        ------
        LogbookFault
            If there is no such study.
        StudyDamaged
            If its record is not what was written.
        """
        with self._reading() as connection:
            row = connection.execute("SELECT * FROM study WHERE id = ?", (study_id,)).fetchone()
            logs = connection.execute("SELECT * FROM trace WHERE study_id = ?", (study_id,)).fetchall()
        if row is None:
            raise LogbookFault(f"{self.path}: study {study_id} is not in this logbook.")
        traces: dict[str, Trace] = {}
        damage: list[str] = []
        for log in logs:
            leg = str(log["leg"])
            try:
                if log["samples_check"] != check_of(log["study_id"], log["leg"], log["samples"]):
                    raise ValueError("not what was written")
                traces[leg] = unpack_trace(log["samples"])
            except (ValueError, TypeError) as error:
                damage.append(f"The log of {leg} is damaged ({error}) and is left out.")
        if row["row_check"] == row_check(row):
            there = {str(log["leg"]) for log in logs}
            damage += [
                f"The log of {leg} is missing from the file."
                for leg in str(row["logged"]).splitlines()
                if leg not in there
            ]
        study = study_of(row)
        if study is None:
            if not self.read_only and row["summary"] != DAMAGE_MARK:
                self.set_summary(study_id, DAMAGE_MARK)  # the list says so from now on
            raise StudyDamaged(
                f"\u201c{row['title'] or f'study {study_id}'}\u201d in {self.path.name} is damaged: its readings are not "
                "what was written. The other studies are not touched by it.",
                study_id,
                parsed(row["body"]),
                traces,
            )
        return Record(study, traces, tuple(damage), str(row["summary"]), str(row["body_check"]))

    def weight(self, study_id: int) -> int:
        """Bytes of a study's logs."""
        size = "SELECT sum(length(samples)) FROM trace WHERE study_id = ?"
        with self._reading() as connection:
            return int(connection.execute(size, (study_id,)).fetchone()[0] or 0)

    def load(self, study_id: int) -> tuple[Study, dict[str, Trace]]:
        """Return a study and its traces; as `read`, with a `LogbookFault` too if any of its logs cannot be read."""
        record = self.read(study_id)
        if record.damage:
            raise LogbookFault(f"{self.path}, \u201c{record.study.title}\u201d: {record.damage[0]}")
        return record.study, record.traces

    def vehicles(self, leaving_out: int | None = None) -> list[tuple[str, Study]]:
        """Return title and whole study (without traces) of the newest study of each vehicle, all said of it, newest first."""
        return self._newest("json_extract(body, '$.vehicle')", leaving_out)

    def roads(self) -> list[tuple[str, Study]]:
        """Return title and study (without traces) of the newest study of each road, newest first."""
        name = "coalesce(nullif(json_extract(body, '$.route_name'), ''), title)"
        return self._newest(name, None, "json_array_length(body, '$.route') > 1")

    def forecasts(self, leaving_out: int | None = None) -> list[tuple[str, Study]]:
        """Return title and study (without traces) of studies with legs whose end the car forecast, newest first."""
        return self._newest("id", leaving_out, "instr(body, '\"forecast_end_percent\":') > 0")

    def _newest(self, key: str, leaving_out: int | None, condition: str = "1") -> list[tuple[str, Study]]:
        """Newest whole study of each value of an expression over the record, worked out inside the database."""
        query = (
            f"SELECT max(id) FROM study WHERE removed_at IS NULL AND id IS NOT ? AND json_valid(body) AND {condition} "
            f"GROUP BY {key} ORDER BY max(position) DESC LIMIT {MOST_NEWEST}"
        )
        with self._reading() as connection:
            ids = [int(i) for (i,) in connection.execute(query, (leaving_out,))]
            places = ", ".join("?" * len(ids))
            bodies = connection.execute(f"SELECT id, body, body_check FROM study WHERE id IN ({places})", ids)
            rows = {row["id"]: row for row in bodies}
        found = [(i, study_of(rows[i])) for i in ids]
        return [(study.title, study) for _, study in found if study is not None]

    def scatter_evidence(self, leaving_out: int | None = None) -> list[list[float]]:
        """Return what each study tells of the tester's scatter (see `learned_scatter`)."""
        return [found for key, found in self.scatter_of_studies().items() if key != leaving_out]

    def scatter_of_studies(self) -> dict[int, list[float]]:
        """The same by study."""
        with self._reading() as connection:
            rows = connection.execute("SELECT id, summary FROM study WHERE removed_at IS NULL ORDER BY id").fetchall()
        return {int(i): found for i, summary in rows if (found := scatter_in(summary))}

    def memories(self) -> list[tuple[StudyEntry, str]]:
        """Return every study of the list with what others may lean on, "" where that was never worked out or is damaged."""
        with self._reading() as connection:
            kept = {int(i): unsealed(text) for i, text in connection.execute("SELECT id, memory FROM study")}
        return [(entry, kept.get(entry.id, "")) for entry in self.studies()]

    def practice(self) -> list[str]:
        """Return what was said of practice cases, oldest first; what is not as it was written is left out."""
        with self._reading() as connection:
            rows = connection.execute("SELECT body, body_check FROM practice ORDER BY id").fetchall()
        return [body for body, check in rows if check == check_of(body)]

    def choice(self, name: str) -> str | None:
        """Return what was chosen for this logbook under a name; None where nothing was, or it is not as it was written."""
        with self._reading() as connection:
            row = connection.execute("SELECT value, value_check FROM choice WHERE name = ?", (name,)).fetchone()
        return str(row[0]) if row is not None and row[1] == check_of(name, row[0]) else None

    # ------------------------------------------------------------ writing

    def set_choice(self, name: str, value: str) -> None:
        """Choose something for all studies of this logbook."""
        with self._write() as connection:
            _insert(connection, "choice", or_replace=True, name=name, value=value, value_check=check_of(name, value))

    def add_practice(self, body: str) -> None:
        """Keep what was said of a practice case."""
        with self._write() as connection:
            _insert(connection, "practice", body=body, body_check=check_of(body))

    @contextlib.contextmanager
    def _write(self) -> Iterator[sqlite3.Connection]:
        """One transaction; a full disk or the like is told in words."""
        if self.read_only:
            raise LogbookFault(self.read_only_because)
        with self._turn:
            connection = self._connected()
            if not opening.in_place(self._opened, self.path):
                raise LogbookFault(
                    f"{self.path}: this file was moved away or replaced while it was open; this was not saved. What was saved "
                    "before is in the file that was moved: put it back, or open it where it is now."
                )
            try:
                with connection:  # committed at the end, or taken back
                    yield connection
            except sqlite3.DatabaseError as error:
                raise LogbookFault(
                    f"{self.path}: could not be saved: {error}. Nothing before this was lost."
                ) from error

    def _seal(self, connection: sqlite3.Connection, study_id: int) -> None:
        """Write the checksum of a study's row, from the row as the file now has it."""
        row = connection.execute(f"SELECT {_LINE} FROM study WHERE id = ?", (study_id,)).fetchone()
        if row is None:
            raise LogbookFault(f"{self.path}: study {study_id} is not in this logbook.")
        _update(connection, study_id, row_check=row_check(row))

    def _put_traces(
        self, connection: sqlite3.Connection, study_id: int, traces: Mapping[str, Trace | bytes | None]
    ) -> None:
        for leg, samples in traces.items():
            connection.execute("DELETE FROM trace WHERE study_id = ? AND leg = ?", (study_id, leg))
            if samples is not None:
                data = samples if isinstance(samples, bytes) else pack_trace(samples)
                check = check_of(study_id, leg, data)
                _insert(connection, "trace", study_id=study_id, leg=leg, samples=data, samples_check=check)
        _update(connection, study_id, logged=_logged(connection, study_id))

    def add(self, study: Study, traces: Mapping[str, Trace] | None = None, summary: str = "", memory: str = "") -> int:
        """Add a study at the end of the list and return its id; `summary` and `memory` as for `save`."""
        now = now_text()
        body = body_of(study)
        with self._write() as connection:
            (last,) = connection.execute("SELECT max(position) FROM study").fetchone()
            study_id = _insert(
                connection,
                "study",
                position=(last or 0.0) + 1.0,
                title=study.title,
                body=body,
                body_check=check_of(body),
                summary=summary,
                created_at=now,
                changed_at=now,
                about=about_of(study),
                memory=sealed(memory),
            )
            if traces:
                self._put_traces(connection, study_id, traces)
            self._seal(connection, study_id)
            connection.execute("UPDATE book SET studies = studies + 1")
        return study_id

    def save(
        self,
        study_id: int,
        study: Study,
        summary: str = "",
        traces: Mapping[str, Trace | None] | None = None,
        memory: str = "",
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
        memory : str
            What other studies may lean on; empty until it is analysed.
        """
        body = body_of(study)
        packed = {leg: t if t is None else pack_trace(t) for leg, t in (traces or {}).items()}
        with self._write() as connection:
            found = _update(
                connection,
                study_id,
                title=study.title,
                body=body,
                body_check=check_of(body),
                summary=summary,
                changed_at=now_text(),
                about=about_of(study),
                memory=sealed(memory),
            )
            if found != 1:
                raise LogbookFault(f"{self.path}: study {study_id} is not in this logbook.")
            if packed:
                self._put_traces(connection, study_id, packed)
            self._seal(connection, study_id)

    def set_summary(self, study_id: int, summary: str, memory: str | None = None, only: str | None = None) -> None:
        """Save what the list says, and what others may lean on; `only` while the record has this check, where given."""
        self._set(study_id, only, summary=summary, **({} if memory is None else {"memory": sealed(memory)}))

    def set_tags(self, study_id: int, tags: tuple[str, ...]) -> None:
        """Save a study's tags; its readings, line and memory stay as they are."""
        study = self.read(study_id).study.with_(tags=tags)
        body = body_of(study)
        self._set(study_id, body=body, body_check=check_of(body), about=about_of(study))

    def set_archived(self, study_id: int, archived: bool) -> None:
        """Put a study aside, or take it back among the others."""
        self._set(study_id, archived_at=now_text() if archived else None)

    def set_removed(self, study_id: int, removed: bool) -> None:
        """Take a study off the list, or put it back; its readings stay in the file."""
        self._set(study_id, removed_at=now_text() if removed else None)

    def _set(self, study_id: int, only: str | None = None, /, **values: Any) -> None:
        with self._write() as connection:
            _update(connection, study_id, only, **values)
            self._seal(connection, study_id)

    def from_copies(self, study_id: int) -> tuple[copies.Copy, Record] | None:
        """Find the newest earlier copy in which a study is whole; None if there is none."""
        for copy in copies.kept(self.path):
            with contextlib.suppress(LogbookFault), Logbook.open(copy.path, create=False) as book:
                return copy, book.read(study_id)
        return None

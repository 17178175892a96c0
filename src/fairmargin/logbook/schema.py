"""Tables of the logbook as the newest migration leaves them, and the checksums of their rows."""

from __future__ import annotations

import hashlib
from typing import Any, Final

from sqlalchemy import Column, Float, ForeignKey, Integer, LargeBinary, MetaData, Table, Text

#: Marks a SQLite file as a Fair Margin logbook ("FMLB").
APPLICATION_ID: Final = 0x464D4C42
#: Newest migration; a file at this revision opens without loading the migration library.
HEAD: Final = "0004"

metadata = MetaData()

study = Table(
    "study",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("position", Float, nullable=False),
    Column("title", Text, nullable=False),
    Column("body", Text, nullable=False),  # the study as JSON
    Column("summary", Text, nullable=False, server_default=""),  # last verdict, for the list
    Column("created_at", Text, nullable=False),
    Column("changed_at", Text, nullable=False),
    Column("removed_at", Text),
    Column("logged", Text, nullable=False, server_default=""),  # legs with a trace, one a line
    Column("body_check", Text, nullable=False, server_default=""),
    Column("row_check", Text, nullable=False, server_default=""),
    Column("archived_at", Text),
    Column("about", Text, nullable=False, server_default="{}"),  # what the list groups and searches by, from the body
    Column("memory", Text, nullable=False, server_default=""),  # what other studies may lean on, after its checksum
)

trace = Table(
    "trace",
    metadata,
    Column("study_id", ForeignKey("study.id", ondelete="CASCADE"), primary_key=True),
    Column("leg", Text, primary_key=True),
    Column("samples", LargeBinary, nullable=False),  # NumPy .npz, no pickles
    Column("samples_check", Text, nullable=False, server_default=""),
)

#: One row: how many studies were ever written, so that a lost one is noticed.
book = Table("book", metadata, Column("id", Integer, primary_key=True), Column("studies", Integer, nullable=False))

#: What somebody said of a practice case before its truth was shown, a row an answer.
practice = Table(
    "practice",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("body", Text, nullable=False),
    Column("body_check", Text, nullable=False),
)

#: What is chosen once for all studies of the logbook, by name.
choice = Table(
    "choice",
    metadata,
    Column("name", Text, primary_key=True),
    Column("value", Text, nullable=False),
    Column("value_check", Text, nullable=False),
)

#: Columns of a study that earlier revisions did not have.
ADDED_0002: Final = frozenset({"logged", "body_check", "row_check"})
ADDED_0003: Final = frozenset({"archived_at", "about", "memory"})

#: What `row_check` covers: everything of a study's row that is not its body.
ROW_COLUMNS: Final = (
    "id",
    "position",
    "title",
    "summary",
    "created_at",
    "changed_at",
    "removed_at",
    "logged",
    "archived_at",
    "about",
)


def check_of(*parts: Any) -> str:
    """Checksum of values of a row: BLAKE2b, 64 bits, in hexadecimal.

    A wrong bit anywhere changes it; it keeps no one from forging a value.
    """
    made = hashlib.blake2b(digest_size=8)
    for part in parts:
        data = part if isinstance(part, bytes) else repr(part).encode("utf-8", "surrogatepass")
        made.update(len(data).to_bytes(8, "little"))
        made.update(data)
    return made.hexdigest()


def row_check(row: Any) -> str:
    """Checksum of a study's row without its body (`row` by column name)."""
    return check_of(*(row[name] for name in ROW_COLUMNS))

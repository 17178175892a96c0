"""Tables of the logbook as the newest migration leaves them, and the checksums of their rows."""

from __future__ import annotations

import hashlib
from typing import Any, Final

#: Marks a SQLite file as a Fair Margin logbook ("FMLB").
APPLICATION_ID: Final = 0x464D4C42
#: Newest migration; a file at this revision opens without loading the migration library.
HEAD: Final = "0004"

#: Tables by name, in the order in which they are made.
TABLES: Final = {
    # One row: how many studies were ever written, so that a lost one is noticed.
    "book": """
        id INTEGER NOT NULL PRIMARY KEY,
        studies INTEGER NOT NULL
    """,
    # What is chosen once for all studies of the logbook, by name.
    "choice": """
        name TEXT NOT NULL PRIMARY KEY,
        value TEXT NOT NULL,
        value_check TEXT NOT NULL
    """,
    # What somebody said of a practice case before its truth was shown, a row an answer.
    "practice": """
        id INTEGER NOT NULL PRIMARY KEY,
        body TEXT NOT NULL,
        body_check TEXT NOT NULL
    """,
    # `body`: the study as JSON; `summary`: last verdict, for the list; `logged`: legs with a trace, one a line; `about`: what
    # the list groups and searches by, from the body; `memory`: what other studies may lean on, after its checksum.
    "study": """
        id INTEGER NOT NULL PRIMARY KEY,
        position FLOAT NOT NULL,
        title TEXT NOT NULL,
        body TEXT NOT NULL,
        summary TEXT DEFAULT '' NOT NULL,
        created_at TEXT NOT NULL,
        changed_at TEXT NOT NULL,
        removed_at TEXT,
        logged TEXT DEFAULT '' NOT NULL,
        body_check TEXT DEFAULT '' NOT NULL,
        row_check TEXT DEFAULT '' NOT NULL,
        archived_at TEXT,
        about TEXT DEFAULT '{}' NOT NULL,
        memory TEXT DEFAULT '' NOT NULL
    """,
    # `samples`: NumPy .npz, no pickles.
    "trace": """
        study_id INTEGER NOT NULL REFERENCES study (id) ON DELETE CASCADE,
        leg TEXT NOT NULL,
        samples BLOB NOT NULL,
        samples_check TEXT DEFAULT '' NOT NULL,
        PRIMARY KEY (study_id, leg)
    """,
}

#: Columns of a study's row.
STUDY: Final = frozenset(line.split()[0] for line in TABLES["study"].strip().splitlines())
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

"""Tables of the logbook as the newest migration leaves them."""

from __future__ import annotations

from typing import Final

from sqlalchemy import Column, Float, ForeignKey, Integer, LargeBinary, MetaData, Table, Text

#: Marks a SQLite file as a Fair Margin logbook ("FMLB").
APPLICATION_ID: Final = 0x464D4C42
#: Newest migration; a file at this revision opens without loading the migration library.
HEAD: Final = "0001"

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
)

trace = Table(
    "trace",
    metadata,
    Column("study_id", ForeignKey("study.id", ondelete="CASCADE"), primary_key=True),
    Column("leg", Text, primary_key=True),
    Column("samples", LargeBinary, nullable=False),  # NumPy .npz, no pickles
)

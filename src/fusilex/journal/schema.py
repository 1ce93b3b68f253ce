"""Tables of the journal. Rows are only ever added; nothing here belongs to SQLite alone."""

from __future__ import annotations

from sqlalchemy import Column, ForeignKey, Integer, LargeBinary, MetaData, String, Table, Text

HEAD = "0005"
"""Newest migration; a journal already there is opened without loading the migration tools."""
APPLICATION = 0x4675736C
"""What SQLite's header calls the program the file belongs to."""
IN_USE = 1
"""What its header's version says while entries may lie beside the file."""

metadata = MetaData()

batches = Table(
    "batch",
    metadata,
    Column("id", Integer, primary_key=True, autoincrement=True),
    Column("name", String(120), nullable=False),
    Column("opened_at", String(32), nullable=False),
    Column("kind", String(16), nullable=False, server_default="batch"),
)
"""`kind` is ``batch``, or ``workshop`` for the one stream of what outlives batches: stock, packages, habits of
files.
"""

events = Table(
    "event",
    metadata,
    Column("id", Integer, primary_key=True, autoincrement=True),
    Column("batch_id", Integer, ForeignKey("batch.id"), nullable=False, index=True),
    Column("deed", String(36), nullable=False),
    Column("at", String(32), nullable=False),
    Column("who", String(60), nullable=False),
    Column("place", String(40), nullable=False, server_default=""),
    Column("kind", String(40), nullable=False, index=True),
    Column("body", Text, nullable=False),
    Column("origin", Integer, nullable=False, server_default="0"),
)
"""`deed` is shared by the events of one command; they are undone together. `at` is UTC in ISO 8601, `place` the step at
which it was done, `origin` the row it had in the journal it came from.
"""

attachments = Table(
    "attachment",
    metadata,
    Column("sha256", String(64), primary_key=True),
    Column("name", String(200), nullable=False),
    Column("data", LargeBinary, nullable=False),
)
"""Design files and oven logs as they were handed in, kept by their digest."""

names = Table(
    "name",
    metadata,
    Column("scope", String(40), primary_key=True),
    Column("name", String(120), primary_key=True),
)
"""Names made up once and never again: serials of boards, numbers of batches, lots. The database keeps them unique."""

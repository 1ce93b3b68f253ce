"""What can still be read of a damaged journal, row by row."""

from __future__ import annotations

import sqlite3
from contextlib import closing
from pathlib import Path
from typing import Any

from msgspec import Struct, field

from fusilex.journal.place import connected
from fusilex.journal.trouble import NotRead, reason

COLUMNS = {
    "batch": ("id", "name", "opened_at", "kind"),
    "event": ("id", "deed", "at", "who", "place", "kind", "body", "origin", "batch_id"),
    "attachment": ("rowid", "sha256", "name", "data"),
    "name": ("rowid", "scope", "name"),
}
_OLDER = {"kind": "'batch'", "place": "''", "origin": "0"}
"""What journals of older versions say by having no such column."""


class Lost(Struct):
    """Rows of a table that cannot be read: those numbered `first` to `last`, so far as there were any."""

    table: str
    first: int
    last: int
    why: str

    @property
    def count(self) -> int:
        return self.last - self.first + 1

    def __str__(self) -> str:
        rows = f"Row {self.first}" if self.count == 1 else f"Rows {self.first} to {self.last}"
        return f"{rows} of the table {self.table} cannot be read: {self.why}."


class Salvaged(Struct):
    """Rows by table, in the order of `COLUMNS`; `lost` says which rows could not be read."""

    rows: dict[str, list[tuple[Any, ...]]] = field(default_factory=dict)
    lost: list[Lost] = field(default_factory=list)


def salvage(path: Path) -> Salvaged:
    """Every row that can be read. Raises `NotRead` for a file that is no journal at all."""
    found = Salvaged()
    try:
        with closing(connected(path, "ro")) as connection:
            connection.text_factory = lambda raw: raw.decode("utf-8", "replace")
            for table, columns in COLUMNS.items():
                found.rows[table] = _rows(connection, table, columns, found.lost)
    except sqlite3.Error as problem:
        raise NotRead(path.name, "a journal, whole or in parts", reason(problem)) from problem
    return found


def _rows(connection: sqlite3.Connection, table: str, columns: tuple[str, ...], lost: list[Lost]) -> list[Any]:
    known = {row[1] for row in connection.execute(f"PRAGMA table_info({table})")} | {"rowid"}
    if known == {"rowid"}:
        return []
    wanted = ", ".join(c if c in known else _OLDER[c] for c in columns)
    query = f"SELECT {wanted} FROM {table} NOT INDEXED WHERE rowid BETWEEN ? AND ? ORDER BY rowid"
    found: dict[Any, Any] = {}

    def between(first: int, last: int) -> None:
        try:
            found.update((row[0], row) for row in connection.execute(query, (first, last)).fetchall())
        except sqlite3.DatabaseError as problem:
            if first == last:
                if lost and (lost[-1].table, lost[-1].last + 1, lost[-1].why) == (table, first, reason(problem)):
                    lost[-1].last = first
                else:
                    lost.append(Lost(table, first, last, reason(problem)))
                return
            middle = (first + last) // 2
            between(first, middle)
            between(middle + 1, last)

    between(1, _last(connection, table))
    return list(found.values())


def _last(connection: sqlite3.Connection, table: str) -> int:
    """The highest row number, as the counter of the table says, or as far as can be seen."""
    counter = "SELECT max(seq) FROM sqlite_sequence WHERE name = ?"
    for query, given in ((f"SELECT max(rowid) FROM {table}", ()), (counter, (table,))):
        try:
            if (row := connection.execute(query, given).fetchone()) and row[0]:
                return int(row[0])
        except sqlite3.DatabaseError:
            continue
    return 0 if _empty(connection, table) else 1_000_000


def _empty(connection: sqlite3.Connection, table: str) -> bool:
    try:
        return connection.execute(f"SELECT 1 FROM {table} LIMIT 1").fetchone() is None
    except sqlite3.DatabaseError:
        return False

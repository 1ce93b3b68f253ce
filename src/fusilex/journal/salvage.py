"""What can still be read of a damaged journal: by SQLite as far as that goes, then from the pages themselves."""

from __future__ import annotations

import mmap
import shutil
import sqlite3
import tempfile
from collections.abc import Iterator
from contextlib import closing, contextmanager
from itertools import pairwise
from operator import itemgetter
from pathlib import Path
from typing import Any

from msgspec import Struct, field

from fusilex.core.progress import Step, part_of, quiet
from fusilex.journal.pages import MAGIC, Log, Pages, Row, amiss, log_of, put_in, read_log
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
_STORED: dict[str, tuple[str, ...]] = {
    "batch": ("id", "name", "opened_at", "kind"),
    "event": ("id", "batch_id", "deed", "at", "who", "kind", "body", "place", "origin"),
    "attachment": ("sha256", "name", "data"),
    "name": ("scope", "name"),
}
"""Columns as they stand in a page: what later versions added stands last."""
_ADDED: dict[str, tuple[Any, ...]] = {"batch": ("batch",), "event": ("", 0)}
"""What rows of older versions say by lacking the last columns."""
_TYPES = {"id": int, "rowid": int, "batch_id": int, "origin": int, "data": bytes}
_FIT = {table: tuple(_TYPES.get(column, str) for column in columns) for table, columns in COLUMNS.items()}
_PICK = {
    table: itemgetter(*(0 if c in ("id", "rowid") else 1 + _STORED[table].index(c) for c in columns))
    for table, columns in COLUMNS.items()
}
AFTER = 1_000_000
"""How far rows are looked for where nobody knows how many there were."""
OFTEN = 500
"""Pages between two words about how far it has come."""


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
    """Rows by table, in the order of `COLUMNS`; `lost` says which rows could not be read, `also` what else is wrong
    with the file, and `unsure` is True where more may have been there than anybody can tell.
    """

    rows: dict[str, list[tuple[Any, ...]]] = field(default_factory=dict)
    lost: list[Lost] = field(default_factory=list)
    also: list[str] = field(default_factory=list)
    unsure: bool = False


class _Found(Struct):
    """Rows of a table by their numbers, why others cannot be read, '' for none, and the highest number there was, so
    far as anything says so.
    """

    rows: dict[int, tuple[Any, ...]] = field(default_factory=dict)
    why: str = ""
    highest: int = 0

    def torn(self, number: int, why: str) -> None:
        self.why, self.highest = self.why or why, max(self.highest, number)


def salvage(path: Path, step: Step = quiet) -> Salvaged:
    """Every row that can be read. Raises `NotRead` for a file that is no journal at all, `Left`."""
    step(0.0, "Reading the journal")
    made, found = Salvaged(), {table: _Found() for table in COLUMNS}
    try:
        log = read_log(log_of(path))
        passed_over = amiss(path, log)
        wrong = passed_over or _by_sqlite(path, found, "strict")
        if wrong or any(x.why for x in found.values()):
            with _copied(path, log) as (copy, cut):
                made.unsure = bool(passed_over or cut or any(x.why for x in found.values()))
                made.also = [f"The file is torn: {wrong}."] * bool(wrong) + [cut] * bool(cut)
                if passed_over:
                    _by_sqlite(copy, found, "replace")  # quicker than by pages, now that they are in one file
                _by_pages(copy, found, part_of(step, 0.2, 1.0))
    except OSError as problem:
        raise NotRead(path.name, "a journal, and room for a copy of it to work on", reason(problem)) from problem
    if wrong and not any(x.rows for x in found.values()):
        raise NotRead(path.name, "a journal, whole or in parts", wrong)
    for table, held in found.items():
        made.rows[table] = [row for _, row in sorted(held.rows.items())]
        if wrong or held.why:  # rows are only ever added, each with the next number
            made.lost += _gaps(table, held, held.why or wrong)
    return made


@contextmanager
def _copied(path: Path, log: Log) -> Iterator[tuple[Path, str]]:
    """A copy of the file to work on, as long as its header says, with what lies beside it put in; and how much of it
    is missing, in words. Raises OSError.
    """
    with tempfile.TemporaryDirectory(prefix="fusilex-") as folder:
        copy, cut = Path(folder) / path.name, ""
        shutil.copyfile(path, copy)
        with copy.open("r+b") as file:
            put_in(file, log)
            file.seek(0)
            head = file.read(100).ljust(100, b"\x00")
            length, size = copy.stat().st_size, Pages(head).size
            wanted = int.from_bytes(head[28:32], "big") * size
            if head.startswith(MAGIC) and length < wanted:
                cut = f"The file ends early: {length // size} of {wanted // size} pages are there."
                if wanted <= 4 * length + 100 * size:
                    file.truncate(wanted)
        yield copy, cut


def _by_sqlite(path: Path, found: dict[str, _Found], nonsense: str) -> str:
    """Rows that SQLite gives out; what it says of the file where it gives up altogether, '' else. Letters that are none
    are an error where `nonsense` is ``strict``, and ``replace``d else.
    """
    done: list[str] = []
    try:
        with closing(connected(path, "ro")) as connection:
            if nonsense == "replace":
                connection.text_factory = lambda raw: raw.decode("utf-8", "replace")
            wrong = str(connection.execute("PRAGMA quick_check(1)").fetchone()[0])
            for table, columns in COLUMNS.items():
                done.append(table)
                known = {row[1] for row in connection.execute(f"PRAGMA table_info({table})")} | {"rowid"}
                if connection.execute(
                    "SELECT 1 FROM sqlite_master WHERE name = ? AND type = 'view'", (table,)
                ).fetchone():
                    found[table].torn(1, "it is no table")
                elif known != {"rowid"}:
                    wanted = ", ".join(c if c in known else _OLDER[c] for c in columns)
                    _rows(connection, table, wanted, found[table])
    except sqlite3.Error as problem:
        for table in COLUMNS.keys() - set(done[:-1]):
            found[table].torn(1, reason(problem))
        return reason(problem)
    return "" if wrong == "ok" else " ".join(wrong.split())


def _rows(connection: sqlite3.Connection, table: str, wanted: str, found: _Found) -> None:
    """Rows one after the other; behind one that cannot be read it goes on at the next that can."""
    query = f"SELECT {wanted} FROM {table} NOT INDEXED WHERE rowid >= ? ORDER BY rowid"
    at, last, fit = 1, 0, _FIT[table]

    def torn(first: int) -> str:
        """What is wrong with the next row from there on, '' for nothing."""
        try:
            connection.execute(f"{query} LIMIT 1", (first,)).fetchone()
        except sqlite3.DatabaseError as problem:
            return reason(problem)
        return ""

    while True:
        try:
            for row in connection.execute(query, (at,)):
                at = max(at, row[0] + 1)
                if row[0] > 0 and tuple(map(type, row)) == fit:  # noise is not always noticed by its reader
                    found.rows.setdefault(row[0], row)
                else:
                    found.torn(row[0], "a column holds something else")
            return
        except sqlite3.DatabaseError as problem:
            found.torn(at, reason(problem))
            last = last or _last(connection, table, at)
            near, far = 0, 1
            while at + far <= last and torn(at + far):
                near, far = far, 2 * far
            while far - near > 1:
                middle = (near + far) // 2
                near, far = (middle, far) if torn(at + middle) else (near, middle)
            at += far
            if at > last:
                return


def _last(connection: sqlite3.Connection, table: str, least: int) -> int:
    """The highest row number as far as can be seen."""
    try:
        return int(connection.execute(f"SELECT max(rowid) FROM {table}").fetchone()[0] or least)
    except sqlite3.DatabaseError:
        return least + AFTER


def _by_pages(path: Path, found: dict[str, _Found], step: Step) -> None:
    """Rows that stand in a page, though nothing may lead there; those that are known already are passed over."""
    if not path.stat().st_size:
        return
    with path.open("rb") as file, closing(mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ)) as data:
        pages = Pages(data)
        for number, page in pages.leaves:
            if number % OFTEN < 2:
                step(number / pages.count, "Reading its pages")
            starts = pages.cells(page)
            if not starts:
                continue
            first, last = pages.row(page, starts[0]), pages.number(page, starts[-1])
            table = is_of[0] if first and (is_of := _table(first)) else ""
            if table and first and all(map(found[table].rows.__contains__, range(first.number, last + 1))):
                continue  # numbers rise within a page
            for at in starts:
                n = pages.number(page, at)
                if table and n in found[table].rows:
                    continue
                if (row := pages.row(page, at)) and (is_of := _table(row)):
                    table, made = is_of
                    found[table].rows.setdefault(n, made)


def _table(row: Row) -> tuple[str, tuple[Any, ...]] | None:
    """The table whose columns hold what the row does, and the row in our order; None for none: no two look alike."""
    for table, columns in _STORED.items():
        missing, added = len(columns) - len(row.values), _ADDED.get(table, ())
        if 0 <= missing <= len(added) and (row.values[0] is None) == (columns[0] == "id"):
            made: tuple[Any, ...] = _PICK[table]((row.number, *row.values, *added[len(added) - missing :]))
            if tuple(map(type, made)) == _FIT[table]:
                return table, made
    return None


def _gaps(table: str, found: _Found, why: str) -> list[Lost]:
    """Numbers that are missing, side by side where they are."""
    known = sorted(found.rows)
    edges = [0, *known, max([found.highest, *known]) + 1]
    return [Lost(table, a + 1, b - 1, why) for a, b in pairwise(edges) if b - a > 1]

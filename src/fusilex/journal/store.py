"""Where entries are kept: any database SQLAlchemy speaks to, a file of SQLite by default."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from functools import cached_property
from pathlib import Path
from typing import Any

from msgspec import Struct
from sqlalchemy import Engine, func, or_, select
from sqlalchemy.exc import SQLAlchemyError

from fusilex.core.problems import BadInput
from fusilex.journal.backups import kept as backups_of
from fusilex.journal.engine import Turn, close_tidily, make_engine, migrate
from fusilex.journal.entries import Entry, Kinds
from fusilex.journal.guard import Guard
from fusilex.journal.pages import log_of
from fusilex.journal.pen import Pen, digest, entries_since, entry_of, rows_since
from fusilex.journal.place import BESIDE, Look, check_place, look_at, path_of, set_aside, writable
from fusilex.journal.schema import HEAD, attachments, batches, events
from fusilex.journal.trouble import NotRead, NotSaved, Torn, is_damage, named, not_read, not_saved, reason

COPIED = (
    "This journal was in use when it was last touched, and the file with its newest entries (…-wal) is gone: what was"
    " done last may be missing. A copy made while Fusilex was open lacks it; “Back up…” in the menu makes a whole one."
)


class BatchRow(Struct, frozen=True):
    id: int
    name: str
    opened_at: str


class Journal:
    """An open journal. Writing is one transaction per command; it is on the disk when it is over.

    `noticed` is what was wrong when it was opened, in a sentence; `only_read` why nothing can be written in it.
    """

    def __init__(self, url: str, kinds: Kinds | None = None, make: bool = True) -> None:
        """Open the journal at a database URL, reading events of `kinds`; a file that is not there is made unless
        `make` is False. Raises `NotSaved` when the place cannot be used.
        """
        self.url, self.kinds, self.path = url, kinds or {}, path_of(url)
        self.noticed = self.only_read = ""
        self.turn = Turn()
        try:
            mode = self._looked(make)
            self.engine: Engine = make_engine(url, self.path, mode, self.turn)
            if mode == "ro":
                self.batches()
            else:
                migrate(self.engine)
        except ImportError as error:
            raise NotSaved(f"The journal at {self.url} cannot be opened: {error.name} is not installed.") from error
        except (SQLAlchemyError, OSError, sqlite3.Error, ValueError) as error:
            raise NotSaved(f"The journal at {self.name} cannot be opened: {reason(error)}.") from error
        self._guard = Guard(self.path, self.engine) if self.path and not self.only_read else None

    def _looked(self, make: bool) -> str:
        """How it is to be opened: a file that is torn is set aside first, and then only read."""
        path = self.path
        if path is None:
            return "rw"
        check_place(path, make)
        path.parent.mkdir(parents=True, exist_ok=True)
        held = path.exists() and (path.stat().st_size > 0 or log_of(path).exists())
        look = look_at(path) if held else Look()
        if look.damage:
            note = f"The journal {path} is damaged: {look.damage}."
            aside = set_aside(path, note) if writable(path.parent) else None
            kept = f" A copy as it was found lies in {aside.name}." if aside else ""
            self.noticed = f"{note}{kept} Go back to a backup or mend it (menu, Journal)."
            if not path.stat().st_size:  # SQLite takes away what lies beside an empty file as soon as it looks
                raise NotSaved(f"{note}{kept} Mend it, or go back to a backup.")
            self.only_read = f"{note} It can be read, but nothing is written in it"
        elif path.exists() and not writable(path):
            if look.version != HEAD:
                raise NotSaved(f"The journal {path} is of an older version and lies where nothing can be written.")
            self.only_read = f"The journal {path} lies where nothing can be written"
            self.noticed = f"{self.only_read}: it can be looked at."
        elif look.copied:
            self.noticed = COPIED
        elif not held and (copies := backups_of(path)):
            self.noticed = (
                f"There is nothing in the journal {path}, but there are backups of it, the newest of {copies[0].words}:"
                " go back to one (menu, Journal)."
            )
        if self.only_read:
            return "ro"
        path.touch()  # here alone: no later connection makes a file where one was taken away
        return "rw"

    @property
    def name(self) -> str:
        return named(self.path, self.url)

    def close(self) -> None:
        """Let go of it; the last to do so leaves everything in the one file."""
        if self.path and not self.only_read:
            close_tidily(self.path, self.engine.dispose)
        self.engine.dispose()
        if self._guard:
            self._guard.forget()

    def exchange(self, draft: Path) -> None:
        """Go on with another file, which takes the place of the one that was open. Raises `NotSaved`."""
        assert self.path is not None
        self.engine.dispose()  # before the place is another's: what is closed takes away what lies beside it
        try:
            draft.replace(self.path)
            for ending in BESIDE[1:]:
                Path(f"{self.path}{ending}").unlink(missing_ok=True)
            self.engine = make_engine(self.url, self.path, "rw", self.turn)
            self._guard = Guard(self.path, self.engine)
        except (SQLAlchemyError, OSError, sqlite3.Error) as error:
            raise NotSaved(f"The journal at {self.name} cannot be opened: {reason(error)}.") from error

    @contextmanager
    def _reading(self) -> Iterator[Any]:
        try:
            with self.engine.connect() as connection:
                yield connection
        except (SQLAlchemyError, sqlite3.Error) as problem:
            raise not_read(problem, self.name) from problem

    def batches(self) -> list[BatchRow]:
        """Raises `NotRead`, as everything here that reads."""
        with self._reading() as connection:
            query = select(batches.c.id, batches.c.name, batches.c.opened_at).where(batches.c.kind == "batch")
            return [BatchRow(*row) for row in connection.execute(query.order_by(batches.c.id))]

    @cached_property
    def workshop(self) -> int:
        """Id of the workshop's own stream, made when first asked for."""
        query = select(batches.c.id).where(batches.c.kind == "workshop").order_by(batches.c.id)
        with self._reading() as connection:
            found = connection.execute(query).scalar()
        if found is None and self.only_read:
            return 0
        if found is None:
            with self.writing() as pen:
                found = pen.connection.execute(query).scalar()
                if found is None:
                    pen.claim("stream", "workshop")
                    found = pen.open_stream("workshop", "workshop")
        return int(found)

    def since(self, stream: int, last: int = 0) -> list[Entry]:
        """Entries of a stream after the one numbered `last`, oldest first. Raises `Unreadable`."""
        with self._reading() as connection:
            return entries_since(connection, self.kinds, stream, last)

    def as_far_as(self, stream: int) -> tuple[list[Entry], str]:
        """Entries of a stream up to the first that cannot be read, and what is wrong with that one; '' for nothing."""
        found: list[Entry] = []
        try:
            with self._reading() as connection:
                found.extend(entry_of(tuple(row), self.kinds) for row in rows_since(connection, stream))
        except BadInput as problem:
            return found, str(problem)
        return found, ""

    def attachment(self, sha256: str) -> bytes:
        """An attachment by its digest. Raises `NotRead` when it is missing or is not what was kept."""
        found, expected = self.attached(sha256), f"the file {sha256[:12]} as it was handed in"
        if found is None:
            raise NotRead(self.name, expected, "it is missing")
        if digest(found[1]) != sha256:
            raise NotRead(self.name, expected, "it was damaged since")
        return found[1]

    def attached(self, sha256: str) -> tuple[str, bytes] | None:
        """Name and contents of an attachment, None when it was never kept."""
        query = select(attachments.c.name, attachments.c.data).where(attachments.c.sha256 == sha256)
        with self._reading() as connection:
            row = connection.execute(query).first()
        return (str(row.name), bytes(row.data)) if row else None

    def latest(self, kind: str) -> dict[int, dict[str, Any]]:
        """The newest event of a kind in each stream that has one, as its body; {} where that cannot be read."""
        query = select(events.c.batch_id, events.c.body).where(events.c.kind == kind).order_by(events.c.id)
        with self._reading() as connection:
            return {row.batch_id: _read(row.body) for row in connection.execute(query)}

    def search(self, text: str, kinds: Iterable[str]) -> set[int]:
        """Streams in which an event of one of these kinds holds a text, in capitals or not."""
        written = {json.dumps(word)[1:-1] for word in (text, text.lower(), text.upper())}  # as it stands in JSON
        like = [f"%{w.replace('~', '~~').replace('%', '~%').replace('_', '~_')}%" for w in sorted(written)]
        holds = or_(*(events.c.body.ilike(one, escape="~") for one in like))
        query = select(events.c.batch_id).where(events.c.kind.in_(list(kinds)), holds)
        with self._reading() as connection:
            return set(connection.execute(query.distinct()).scalars())

    def worked_in(self, who: str) -> set[int]:
        """Streams in which somebody did something."""
        query = select(events.c.batch_id).where(func.lower(events.c.who) == who.lower())
        with self._reading() as connection:
            return set(connection.execute(query.distinct()).scalars())

    def every(self, kind: str) -> list[tuple[int, str, str, dict[str, Any]]]:
        """Stream, time, name and body of every event of a kind that was not taken back, oldest first."""
        columns = (events.c.batch_id, events.c.at, events.c.who, events.c.body, events.c.deed)
        query = select(*columns).where(events.c.kind == kind).order_by(events.c.id)
        turns = (
            select(events.c.kind, events.c.body).where(events.c.kind.in_(("undone", "redone"))).order_by(events.c.id)
        )
        with self._reading() as connection:
            gone: set[str] = set()
            for row in connection.execute(turns):
                deed = str(_read(row.body).get("deed"))
                (gone.add if row.kind == "undone" else gone.discard)(deed)
            rows = [row for row in connection.execute(query) if row.deed not in gone]
        return [(row.batch_id, row.at, row.who, _read(row.body)) for row in rows]

    def first(self, stream: int) -> dict[str, Any]:
        """The body of a stream's first event, {} where there is none."""
        query = select(events.c.body).where(events.c.batch_id == stream).order_by(events.c.id).limit(1)
        with self._reading() as connection:
            found = connection.execute(query).scalar()
        return _read(found) if found else {}

    @contextmanager
    def writing(self, who: str = "", *streams: int, place: str = "") -> Iterator[Pen]:
        """Look, decide and write as one: what is written when this ends was decided on what the journal held.

        Whatever is raised inside leaves the journal as it was. Raises `NotSaved` when the database cannot be written.
        """
        if self.only_read:
            raise NotSaved(f"Not saved: {self.only_read}.")
        try:
            if self._guard:
                self._guard.check()
            with self.engine.connect().execution_options(writing=True) as connection, connection.begin():
                if streams:  # elsewhere than on SQLite, whose whole file is locked by now
                    connection.execute(select(batches.c.id).where(batches.c.id.in_(streams)).with_for_update())
                yield Pen(connection, self.kinds, who, place)
            if self._guard:
                self._guard.check()
        except (SQLAlchemyError, sqlite3.Error) as problem:
            if is_damage(problem) and self.path:
                raise Torn(f"The journal {self.name} is damaged: {reason(problem)}") from problem
            raise not_saved(problem) from problem


def _read(text: str) -> dict[str, Any]:
    try:
        body = json.loads(text)
    except (ValueError, RecursionError):
        return {}
    return body if isinstance(body, dict) else {}

"""Where entries are kept: any database SQLAlchemy speaks to; SQLite in WAL mode with full sync by default."""

from __future__ import annotations

import hashlib
import json
import uuid
from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from functools import cached_property
from pathlib import Path
from typing import Any

from sqlalchemy import Connection, CursorResult, Engine, create_engine, event, func, insert, inspect, select, text
from sqlalchemy.engine import make_url
from sqlalchemy.exc import IntegrityError, SQLAlchemyError

from fusilex.journal.entries import Entry, Event, Kinds, Unreadable, as_entry, typed
from fusilex.journal.schema import HEAD, attachments, batches, events, names


class NotSaved(Exception):
    """The journal could not be written; nothing of the command happened."""


@dataclass(frozen=True)
class BatchRow:
    id: int
    name: str
    opened_at: str


def sqlite_url(path: Path) -> str:
    return f"sqlite:///{path}"


class Pen:
    """The journal while somebody writes in it: nobody else does before this is over, and all of it is kept or
    nothing.
    """

    def __init__(self, connection: Connection, kinds: Kinds, who: str, place: str) -> None:
        self.connection, self.kinds, self.who, self.place = connection, kinds, who, place
        self.deed, self.at = uuid.uuid4().hex, _now()

    def since(self, stream: int, last: int = 0) -> list[Entry]:
        """Entries of a stream after the one numbered `last`, oldest first. Raises `Unreadable`."""
        return _since(self.connection, self.kinds, stream, last)

    def taken(self, scope: str) -> set[str]:
        """Names that are in use, or were."""
        query = select(names.c.name).where(names.c.scope == scope)
        return set(self.connection.execute(query).scalars())

    def open_batch(self, name: str) -> int:
        """A new stream for a batch; its id."""
        return _row_id(self.connection.execute(insert(batches).values(name=name[:120], opened_at=self.at)))

    def attach(self, name: str, data: bytes) -> None:
        """Keep a file by its digest."""
        sha, known = digest(data), select(attachments.c.sha256)
        if self.connection.execute(known.where(attachments.c.sha256 == sha)).first() is None:
            self.connection.execute(insert(attachments).values(sha256=sha, name=name[:200], data=data))

    def write(self, stream: int, happened: Sequence[Event]) -> list[Entry]:
        """Add events to a stream, all as one deed. Raises `NotSaved` for a name that somebody else has."""
        kept = []
        for item in happened:
            for scope, name in item.claims():
                self.claim(scope, name)
            entry = as_entry(item, self.deed, self.at, self.who, self.place)
            row = {"deed": entry.deed, "at": entry.at, "who": entry.who, "place": entry.place, "kind": entry.kind}
            made = insert(events).values(batch_id=stream, **row, body=json.dumps(entry.body))
            kept.append(replace(entry, id=_row_id(self.connection.execute(made))))
        return kept

    def add(self, stream: int, entry: Entry, floor: int) -> None:
        """Add an entry that came from another journal, after all rows here and all rows up to `floor`."""
        last = self.connection.execute(select(func.max(events.c.id))).scalar() or 0
        row = {name: getattr(entry, name) for name in ("deed", "at", "who", "place", "kind", "origin")}
        row |= {"id": max(int(last), floor) + 1, "batch_id": stream, "body": json.dumps(entry.body)}
        self.connection.execute(insert(events).values(**row))

    def row_id(self, result: CursorResult[Any]) -> int:
        return _row_id(result)

    def claim(self, scope: str, name: str) -> None:
        """Raises `NotSaved` for a name that somebody else has."""
        try:
            self.connection.execute(insert(names).values(scope=scope, name=name[:120]))
        except IntegrityError as problem:
            raise NotSaved(f"There is a {scope} {name} already: nothing was recorded.") from problem


class Journal:
    """An open journal. Writing is one transaction per command; it is on the disk when it is over."""

    def __init__(self, url: str, kinds: Kinds | None = None) -> None:
        """Open or create the journal at a database URL, reading events of `kinds`. Raises `NotSaved` when the place
        cannot be used.
        """
        self.url, self.kinds = url, kinds or {}
        database = make_url(url).database
        try:
            if url.startswith("sqlite") and database and database != ":memory:":
                Path(database).parent.mkdir(parents=True, exist_ok=True)
            self.engine = _engine(url)
            _migrate(self.engine)
        except (SQLAlchemyError, OSError) as error:
            raise NotSaved(f"The journal at {database or url} cannot be opened: {_reason(error)}.") from error

    def close(self) -> None:
        self.engine.dispose()

    def batches(self) -> list[BatchRow]:
        with self.engine.connect() as connection:
            query = select(batches.c.id, batches.c.name, batches.c.opened_at).where(batches.c.kind == "batch")
            return [BatchRow(*row) for row in connection.execute(query.order_by(batches.c.id))]

    @cached_property
    def workshop(self) -> int:
        """Id of the workshop's own stream, made when first asked for."""
        query = select(batches.c.id).where(batches.c.kind == "workshop").order_by(batches.c.id)
        with self.engine.connect() as connection:
            found = connection.execute(query).scalar()
        if found is None:
            with self.writing() as pen:
                found = pen.connection.execute(query).scalar()
                if found is None:
                    row = insert(batches).values(name="workshop", opened_at=pen.at, kind="workshop")
                    found = _row_id(pen.connection.execute(row))
        return int(found)

    def since(self, stream: int, last: int = 0) -> list[Entry]:
        """Entries of a stream after the one numbered `last`, oldest first. Raises `Unreadable`."""
        with self.engine.connect() as connection:
            return _since(connection, self.kinds, stream, last)

    def attachment(self, sha256: str) -> bytes:
        """An attachment by its digest. Raises KeyError when it was never kept."""
        found = self.attached(sha256)
        if found is None:
            raise KeyError(sha256)
        return found[1]

    def attached(self, sha256: str) -> tuple[str, bytes] | None:
        """Name and contents of an attachment, None when it was never kept."""
        query = select(attachments.c.name, attachments.c.data).where(attachments.c.sha256 == sha256)
        with self.engine.connect() as connection:
            row = connection.execute(query).first()
        return (str(row.name), bytes(row.data)) if row else None

    def latest(self, kind: str) -> dict[int, dict[str, Any]]:
        """The newest event of a kind in each stream that has one, as its body."""
        query = select(events.c.batch_id, events.c.body).where(events.c.kind == kind).order_by(events.c.id)
        with self.engine.connect() as connection:
            return {row.batch_id: json.loads(row.body) for row in connection.execute(query)}

    def search(self, text: str, kinds: Iterable[str]) -> set[int]:
        """Streams in which an event of one of these kinds holds a text, in capitals or not."""
        wanted = f"%{text.replace('~', '~~').replace('%', '~%').replace('_', '~_')}%"
        query = select(events.c.batch_id).where(events.c.kind.in_(list(kinds)), events.c.body.ilike(wanted, escape="~"))
        with self.engine.connect() as connection:
            return set(connection.execute(query.distinct()).scalars())

    @contextmanager
    def writing(self, who: str = "", *streams: int, place: str = "") -> Iterator[Pen]:
        """Look, decide and write as one: what is written when this ends was decided on what the journal held.

        Whatever is raised inside leaves the journal as it was. Raises `NotSaved` when the database cannot be written.
        """
        try:
            with self.engine.connect().execution_options(writing=True) as connection, connection.begin():
                if streams:  # elsewhere than on SQLite, whose whole file is locked by now
                    connection.execute(select(batches.c.id).where(batches.c.id.in_(streams)).with_for_update())
                yield Pen(connection, self.kinds, who, place)
        except SQLAlchemyError as problem:
            why = _reason(problem)
            do = (
                "another program holds the journal: do it again"
                if "locked" in why
                else "free some room and do it again"
            )
            raise NotSaved(f"Not saved: {why}. Nothing was recorded; {do}.") from problem


def digest(data: bytes) -> str:
    return hashlib.sha256(data).hexdigest()


def _since(connection: Connection, kinds: Mapping[str, Any], stream: int, last: int) -> list[Entry]:
    query = select(events).where(events.c.batch_id == stream, events.c.id > last).order_by(events.c.id)
    rows = connection.execute(query)
    return [_entry(row, kinds) for row in rows]


def _entry(row: Any, kinds: Mapping[str, Any]) -> Entry:
    read = Entry(row.kind, _body(row), row.id, row.deed, row.at, row.who, row.place, origin=row.origin)
    return typed(read, kinds)


def _body(row: Any) -> dict[str, Any]:
    try:
        body: dict[str, Any] = json.loads(row.body)
        return body
    except ValueError as problem:
        raise Unreadable(row.id, row.kind, row.at, "JSON", str(row.body)[:40]) from problem


def _now() -> str:
    return datetime.now(UTC).isoformat(timespec="milliseconds")


def _reason(error: Exception) -> str:
    return str(getattr(error, "orig", None) or error).rstrip(".")


def _row_id(result: CursorResult[Any]) -> int:
    key = result.inserted_primary_key
    return int(key[0]) if key else 0


def _engine(url: str) -> Engine:
    engine = create_engine(url)
    if url.startswith("sqlite"):

        @event.listens_for(engine, "connect")
        def _pragmas(connection: Any, _record: Any) -> None:
            connection.isolation_level = None  # transactions begin where `_begin` says, not where the driver guesses
            cursor = connection.cursor()
            for pragma in ("busy_timeout=5000", "journal_mode=WAL", "synchronous=FULL", "foreign_keys=ON"):
                cursor.execute(f"PRAGMA {pragma}")
            cursor.close()

        @event.listens_for(engine, "begin")
        def _begin(connection: Connection) -> None:
            # a writer takes its turn before it looks: what it decides on stays true until it has written
            writing = connection.get_execution_options().get("writing")
            connection.exec_driver_sql("BEGIN IMMEDIATE" if writing else "BEGIN")

    return engine


def _migrate(engine: Engine) -> None:
    with engine.connect() as connection:
        if (
            inspect(connection).has_table("alembic_version")
            and connection.execute(text("SELECT version_num FROM alembic_version")).scalar() == HEAD
        ):
            return
    from alembic import command
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    with engine.connect().execution_options(writing=True) as connection, connection.begin():
        config.attributes["connection"] = connection
        command.upgrade(config, "head")

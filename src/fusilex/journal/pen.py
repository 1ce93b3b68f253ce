"""The journal while somebody writes in it."""

from __future__ import annotations

import hashlib
import uuid
from collections.abc import Callable, Iterable, Sequence
from datetime import UTC, datetime
from typing import Any, cast

from msgspec.structs import replace
from sqlalchemy import Connection, CursorResult, insert, select
from sqlalchemy.exc import IntegrityError

from fusilex.journal.entries import READS_NOT, Entry, Event, Kinds, as_entry, event_of, reader_of, uncollected
from fusilex.journal.schema import attachments, batches, events, names
from fusilex.journal.trouble import NotSaved


class Pen:
    """Nobody else writes before this is over, and all of it is kept or nothing."""

    def __init__(self, connection: Connection, kinds: Kinds, who: str, place: str) -> None:
        self.connection, self.kinds, self.who, self.place = connection, kinds, who, place
        self.deed, self.at = uuid.uuid4().hex, datetime.now(UTC).isoformat(timespec="milliseconds")

    def since(self, stream: int, last: int = 0) -> list[Entry]:
        """Entries of a stream after the one numbered `last`, oldest first. Raises `Unreadable`."""
        return entries_since(self.connection, self.kinds, stream, last)

    def taken(self, scope: str) -> set[str]:
        """Names that are in use, or were."""
        query = select(names.c.name).where(names.c.scope == scope)
        return set(self.connection.execute(query).scalars())

    def open_stream(self, name: str, kind: str = "batch") -> int:
        """A new stream; its id."""
        row = {"name": name[:120], "opened_at": self.at, "kind": kind}
        return row_id(self.connection.execute(insert(batches).values(**row)))

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
            made = insert(events).values(batch_id=stream, **row, body=entry.text)
            kept.append(replace(entry, id=row_id(self.connection.execute(made))))
        return kept

    def add(self, stream: int, entry: Entry) -> int:
        """Add an entry that came from another journal, as it was done there; the number it has here."""
        row = {name: getattr(entry, name) for name in ("deed", "at", "who", "place", "kind")}
        return row_id(self.connection.execute(insert(events).values(batch_id=stream, body=entry.text, **row)))

    def put(self, stream: int, entries: Sequence[Entry]) -> None:
        """Add entries from elsewhere as the rows they were there."""
        rows = [(x.id, stream, x.deed, x.at, x.who, x.place, x.kind, x.text, x.origin) for x in entries]
        names = ("id", "batch_id", "deed", "at", "who", "place", "kind", "body", "origin")
        if rows:
            statement = f"INSERT INTO event ({', '.join(names)}) VALUES ({', '.join('?' * len(names))})"
            self.connection.exec_driver_sql(statement, rows)  # there may be very many

    def claim(self, scope: str, name: str) -> None:
        """Raises `NotSaved` for a name that somebody else has."""
        try:
            self.connection.execute(insert(names).values(scope=scope, name=name[:120]))
        except IntegrityError as problem:
            raise NotSaved(f"There is a {scope} {name} already: nothing was recorded.") from problem


def entries_since(connection: Connection, kinds: Kinds, stream: int, last: int) -> list[Entry]:
    """Entries of a stream after one, oldest first. Raises `Unreadable`."""
    entries: list[Entry] = []
    with uncollected():
        cursor = rows_since(connection, stream, last).cursor
        deed = at = who = place = kind = ""
        read: Callable[[str], Event] | None = None
        for row in cast("Iterable[Sequence[Any]]", cursor or ()):  # as the driver has them: there may be many
            id, row_deed, row_at, row_who, row_place, row_kind, text, origin = row
            if row_deed != deed or row_at != at or row_who != who or row_place != place:
                deed, at, who, place = row_deed, row_at, row_who, row_place  # what rows of a deed share is kept once
            if row_kind != kind or read is None:
                kind = row_kind
                read = reader_of(kinds.get(kind))
            try:
                event = read(text) if read else event_of(kind, text, id, at, kinds)
            except READS_NOT:
                event = event_of(kind, text, id, at, kinds)
            entries.append(Entry(kind, text, id, deed, at, who, place, event, origin))
    return entries


def rows_since(connection: Connection, stream: int, last: int = 0) -> CursorResult[Any]:
    """Rows of a stream after one, oldest first, as `entry_of` takes them."""
    c = events.c
    query = select(c.id, c.deed, c.at, c.who, c.place, c.kind, c.body, c.origin)
    return connection.execute(query.where(c.batch_id == stream, c.id > last).order_by(c.id))


def entry_of(row: Sequence[Any], kinds: Kinds) -> Entry:
    """A row as an entry. Raises `Unreadable`."""
    id, deed, at, who, place, kind, body, origin = row
    return Entry(kind, body, id, deed, at, who, place, event_of(kind, body, id, at, kinds), origin)


def digest(data: bytes) -> str:
    return hashlib.sha256(data).hexdigest()


def row_id(result: CursorResult[Any]) -> int:
    key = result.inserted_primary_key
    return int(key[0]) if key else 0

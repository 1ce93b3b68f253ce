"""Where events are kept: any database SQLAlchemy speaks to; SQLite in WAL mode with full sync by default."""

from __future__ import annotations

import hashlib
import json
import uuid
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime
from functools import cached_property
from pathlib import Path
from typing import Any

from sqlalchemy import Connection, CursorResult, Engine, create_engine, event, insert, inspect, select, text
from sqlalchemy.engine import make_url
from sqlalchemy.exc import SQLAlchemyError

from fusilex.journal.schema import HEAD, attachments, batches, events


class NotSaved(Exception):
    """The journal could not be written; nothing of the command happened."""


@dataclass(frozen=True)
class Event:
    """Something that happened. `id` and `at` are given by the journal; `body` is plain JSON data."""

    kind: str
    body: dict[str, Any] = field(default_factory=dict)
    id: int = 0
    deed: str = ""
    at: str = ""
    who: str = ""


@dataclass(frozen=True)
class BatchRow:
    id: int
    name: str
    opened_at: str


def sqlite_url(path: Path) -> str:
    return f"sqlite:///{path}"


class Journal:
    """An open journal. Appending is one transaction per command; it is on the disk when `append` returns."""

    def __init__(self, url: str) -> None:
        """Open or create the journal at a database URL. Raises `NotSaved` when the place cannot be used."""
        self.url = url
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
            with self._writing() as connection:
                row = insert(batches).values(name="workshop", opened_at=_now(), kind="workshop")
                found = _row_id(connection.execute(row))
        return int(found)

    def open_batch(self, name: str, files: dict[str, bytes], first: Sequence[Event], who: str = "") -> int:
        """Start a batch with its attachments and first events, all or nothing. Returns its id."""
        with self._writing() as connection:
            batch = _row_id(connection.execute(insert(batches).values(name=name, opened_at=_now())))
            for file, data in files.items():
                _attach(connection, file, data)
            _insert(connection, batch, first, who)
        return batch

    def append(
        self, batch: int, happened: Sequence[Event], who: str = "", files: dict[str, bytes] | None = None
    ) -> list[Event]:
        """Record events of one command, with attachments, all or nothing. Raises `NotSaved`."""
        return self.append_to({batch: happened}, who, files)[batch]

    def append_to(
        self, streams: Mapping[int, Sequence[Event]], who: str = "", files: dict[str, bytes] | None = None
    ) -> dict[int, list[Event]]:
        """Record the events of one command in several streams as one deed, all or nothing. Raises `NotSaved`."""
        deed = uuid.uuid4().hex
        with self._writing() as connection:
            for file, data in (files or {}).items():
                _attach(connection, file, data)
            return {stream: _insert(connection, stream, happened, who, deed) for stream, happened in streams.items()}

    def since(self, batch: int, last: int = 0) -> list[Event]:
        """Events of a batch after the one numbered `last`, oldest first."""
        query = select(events).where(events.c.batch_id == batch, events.c.id > last).order_by(events.c.id)
        with self.engine.connect() as connection:
            return [
                Event(row.kind, json.loads(row.body), row.id, row.deed, row.at, row.who)
                for row in connection.execute(query)
            ]

    def attachment(self, sha256: str) -> bytes:
        """An attachment by its digest. Raises KeyError when it was never kept."""
        with self.engine.connect() as connection:
            data = connection.execute(select(attachments.c.data).where(attachments.c.sha256 == sha256)).scalar()
        if data is None:
            raise KeyError(sha256)
        return bytes(data)

    def _writing(self) -> _Writing:
        return _Writing(self.engine)


class _Writing:
    """A write transaction whose database errors come out as `NotSaved`."""

    def __init__(self, engine: Engine) -> None:
        self.engine = engine

    def __enter__(self) -> Connection:
        try:
            self.context = self.engine.begin()
            return self.context.__enter__()
        except SQLAlchemyError as error:
            raise NotSaved(f"Not saved: {_reason(error)}.") from error

    def __exit__(self, kind: Any, error: Any, trace: Any) -> None:
        try:
            self.context.__exit__(kind, error, trace)
        except SQLAlchemyError as problem:
            raise NotSaved(
                f"Not saved: {_reason(problem)}. Nothing was recorded; free some room and do it again."
            ) from problem
        if isinstance(error, SQLAlchemyError):
            raise NotSaved(
                f"Not saved: {_reason(error)}. Nothing was recorded; free some room and do it again."
            ) from error


def digest(data: bytes) -> str:
    return hashlib.sha256(data).hexdigest()


def _now() -> str:
    return datetime.now(UTC).isoformat(timespec="milliseconds")


def _reason(error: Exception) -> str:
    return str(getattr(error, "orig", None) or error).rstrip(".")


def _insert(
    connection: Connection, batch: int, happened: Sequence[Event], who: str, deed: str | None = None
) -> list[Event]:
    deed, at = deed or uuid.uuid4().hex, _now()
    kept = []
    for item in happened:
        row = connection.execute(
            insert(events).values(batch_id=batch, deed=deed, at=at, who=who, kind=item.kind, body=json.dumps(item.body))
        )
        kept.append(Event(item.kind, item.body, _row_id(row), deed, at, who))
    return kept


def _row_id(result: CursorResult[Any]) -> int:
    key = result.inserted_primary_key
    return int(key[0]) if key else 0


def _attach(connection: Connection, name: str, data: bytes) -> None:
    sha = digest(data)
    if connection.execute(select(attachments.c.sha256).where(attachments.c.sha256 == sha)).first() is None:
        connection.execute(insert(attachments).values(sha256=sha, name=name, data=data))


def _engine(url: str) -> Engine:
    engine = create_engine(url)
    if url.startswith("sqlite"):

        @event.listens_for(engine, "connect")
        def _pragmas(connection: Any, _record: Any) -> None:
            cursor = connection.cursor()
            for pragma in ("busy_timeout=5000", "journal_mode=WAL", "synchronous=FULL", "foreign_keys=ON"):
                cursor.execute(f"PRAGMA {pragma}")
            cursor.close()

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
    with engine.begin() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, "head")

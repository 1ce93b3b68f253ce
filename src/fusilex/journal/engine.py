"""Connections to a journal. SQLite's are in WAL mode with full sync while it is open; when the last one closes, all of
it is in the one file again, and its header says so.
"""

from __future__ import annotations

import sqlite3
import time
from collections.abc import Callable
from contextlib import closing, suppress
from pathlib import Path
from typing import Any

from sqlalchemy import Connection, Engine, QueuePool, create_engine, event, inspect, text

from fusilex.journal.place import connected
from fusilex.journal.schema import HEAD, IN_USE
from fusilex.journal.trouble import BUSY, cause

PATIENCE_S = 5.0
"""How long a writer waits for another program's turn to end."""


class Turn:
    """Waiting for a turn. `waiting` is called between tries with the seconds waited so far: a window paints then."""

    def __init__(self) -> None:
        self.waiting: Callable[[float], None] = lambda _: time.sleep(0.005)

    def take(self, attempt: Callable[[], object]) -> None:
        """Try until it works. Raises what the last try raised when patience is over, or at once for other errors."""
        since = time.monotonic()
        while True:
            try:
                attempt()
                return
            except sqlite3.OperationalError as problem:
                waited = time.monotonic() - since
                if cause(problem) != BUSY or waited > PATIENCE_S:
                    raise
                self.waiting(waited)


def make_engine(url: str, path: Path | None, mode: str, turn: Turn) -> Engine:
    """An engine for a database by its URL, or for a file in `mode` (``ro``, ``rw``, ``rwc``)."""
    if not url.startswith("sqlite"):
        return create_engine(url)
    engine = (
        create_engine("sqlite://", creator=lambda: connected(path, mode), poolclass=QueuePool)
        if path
        else create_engine(url)
    )

    @event.listens_for(engine, "connect")
    def _pragmas(connection: Any, _record: Any) -> None:
        connection.isolation_level = None  # transactions begin where `_begin` says, not where the driver guesses
        pragmas = ("synchronous=FULL", "foreign_keys=ON") if mode != "ro" else ()
        if path and mode != "ro":
            turn.take(lambda: connection.execute("PRAGMA journal_mode=WAL"))
        for pragma in pragmas:
            connection.execute(f"PRAGMA {pragma}")

    @event.listens_for(engine, "begin")
    def _begin(connection: Connection) -> None:
        # a writer takes its turn before it looks: what it decides on stays true until it has written
        driver: Any = connection.connection.dbapi_connection
        if connection.get_execution_options().get("writing"):
            turn.take(lambda: driver.execute("BEGIN IMMEDIATE"))
        else:
            driver.execute("BEGIN")

    return engine


def mark_in_use(engine: Engine) -> None:
    """Say in the file itself that newer entries lie beside it: whoever finds it alone knows that they are missing."""
    with engine.connect().execution_options(writing=True) as connection, connection.begin():
        connection.exec_driver_sql(f"PRAGMA user_version = {IN_USE}")
    with engine.connect() as connection:
        connection.exec_driver_sql("PRAGMA wal_checkpoint(PASSIVE)")


def close_tidily(path: Path, let_go: Callable[[], None]) -> None:
    """Let go of a journal and put all of it into the one file, unless somebody else still has it open. It is open here
    until then: else a kill in between leaves a file that says it lacks its newest entries, and has them.
    """
    with suppress(sqlite3.Error), closing(connected(path, "rw")) as connection:
        used = connection.execute("PRAGMA user_version").fetchone()[0]
        let_go()
        connection.execute("PRAGMA user_version = 0")
        try:
            connection.execute("PRAGMA journal_mode=DELETE")
        except sqlite3.OperationalError:
            connection.execute(f"PRAGMA user_version = {used}")


def migrate(engine: Engine) -> None:
    """Bring the tables up to date, all of it or nothing: a kill at any statement leaves the journal as it was."""
    with engine.connect() as connection:
        if (
            inspect(connection).has_table("alembic_version")
            and connection.execute(text("SELECT version_num FROM alembic_version")).scalar() == HEAD
        ):
            return
    from alembic import command
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations").replace("%", "%%"))
    with engine.connect().execution_options(writing=True) as connection, connection.begin():
        config.attributes["connection"] = connection
        command.upgrade(config, "head")

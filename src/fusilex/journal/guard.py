"""What is saved is saved in the file people think of, though it may be moved, deleted or replaced while open."""

from __future__ import annotations

import sqlite3
from pathlib import Path

from sqlalchemy import Engine

from fusilex.journal.engine import mark_in_use
from fusilex.journal.place import free, identity
from fusilex.journal.trouble import NotSaved, Torn, reason


class Guard:
    """Looks before and after each command whether the journal is still the file that was opened."""

    def __init__(self, path: Path, engine: Engine) -> None:
        self.path, self.engine = path, engine
        self._opened: tuple[object, object] = (None, None)
        self._length = 0
        self._note()
        self._used = False
        self._kept: Path | None = None

    def forget(self) -> None:
        """The journal was closed."""
        self._opened, self._used = (None, None), False

    def _note(self) -> None:
        with self.engine.connect() as connection:
            connection.exec_driver_sql("SELECT 1 FROM batch LIMIT 1").first()  # what lies beside the file is there now
            self._opened = identity(self.path)

    def check(self) -> None:
        """Raises `NotSaved` for a journal that is gone; what was saved before is kept then. Raises `Torn` for one that
        is shorter than it was: the file of a journal only grows.

        Newest entries that were taken away beside it (``-wal``) are still open here: they are put into the file.
        """
        if self._opened == (None, None):
            self._note()
        found = identity(self.path)
        if found == self._opened:
            length, self._length = self._length, self.path.stat().st_size
            if self._length < length:
                raise Torn(f"The journal {self.path} was cut short while it was open")
            if not self._used:  # before anything is written that would be missing from the file alone
                mark_in_use(self.engine)
                self._used = True
            return
        if found[0] == self._opened[0] and found[1] is None:
            with self.engine.connect() as connection:
                connection.exec_driver_sql("PRAGMA wal_checkpoint(TRUNCATE)")
            self.engine.dispose()
            self._note()
            return
        raise NotSaved(
            f"Not saved: the journal {self.path} was moved, deleted or replaced while it was open. {self._keep()} Put"
            " it back where it was, or start Fusilex again."
        )

    def _keep(self) -> str:
        """Write what the open file holds beside its old place, once."""
        if self._kept is None:
            aside = free(self.path, "kept")
            try:
                with self.engine.connect() as connection, sqlite3.connect(aside) as target:
                    driver = connection.connection.dbapi_connection
                    driver.backup(target)  # type: ignore[union-attr]
                target.close()
            except (sqlite3.Error, OSError) as problem:
                return f"What was saved before could not be kept ({reason(problem)})."
            self._kept = aside
        return f"What was saved before is kept in {self._kept.name}."

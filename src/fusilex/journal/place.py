"""Where a journal is: a file of SQLite, looked at before it is opened, or a database by its URL."""

from __future__ import annotations

import os
import shutil
import sqlite3
import stat
from collections.abc import Iterator
from contextlib import closing, contextmanager
from datetime import datetime
from pathlib import Path
from urllib.parse import quote

from msgspec import Struct
from msgspec.structs import replace

from fusilex.journal.pages import amiss, log_of, read_log
from fusilex.journal.schema import APPLICATION, HEAD, IN_USE
from fusilex.journal.trouble import DAMAGED, NOT_ONE, READ_ONLY, NotSaved, cause, reason

FILE = "sqlite:///"
BESIDE = ("", "-wal", "-shm")
TRY_S = 0.1
"""How long one try at a journal that somebody else holds takes; whoever waits tries again."""


def sqlite_url(path: Path) -> str:
    """The URL of a journal in a file. What follows the third slash is the file's name as it is, ``?`` and ``%`` too."""
    return f"{FILE}{path}"


def path_of(url: str) -> Path | None:
    """The file of a URL, None for another database.

    >>> path_of("sqlite:////bench/100 %?.sqlite")
    PosixPath('/bench/100 %?.sqlite')
    """
    return Path(url.removeprefix(FILE)) if url.startswith(FILE) and url != FILE else None


def connected(path: Path, mode: str) -> sqlite3.Connection:
    """A connection that never makes a file by mistake: `mode` is ``ro``, ``rw`` or, to make one, ``rwc``."""
    uri = f"file:{quote(str(path))}?mode={mode}"
    made = sqlite3.connect(uri, uri=True, timeout=TRY_S, isolation_level=None, check_same_thread=False)
    made.execute("PRAGMA trusted_schema = OFF")  # a file from elsewhere brings rows, and calls nothing
    if mode == "ro":
        try:
            made.execute("PRAGMA schema_version")
        except sqlite3.OperationalError as problem:
            if problem.sqlite_errorcode != sqlite3.SQLITE_CANTOPEN:
                return made  # said where it is used
            made.close()  # nothing can be written beside it, so nobody writes in it either
            made = sqlite3.connect(f"{uri}&immutable=1", uri=True, isolation_level=None, check_same_thread=False)
    return made


def identity(path: Path) -> tuple[object, object]:
    """What tells that the file and its newest entries (``-wal``) are the ones opened; None for one that is gone."""

    def of(name: str) -> object:
        try:
            found = os.stat(name)
        except OSError:
            return None
        return found.st_dev, found.st_ino

    return of(str(path)), of(f"{path}-wal")


def check_place(path: Path, make: bool) -> None:
    """Raises `NotSaved` where no journal can be, or where there is none and none was asked for."""
    try:
        mode = os.stat(path).st_mode
    except (FileNotFoundError, NotADirectoryError):
        if not make:
            raise NotSaved(f"There is no journal at {path}. `fusilex journal new {path}` makes one.") from None
        return
    except (OSError, ValueError) as problem:
        raise NotSaved(f"The journal at {path} cannot be opened: {reason(problem)}.") from problem
    if not stat.S_ISREG(mode):
        raise NotSaved(f"The journal at {path} cannot be opened: that is not a file.")


class Look(Struct, frozen=True):
    """A journal as it lies there. `damage` says what is torn, `copied` is True when its newest entries are missing:
    the file was in use, and what lay beside it is gone.
    """

    version: str = ""
    damage: str = ""
    copied: bool = False


def look_at(path: Path) -> Look:
    """Look without writing. Raises `NotSaved` for what is not a journal, or one of a newer version."""
    with _said(path):
        newer = log_of(path).exists()
        if newer and (wrong := amiss(path, read_log(log_of(path)))):
            return Look(damage=wrong)
        try:
            with closing(connected(path, "ro")) as connection:
                found = _looked(connection, path)
        except sqlite3.Error as problem:
            if cause(problem) != READ_ONLY or not writable(path):
                raise
            with closing(connected(path, "rw")) as connection:  # what a kill left half-done is taken back first
                found = _looked(connection, path)
        return replace(found, copied=found.copied and not newer and alone(path))


def _looked(connection: sqlite3.Connection, path: Path) -> Look:
    """`copied` only says that the file was in use."""
    try:
        mode = connection.execute("PRAGMA journal_mode").fetchone()[0]
        there = connection.execute("SELECT name, type FROM sqlite_master").fetchall()
        tables = {name for name, kind in there if kind == "table"}
        marks = [connection.execute(f"PRAGMA {mark}").fetchone()[0] for mark in ("application_id", "user_version")]
    except sqlite3.DatabaseError as problem:
        if cause(problem) == DAMAGED:
            return Look(damage=reason(problem))
        raise
    if tables and not {"alembic_version", "batch", "event"} <= tables:
        raise NotSaved(f"{path} is the database of another program: expected a journal.")
    if acts := [f"{kind} {name}" for name, kind in there if kind in ("trigger", "view")]:
        raise NotSaved(
            f"{path} holds a {acts[0]}, which would change what is written: no journal has one. `fusilex journal"
            " rescue` keeps its entries in a new one."
        )
    try:
        row = connection.execute("SELECT version_num FROM alembic_version").fetchone() if tables else None
        found = connection.execute("PRAGMA quick_check(1)").fetchone()[0]
    except sqlite3.DatabaseError as problem:
        if cause(problem) == DAMAGED:
            return Look(damage=reason(problem))
        raise
    version = str(row[0]) if row else ""
    if version > HEAD:
        raise NotSaved(
            f"{path} was written by a newer version of Fusilex ({version}; this one knows {HEAD}): it is left as it"
            " is. Open it with that version, or go back to a backup."
        )
    damage = "" if found == "ok" else " ".join(str(found).split())
    return Look(version, damage, marks == [APPLICATION, IN_USE] and mode == "wal")


def alone(path: Path) -> bool:
    """True when nobody else has the journal open; whatever lay beside it is in the file then."""
    if not writable(path):
        return True
    try:
        with closing(connected(path, "rw")) as connection:
            return bool(connection.execute("PRAGMA journal_mode=DELETE").fetchone()[0] == "delete")
    except sqlite3.Error as problem:
        return cause(problem) == NOT_ONE  # what is no journal nobody has open as one


def writable(path: Path) -> bool:
    """True where the file and what is written beside it can be."""
    return os.access(path, os.W_OK) and os.access(path.parent, os.W_OK)


def set_aside(path: Path, why: str) -> Path:
    """A copy of the file and what lies beside it, untouched, with a note of what is wrong; once for each trouble.

    Raises OSError.
    """
    for note in path.parent.glob(f"{path.name}.damaged-*.txt"):
        if note.read_text(encoding="utf-8").strip() == why.strip():
            return note.with_suffix("")
    aside = free(path, "damaged")
    for ending in BESIDE:
        if Path(f"{path}{ending}").exists():
            shutil.copy2(f"{path}{ending}", f"{aside}{ending}")
    Path(f"{aside}.txt").write_text(f"{why}\n", encoding="utf-8")
    return aside


def free(path: Path, word: str) -> Path:
    """A name beside the file that nothing has: its own, a word, the time."""
    stamp = f"{datetime.now():%Y%m%d-%H%M%S}"
    names = (path.with_name(f"{path.name}.{word}-{stamp}{n}") for n in ("", *(f"-{k}" for k in range(2, 1000))))
    return next(name for name in names if not name.exists())


@contextmanager
def _said(path: Path) -> Iterator[None]:
    try:
        yield
    except (sqlite3.Error, OSError) as problem:
        if cause(problem) == NOT_ONE:
            raise NotSaved(f"{path} is not a journal: {reason(problem)}.") from problem
        raise NotSaved(f"The journal at {path} cannot be opened: {reason(problem)}.") from problem

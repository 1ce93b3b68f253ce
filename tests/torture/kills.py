"""Killed at any moment: what was acknowledged is there, and the journal opens, at a first start and an upgrade too."""

from __future__ import annotations

import os
import random
import shutil
import signal
import sqlite3
import time
from collections import Counter
from collections.abc import Callable
from pathlib import Path
from typing import Any

import asked as c
from alembic import command
from alembic.config import Config
from asked import project, project_workshop
from sqlalchemy import event

from fusilex import journal as journal_package
from fusilex.bench.record.bench import Bench
from fusilex.bench.rooms import open_journal
from fusilex.formats.bundle import read_files
from fusilex.journal import engine
from fusilex.journal.place import sqlite_url
from torture.at_once import HERON, next_command

WORKED = Path(__file__).parents[1] / "data" / "journal-before-rooms.sqlite"


def forked(work: Callable[[int], None], seconds: float | None = None) -> bytes:
    """Let a child work, which writes what it acknowledges into a pipe; kill it after some `seconds`, or wait for its
    own end.
    """
    out, into = os.pipe()
    child = os.fork()
    if child == 0:
        os.close(out)
        try:
            work(into)
        except BaseException as problem:
            os.write(2, f"{type(problem).__name__}: {problem}\n".encode())
            os._exit(3)
        os._exit(0)
    os.close(into)
    if seconds is not None:
        time.sleep(seconds)
        os.kill(child, signal.SIGKILL)
    with os.fdopen(out, "rb") as pipe:
        said = pipe.read()
    _, status = os.waitpid(child, 0)
    if os.WIFEXITED(status) and os.WEXITSTATUS(status) == 3:
        said += b"!"
    return said


def at_work(place: Path, kills: int, seed: int = 1) -> Counter[str]:
    """Commands flat out, killed after some milliseconds, again and again on the same journal; closing among them."""
    dice = random.Random(seed)
    found: Counter[str] = Counter({"kills at work": kills})
    url = sqlite_url(place / "kills.sqlite")
    batch = Bench.open_batch(open_journal(url), read_files(HERON), "Heron R2", 4, prefix="H", number=7).id
    acknowledged: set[int] = set()
    for n in range(kills):

        def work(into: int, n: int = n) -> None:
            journal = open_journal(url)
            bench, mine = Bench(journal, batch), random.Random(seed * 100_000 + n)
            for k in range(mine.randrange(2, 40)):
                bench.go("Kit")
                try:
                    ids = [str(entry.id) for entry in bench.do(next_command(bench, f"{n}.", k, mine))]
                except c.Refused:
                    continue
                os.write(into, f"{' '.join(ids)}\n".encode())
            journal.close()

        said = forked(work, dice.uniform(0.01, 0.35))
        found["openings that failed"] += said.endswith(b"!")
        acknowledged |= {int(number) for line in said.split(b"\n")[:-1] for number in line.split()}
        if n % 20 == 19 or n == kills - 1:
            found += _missing(url, batch, acknowledged)
    found["acknowledged"] = len(acknowledged)
    return found


def _missing(url: str, batch: int, acknowledged: set[int]) -> Counter[str]:
    found: Counter[str] = Counter()
    journal = open_journal(url)
    bench = Bench(journal, batch)
    there = {e.id for stream in (batch, journal.workshop) for e in journal.since(stream)}
    found["lost"] = len(acknowledged - there)
    found["states unlike the replay"] = (project(journal.since(batch)) != bench.state) + (
        project_workshop(journal.since(journal.workshop)) != bench.workshop
    )
    found["noticed for nothing"] = bool(journal.noticed)
    return found


def upgraded_to(path: Path, version: str) -> None:
    """A journal as an older version left it: in WAL mode, with what the oldest one held."""
    shutil.copy(WORKED, path)
    made = engine.make_engine(sqlite_url(path), path, "rw", engine.Turn())
    config = Config()
    config.set_main_option("script_location", str(Path(journal_package.__file__).parent / "migrations"))
    with made.connect().execution_options(writing=True) as connection, connection.begin():
        config.attributes["connection"] = connection
        command.upgrade(config, version)
    made.dispose()


def at_any_statement(place: Path, version: str) -> Counter[str]:
    """Opening killed before its first statement, its second, … until it gets through: it opens whole each time.

    `version` is the one the journal is of, '' for a first start.
    """
    found: Counter[str] = Counter()
    old = place / f"old-{version}.sqlite"
    if version:
        upgraded_to(old, version)
    through = False
    while not through:
        path = place / "killed.sqlite"
        for ending in ("", "-wal", "-shm", "-journal"):
            Path(f"{path}{ending}").unlink(missing_ok=True)
        if version:
            shutil.copy(old, path)
        at = found["kills at a statement"]
        through = forked(lambda into, at=at, path=path: _dies(into, path, at)).startswith(b"through")
        if not through:
            found["kills at a statement"] += 1
        found["openings that failed"] += not _whole(path, 5 if version else 0)
    return found


def _dies(into: int, path: Path, at: int) -> None:
    count = 0

    def counted(*_: Any) -> None:
        nonlocal count
        if count == at:
            os.kill(os.getpid(), signal.SIGKILL)
        count += 1

    made = engine.make_engine

    def watched(*given: Any) -> Any:
        found = made(*given)
        event.listen(found, "before_cursor_execute", counted)
        event.listen(found, "commit", counted)
        return found

    import fusilex.journal.store as store

    store.make_engine = watched
    journal = open_journal(sqlite_url(path))
    assert journal.workshop
    journal.close()
    os.write(into, b"through")


def _whole(path: Path, least: int) -> bool:
    """It opens, holds what it held, and is one file when it is closed."""
    try:
        journal = open_journal(sqlite_url(path))
        entries = [e for row in journal.batches() for e in journal.since(row.id)]
        known = journal.workshop > 0 and len(entries) >= least and not journal.noticed
        journal.close()
    except Exception as problem:
        print(f"{path.name}: {type(problem).__name__}: {problem}")
        return False
    with sqlite3.connect(path) as raw:
        tidy = raw.execute("PRAGMA journal_mode").fetchone()[0] == "delete"
    raw.close()
    return known and tidy and not Path(f"{path}-wal").exists()


def at_any_moment(place: Path, kills: int, seed: int = 1) -> Counter[str]:
    """Upgrades and first starts killed after some milliseconds."""
    dice = random.Random(seed)
    found: Counter[str] = Counter({"kills while opening": kills})
    versions = ("", "0002", "0003", "0004")
    for version in versions[1:]:
        upgraded_to(place / f"was-{version}.sqlite", version)
    path = place / "opening.sqlite"
    for n in range(kills):
        for ending in ("", "-wal", "-shm", "-journal"):
            Path(f"{path}{ending}").unlink(missing_ok=True)
        if version := versions[n % 4]:
            shutil.copy(place / f"was-{version}.sqlite", path)

        def work(into: int) -> None:
            journal = open_journal(sqlite_url(path))
            assert journal.workshop
            journal.close()

        said = forked(work, dice.uniform(0.0, 0.12))
        found["openings that failed"] += said.endswith(b"!") or not _whole(path, 5 if version else 0)
    return found

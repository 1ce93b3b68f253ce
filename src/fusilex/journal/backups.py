"""Copies of a journal: one a day by itself, others when asked for, and the way back. Made by SQLite's own backup, which
may run while others write.
"""

from __future__ import annotations

import os
import shutil
import sqlite3
import time
from contextlib import closing, suppress
from datetime import date
from glob import escape
from pathlib import Path

from msgspec import Struct

from fusilex.journal.place import alone, check_place, connected, free, look_at
from fusilex.journal.trouble import NotSaved, reason

KEPT = 7
"""Daily copies that are kept."""
LEFT_S = 3600.0
"""A draft this old was left by a program that was killed."""


class Backup(Struct, frozen=True):
    """A copy of a journal: the day it was made, how many batches and entries it holds."""

    path: Path
    day: str
    batches: int
    entries: int

    @property
    def words(self) -> str:
        return f"{self.day}: {self.batches} batches, {self.entries:,} entries"


def folder_of(journal: Path) -> Path:
    return journal.parent / "backups"


def daily(journal: Path, today: date) -> Path | None:
    """Make the day's copy where there is none yet, and leave the last seven. Raises `NotSaved`.

    A journal that is damaged is not copied: its copy would push a whole one out.
    """
    target = folder_of(journal) / f"{journal.stem}-{today.isoformat()}.sqlite"
    _tidy(journal)
    if target.exists() or not journal.exists():
        return None
    copy_to(journal, target)
    for old in _dailies(journal)[:-KEPT]:
        old.unlink(missing_ok=True)
    return target


def _tidy(journal: Path) -> None:
    """Take away drafts of copies and mended journals that a program left when it was killed."""
    places = ((journal.parent, escape(journal.name)), (folder_of(journal), f"{escape(journal.stem)}-*.sqlite"))
    for draft in [draft for folder, name in places for draft in folder.glob(f"{name}*.part*")]:
        with suppress(OSError):
            if time.time() - draft.lstat().st_mtime > LEFT_S:
                draft.unlink()


def _dailies(journal: Path) -> list[Path]:
    return sorted(folder_of(journal).glob(f"{journal.stem}-[0-9][0-9][0-9][0-9]-[0-9][0-9]-[0-9][0-9].sqlite"))


def kept(journal: Path) -> list[Backup]:
    """Daily copies that can be gone back to, newest first."""
    found = []
    for path in reversed(_dailies(journal)):
        try:
            with closing(connected(path, "ro")) as copy:
                counts = [copy.execute(f"SELECT count(*) FROM {of}").fetchone()[0] for of in _COUNTED]
        except sqlite3.Error:
            continue
        found.append(Backup(path, path.stem[-10:], *counts))
    return found


_COUNTED = ("batch WHERE kind = 'batch'", "event")


def copy_to(journal: Path, target: Path) -> None:
    """A whole copy of a journal that may be in use, in one file; the target appears when it is whole.

    Raises `NotSaved`.
    """
    draft = target.with_name(target.name + ".part")
    check_place(target, make=True)
    if target.resolve() == journal.resolve():
        raise NotSaved("The journal was not backed up: that is the journal itself. Choose another name.")
    try:
        draft.parent.mkdir(parents=True, exist_ok=True)
        draft.unlink(missing_ok=True)
        with closing(connected(journal, "ro")) as source, closing(connected(draft, "rwc")) as copy:
            source.backup(copy)
            copy.execute("PRAGMA journal_mode=DELETE")
            wrong = copy.execute("PRAGMA quick_check(1)").fetchone()[0]
        if wrong != "ok":
            raise NotSaved(f"The journal was not backed up: it is damaged ({' '.join(str(wrong).split())}).")
        draft.replace(target)
    except (sqlite3.Error, OSError) as problem:
        raise NotSaved(f"The journal was not backed up to {target}: {reason(problem)}.") from problem
    finally:
        with suppress(OSError):
            draft.unlink(missing_ok=True)


def put_back(journal: Path, copy: Path) -> Path | None:
    """Put a copy in the place of a journal that nobody has open; what was there is set aside, and where it went is
    told. Raises `NotSaved`, and nothing was changed.
    """
    look = look_at(copy)
    if look.damage:
        raise NotSaved(f"{copy} is damaged itself: {look.damage}. Nothing was changed.")
    if journal.exists() and not alone(journal) and not look_at(journal).damage:
        raise NotSaved(f"Another window has {journal} open: close it first. Nothing was changed.")
    draft = journal.with_name(journal.name + ".part")
    aside = free(journal, "before") if journal.exists() else None
    try:
        copy_to(copy, draft)
        for ending in ("-wal", "-shm"):  # a journal never stands beside the newest entries of another
            if aside and Path(f"{journal}{ending}").exists():
                Path(f"{journal}{ending}").rename(f"{aside}{ending}")
        if aside:
            _beside(journal, aside)
        draft.replace(journal)  # at every moment one of the two stands there
    except OSError as problem:
        raise NotSaved(f"{journal} could not be put back: {reason(problem)}.") from problem
    return aside


def _beside(journal: Path, aside: Path) -> None:
    """A second name for the file, or a copy where the disk knows no second names."""
    try:
        os.link(journal, aside)
    except OSError:
        shutil.copy2(journal, aside)

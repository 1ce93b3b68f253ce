"""What can go wrong with a journal, in sentences that tell the hands what to do."""

from __future__ import annotations

import sqlite3
from pathlib import Path

from fusilex.core.problems import BadInput
from fusilex.core.shown import shown


class NotSaved(Exception):
    """The journal could not be written; nothing of the command happened."""

    def __init__(self, why: str) -> None:
        super().__init__(shown(why))


class Torn(NotSaved):
    """The journal was damaged while it was open; nothing of the command happened."""


class NotRead(BadInput):
    """The journal, or a part of it, cannot be read."""


BUSY, READ_ONLY, DAMAGED, FULL, NOT_ONE = "busy", "read only", "damaged", "full", "not a journal"
_CODES = {5: BUSY, 6: BUSY, 8: READ_ONLY, 11: DAMAGED, 13: FULL, 26: NOT_ONE}
DO = {
    BUSY: "another program holds the journal: do it again",
    READ_ONLY: "its place can only be read",
    DAMAGED: "the journal is damaged: mend it, or go back to a backup",
    FULL: "the disk is full: free some room and do it again",
    NOT_ONE: "the file is not a journal",
}


def cause(error: BaseException) -> str:
    """Which of the known troubles an error of the database is; '' for another."""
    origin = getattr(error, "orig", None) or error
    code = getattr(origin, "sqlite_errorcode", None)
    if code is None:
        return BUSY if "locked" in str(origin) else ""
    return _CODES.get(code & 0xFF, "")


def reason(error: BaseException) -> str:
    """The error in the words of the database or the system."""
    origin = getattr(error, "orig", None) or error
    return str(getattr(origin, "strerror", None) or origin).rstrip(".")


def not_saved(error: BaseException) -> NotSaved:
    """What to say of a command that could not be written."""
    do = DO.get(cause(error), "")
    return NotSaved(f"Not saved: {reason(error)}. Nothing was recorded{f'; {do}' if do else ''}.")


def not_read(error: BaseException, name: str) -> NotRead:
    """What to say of a journal that cannot be read."""
    do = DO.get(cause(error), "")
    return NotRead(name, "a journal that can be read", f"{reason(error)}{f' ({do})' if do else ''}")


def is_damage(error: BaseException) -> bool:
    """True where pages of the file are torn."""
    return isinstance(getattr(error, "orig", None) or error, sqlite3.DatabaseError) and cause(error) == DAMAGED


def named(path: Path | None, url: str) -> str:
    return str(path) if path else url

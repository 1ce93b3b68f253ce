"""Rows that come from another journal are data: each is looked at before anything of it is kept."""

from __future__ import annotations

import json
import math
import re
from collections.abc import Iterator
from datetime import datetime
from typing import Any

from fusilex.core.problems import BadInput
from fusilex.core.shown import is_shown, shown
from fusilex.journal.entries import Entry

MOST_NUMBER = 2**53
"""Numbers beyond this are read differently by different programs."""
MOST_DEEP, MOST_TEXT = 20, 1_000_000
_KIND = re.compile(r"[a-z][a-z0-9_]{0,39}")


def row_from(row: Any, file: str, place: str) -> Entry:
    """A row of a file as an entry that has no event yet. Raises `BadInput`."""

    def odd(expected: str, found: object) -> BadInput:
        return BadInput(file, expected, ascii(found)[:60], place)

    if not isinstance(row, dict) or not isinstance(row.get("body"), dict):
        raise odd("an event", row)
    number = row.get("number")
    if type(number) is not int or not 1 <= number <= MOST_NUMBER:
        raise odd("a number from 1 up", number)
    kind, deed, at = (row.get(name, "") for name in ("kind", "deed", "at"))
    if not isinstance(kind, str) or not _KIND.fullmatch(kind):
        raise odd("a kind of event", kind)
    if not is_line(deed, 36) or not deed:
        raise odd("the name of a deed", deed)
    if not is_time(at):
        raise odd("a time with its zone", at)
    who, where = row.get("who", ""), row.get("place", "")
    if not is_line(who, 60) or not is_line(where, 40):
        raise odd("a name and a step in one line", (who, where))
    for value in _values(row["body"], 0):
        if isinstance(value, str) and (len(value) > MOST_TEXT or shown(value, lines=True) != value):
            raise odd("text without control characters", value)
        if isinstance(value, float) and not math.isfinite(value):
            raise odd("numbers", value)
        if isinstance(value, int) and abs(value) > MOST_NUMBER:
            raise odd(f"numbers up to {MOST_NUMBER}", value)
        if value is _TOO_DEEP:
            raise odd(f"at most {MOST_DEEP} values inside one another", "more")
    return Entry(kind, json.dumps(row["body"]), number, deed, at, who, where, origin=number)


def is_line(text: Any, most: int) -> bool:
    """True for a text of one line that shows what it is."""
    return isinstance(text, str) and len(text) <= most and is_shown(text)


def is_time(text: Any) -> bool:
    """True for a moment of this century with its zone, in ISO 8601.

    >>> is_time("2026-03-02T09:00:00.000+00:00"), is_time("2026-03-02T09:00:00"), is_time("9999-12-31T23:59:59+00:00")
    (True, False, False)
    """
    try:
        at = datetime.fromisoformat(text) if isinstance(text, str) and len(text) <= 32 else None
    except ValueError:
        return False
    return at is not None and at.tzinfo is not None and 2000 <= at.year < 2100


_TOO_DEEP = object()


def _values(value: Any, depth: int) -> Iterator[object]:
    """Every name and value inside a body."""
    if depth > MOST_DEEP:
        yield _TOO_DEEP
    elif isinstance(value, dict):
        for name, item in value.items():
            yield name
            yield from _values(item, depth + 1)
    elif isinstance(value, list):
        for item in value:
            yield from _values(item, depth + 1)
    else:
        yield value

"""The one error that every floor may raise about what a person handed in."""

from __future__ import annotations

import json
import zipfile
import zlib
from typing import Any

from fusilex.core.shown import shown

UNREADABLE_ZIP = (zipfile.BadZipFile, zlib.error, RuntimeError, NotImplementedError, EOFError, ValueError, OSError)
"""What the library raises for zips that are damaged, packed in another way, or encrypted."""


class BadInput(Exception):
    """Something handed in cannot be used. Reads as one sentence: file, place, what was expected, what was found."""

    def __init__(self, file: str, expected: str, found: str, place: str = "") -> None:
        file, expected, place = shown(file), shown(expected), shown(place)
        found = shown(" ".join(found.split()))
        self.file, self.place, self.expected, self.found = file, place, expected, found
        where = f"{file}, {place}" if place else file
        super().__init__(f"{where}: expected {expected}; found {found}.")


def read_json(data: bytes | str, file: str, place: str = "") -> Any:
    """What JSON says. Raises `BadInput` for anything that is none, is nested beyond all sense, or has numbers of
    thousands of digits.
    """
    try:
        return json.loads(data)
    except (ValueError, RecursionError) as problem:
        text = data if isinstance(data, str) else data[:40].decode(errors="replace")
        raise BadInput(file, "JSON", f"“{text[:40]}”", place) from problem

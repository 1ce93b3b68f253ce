"""The one error that every floor may raise about what a person handed in."""

from __future__ import annotations


class BadInput(Exception):
    """Something handed in cannot be used. Reads as one sentence: file, place, what was expected, what was found."""

    def __init__(self, file: str, expected: str, found: str, place: str = "") -> None:
        found = " ".join(found.split())
        self.file, self.place, self.expected, self.found = file, place, expected, found
        where = f"{file}, {place}" if place else file
        super().__init__(f"{where}: expected {expected}; found {found}.")

"""Boards and what hangs on each: its print, its load, parts, faults, readings. Every station adds to the same
thread.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Any

DONE = "Done"
"""Where boards are that went all the way, or are out of it."""


@dataclass(frozen=True)
class PastePrint:
    """One stroke of the squeegee over a panel."""

    number: int
    at: str
    panel: int
    foil_mm: float
    paste: str
    note: str = ""


@dataclass(frozen=True)
class Load:
    """One run of the oven. `log` is the digest of its record, '' for one that was only seen by eye, as `seen` says."""

    number: int
    at: str
    panel: int
    boards: tuple[str, ...]
    window: str
    log: str = ""
    log_name: str = ""
    metrics: dict[str, dict[str, Any]] = field(default_factory=dict)
    index: float | None = None
    seen: str = ""


@dataclass
class Fault:
    """A marked fault; `id` is the entry that marked it."""

    id: int
    ref: str
    word: str
    found_at: str
    when: str
    repaired: str | None = None
    result: str = ""


@dataclass
class Board:
    """One board of the batch with its record so far."""

    serial: str
    panel: int
    cell: int
    station: str = "Ready"
    placed: list[str] = field(default_factory=list)
    placed_how: dict[str, str] = field(default_factory=dict)
    soldered: list[str] = field(default_factory=list)
    counted: set[str] = field(default_factory=set)
    faults: list[Fault] = field(default_factory=list)
    readings: dict[str, tuple[float, str]] = field(default_factory=dict)
    print: PastePrint | None = None
    load: Load | None = None
    inspections: int = 0
    unseen: bool = False
    first_pass: bool | None = None
    tests: list[dict[str, Any]] = field(default_factory=list)
    released_at: str | None = None
    scrapped: bool = False

    @property
    def open_faults(self) -> list[Fault]:
        return [f for f in self.faults if f.repaired is None]


def laid_out(serials: Iterable[str], cells: Iterable[int]) -> list[tuple[str, int, int]]:
    """Serial, panel and cell of each board in turn, on panels with these cells."""
    there = list(cells)
    return [(serial, n // len(there) + 1, there[n % len(there)]) for n, serial in enumerate(serials)]

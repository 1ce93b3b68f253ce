"""The state a batch's events add up to."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from fusilex.core.judgement import Level

STATIONS = ("Ready", "Kit", "Print", "Place", "Reflow", "Hand", "Inspect", "Rework", "Test", "Release")
DONE = "Done"


@dataclass
class Fault:
    """A marked fault; `id` is the event that marked it."""

    id: int
    ref: str
    word: str
    found_at: str
    when: str
    repaired: str | None = None
    result: str = ""


@dataclass
class Board:
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
    print_number: int | None = None
    load: int | None = None
    inspections: int = 0
    first_pass: bool | None = None
    tests: list[dict[str, Any]] = field(default_factory=list)
    released_at: str | None = None
    scrapped: bool = False

    @property
    def open_faults(self) -> list[Fault]:
        return [f for f in self.faults if f.repaired is None]


@dataclass
class BatchState:
    """The batch as it stands. Built only by `project`."""

    opened: dict[str, Any] = field(default_factory=dict)
    files: dict[str, str] = field(default_factory=dict)
    roles: dict[str, tuple[str, str | None]] = field(default_factory=dict)
    columns: dict[str, dict[str, int]] = field(default_factory=dict)
    fixes: list[dict[str, Any]] = field(default_factory=list)
    boards: dict[str, Board] = field(default_factory=dict)
    cautions: dict[str, str] = field(default_factory=dict)
    overruled: dict[str, dict[str, str]] = field(default_factory=dict)
    bins: dict[str, dict[str, Any]] = field(default_factory=dict)
    bags: dict[str, dict[str, Any]] = field(default_factory=dict)
    substitutes: dict[str, list[str]] = field(default_factory=dict)
    programmes: dict[str, dict[str, Any]] = field(default_factory=dict)
    strap: dict[str, Any] = field(default_factory=dict)
    order: str = "kind"
    skipped_side: str = ""
    sides: str = "hand"
    bare: dict[str, Any] = field(default_factory=dict)
    without: list[str] = field(default_factory=list)
    foil_mm: float = 0.12
    paste: str = "leaded"
    dropped: dict[str, int] = field(default_factory=dict)
    replaced: dict[str, int] = field(default_factory=dict)
    prints: list[dict[str, Any]] = field(default_factory=list)
    wiped: list[dict[str, Any]] = field(default_factory=list)
    taught: dict[int, dict[str, tuple[float, float]]] = field(default_factory=dict)
    loads: list[dict[str, Any]] = field(default_factory=list)
    station: str = "Ready"
    board: str = ""
    last_id: int = 0
    deeds: list[str] = field(default_factory=list)
    undone: list[str] = field(default_factory=list)

    def at(self, station: str) -> list[Board]:
        """Boards that are at a station now."""
        return [b for b in self.boards.values() if b.station == station and not b.scrapped]

    def wrong_bag(self, line: str) -> tuple[str, str, str] | None:
        """What of a bin's bag does not match, as wanted and as found; None when it does or a reason is on record."""
        bag = self.bags.get(line)
        if not bag or bag["level"] != Level.STOP or bag["reason"]:
            return None
        what, wanted, found = bag["differs"][0]
        return what, wanted, found

    def doubtful_bag(self, line: str) -> str | None:
        """The label of a bin's bag that does not settle what is in it, None when it does or a reason is on record."""
        bag = self.bags.get(line)
        return str(bag["label"]) if bag and bag["level"] == Level.UNKNOWN and not bag["reason"] else None

    def bin_open(self, line: str) -> bool:
        """True while a bin is not filled, or holds pieces of a bag that does not match or does not settle what it is."""
        held = self.bins.get(line)
        return held is None or bool(held["count"] and (self.wrong_bag(line) or self.doubtful_bag(line)))

    def to_programme(self, line: str) -> bool:
        """True while a bin's parts are to be programmed and are not."""
        return line in self.programmes and not self.programmes[line]

    def panel_boards(self, panel: int) -> list[Board]:
        return [b for b in self.boards.values() if b.panel == panel]

    @property
    def panels(self) -> list[int]:
        return sorted({b.panel for b in self.boards.values()})

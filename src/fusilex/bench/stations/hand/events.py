"""What happens at Hand."""

from __future__ import annotations

from datetime import datetime
from itertools import pairwise
from typing import ClassVar

from msgspec import Struct, field

from fusilex.bench.boards import Put
from fusilex.bench.common.bins import OfBins
from fusilex.bench.state import BatchState
from fusilex.journal.entries import Entry, Event


class Soldering(Struct):
    """When parts were soldered with the iron, the latest ones, and which they were."""

    moments: list[tuple[float, str]] = field(default_factory=list)

    def note(self, at: str, ref: str) -> None:
        self.moments.append((datetime.fromisoformat(at).timestamp(), ref))
        del self.moments[:-MOST_KEPT]

    @property
    def timed(self) -> list[tuple[str, float]]:
        """Each part with the seconds since the one before it."""
        return [(b[1], b[0] - a[0]) for a, b in pairwise(self.moments)]


class PartSoldered(OfBins, frozen=True):
    """A part was soldered with the iron; `line` is the bin it came out of, in older journals ''."""

    kind: ClassVar[str] = "part_soldered"
    about: ClassVar[str] = "board"
    board: str
    ref: str
    line: str = ""

    def apply(self, state: BatchState, entry: Entry) -> None:
        board = state.boards[self.board]
        if self.ref not in board.soldered:
            board.soldered.append(self.ref)
        board.put[self.ref] = Put(entry.at, entry.who, self.line)
        state[Soldering].note(entry.at, self.ref)

    @property
    def words(self) -> str:
        return f"{self.ref} soldered on {self.board}"


class PartUnsoldered(Event, frozen=True):
    """A part is open again (older journals; soldering is undone now)."""

    kind: ClassVar[str] = "part_unsoldered"
    about: ClassVar[str] = "board"
    board: str
    ref: str

    def apply(self, state: BatchState, entry: Entry) -> None:
        if self.ref in state.boards[self.board].soldered:
            state.boards[self.board].soldered.remove(self.ref)

    @property
    def words(self) -> str:
        return f"opening {self.ref} on {self.board}"


class HandDone(Event, frozen=True):
    """There was nothing to solder on a board (older journals; every step is passed in one way now)."""

    kind: ClassVar[str] = "hand_done"
    about: ClassVar[str] = "board"
    board: str

    @property
    def words(self) -> str:
        return f"sending {self.board} on"


MOST_KEPT = 300
EVENTS = (PartSoldered, PartUnsoldered, HandDone)

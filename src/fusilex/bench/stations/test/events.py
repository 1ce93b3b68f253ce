"""What happens at Test."""

from __future__ import annotations

from typing import ClassVar

from fusilex.bench.state import BatchState
from fusilex.journal.entries import Entry, Event


class ReadingTaken(Event, frozen=True):
    """The meter between two pads; no `ohm` is an open circuit."""

    kind: ClassVar[str] = "reading_taken"
    board: str
    pair: str
    ohm: float | None
    text: str

    def apply(self, state: BatchState, entry: Entry) -> None:
        value = float("inf") if self.ohm is None else self.ohm
        state.boards[self.board].readings[self.pair] = (value, self.text)

    @property
    def words(self) -> str:
        return f"the reading {self.text} at {self.pair} of {self.board}"


class BoardTested(Event, frozen=True):
    """A board passed its test, or failed it."""

    kind: ClassVar[str] = "board_tested"
    board: str
    passed: bool
    note: str = ""

    def apply(self, state: BatchState, entry: Entry) -> None:
        done = {"board": self.board, "passed": self.passed, "note": self.note, "at": entry.at}
        state.boards[self.board].tests.append(done)

    @property
    def words(self) -> str:
        return f"{'passing' if self.passed else 'failing'} {self.board}"


EVENTS = (ReadingTaken, BoardTested)

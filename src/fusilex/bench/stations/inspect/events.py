"""What happens at Inspect beyond faults."""

from __future__ import annotations

from typing import ClassVar

from fusilex.bench.state import BatchState
from fusilex.journal.entries import Entry, Event


class BoardInspected(Event, frozen=True):
    """A board was passed at Inspect; `looked` is False when it went by and nobody had looked at it."""

    kind: ClassVar[str] = "board_inspected"
    board: str
    looked: bool = True
    step: str = "Inspect"

    def apply(self, state: BatchState, entry: Entry) -> None:
        board = state.boards[self.board]
        board.inspections += 1
        board.inspected.add(self.step)
        board.unseen = not self.looked
        if board.first_pass is None:
            board.first_pass = not board.faults

    @property
    def words(self) -> str:
        return f"the look over {self.board}"


EVENTS = (BoardInspected,)

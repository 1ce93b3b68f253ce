"""What happens at Release."""

from __future__ import annotations

from typing import ClassVar

from fusilex.bench.state import BatchState
from fusilex.journal.entries import Entry, Event

SEPARATE = "separate"
"""Method of the step at which boards come out of their panel, where that is not the last thing done."""


class BoardSeparated(Event, frozen=True):
    """A board is out of its panel."""

    kind: ClassVar[str] = "board_separated"
    board: str

    @property
    def words(self) -> str:
        return f"taking {self.board} out of its panel"


class BoardReleased(Event, frozen=True):
    """A board is out of the workshop's hands."""

    kind: ClassVar[str] = "board_released"
    board: str

    def apply(self, state: BatchState, entry: Entry) -> None:
        state.boards[self.board].released_at = entry.at

    @property
    def words(self) -> str:
        return f"the release of {self.board}"


EVENTS = (BoardSeparated, BoardReleased)

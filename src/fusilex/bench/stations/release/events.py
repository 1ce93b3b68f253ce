"""What happens at Release."""

from __future__ import annotations

from typing import ClassVar

from fusilex.bench.state import BatchState
from fusilex.journal.entries import Entry, Event


class BoardReleased(Event, frozen=True):
    """A board is out of the workshop's hands."""

    kind: ClassVar[str] = "board_released"
    board: str

    def apply(self, state: BatchState, entry: Entry) -> None:
        state.boards[self.board].released_at = entry.at

    @property
    def words(self) -> str:
        return f"the release of {self.board}"


EVENTS = (BoardReleased,)

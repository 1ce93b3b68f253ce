"""What happens at Rework."""

from __future__ import annotations

from typing import ClassVar

from fusilex.bench.state import BatchState
from fusilex.journal.entries import Entry, Event


class FaultRepaired(Event, frozen=True):
    """A fault was repaired, or the board scrapped for it."""

    kind: ClassVar[str] = "fault_repaired"
    board: str
    fault: int
    result: str

    def apply(self, state: BatchState, entry: Entry) -> None:
        board = state.boards[self.board]
        for fault in board.faults:
            if fault.id == self.fault:
                fault.repaired, fault.result = entry.at, self.result
                board.heat([fault.ref])
        if self.result == "scrapped":
            board.scrapped = True

    @property
    def words(self) -> str:
        return f"scrapping {self.board}" if self.result == "scrapped" else f"a repair of {self.board}"


class RepairsDone(Event, frozen=True):
    """What was left open on a board was accepted with a reason."""

    kind: ClassVar[str] = "repairs_done"
    board: str

    @property
    def words(self) -> str:
        return f"sending {self.board} back to the eyes"


EVENTS = (FaultRepaired, RepairsDone)

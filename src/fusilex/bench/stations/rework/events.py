"""What happens at Rework."""

from __future__ import annotations

from typing import ClassVar

from fusilex.bench.state import BatchState
from fusilex.bench.stations.rework.mending import Repairs
from fusilex.journal.entries import Entry, Event


class FaultRepaired(Event, frozen=True):
    """A fault was repaired by a method in so many seconds (0: nobody timed it), or the board scrapped for it; `cause`
    is what killed the part, where it was asked.
    """

    kind: ClassVar[str] = "fault_repaired"
    about: ClassVar[str] = "board"
    refers: ClassVar[tuple[str, ...]] = ("fault",)
    board: str
    fault: int
    result: str
    method: str = ""
    seconds: float = 0.0
    cause: str = ""

    def apply(self, state: BatchState, entry: Entry) -> None:
        board, repairs = state.boards[self.board], state[Repairs]
        repairs.ended[self.result] = repairs.ended.get(self.result, 0) + 1
        if self.seconds and self.result == "fixed":
            repairs.seconds.setdefault(self.method, []).append(self.seconds)
        if self.cause:
            repairs.causes[self.fault] = self.cause
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
    about: ClassVar[str] = "board"
    board: str

    @property
    def words(self) -> str:
        return f"sending {self.board} back to the eyes"


EVENTS = (FaultRepaired, RepairsDone)

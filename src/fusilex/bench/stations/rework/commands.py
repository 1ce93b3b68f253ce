"""Commands of Rework."""

from __future__ import annotations

from typing import ClassVar

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board
from fusilex.bench.command import Command, Result
from fusilex.bench.common.events import Moved, ReadingsCleared
from fusilex.bench.common.faults import to_repair
from fusilex.bench.common.pieces import piece_replaced
from fusilex.bench.refusal import Refused
from fusilex.bench.stations.rework.events import FaultRepaired, RepairsDone
from fusilex.core.road.steps import DONE
from fusilex.journal.entries import Event


def eyes_again(batch: Batch, board: Board) -> str:
    """Where a board goes from repair: to the eyes it came from, or the last ones before that, or back where it was."""
    step = board.came_from if board.came_from in batch.steps.by_id else board.step
    if step in batch.steps.by_id and batch.steps.by_id[step].station == "Inspect":
        return step
    before = batch.steps.before(step, "Inspect")
    return before.id if before else step if step != board.step else batch.steps.after(step)[0].id


class RepairFault(Command, frozen=True):
    """`result` is ``fixed`` or ``scrapped``."""

    board: str
    fault: int
    result: str
    cautions: ClassVar[str] = "Rework"

    def decide(self, batch: Batch) -> Result:
        board = batch.board_at(self.board, "Rework")
        if self.result not in ("fixed", "scrapped"):
            raise Refused("A repair ends fixed or scrapped.")
        fault = next((f for f in board.open_faults if f.id == self.fault), None)
        if fault is None:
            raise Refused(f"That fault of board {board.serial} is not open.")
        happened: list[Event] = [FaultRepaired(board.serial, fault.id, self.result)]
        if self.result == "scrapped":
            return Result([*happened, Moved([board.serial], DONE)])
        replaced = piece_replaced(batch, board, fault.ref, fault.word)
        happened += replaced.events
        if not [f for f in to_repair(batch, board) if f is not fault]:
            # every repair loops back to the eyes, then to the meter
            happened += [ReadingsCleared(board.serial), Moved([board.serial], eyes_again(batch, board))]
        return Result(happened, replaced.workshop)


class AcceptAsIs(Command, frozen=True):
    """A board whose open faults were all accepted with a reason goes back to the eyes."""

    board: str

    def decide(self, batch: Batch) -> Result:
        board = batch.board_at(self.board, "Rework")
        if left := to_repair(batch, board):
            raise Refused(f"{left[0].ref} of board {board.serial} is not repaired: {left[0].word}.")
        back = Moved([board.serial], eyes_again(batch, board))
        return Result([RepairsDone(board.serial), ReadingsCleared(board.serial), back])


COMMANDS = (RepairFault, AcceptAsIs)

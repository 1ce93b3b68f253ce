"""Commands of Rework."""

from __future__ import annotations

from typing import ClassVar

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board, Fault
from fusilex.bench.command import Command, Result
from fusilex.bench.common.events import Moved, ReadingsCleared
from fusilex.bench.common.faults import to_repair
from fusilex.bench.common.pieces import REPLACED_WORDS, piece_replaced
from fusilex.bench.common.short_bins import judge_bins
from fusilex.bench.refusal import Refused
from fusilex.bench.stations.rework.events import FaultRepaired, RepairsDone
from fusilex.bench.stations.rework.mending import asks_why, method_of, warmed
from fusilex.core.route.steps import DONE
from fusilex.journal.entries import Event

LONGEST_S = 86_400.0


def eyes_again(batch: Batch, board: Board) -> str:
    """Where a board goes from repair: to the eyes it came from, or the last ones before that, or back where it was."""
    step = board.came_from if board.came_from in batch.steps.by_id else board.step
    if step in batch.steps.by_id and batch.steps.by_id[step].station == "Inspect":
        return step
    before = batch.steps.before(step, "Inspect")
    return before.id if before else step if step != board.step else batch.steps.after(step)[0].id


def cleared(batch: Batch, board: Board, in_hand: Fault | None = None) -> list[Event]:
    """What the repairs since the board came here leave to be read again: the pairs of parts they reached."""
    refs = warmed(batch, board, in_hand)
    if not refs:
        return []
    near = [p for p in batch.as_built(board).checks.all if not refs.isdisjoint(p.refs)]
    return [ReadingsCleared(board.serial, [p.key for p in near if p.key in board.readings], sorted(refs))]


class RepairFault(Command, frozen=True):
    """`result` is ``fixed`` or ``scrapped``; `seconds` are those it took, 0 where nobody timed it. `cause` says what
    killed the part that is replaced.
    """

    board: str
    fault: int
    result: str
    seconds: float = 0.0
    cause: str = ""
    cautions: ClassVar[str] = "Rework"

    def decide(self, batch: Batch) -> Result:
        board = batch.board_at(self.board, "Rework")
        if self.result not in ("fixed", "scrapped"):
            raise Refused("A repair ends fixed or scrapped.")
        fault = next((f for f in board.open_faults if f.id == self.fault), None)
        if fault is None:
            raise Refused(f"That fault of board {board.serial} is not open.")
        if not 0 <= self.seconds <= LONGEST_S:
            raise Refused("A repair takes a day at most.")
        if self.result == "fixed" and asks_why(fault) and not self.cause.strip():
            raise Refused(f"Say what killed {fault.ref}: a new part dies of the same.")
        line = batch.lines_of(board).get(fault.ref)
        if self.result == "fixed" and fault.word in REPLACED_WORDS and line is not None:
            batch.hold_at(judge_bins(batch, {line.key: 1}))
        method = method_of(batch, fault)
        name, seconds, cause = method.name if method else "", round(self.seconds, 1), self.cause.strip()
        happened: list[Event] = [FaultRepaired(board.serial, fault.id, self.result, name, seconds, cause)]
        if self.result == "scrapped":
            return Result([*happened, Moved([board.serial], DONE)])
        replaced = piece_replaced(batch, board, fault.ref, fault.word)
        happened += replaced.events
        if not [f for f in to_repair(batch, board) if f is not fault]:
            # every repair loops back to the eyes, then to the meter
            happened += [*cleared(batch, board, fault), Moved([board.serial], eyes_again(batch, board))]
        return Result(happened, replaced.workshop)


class AcceptAsIs(Command, frozen=True):
    """A board whose open faults were all accepted with a reason goes back to the eyes."""

    board: str

    def decide(self, batch: Batch) -> Result:
        board = batch.board_at(self.board, "Rework")
        if left := to_repair(batch, board):
            raise Refused(f"{left[0].ref} of board {board.serial} is not repaired: {left[0].word}.")
        back = Moved([board.serial], eyes_again(batch, board))
        return Result([RepairsDone(board.serial), *cleared(batch, board), back])


COMMANDS = (RepairFault, AcceptAsIs)

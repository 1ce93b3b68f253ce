"""Commands of Hand."""

from __future__ import annotations

from typing import ClassVar

from fusilex.bench.batch import Batch
from fusilex.bench.command import Command, Result
from fusilex.bench.common.pieces import pieces_counted
from fusilex.bench.common.short_bins import judge_bins
from fusilex.bench.refusal import Refused
from fusilex.bench.stations.hand.events import PartSoldered
from fusilex.bench.stations.hand.extra import tasks_left


class SolderPart(Command, frozen=True):
    """A part is soldered; after the last one the board goes to the eyes."""

    board: str
    ref: str
    cautions: ClassVar[str] = "Hand"

    def decide(self, batch: Batch) -> Result:
        board = batch.board_at(self.board, "Hand")
        order = [p.ref for p in batch.parts_of(board.step, board)]
        if self.ref not in order or self.ref in board.soldered:
            raise Refused(f"{self.ref} is not waiting to be soldered on board {board.serial}.")
        line = batch.lines_of(board)[self.ref].key
        batch.hold_at(judge_bins(batch, {line: 1}))
        soldered = PartSoldered(board.serial, self.ref, line)
        if not set(order) <= {*board.soldered, self.ref} or tasks_left(batch, board, board.step):
            return Result([soldered])
        counted = pieces_counted(batch, board, [*board.soldered, self.ref])
        return Result([soldered, *counted.events, *batch.onward([board])], counted.workshop)


COMMANDS = (SolderPart,)

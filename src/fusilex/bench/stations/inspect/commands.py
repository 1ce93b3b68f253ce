"""Commands of Inspect beyond marking faults."""

from __future__ import annotations

from fusilex.bench.batch import Batch
from fusilex.bench.command import Command, Result
from fusilex.bench.common.events import Moved
from fusilex.bench.common.faults import to_repair
from fusilex.bench.stations.inspect.events import BoardInspected

LOOK_S = 3.0
"""Nobody looks over a board in less, s."""


class InspectBoard(Command, frozen=True):
    """The whole board was looked at, or it is passed without: then `looked` says so."""

    board: str
    looked: bool = True

    def decide(self, batch: Batch) -> Result:
        board = batch.board_at(self.board, "Inspect")
        to = "Rework" if to_repair(batch, board) else "Test"
        return Result([BoardInspected(board.serial, self.looked), Moved([board.serial], to)])


COMMANDS = (InspectBoard,)

"""Commands of Inspect beyond marking faults."""

from __future__ import annotations

from fusilex.bench.batch import Batch
from fusilex.bench.command import Command, Result
from fusilex.bench.common.events import Moved
from fusilex.bench.common.faults import to_repair
from fusilex.bench.stations.inspect.events import BoardInspected
from fusilex.core.road.steps import ASIDE

LOOK_S = 3.0
"""Nobody looks over a board in less, s."""


class InspectBoard(Command, frozen=True):
    """The whole board was looked at, or it is passed without: then `looked` says so."""

    board: str
    looked: bool = True

    def decide(self, batch: Batch) -> Result:
        board = batch.board_at(self.board, "Inspect")
        inspected = BoardInspected(board.serial, self.looked, board.step)
        if to_repair(batch, board):
            return Result([inspected, Moved([board.serial], batch.steps.at_station(ASIDE)[0].id)])
        return Result([inspected, *batch.onward([board])])


COMMANDS = (InspectBoard,)

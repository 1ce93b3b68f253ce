"""Commands of Release."""

from __future__ import annotations

from typing import ClassVar

from fusilex.bench.batch import Batch
from fusilex.bench.boards import DONE
from fusilex.bench.command import Command, Result
from fusilex.bench.common.events import Moved
from fusilex.bench.stations.release.events import BoardReleased


class ReleaseBoard(Command, frozen=True):
    """A board goes out on its record, or on reasons: the gate sees to that."""

    board: str
    cautions: ClassVar[str] = "Release"

    def decide(self, batch: Batch) -> Result:
        board = batch.board_at(self.board, "Release")
        return Result([BoardReleased(board.serial), Moved([board.serial], DONE)])


COMMANDS = (ReleaseBoard,)

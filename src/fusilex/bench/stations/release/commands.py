"""Commands of Release."""

from __future__ import annotations

from typing import ClassVar

from fusilex.bench.batch import Batch
from fusilex.bench.command import Command, Result
from fusilex.bench.common.events import Moved
from fusilex.bench.stations.release.events import SEPARATE, BoardReleased, BoardSeparated
from fusilex.core.road.steps import DONE


class ReleaseBoard(Command, frozen=True):
    """A board goes out on its record, or on reasons: the gate sees to that. At a step that separates it comes out of
    its panel and goes on.
    """

    board: str
    cautions: ClassVar[str] = "Release"

    def decide(self, batch: Batch) -> Result:
        board = batch.board_at(self.board, "Release")
        if batch.steps.by_id[board.step].method == SEPARATE:
            return Result([BoardSeparated(board.serial), *batch.onward([board])])
        return Result([BoardReleased(board.serial), Moved([board.serial], DONE)])


COMMANDS = (ReleaseBoard,)

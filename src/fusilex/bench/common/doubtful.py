"""Joints that a run of the oven left in doubt: where eyes look first."""

from __future__ import annotations

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board, Load

WHY = {
    "cold": "did not melt",
    "short": "was molten too short or not hot enough",
    "hot": "got too hot",
    "open": "is not told by its run",
}
"""What is said of a group of joints by its verdict."""


def doubtful(board: Board, load: Load) -> list[tuple[str, str]]:
    """Parts of a board to look at first after a load, worst first, each with why; what kept the window is not there."""
    return [(row.part, WHY[row.verdict]) for row in load.joints if row.cell == board.cell and row.verdict in WHY]


def left_in_doubt(batch: Batch, board: Board) -> list[tuple[str, str]]:
    """The same for the loads of the sides that the step in view looks at."""
    sides = ("top", "bottom") if batch.step.side == "both" else (batch.step.side,)
    loads = [load for side in sides if (load := batch.load_of(board, side))]
    return [part for load in loads for part in doubtful(board, load)]

"""What earlier steps left in doubt of a board's parts: where eyes look first."""

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
    """Parts on the sides that the step in view looks at, each with why: what the oven left in doubt first, then what
    earlier steps did.
    """
    parts, both = batch.built(board), batch.step.side not in ("top", "bottom")
    found = [row for station in reversed(list(batch.stations.values())) for row in station.doubts(batch, board)]
    return [(ref, why) for ref, why in found if ref in parts and (both or parts[ref].side == batch.step.side)]

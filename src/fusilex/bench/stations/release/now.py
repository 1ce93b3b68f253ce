"""What to do now at Release, and its cautions."""

from __future__ import annotations

from fusilex.bench.batch import Batch
from fusilex.bench.now import Now, elsewhere
from fusilex.bench.stations.release.events import SEPARATE
from fusilex.bench.stations.release.judging import judge

CAUTIONS = {
    "Release": ("Board dust: cut with extraction and a mask. Edges of snapped boards are sharp.",),
}


def now(batch: Batch) -> Now:
    """Release the board, or what stands against it."""
    board, boards = batch.board, batch.state.boards.values()
    if board.step != batch.step.id:
        return elsewhere(batch)
    if batch.step.method == SEPARATE:
        return Now(
            f"Take board {board.serial} out of its panel", "Along the score, by hand where parts overhang. Space."
        )
    done = sum(b.released_at is not None for b in boards) / len(batch.state.boards)
    if stops := batch.not_overruled(judge(batch)):
        return Now(f"Hold board {board.serial}", f"{stops[0].headline}. {stops[0].do}", done)
    return Now(f"Release board {board.serial}", "Label it, bag it. Space releases it; P writes its papers.", done)

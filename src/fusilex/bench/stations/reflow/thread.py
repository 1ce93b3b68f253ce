"""What Reflow knows of each part: the oven run that melted its paste, and what the twin said of its joints."""

from __future__ import annotations

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board
from fusilex.bench.common.doubtful import doubtful
from fusilex.bench.declared import Thread

SAID = {"kept": "kept the window", "cold": "did not melt", "short": "molten too short", "hot": "too hot"}


def thread(batch: Batch, board: Board) -> Thread:
    """By side, for the parts that went through."""
    runs = {p.ref: batch.load_of(board, p.side) for p in batch.built(board).values() if not p.through_hole}
    loads = {ref: load for ref, load in runs.items() if load is not None}
    told = {
        (load.number, row.part): SAID.get(row.verdict, "cannot tell")
        for load in loads.values()
        for row in load.joints
        if row.cell == board.cell
    }
    return {
        "oven load": {ref: str(load.number) for ref, load in loads.items()},
        "by the twin": {ref: told.get((load.number, ref), "") for ref, load in loads.items()},
    }


def doubts(batch: Batch, board: Board) -> list[tuple[str, str]]:
    """Parts whose joints its runs left in doubt, worst first."""
    loads = [load for side in ("top", "bottom") if (load := batch.load_of(board, side))]
    return [row for load in loads for row in doubtful(board, load)]

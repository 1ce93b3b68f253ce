"""What Kit knows of each part: the lot that its bin held when it was taken."""

from __future__ import annotations

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board
from fusilex.bench.common.bins import Bins
from fusilex.bench.declared import Thread


def thread(batch: Batch, board: Board) -> Thread:
    """Lots of the parts that are on a board, and its bins' numbers."""
    bins, lines = batch.state[Bins], batch.lines_of(board)
    own = {ref: lines[ref].key for ref in board.put if ref in lines}
    lots = {ref: bins.lot_at(key, board.put[ref].at) for ref, key in own.items()}
    return {"lot": lots, "bin": {ref: str(batch.bin_number[key]) for ref, key in own.items()}}

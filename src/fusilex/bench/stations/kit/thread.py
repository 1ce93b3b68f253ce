"""What Kit knows of each part: the lot that its bin held when it was taken."""

from __future__ import annotations

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board
from fusilex.bench.common.bins import Bins
from fusilex.bench.declared import Thread


def thread(batch: Batch, board: Board) -> Thread:
    """Lots of the parts that are on a board, and its bins' numbers."""
    bins = batch.state[Bins]
    own = {ref: name for ref, name in batch.bins_taken(board).items() if ref in board.put}
    lots = {ref: bins.lot_at(key, board.put[ref].at) for ref, key in own.items()}
    return {"lot": lots, "bin": {ref: str(batch.bin_number.get(key, "")) for ref, key in own.items()}}

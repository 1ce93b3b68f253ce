"""What Hand knows of each part: who soldered it, and when."""

from __future__ import annotations

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board
from fusilex.bench.declared import Thread


def thread(batch: Batch, board: Board) -> Thread:
    """For the parts that were soldered with the iron."""
    return {"soldered by": {ref: board.put[ref].who or "hand" for ref in board.soldered if ref in board.put}}

"""What Hand knows of each part: with what it was soldered, and by whom."""

from __future__ import annotations

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board
from fusilex.bench.declared import Thread
from fusilex.bench.stations.hand.extra import Extra


def thread(batch: Batch, board: Board) -> Thread:
    """For the parts that were soldered here."""
    baths = batch.state[Extra].baths
    own = {ref: baths.get((board.serial, ref)) for ref in board.soldered}
    return {
        "soldered with": {ref: bath[0] if bath else "iron" for ref, bath in own.items()},
        "soldered by": {ref: board.put[ref].who or "hand" for ref in board.soldered if ref in board.put},
        "bath": {ref: f"{bath[1]['bath_c']:g} °C" for ref, bath in own.items() if bath},
        "dwell": {ref: f"{bath[1]['dwell_s']:g} s" for ref, bath in own.items() if bath},
    }

"""What Place knows of each part: who put it down, when, from which slot, with which nozzle and head."""

from __future__ import annotations

from datetime import datetime

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board
from fusilex.bench.declared import Thread
from fusilex.bench.stations.place.events import HAND
from fusilex.bench.stations.place.hand_events import Hands
from fusilex.bench.stations.place.running.events import RIGHT


def thread(batch: Batch, board: Board) -> Thread:
    """For the parts that are on the board's paste."""
    put = {ref: board.put[ref] for ref in board.placed if ref in board.put}
    return {
        "placed by": {ref: board.placed_how.get(ref, "") for ref in put},
        "feeder": {ref: one.slot for ref, one in put.items()},
        "nozzle": {ref: one.nozzle for ref, one in put.items()},
        "head": {ref: one.head for ref, one in put.items()},
        "placed at": {ref: _hour(one.at) for ref, one in put.items()},
        "person": {ref: one.who for ref, one in put.items()},
    }


def _hour(at: str) -> str:
    """The hour of the day on the wall's clock."""
    return f"{datetime.fromisoformat(at).astimezone():%H} h"


def doubts(batch: Batch, board: Board) -> list[tuple[str, str]]:
    """Marked parts that hands put down, and nobody looked at once more."""
    parts, found = batch.built(board), []
    for step in batch.steps.at_station("Place"):
        seen = batch.state[Hands].marks.get((step.id, board.serial), {})
        for part in (parts[ref] for ref in board.placed if ref in parts):
            by_hand = part.side == step.side and board.placed_how.get(part.ref) == HAND
            if by_hand and part.package.polarised and seen.get(part.ref) != RIGHT:
                found.append((part.ref, "was put down by hand, its mark looked at once"))
    return found

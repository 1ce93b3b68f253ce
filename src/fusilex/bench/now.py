"""The one thing to do."""

from __future__ import annotations

from dataclasses import dataclass

from fusilex.bench.batch import Batch
from fusilex.bench.boards import DONE


@dataclass(frozen=True)
class Now:
    """The one thing to do. `progress` runs from 0 to 1, None where nothing is counted. `caution` texts must be read
    first.
    """

    title: str
    detail: str = ""
    progress: float | None = None
    cautions: tuple[str, ...] = ()


def elsewhere(batch: Batch, station: str) -> Now:
    """Nothing to do at a station with the board in hand: where the work is."""
    here, board = batch.state.at(station), batch.board
    if here:
        where = "finished" if board.station == DONE else f"at {board.station}"
        return Now(f"Take board {here[0].serial}", f"Board {board.serial} is {where}. Press N for the next one here.")
    waiting = [(s, len(batch.state.at(s))) for s in batch.names if batch.state.at(s)]
    if not waiting:
        return Now("The batch is done", "Every board is released or set aside.")
    name, count = waiting[0]
    boards = f"{count} board{'s' if count > 1 else ''}"
    return Now(f"Nothing at {station}", f"{boards} at {name}: press {batch.key(name)}.")

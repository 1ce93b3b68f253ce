"""What Print knows of each part: the print its paste came with, from which jar, how long since a wipe."""

from __future__ import annotations

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board
from fusilex.bench.declared import Thread
from fusilex.bench.stations.print.events import Printing
from fusilex.bench.stations.print.foil_events import Run


def thread(batch: Batch, board: Board) -> Thread:
    """By side, for the parts on its paste."""
    since = batch.state[Printing].since_wipe
    made = {p.ref: batch.print_of(board, p.side) for p in batch.built(board).values() if not p.through_hole}
    found = {ref: one for ref, one in made.items() if one is not None}
    return {
        "print": {ref: str(one.number) for ref, one in found.items()},
        "prints since wipe": {ref: str(since[one.number]) for ref, one in found.items() if one.number in since},
        "jar": {ref: one.jar for ref, one in found.items()},
        "foil": {ref: f"{one.foil_mm:g} mm" for ref, one in found.items()},
    }


def doubts(batch: Batch, board: Board) -> list[tuple[str, str]]:
    """Parts at which a deposit was marked, and the print kept."""
    marks = batch.state[Run].marks
    own = [marks.get((step.id, board.panel), ()) for step in batch.steps.at_station("Print")]
    return [(mark.ref, f"had its paste {mark.word}") for some in own for serial, mark in some if serial == board.serial]

"""What to do now at Hand, and its cautions."""

from __future__ import annotations

from fusilex.bench.batch import Batch
from fusilex.bench.now import Now, elsewhere
from fusilex.bench.stations.hand.extra import tasks_left
from fusilex.bench.stations.hand.soldering import seconds_for
from fusilex.core.quantities import MM, write
from fusilex.core.soldering.handwork import soldering

CAUTIONS = {
    "Hand": (
        "The iron burns; fumes need extraction; wear eye protection when trimming leads.",
        "Leaded wire: wash your hands before you eat.",
    ),
}


def now(batch: Batch) -> Now:
    """The next part to solder."""
    board = batch.board
    if board.step != batch.step.id:
        return elsewhere(batch)
    part, order = batch.next_part(board, batch.step.id), batch.parts_of(batch.step.id)
    if part is None:
        if left := tasks_left(batch, board, batch.step.id):
            pull = f" It has to hold {left[0].pull_n:g} N: pull, then type what it held." if left[0].pull_n else ""
            return Now(left[0].words[:1].upper() + left[0].words[1:], f"Space when it is done.{pull}", 1.0)
        return Now(f"Nothing to solder on {board.serial}", "Space sends it on.", 1.0)
    side = " on the bottom" if part.side == "bottom" else ""
    number = batch.bin_number[batch.line_of[part.ref].key]
    rest = sum(seconds_for(batch, p) for p in order if p.ref not in board.soldered)
    how = soldering(part).steps[0].text
    high = write(part.package.height, MM, 4)
    return Now(
        f"Solder {part.ref}{side}",
        f"{part.value}, {high} high, bin {number}. {how}. {max(1, round(rest / 60))} min to go.",
        sum(p.ref in board.soldered for p in order) / len(order),
    )

"""What to do now at Hand, and its cautions."""

from __future__ import annotations

from fusilex.bench.batch import Batch
from fusilex.bench.now import Now, elsewhere

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
        return Now(f"Nothing to solder on {board.serial}", "Space sends it on.", 1.0)
    side = " on the bottom" if part.side == "bottom" else ""
    through = "Tack one pin, check it sits flat, then the rest."
    how = through if part.through_hole else "Tin one pad, slide the part in, solder the other."
    number = batch.bin_number[batch.line_of[part.ref].key]
    return Now(
        f"Solder {part.ref}{side}",
        f"{part.value}, {part.package.height:g} mm high, bin {number}. {how}",
        sum(p.ref in board.soldered for p in order) / len(order),
    )

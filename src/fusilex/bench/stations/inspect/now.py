"""What to do now at Inspect."""

from __future__ import annotations

from fusilex.bench.batch import Batch
from fusilex.bench.common.doubtful import left_in_doubt
from fusilex.bench.common.faults import to_repair
from fusilex.bench.now import Now, elsewhere


def now(batch: Batch) -> Now:
    """Look over the board; after a repair, at what was repaired first."""
    board = batch.board
    if board.step != batch.step.id:
        return elsewhere(batch)
    faults = to_repair(batch, board)
    if faults:
        return Now(
            f"{len(faults)} fault{'s' if len(faults) > 1 else ''} on {board.serial}",
            "Mark what else you see. Space sends the board to Rework.",
        )
    if repaired := [f for f in board.faults if f.repaired]:
        what = ", ".join(f"{f.ref} ({f.word})" for f in repaired[:3]) + (" …" if len(repaired) > 3 else "")
        return Now(f"Look again at {repaired[0].ref}", f"Repaired on {board.serial}: {what}. Space when all is well.")
    first = ", ".join(dict.fromkeys(ref for ref, _ in left_in_doubt(batch, board)[:3]))
    begin = f"Begin with {first}: their run left them in doubt. " if first else ""
    return Now(
        f"Look over board {board.serial}",
        f"{begin}Arrows walk the parts, a fault's key marks it. Space when all is well.",
    )

"""What to do now at Rework, and its cautions."""

from __future__ import annotations

from fusilex.bench.batch import Batch
from fusilex.bench.common.faults import to_repair
from fusilex.bench.now import Now, elsewhere
from fusilex.core.rework.method import method
from fusilex.core.road.steps import DONE

CAUTIONS = {
    "Rework": ("Hot air and preheater burn; keep flammables away and extract the fumes.",),
}


def now(batch: Batch) -> Now:
    """The next fault to repair, and what is known of mending it."""
    board = batch.board
    if board.step != batch.step.id:
        return elsewhere(batch)
    faults = to_repair(batch, board)
    if not faults and board.sent_back and board.sent_back[-1].start == DONE:
        return Now(
            f"Board {board.serial} came back", f"{board.sent_back[-1].reason}. Space takes it to the eyes first."
        )
    if not faults:
        do = "With your reasons on record. Space sends it back to the eyes."
        return Now(f"Board {board.serial} is accepted as it is", do)
    fault = faults[0]
    part = batch.design.part_by_ref.get(fault.ref)
    hidden = part is not None and part in batch.derived.hidden
    known = method(fault.word, len(part.pads) if part else 0, hidden)
    detail = f"Board {board.serial}, found at {fault.found_at}. {known} Space when fixed, X to scrap the board."
    return Now(f"Repair {fault.ref}: {fault.word}", " ".join(detail.split()))

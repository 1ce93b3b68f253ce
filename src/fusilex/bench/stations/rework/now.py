"""What to do now at Rework, and its cautions."""

from __future__ import annotations

from fusilex.bench.batch import Batch
from fusilex.bench.common.faults import to_repair
from fusilex.bench.now import Now, elsewhere
from fusilex.bench.stations.rework.mending import asks_why, method_of, queue, replaced_from, seconds_of
from fusilex.core.route.steps import DONE

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
    fault = queue(batch, board)[0]
    method, (source, left) = method_of(batch, fault), replaced_from(batch, board, fault)
    told = [f"Board {board.serial}, found at {fault.found_at}"]
    if (tag := board.tests[-1].get("tag") if board.tests else "") and fault.found_at == "Test":
        told.append(f"Its tag: {tag}")
    if method:
        told.append(f"By {method.name}, about {max(1, round((seconds_of(batch, fault) or 0) / 60))} min")
    if source:
        told.append(f"The new one from {source}{'' if left is None else f', {left} left'}")
    if asks_why(fault):
        told.append("First what killed it: measure what drives it")
    return Now(f"Repair {fault.place}: {fault.word}", f"{'. '.join(told)}. Space when fixed, X to scrap the board.")

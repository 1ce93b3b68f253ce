"""What to do now at Place, by hand or by machine, and its cautions."""

from __future__ import annotations

from fusilex.bench.batch import Batch
from fusilex.bench.now import Now, elsewhere
from fusilex.bench.stations.place.events import MACHINE, Placing
from fusilex.bench.stations.place.hand import next_by_hand, turn_of, unseen_marks
from fusilex.bench.stations.place.machine import way_of
from fusilex.bench.stations.place.references import (
    USUAL_POINTS,
    cells_taught,
    fits,
    judge_machine,
    points_to_teach,
    taught,
)
from fusilex.bench.stations.place.running.proving import judge_proof
from fusilex.core.placing.turns import turn_words
from fusilex.core.quantities import write_length

CAUTIONS = {
    "Place": (
        "Keep hands out while a machine homes or runs; know its stop button.",
        "Strap on for static-sensitive parts.",
    ),
}
_MARKS = {"known": " Mind the mark.", "unknown": " Pin 1 is not in the files: go by silk and sheet."}


def now(batch: Batch) -> Now:
    """The next part, or the machine's next step."""
    return _by_machine(batch) if way_of(batch, batch.step) == MACHINE else _by_hand(batch)


def _by_hand(batch: Batch) -> Now:
    board, order = batch.board, batch.parts_of(batch.step.id)
    if board.step != batch.step.id:
        return elsewhere(batch)
    part = next_by_hand(batch, board)
    if part is None:
        marks = len(unseen_marks(batch, board))
        do = f"P goes over {marks} marks once more, then Space sends it on." if marks else "Space sends it on."
        return Now(f"Nothing to place on {board.serial}", do, 1.0)
    line = batch.line_of[part.ref]
    left = batch.left_in_bin(line.key)
    count = "" if left is None else f" {left} left in the bin."
    return Now(
        f"Place {part.ref} from bin {batch.bin_number[line.key]}",
        f"{part.value}, {turn_words(turn_of(part))}.{_MARKS.get(part.polarity, '')}{count}",
        sum(p.ref in board.placed for p in order) / len(order),
    )


def _by_machine(batch: Batch) -> Now:
    panel, step = batch.board.panel, batch.step.id
    if not any(b.step == step for b in batch.state.panel_boards(panel)):
        return elsewhere(batch)
    known = batch.state[Placing].taught.get((panel, step), {})
    wanted, error = points_to_teach(batch, panel)
    least = min((len(taught(batch, panel, cell)[0]) for cell in cells_taught(batch, panel)), default=0)
    open_points = least < USUAL_POINTS and any(c.name not in known for c in wanted)
    if open_points or len(fits(batch, panel)) < len(batch.panel_at(panel, "Place")):
        point = next((c.name for c in wanted if c.name not in known), "U1@1")
        told = f" These leave {write_length(error, 3)} at the worst part." if wanted else ""
        return Now(
            f"Teach {point} on panel {panel}",
            f"Clamp the panel, jog to the point, press T and type what the machine reads; H where it is hidden.{told}",
            sum(c.name in known for c in wanted) / max(1, len(wanted)),
        )
    if stops := batch.not_overruled(judge_machine(batch, panel)):
        return Now(f"Settle the points of panel {panel}", f"{stops[0].headline}. {stops[0].do}", 1.0)
    if stops := batch.not_overruled(judge_proof(batch, panel)):
        return Now(stops[0].headline, f"{stops[0].do} Tab goes to Machine and Proof.", 1.0)
    do = "Tab goes to Machine, which finds a programme and runs it. Space when a machine placed it by itself."
    return Now(f"Run panel {panel}", do, 1.0)

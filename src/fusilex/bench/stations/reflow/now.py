"""What to do now at Reflow, and its cautions."""

from __future__ import annotations

from fusilex.bench.batch import Batch
from fusilex.bench.now import Now, elsewhere
from fusilex.bench.stations.reflow.judging import judge, window_of

CAUTIONS = {
    "Reflow": (
        "An oven used for boards is never used for food again.",
        "Fumes: extraction or outside air. Never leave it running alone.",
        "Board and tray stay hot: handle below 50 °C.",
        "Mains wiring of a modified oven is a qualified person's job.",
    ),
}


def now(batch: Batch) -> Now:
    """Run the oven with the panel, or settle what its run showed."""
    board = batch.board
    if board.station != "Reflow":
        return elsewhere(batch, "Reflow")
    boards = [b for b in batch.state.panel_boards(board.panel) if not b.scrapped]
    waiting = [b for b in boards if b.station == "Reflow"]
    if len(waiting) < len(boards):
        behind = next(b for b in boards if b.station != "Reflow")
        return Now(
            f"Finish panel {board.panel} first",
            f"{len(waiting)} of {len(boards)} boards are placed; a load takes whole panels. {behind.serial} is at"
            f" {behind.station}.",
            len(waiting) / len(boards),
        )
    stops = batch.not_overruled(judge(batch))
    if board.load is not None and stops:
        do = f"{stops[0].headline}. Run it again if it can take it, or overrule with F2 and a reason."
        return Now(f"Load {board.load.number} is stopped", do)
    if board.load is not None:
        return Now(
            f"Send panel {board.panel} on", "Its stops are overruled, with your reasons on record. Space sends it on."
        )
    if stops:
        return Now(f"Settle {stops[0].subject}", f"{stops[0].headline}. {stops[0].do}")
    window = window_of(batch, board).capitalize()
    return Now(
        f"Run the oven with panel {board.panel}", f"{window} window. Then open the run's log with L; V without one."
    )

"""What to do now at Reflow, and its cautions."""

from __future__ import annotations

from fusilex.bench.batch import Batch
from fusilex.bench.boards import panels_of, panels_words
from fusilex.bench.now import Now, elsewhere
from fusilex.bench.stations.reflow.judging import judge
from fusilex.bench.stations.reflow.loading import loaded_with, window_of

CAUTIONS = {
    "Reflow": (
        "An oven used for boards is never used for food again.",
        "Fumes: extraction or outside air. Never leave it running alone.",
        "Board and tray stay hot: handle below 50 °C (122 °F).",
        "Mains wiring of a modified oven is a qualified person's job.",
    ),
}

HOW = {
    "controlled oven": "its curve. Then open the run's log with L; V without one.",
    "dial oven": "by dial and eye. Then open the run's log with L; V says what you saw.",
    "plate": "heat from below. V says what you saw; L opens a log.",
    "hot air": "part by part, the largest last. V says what you saw; L opens a log.",
}
"""By method, how the heat comes and what is recorded."""


def now(batch: Batch) -> Now:
    """Run the oven with the panel, or settle what its run showed."""
    board, step = batch.board, batch.step.id
    if board.step != step:
        return elsewhere(batch)
    waiting = [b for b in batch.state.panel_boards(board.panel) if b.step == step and not b.scrapped]
    if behind := batch.behind(board.panel, step):
        count = len(waiting) + len(behind)
        return Now(
            f"Finish panel {board.panel} first",
            f"{len(waiting)} of {count} boards are placed; a load takes whole panels. {behind[0].serial} is at"
            f" {batch.where(behind[0])}.",
            len(waiting) / count,
        )
    load, load_words = board.loads.get(step), panels_words(panels_of(loaded_with(batch, board)))
    stops = batch.not_overruled(judge(batch))
    if load is not None and stops:
        do = f"{stops[0].headline}. Run it again if it can take it, or overrule with F2 and a reason."
        return Now(f"Load {load.number} is stopped", do)
    if load is not None:
        return Now(
            f"Send {load_words} on",
            "Its stops are overruled, with your reasons on record. Space sends it on.",
        )
    if stops:
        return Now(f"Settle {stops[0].subject}", f"{stops[0].headline}. {stops[0].do}")
    window = window_of(batch, board).capitalize()
    return Now(
        f"Run the oven with {load_words}" + (", bottom up" if batch.step.side == "bottom" else ""),
        f"{window} window, {HOW[batch.step.method]}",
    )

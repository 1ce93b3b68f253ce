"""What to do now at Release, and its cautions."""

from __future__ import annotations

from fusilex.bench.batch import Batch
from fusilex.bench.now import Now, elsewhere
from fusilex.bench.stations.release.events import LOOK, SEPARATE
from fusilex.bench.stations.release.getting_ready import WORDS, cuts_of, next_cut, next_step
from fusilex.bench.stations.release.judging import judge
from fusilex.core.panel.separating import HAND
from fusilex.core.quantities import write_length, write_point

CAUTIONS = {
    "Release": (
        "Board dust: cut with extraction and a mask. Edges of snapped boards are sharp.",
        "Solvents and coatings: gloves, extraction, no flame; by their sheets.",
    ),
}


def now(batch: Batch) -> Now:
    """The next cut, the next step of getting the board ready, or what stands against its release."""
    board, boards = batch.board, batch.state.boards.values()
    if board.step != batch.step.id:
        return elsewhere(batch)
    cut = next_cut(batch, board.panel)
    if cut is not None:
        return _cut(batch, board.panel, cut)
    if batch.step.method == SEPARATE:
        return Now(f"Take board {board.serial} out of its panel", "By hand where parts overhang. Space.")
    done = sum(b.released_at is not None for b in boards) / len(batch.state.boards)
    step = next_step(batch, board)
    stops = batch.not_overruled(judge(batch))
    waiting = [j for j in stops if j.rule != "release.cut" or step is None]
    if waiting:
        return Now(f"Hold board {board.serial}", f"{waiting[0].headline}. {waiting[0].do}", done)
    if step is not None:
        title, detail = WORDS[step]
        near = [s.ref for s in cuts_of(batch).care if s.cell == board.cell] if step == LOOK else []
        first = f" {', '.join(dict.fromkeys(near))} first." if near else ""
        return Now(f"{title}: {board.serial}", f"{detail}{first} Space when done.", done)
    return Now(f"Release board {board.serial}", "Space releases it; P writes its papers.", done)


def _cut(batch: Batch, panel: int, cut: int) -> Now:
    stroke, many = cuts_of(batch).strokes[cut - 1], len(cuts_of(batch).strokes)
    x1, y1, x2, y2 = stroke.ends
    where = (
        f"x {write_length(x1, 1)}" if x1 == x2 else f"y {write_length(y1, 1)}" if y1 == y2 else write_point(x1, y1, 1)
    )
    tool = "By hand" if stroke.tool == HAND else "By the " + stroke.tool
    return Now(f"Cut {cut} of {many}, panel {panel}", f"{tool} at {where}: {stroke.why}. Space.", (cut - 1) / many)

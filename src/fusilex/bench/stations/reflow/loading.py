"""What goes into the oven together: a run over several panels is one load, with one log."""

from __future__ import annotations

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board
from fusilex.bench.stations.reflow.events import Reflowing


def window_of(batch: Batch, board: Board) -> str:
    """Name of the window a board's paste wants: of its load, else its print, else what the batch is printed with."""
    if load := board.loads.get(batch.step.id):
        return load.window
    made = batch.print_of(board, batch.step.side)
    return made.paste if made else batch.state.paste


def together_of(batch: Batch) -> int:
    """How many panels go in at once."""
    return batch.state[Reflowing].together.get(batch.step.id, 1)


def loaded_with(batch: Batch, board: Board) -> list[Board]:
    """The boards that go into the oven with one, or went: its panel, and as many of those waiting behind it as go in
    at once, whole ones that want the same window. It alone where it is at another step.
    """
    step = batch.step.id
    if board.step != step:
        return [board]
    if load := board.loads.get(step):
        return [b for s in load.boards if not (b := batch.state.boards[s]).scrapped and b.loads.get(step) is load]
    waiting: dict[int, list[Board]] = {}
    for other in batch.state.at(step):
        if step not in other.loads and window_of(batch, other) == window_of(batch, board):
            waiting.setdefault(other.panel, []).append(other)
    whole = [p for p in waiting if p == board.panel or not batch.behind(p, step)]
    last = max(batch.state.panels, default=1)
    chosen = sorted(whole, key=lambda p: (p - board.panel) % last)[: together_of(batch)]
    return [b for p in chosen for b in waiting[p]]

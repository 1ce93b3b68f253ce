"""Where the eyes are: each window has its own, and none is in the record."""

from __future__ import annotations

from msgspec import Struct

from fusilex.bench.state import BatchState


class View(Struct):
    """The step and the board in view."""

    step: str = "Ready"
    board: str = ""


def last_place(state: BatchState) -> View:
    """Where something was done last, or in older journals somebody looked after that."""
    step, board, since = state.eyes
    if state.deeds and state.deeds[-1].last > since:
        step = state.deeds[-1].station
        board = min(state.deeds[-1].boards, default=board)
    return View(step, board if board in state.boards else next(iter(state.boards), ""))

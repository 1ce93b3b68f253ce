"""The one thing to do."""

from __future__ import annotations

from msgspec import Struct

from fusilex.bench.batch import Batch
from fusilex.core.route.steps import DONE


class Now(Struct, frozen=True):
    """The one thing to do. `progress` runs from 0 to 1, None where nothing is counted. `caution` texts must be read
    first.
    """

    title: str
    detail: str = ""
    progress: float | None = None
    cautions: tuple[str, ...] = ()


def elsewhere(batch: Batch) -> Now:
    """Nothing to do at the step in view with the board in hand: where the work is."""
    here, board = batch.state.at(batch.step.id), batch.board
    if here:
        where = "finished" if board.step == DONE else f"at {batch.where(board)}"
        return Now(f"Take board {here[0].serial}", f"Board {board.serial} is {where}. Press N for the next one here.")
    waiting = [(step, len(batch.state.at(step.id))) for step in batch.steps if batch.state.at(step.id)]
    if not waiting:
        return Now("The batch is done", "Every board is released or set aside.")
    step, count = waiting[0]
    boards = f"{count} board{'s' if count > 1 else ''}"
    key = batch.key(step.id)
    return Now(
        f"Nothing at {batch.steps.label(batch.step.id)}", f"{boards} at {batch.steps.label(step.id)}: press {key}."
    )

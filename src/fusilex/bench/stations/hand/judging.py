"""The judgements of Hand."""

from __future__ import annotations

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board
from fusilex.bench.common.short_bins import judge_bins
from fusilex.core.judgement import Because, Judgement, Level


def judge(batch: Batch) -> list[Judgement]:
    """How far the board is, its next bin, and whether the heights are known."""
    order, board = batch.parts_of(batch.step.id), batch.board
    done = sum(p.ref in board.soldered for p in order)
    tall = tuple(Because(p.ref, p.package.height, "mm high") for p in order[-2:])
    text = f"{done} of {len(order)} parts soldered by hand on {board.serial}"
    found = [Judgement("hand.order", Level.GO, board.serial, text, tall)]
    if board.step == batch.step.id and (part := batch.next_part(board, batch.step.id)):
        found += judge_bins(batch, {batch.line_of[part.ref].key: 1})
    guessed = tuple(p.ref for p in order if not p.package.known)
    if guessed:
        shown = ", ".join(guessed[:3]) + (f" and {len(guessed) - 3} more" if len(guessed) > 3 else "")
        text, do = f"Heights of {shown} are guessed", "Check the order by eye."
        found.append(Judgement("ready.package", Level.CARE, "heights", text, (), do, guessed))
    return found


def work(batch: Batch, board: Board) -> bool:
    """True where parts of this step are not on the board yet."""
    return batch.next_part(board, batch.step.id) is not None

"""The judgements of Place: what is on the board, what is left in the bin, moisture clocks, and the machine's
references.
"""

from __future__ import annotations

from collections.abc import Mapping

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board
from fusilex.bench.common.bins import Bins
from fusilex.bench.common.moisture import judge_board_clocks
from fusilex.bench.common.short_bins import judge_bins
from fusilex.bench.common.wet_paste import judge_wet_paste
from fusilex.bench.stations.place.events import MACHINE, Placing
from fusilex.bench.stations.place.hand import judge_marks, next_by_hand
from fusilex.bench.stations.place.machine import way_of
from fusilex.bench.stations.place.placements import pieces_for
from fusilex.bench.stations.place.references import judge_machine
from fusilex.bench.stations.place.running.proving import judge_proof, judge_runs
from fusilex.core.checks.polarity import judge_polarity
from fusilex.core.evidence import Coverage, seen
from fusilex.core.judgement import Judgement
from fusilex.core.quantities import Quantity
from fusilex.core.wording import say


def judge(batch: Batch) -> list[Judgement]:
    """The board in hand, its next bin, clocks, and the taught points where a machine places it."""
    board, order = batch.board, batch.parts_of(batch.step.id)
    placed = sum(p.ref in board.placed for p in order)
    lost = sum(batch.state[Bins].dropped.values())
    numbers = (Quantity("left", len(order) - placed), Quantity("dropped in this batch", lost))
    text = say("so far", placed=placed, parts=len(order), serial=board.serial)
    parts = (Coverage("parts", placed, len(order)),)
    missing = () if placed == len(order) else ("the parts that are left",)
    found = [Judgement("place.open", seen(*parts), board.serial, text, numbers, missing=missing, coverage=parts)]
    found += judge_bins(batch, next_pieces(batch, board)) + judge_wet_paste(batch, board)
    found += judge_board_clocks(batch, board)
    found += judge_marks(batch, board) + judge_polarity(order, f"polarity on {board.serial}")
    if by_machine(batch, board):
        found += judge_machine(batch, board.panel) + judge_runs(batch)
    if way_of(batch, batch.step) == MACHINE:  # hands need no programme to be proven
        found += judge_proof(batch, board.panel)
    return found


def by_machine(batch: Batch, board: Board) -> bool:
    """True for a board the machine placed, or is to place what is left on."""
    step = batch.step
    meant = way_of(batch, step) == MACHINE or bool(batch.state[Placing].taught.get((board.panel, step.id)))
    left = batch.next_part(board, step.id) is not None and board.step == step.id
    there = any(board.placed_how.get(p.ref) == MACHINE for p in batch.parts_of(step.id))
    return there or (left and meant)


def next_pieces(batch: Batch, board: Board) -> Mapping[str, int]:
    """What the next step takes out of the bins: a piece for the hand, those of the whole panel for the machine."""
    part = next_by_hand(batch, board) if board.step == batch.step.id else None
    if part is None:
        return {}
    if way_of(batch, batch.step) == MACHINE:
        return pieces_for(batch, batch.panel_at(board.panel, "Place"))
    return {batch.lines_of(board)[part.ref].key: 1}


def work(batch: Batch, board: Board) -> bool:
    """True where parts of this step are not on the board yet."""
    return batch.next_part(board, batch.step.id) is not None

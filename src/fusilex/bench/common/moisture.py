"""Moisture clocks: judged wherever sensitive parts lie open, from Kit to the oven."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import datetime

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board
from fusilex.bench.common.bins import Bins
from fusilex.bench.workshop.paste_care import PasteCare
from fusilex.bench.workshop.stock import Lot, Lots
from fusilex.core.judgement import Judgement
from fusilex.core.kit.moisture import BY_LABEL, judge_moisture
from fusilex.core.kit.quantities import PullLine


def judge_clocks(batch: Batch, at: datetime, lots: Iterable[tuple[Lot, PullLine]]) -> list[Judgement]:
    """Clocks of sensitive lots that were opened or are to be baked before use, as they stand at a time in this room;
    each lot once.
    """
    found: dict[str, Judgement] = {}
    for lot, line in lots:
        if (lot.moisture or lot.level == BY_LABEL) and lot.level != "1" and lot.id not in found:
            found[lot.id] = judge_lot(batch, lot, at, line.refs, line.name)
    return list(found.values())


def judge_lot(batch: Batch, lot: Lot, at: datetime, refs: tuple[str, ...] = (), holds: str = "") -> Judgement:
    """A lot's clock at a time, in the room as it was while it lay open."""
    room = batch.workshop[PasteCare].room_over(lot.open_from(at), at.isoformat())
    return judge_moisture(lot.id, lot.level, lot.exposure(at), refs, holds, room)


def judge_board_clocks(batch: Batch, board: Board) -> list[Judgement]:
    """Clocks of the lots whose pieces go onto a board at this side's paste, up to its oven load: what was open too long
    does not go in.
    """
    side = batch.step.side
    load = batch.load_of(board, side)
    at = datetime.fromisoformat(load.at) if load else batch.at
    bins, lots = batch.state[Bins], batch.workshop[Lots].lots
    lines, taken = batch.lines_of(board), batch.bins_taken(board)
    held: list[tuple[Lot, PullLine]] = []
    for part in batch.parts_on_paste(side, board):
        key, put = taken.get(part.ref, lines[part.ref].key), board.put.get(part.ref)
        there = bins.filled.get(key)
        lot = bins.lot_at(key, put.at) if put else ""  # the bin may hold another one since
        lot = lot or (there.lot if there else "")  # nobody said then: what was said later counts
        if lot in lots:
            held.append((lots[lot], lines[part.ref]))
    return judge_clocks(batch, at, held)

"""Stock as one batch sees it: which lots fit a line, and what is free for it."""

from __future__ import annotations

from fusilex.bench.batch import Batch
from fusilex.bench.common.bins import Bins
from fusilex.bench.common.moisture import judge_clocks
from fusilex.bench.refusal import Refused
from fusilex.bench.stations.kit.events import Kitted
from fusilex.bench.workshop.stock import Lot, Lots
from fusilex.core.judgement import Judgement
from fusilex.core.kit.quantities import PullLine
from fusilex.core.kit.stock import fits


def lot_of(batch: Batch, name: str) -> Lot:
    """A lot by its id. Raises `Refused` when there is none."""
    lot = batch.workshop[Lots].lots.get(name.strip())
    if lot is None:
        raise Refused(f"There is no lot {name.strip() or 'without a name'} in stock.")
    return lot


def line_of_bin(batch: Batch, key: str) -> PullLine:
    """A bin's line by its key. Raises `Refused` when there is none."""
    line = next((x for x in batch.lines if x.key == key), None)
    if line is None:
        raise Refused(f"There is no bin for {key}.")
    return line


def lines_to_pull(batch: Batch) -> list[PullLine]:
    """Bins that some board needs, without those of the side that is left for later."""
    return [line for line in batch.lines if line.need and line.side != batch.state[Bins].skipped_side]


def lots_for(batch: Batch, line: PullLine) -> list[Lot]:
    """Lots that fit a line or a substitute approved for it, oldest first."""
    others = batch.state[Kitted].substitutes.get(line.key, ())
    return [
        lot
        for lot in batch.workshop[Lots].lots.values()
        if fits(line, lot.part_number, lot.value, lot.package) or any(t in (lot.part_number, lot.value) for t in others)
    ]


def clocks(batch: Batch) -> list[Judgement]:
    """Moisture clocks of the lots that fit this batch."""
    return judge_clocks(batch, batch.at, [(lot, line) for line in batch.lines for lot in lots_for(batch, line)])


def have(batch: Batch, line: PullLine) -> int:
    """Pieces free for a line in this batch, those in its bin and on its boards among them."""
    there = sum(max(0, lot.free_for(batch.name, line.key)) for lot in lots_for(batch, line))
    return there + batch.serve(line.key)

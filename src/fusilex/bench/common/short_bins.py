"""Bins against what the next step takes out of them: judged wherever pieces go onto boards."""

from __future__ import annotations

from collections.abc import Mapping

from fusilex.bench.batch import Batch
from fusilex.bench.common.bins import Bins
from fusilex.core.evidence import Level
from fusilex.core.judgement import Judgement
from fusilex.core.quantities import Quantity
from fusilex.core.wording import say


def judge_bins(batch: Batch, taken: Mapping[str, int]) -> list[Judgement]:
    """A stop for each bin that holds less than is `taken` (pieces by the bin's key), a care for less than the batch
    still wants. Bins that were never counted say nothing.
    """
    found = []
    for line in (x for x in batch.lines if x.key in taken):
        left = batch.left_in_bin(line.key)
        if left is None and batch.state[Bins].filled and taken[line.key]:
            number = batch.bin_number[line.key]
            text, do = say("not filled", number=number, name=line.name), say("fill it")
            found.append(Judgement("kit.unfilled", Level.CARE, line.key, text, (), do, line.refs))
        wanted = sum(
            batch.lines_of(b).get(ref) is line and ref not in b.placed and ref not in b.soldered
            for b in batch.state.boards.values()
            for ref in line.refs
            if not b.scrapped
        )
        if left is None or left >= wanted:
            continue
        level = Level.STOP if left < taken[line.key] else Level.CARE
        text = say("left", left=max(left, 0), name=line.name)
        do = say("count again") if level is Level.STOP else say("find in time")
        numbers = (Quantity("taken next", taken[line.key]), Quantity("still wanted", wanted))
        found.append(Judgement("kit.short", level, line.key, text, numbers, do, line.refs))
    return found

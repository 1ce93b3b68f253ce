"""Yield of the batch: boards that passed at their first look, faults per million opportunities, rolled yield."""

from __future__ import annotations

from collections import Counter

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board
from fusilex.bench.workshop.record_kinds import Limits
from fusilex.bench.workshop.records import Records
from fusilex.core.inspection.yields import SMALL, exact, per_million, rolled, wilson
from fusilex.core.judgement import Because, Judgement, Level


def judge_yield(batch: Batch) -> list[Judgement]:
    """How good the batch is so far, and how sure that is."""
    seen = [b for b in batch.state.boards.values() if b.first_pass is not None]
    if not seen:
        return [Judgement("inspect.yield", Level.UNKNOWN, "batch", "No board inspected yet")]
    share = wilson(sum(bool(b.first_pass) for b in seen), len(seen))
    good = batch.workshop[Records].first(Limits).good_yield
    level = Level.CARE if share.value < good else Level.GO if share.low >= good else Level.UNKNOWN
    small = "a small batch: the interval is what counts" if len(seen) < SMALL else ""
    found = faults(seen)
    many = per_million(sum(found.values()), opportunities(batch, seen))
    numbers = (
        Because("yield", f"{100 * share.value:.0f} %, likely {100 * share.low:.0f} to {100 * share.high:.0f} %"),
        Because("faults per million", f"{many.value:,.0f}, likely {many.low:,.0f} to {many.high:,.0f}"),
        *rolled_over(batch, seen),
        *((Because("but", small),) if small else ()),
    )
    do = "Tab shows what faults have in common." if level is Level.CARE else ""
    if level is Level.UNKNOWN:
        more = next((k for k in range(1, 1000) if wilson(share.good + k, share.n + k).low >= good), 1000)
        do = f"{more} more boards without a fault would tell that it is {100 * good:.0f} % or better."
    return [Judgement("inspect.yield", level, "batch", f"First-pass yield {share.good} of {share.n}", numbers, do)]


def faults(boards: list[Board]) -> Counter[str]:
    """Faults that count, by their word."""
    return Counter(f.word for b in boards for f in b.faults if not f.accepted)


def opportunities(batch: Batch, boards: list[Board]) -> int:
    """Parts and joints that were looked at."""
    of: dict[object, int] = {}
    for board in boards:
        if board.variant not in of:
            of[board.variant] = sum(1 + len(p.pads) for p in batch.built(board).values() if p.populated)
    return sum(of[board.variant] for board in boards)


def rolled_over(batch: Batch, seen: list[Board]) -> tuple[Because, ...]:
    """Yield over the stations that found faults, multiplied: eyes and meter."""
    tested = [b for b in seen if b.tests]
    if not tested:
        return ()
    eyes = exact(sum(bool(b.first_pass) for b in seen), len(seen))
    meter = exact(sum(bool(b.tests[0].get("passed")) for b in tested), len(tested))
    both = rolled([eyes, meter])
    return (Because("rolled", f"{100 * both.value:.0f} %, likely {100 * both.low:.0f} to {100 * both.high:.0f} %"),)

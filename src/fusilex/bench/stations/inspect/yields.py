"""Yield of the batch: boards that passed at their first look, faults per million opportunities, rolled yield."""

from __future__ import annotations

from collections import Counter

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board
from fusilex.bench.workshop.record_kinds import Limits
from fusilex.bench.workshop.records import Records
from fusilex.core.evidence import Level, every, weigh
from fusilex.core.inspection.yields import SMALL, Rate, Share, exact, per_million, rolled, wilson
from fusilex.core.judgement import Judgement
from fusilex.core.quantities import Quantity, amount
from fusilex.core.wording import say


def judge_yield(batch: Batch) -> list[Judgement]:
    """How good the batch is so far, and how sure that is."""
    seen = [b for b in batch.state.boards.values() if b.first_pass is not None]
    if not seen:
        missing = ("an inspected board",)
        return [Judgement("inspect.yield", Level.UNKNOWN, "batch", say("none inspected"), missing=missing)]
    share = wilson(sum(bool(b.first_pass) for b in seen), len(seen))
    good = batch.workshop[Records].first(Limits).good_yield
    boards = (every("boards inspected", len(seen)),)
    level = Level.CARE if share.value < good else weigh((share.low, 1.0), (good, 1.0), boards)
    found = faults(seen)
    many = per_million(sum(found.values()), opportunities(batch, seen))
    numbers = (
        _share("yield", share, (100 * good, 100.0)),
        Quantity("faults per million", f"{many.value:,.0f}, likely {many.low:,.0f} to {many.high:,.0f}"),
        *rolled_over(batch, seen),
    )
    text = say("small batch" if len(seen) < SMALL else "yield", good=share.good, boards=share.n)
    if level is Level.UNKNOWN:
        more = next((k for k in range(1, 1000) if wilson(share.good + k, share.n + k).low >= good), 1000)
        do, missing = say("more good boards", more=more, good=amount(100 * good, "%")), ("more inspected boards",)
        return [Judgement("inspect.yield", level, "batch", text, numbers, do, (), missing)]
    see = say("see the defects") if level is Level.CARE else None
    return [Judgement("inspect.yield", level, "batch", text, numbers, see, coverage=boards)]


def faults(boards: list[Board]) -> Counter[str]:
    """Faults that count, by their word."""
    return Counter(f.word for b in boards for f in b.faults if not f.accepted)


def opportunities(batch: Batch, boards: list[Board]) -> int:
    """Parts and joints that were looked at."""
    of: dict[object, int] = {}
    for board in boards:
        if board.variant not in of:
            of[board.variant] = sum(1 + len(p.joints) for p in batch.built(board).values() if p.populated)
    return sum(of[board.variant] for board in boards)


def rolled_over(batch: Batch, seen: list[Board]) -> tuple[Quantity, ...]:
    """Yield over the stations that found faults, multiplied: eyes and meter."""
    tested = [b for b in seen if b.tests]
    if not tested:
        return ()
    eyes = exact(sum(bool(b.first_pass) for b in seen), len(seen))
    meter = exact(sum(bool(b.tests[0].get("passed")) for b in tested), len(tested))
    both = rolled([eyes, meter])
    return (_share("rolled", both),)


def _share(what: str, found: Share | Rate, limit: tuple[float, float] | None = None) -> Quantity:
    return Quantity(what, 100 * found.value, "%", (100 * found.low, 100 * found.high), limit)

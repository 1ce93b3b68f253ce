"""The judgements of Inspect: yield, open faults, joints nobody can see."""

from __future__ import annotations

from typing import Any

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board
from fusilex.bench.common.doubtful import left_in_doubt
from fusilex.bench.common.faults import judge_faults
from fusilex.bench.workshop.record_kinds import Limits
from fusilex.bench.workshop.records import Records
from fusilex.core.inspection.yields import wilson
from fusilex.core.judgement import Because, Judgement, Level


def judge(batch: Batch) -> list[Judgement]:
    """The batch's first-pass yield, the board's open faults, hidden joints."""
    return [_first_pass(batch), *judge_faults(batch, batch.board), *_heat(batch), *_hidden(batch)]


def _first_pass(batch: Batch) -> Judgement:
    seen = [b for b in batch.state.boards.values() if b.first_pass is not None]
    if not seen:
        return Judgement("inspect.yield", Level.UNKNOWN, "batch", "No board inspected yet")
    share = wilson(sum(bool(b.first_pass) for b in seen), len(seen))
    level = Level.GO if share.value >= batch.workshop[Records].first(Limits).good_yield else Level.CARE
    shown = f"{100 * share.value:.0f} %, likely {100 * share.low:.0f} to {100 * share.high:.0f} %"
    text = f"First-pass yield {share.good} of {share.n}"
    return Judgement("inspect.yield", level, "batch", text, (Because("yield", shown),))


def _heat(batch: Batch) -> list[Judgement]:
    """Joints of this board that its oven run left in doubt."""
    found = left_in_doubt(batch, batch.board)
    if not found:
        return []
    named = [ref for ref, _ in found]
    shown = ", ".join(named[:4]) + (f" and {len(named) - 4} more" if len(named) > 4 else "")
    numbers = tuple(Because(ref, why) for ref, why in found[:6])
    do = "Their fillets first: wetted up the lead, shiny or as the alloy dries, none grainy."
    subject = f"heat of {batch.board.serial}"
    return [Judgement("inspect.heat", Level.UNKNOWN, subject, f"Look first at {shown}", numbers, do, tuple(named))]


def _hidden(batch: Batch) -> list[Judgement]:
    hidden = [p.ref for p in batch.derived.hidden if batch.step.side in ("both", p.side)]
    if not hidden:
        return []
    shown = ", ".join(hidden[:4]) + (" …" if len(hidden) > 4 else "")
    verb = "hides its" if len(hidden) == 1 else "hide their"
    do = "Decide by the readings and the functions at Test."
    return [Judgement("inspect.hidden", Level.UNKNOWN, shown, f"{shown} {verb} joints", (), do, tuple(hidden))]


def lacks(batch: Batch, board: Board) -> list[str]:
    return [] if batch.step.id in board.inspected else [batch.named("inspection")]


def remarks(batch: Batch, board: Board) -> list[Judgement]:
    """A board that went by without a look goes out with that on record."""
    if not board.unseen:
        return []
    text, do = f"Nobody looked at board {board.serial}", "Look now, or say so on the label."
    return [Judgement("inspect.unseen", Level.CARE, board.serial, text, (), do)]


def papers(batch: Batch, board: Board) -> dict[str, Any]:
    """First pass, looks, faults and what became of them."""
    return {
        "first_pass": board.first_pass,
        "inspections": board.inspections,
        "passed_unseen": board.unseen,
        "faults": [
            {
                "ref": f.ref,
                "word": f.word,
                "found_at": f.found_at,
                "when": f.when,
                "repaired_at": f.repaired,
                "result": f.result or None,
            }
            for f in board.faults
        ],
    }

"""The judgements of Inspect: yield, open faults, joints nobody can see."""

from __future__ import annotations

from typing import Any

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board
from fusilex.bench.common.doubtful import left_in_doubt
from fusilex.bench.common.faults import judge_faults
from fusilex.bench.stations.inspect.events import Looks
from fusilex.bench.stations.inspect.pictures import papers as pictures
from fusilex.bench.stations.inspect.touring import BEFORE
from fusilex.bench.stations.inspect.yields import judge_yield
from fusilex.core.checks.polarity import judge_polarity
from fusilex.core.evidence import Level, every, seen
from fusilex.core.judgement import Judgement
from fusilex.core.quantities import Quantity
from fusilex.core.wording import say


def judge(batch: Batch) -> list[Judgement]:
    """The batch's yield, the board's open faults, what is in doubt, the first article, hidden joints."""
    board = batch.board
    own = [*judge_faults(batch, board), *_doubt(batch), *_first(batch), *_hidden(batch), *_polarity(batch, board)]
    return [*judge_yield(batch), *own]


def _first(batch: Batch) -> list[Judgement]:
    """The first article of the step in view: signed, or not yet."""
    if batch.step.method == BEFORE:
        return []
    signed = batch.state[Looks].first.get(batch.step.id)
    if signed:
        board, who, at = signed
        numbers = (Quantity("signed by", who or "no name"), Quantity("on", at[:10]))
        signs, text = (every("signatures", 1),), say("signed", board=board)
        return [Judgement("inspect.first", seen(*signs), batch.step.id, text, numbers, coverage=signs)]
    return [Judgement("inspect.first", Level.CARE, batch.step.id, say("not signed"), (), say("see all fields"))]


def _doubt(batch: Batch) -> list[Judgement]:
    """Parts of this board that earlier steps left in doubt."""
    found = left_in_doubt(batch, batch.board)
    if not found:
        return []
    numbers = tuple(Quantity(ref, why) for ref, why in found[:6])
    subject, refs = f"doubt of {batch.board.serial}", tuple(ref for ref, _ in found)
    text, do, missing = say("inspect first"), say("fillets first"), ("an inspection of these parts",)
    return [Judgement("inspect.doubt", Level.UNKNOWN, subject, text, numbers, do, refs, missing)]


def _hidden(batch: Batch) -> list[Judgement]:
    hidden = [p.ref for p in batch.own.hidden if batch.step.side in ("both", p.side)]
    if not hidden:
        return []
    shown = ", ".join(hidden[:4]) + (" …" if len(hidden) > 4 else "")
    text, do, missing = say("hidden"), say("read or test"), ("readings or functions of these parts",)
    return [Judgement("inspect.hidden", Level.UNKNOWN, shown, text, (), do, tuple(hidden), missing)]


def _polarity(batch: Batch, board: Board) -> list[Judgement]:
    """Parts on a board of which nobody knows whether they lie the right way round."""
    there = {*board.placed, *board.soldered}
    return judge_polarity([p for p in batch.all_parts if p.ref in there], f"polarity on {board.serial}")


def lacks(batch: Batch, board: Board) -> list[str]:
    return [] if batch.step.id in board.inspected else [batch.named("inspection")]


def remarks(batch: Batch, board: Board) -> list[Judgement]:
    """A board that went by without a look, or with parts of unknown polarity, goes out with that on record."""
    return [*_unseen(board), *_polarity(batch, board)]


def _unseen(board: Board) -> list[Judgement]:
    part_seen = [counts for counts in board.fields.values() if 0 < counts[0] < counts[1]]
    if not board.unseen and part_seen:
        text = say("some fields", seen=part_seen[0][0], fields=part_seen[0][1], serial=board.serial)
        return [Judgement("inspect.unseen", Level.CARE, board.serial, text, (), say("inspect the others"))]
    if not board.unseen:
        return []
    text, do = say("not inspected", serial=board.serial), say("inspect now")
    return [Judgement("inspect.unseen", Level.CARE, board.serial, text, (), do)]


def papers(batch: Batch, board: Board) -> dict[str, Any]:
    """First pass, looks, faults and what became of them."""
    return {
        "first_pass": board.first_pass,
        "inspections": board.inspections,
        "fields_seen": {step: list(counts) for step, counts in board.fields.items()},
        "first_article": [
            {"step": step, "by": who, "at": at}
            for step, (serial, who, at) in batch.state[Looks].first.items()
            if serial == board.serial
        ],
        "passed_unseen": board.unseen,
        "pictures": pictures(batch, board),
        "faults": [
            {
                "ref": f.ref,
                "joint": f.pin or None,
                "word": f.word,
                "found_at": f.found_at,
                "when": f.when,
                "repaired_at": f.repaired,
                "result": f.result or None,
                "accepted": f.accepted or None,
            }
            for f in board.faults
        ],
    }

"""Paste that no oven has melted yet: judged wherever boards wait with it."""

from __future__ import annotations

from datetime import datetime

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board
from fusilex.bench.workshop.records import Records
from fusilex.core.evidence import Level
from fusilex.core.judgement import Judgement
from fusilex.core.route.steps import NO_PASTE
from fusilex.core.wet_paste.age import judge_paste_age


def judge_wet_paste(batch: Batch, board: Board) -> list[Judgement]:
    """Prints of a board that lie open too long, or nearly."""
    found = []
    for step, made in board.prints.items():
        at = batch.steps.by_id.get(step)
        if at is not None and at.method != NO_PASTE and batch.load_of(board, at.side) is None:
            sheet = batch.workshop[Records].paste(made.paste)
            hours = (batch.at - datetime.fromisoformat(made.at)).total_seconds() / 3600
            found.append(
                judge_paste_age(f"panel {board.panel}", hours, sheet.tack_h, sheet.longest_h).of(f"print {made.number}")
            )
    return [j for j in found if j.level is not Level.GO]

"""The judgements of Test: this board's readings and faults, and what the plan cannot reach."""

from __future__ import annotations

import math
from typing import Any

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board
from fusilex.bench.common.faults import judge_faults
from fusilex.core.electrical.probes import ProbePair, judge_plan, judge_readings, judge_unseen
from fusilex.core.judgement import Judgement


def judge(batch: Batch) -> list[Judgement]:
    """Readings of the board in hand, its open faults, pairs nobody can name, joints neither seen nor probed."""
    board, plan = batch.board, batch.derived.plan
    return [
        *_readings(batch, board),
        *judge_faults(batch, board),
        *judge_plan(batch.design, plan),
        *judge_unseen(plan, batch.derived.hidden),
    ]


def _readings(batch: Batch, board: Board) -> list[Judgement]:
    readings = {key: value for key, (value, _) in board.readings.items()}
    return [j.of(board.serial) for j in judge_readings(batch.derived.plan, readings)]


def shorts(batch: Batch, board: Board) -> list[ProbePair]:
    """Pairs whose reading says that their nets are joined, without those accepted with a reason."""
    joined = {j.subject for j in batch.not_overruled(_readings(batch, board))}
    return [p for p in batch.derived.plan if f"{p.key}, {board.serial}" in joined]


def lacks(batch: Batch, board: Board) -> list[str]:
    return [] if board.tests and board.tests[-1]["passed"] else ["passed test"]


def papers(batch: Batch, board: Board) -> dict[str, Any]:
    """Readings in the plan's order, and the tests."""
    rows = [
        {
            "pair": p.key,
            "net_a": p.a.net,
            "net_b": p.b.net,
            "gap_mm": round(p.gap, 4),
            "ohm": None if math.isinf(board.readings[p.key][0]) else board.readings[p.key][0],
            "open": math.isinf(board.readings[p.key][0]),
            "typed": board.readings[p.key][1],
        }
        for p in batch.derived.plan
        if p.key in board.readings
    ]
    return {"readings": rows, "tests": board.tests}

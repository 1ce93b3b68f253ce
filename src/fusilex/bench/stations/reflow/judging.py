"""The judgements of Reflow: the load of the board in hand against the window of the paste it was printed with."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict
from typing import Any

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board
from fusilex.bench.common.moisture import judge_board_clocks
from fusilex.core.judgement import Because, Judgement, Level
from fusilex.core.reflow.judge import judge_profile
from fusilex.core.reflow.metrics import Metrics
from fusilex.core.reflow.windows import WINDOWS


def window_of(batch: Batch, board: Board) -> str:
    """Name of the window a board's paste wants: of its load, else its print, else what the batch is printed with."""
    if board.load is not None:
        return board.load.window
    return board.print.paste if board.print else batch.state.paste


def judge(batch: Batch) -> list[Judgement]:
    """The run, and the moisture clocks of what is on the board."""
    return [*_run(batch.board), *judge_board_clocks(batch, batch.board)]


def _run(board: Board) -> list[Judgement]:
    load = board.load
    if load is None:
        text, do = f"No run on record for panel {board.panel}", "Run the oven, then open its log with L."
        return [Judgement("reflow.log", Level.UNKNOWN, f"panel {board.panel}", text, (), do)]
    if not load.log:
        text = f"Load {load.number} was seen by eye, not measured"
        do = "Look at the last joints to melt, large parts and the middle first; log the next run."
        return [Judgement("reflow.log", Level.UNKNOWN, f"load {load.number}", text, (Because("seen", load.seen),), do)]
    metrics = {name: Metrics.from_dict(m) for name, m in load.metrics.items()}
    return judge_log(metrics, load.window, load.number)


def judge_log(metrics: Mapping[str, Metrics], window: str, number: int) -> list[Judgement]:
    """What a run measured against its window, the load named in every key."""
    return [j.of(f"load {number}") for j in judge_profile(metrics, WINDOWS[window])]


def lacks(batch: Batch, board: Board) -> list[str]:
    return [] if board.load or not batch.placing_order else ["oven load"]


def papers(batch: Batch, board: Board) -> dict[str, Any]:
    """The load, with its log's digest and metrics or what was seen."""
    if board.load is None:
        return {"load": None}
    return {"load": {k: v for k, v in asdict(board.load).items() if k not in ("panel", "boards")}}

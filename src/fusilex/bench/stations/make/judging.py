"""The judgements of Make: resist and holes of the panel in hand."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Any

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board
from fusilex.bench.stations.make.events import Making
from fusilex.core.bare_boards.making import judge_drill, judge_look, least_ring
from fusilex.core.evidence import Level, exactly, weigh
from fusilex.core.judgement import Judgement
from fusilex.core.quantities import Quantity, amount
from fusilex.core.wording import say


def judge(batch: Batch) -> list[Judgement]:
    """What this step of the panel came to, once it is done."""
    done = batch.state[Making].done.get((batch.board.panel, batch.step.id))
    return [] if done is None else judged(batch, batch.board.panel, done.method, done.numbers)


def judged(batch: Batch, panel: int, method: str, n: Mapping[str, float]) -> list[Judgement]:
    """What the numbers of a step of making a panel come to."""
    what = f"panel {panel}"
    if method == "look":
        return [judge_look(int(n["breaks"]), int(n["pinholes"]), int(n["touched"]), what)]
    if method == "drill":
        return [judge_drill(n["run_out_mm"], least_ring(batch.design), what)]
    if method == "look again" and (finest := batch.derived.finest) is not None:
        lines = (finest.sides,)
        level = weigh(exactly(n["finest_mm"]), (0.0, finest.mm), lines, hard=(0.0, math.inf))
        fine = level is Level.GO
        numbers = (
            Quantity("came out", n["finest_mm"], "mm"),
            Quantity("finest in the files", round(finest.mm, 3), "mm"),
        )
        text = say("fine enough" if fine else "too coarse", what=what, finest=amount(n["finest_mm"], "mm"))
        do = None if fine else say("ring out")
        return [Judgement("make.finest", level, what, text, numbers, do, coverage=lines)]
    return []


def papers(batch: Batch, board: Board) -> dict[str, Any]:
    """How the bare board was made, step by step."""
    rows = [
        {"method": m.method, "at": m.at, "minutes": m.minutes, **m.numbers}
        for (panel, _), m in batch.state[Making].done.items()
        if panel == board.panel
    ]
    return {"made_here": rows}

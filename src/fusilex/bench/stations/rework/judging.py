"""The judgements of Rework: the queue, this board's faults, and who stands in the heat."""

from __future__ import annotations

from typing import Any

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board
from fusilex.bench.common.faults import judge_faults, to_repair
from fusilex.bench.common.heat.heat_limits import most_reflow_cycles
from fusilex.bench.stations.rework.mending import (
    Repairs,
    heat_of,
    judge_again,
    judge_worth,
    method_of,
    queue,
    seconds_of,
)
from fusilex.core.evidence import Level, every, seen
from fusilex.core.judgement import Judgement
from fusilex.core.quantities import Quantity
from fusilex.core.rework.heat import neighbours
from fusilex.core.route.hanging import judge_reflow_cycles
from fusilex.core.wording import say

AIR = ("air", "plate and air")
"""Methods whose heat reaches beyond the part."""
OR_AIR = ("iron both ends",)
"""Methods that some do with air all the same."""


def judge(batch: Batch) -> list[Judgement]:
    """The board's own faults first, then the heat and what it reaches again, whether it pays, then the queue."""
    board = batch.board
    heat = [*_heat(batch), *_reflow_cycles(batch), *judge_again(batch, board)]
    return [*judge_faults(batch, board), *heat, *judge_worth(batch, board), _queue(batch)]


def _reflow_cycles(batch: Batch) -> list[Judgement]:
    """Heats the part to mend had, over sides and repairs."""
    board = batch.board
    mended = {f.ref: board.reflow_cycles.get(f.ref, 0) for f in queue(batch, board)[:1]}
    return [j.of(board.serial) for j in judge_reflow_cycles(mended, 1, most_reflow_cycles(batch.workshop))]


def _queue(batch: Batch) -> Judgement:
    waiting = batch.state.at(batch.step.id)
    if not waiting:
        boards = (every("boards", len(batch.state.boards)),)
        return Judgement("rework.queue", seen(*boards), "queue", say("none"), coverage=boards)
    text = say("waiting", boards=len(waiting))
    faults = [f for b in waiting for f in to_repair(batch, b)]
    times = [s for f in faults if (s := seconds_of(batch, f)) is not None]
    numbers = (Quantity("open defects", len(faults)), Quantity("about", round(sum(times) / 60), "min"))
    return Judgement("rework.queue", Level.CARE, "queue", text, numbers)


def _heat(batch: Batch) -> list[Judgement]:
    for fault in queue(batch, batch.board)[:1]:
        part = batch.own.by_ref.get(fault.ref)
        if part is None:
            return []
        method = method_of(batch, fault)
        if method is not None and method.name not in (*AIR, *OR_AIR):
            return []
        near = neighbours(batch.design, part, heat_of(batch, part))
        subject = f"{fault.ref} of {batch.board.serial}"
        if not near:
            parts = (every("parts", len(batch.own.parts)),)
            return [Judgement("rework.heat", seen(*parts), subject, say("none", ref=fault.ref), coverage=parts)]
        light = [n.ref for n in near if n.blown]
        blown = Quantity("may blow away", ", ".join(light[:4]) or "none")
        case = "near, with air" if method is not None and method.name in OR_AIR else "near"
        text, do = say(case, parts=len(near), ref=fault.ref), say("shield, low air" if light else "shield")
        numbers = (Quantity("nearest", near[0].distance, "mm"), blown)
        return [Judgement("rework.heat", Level.CARE, subject, text, numbers, do, tuple(n.ref for n in near))]
    return []


def papers(batch: Batch, board: Board) -> dict[str, Any]:
    """What killed parts that were replaced."""
    causes = batch.state[Repairs].causes
    own = [f for f in board.faults if f.id in causes]
    return {"killed_by": [{"ref": f.ref, "word": f.word, "cause": causes[f.id]} for f in own]}
